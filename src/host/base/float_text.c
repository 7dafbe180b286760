#include "host/base/float_text.h"

#include <math.h>
#include <stdio.h>
#include <stdlib.h>
#include <string.h>

static uint64_t bits_of(const uint8_t *raw, size_t size)
{
    uint64_t bits = 0;
    for (size_t i = 0; i < size; i++)
        bits = bits << 8 | raw[i];
    return bits;
}

static double number_of(bil_type type, const uint8_t *raw)
{
    uint64_t bits = bits_of(raw, type == BIL_F32 ? 4 : 8);
    if (type == BIL_F64) {
        double number;
        memcpy(&number, &bits, sizeof number);
        return number;
    }
    uint32_t half = (uint32_t)bits;
    float number;
    memcpy(&number, &half, sizeof number);
    return (double)number;
}

static int to_raw(bil_type type, const char *text, uint8_t *raw)
{
    size_t size = type == BIL_F32 ? 4 : 8;
    uint64_t bits;
    if (type == BIL_F32) {
        float number = strtof(text, NULL);
        uint32_t half;
        memcpy(&half, &number, sizeof half);
        if (!isfinite(number))
            return BIL_E_RANGE;
        bits = half;
    } else {
        double number = strtod(text, NULL);
        if (!isfinite(number))
            return BIL_E_RANGE;
        memcpy(&bits, &number, sizeof bits);
    }
    for (size_t i = 0; i < size; i++)
        raw[i] = (uint8_t)(bits >> 8 * (size - 1 - i));
    return BIL_OK;
}

/* A number as digits and the power of ten of the first one. */
typedef struct decimal {
    char digits[20];
    int count, power;
} decimal;

static decimal decimal_of(double number, int count)
{
    char text[40];
    decimal d = {.count = 0};
    snprintf(text, sizeof text, "%.*e", count - 1, fabs(number));
    for (const char *c = text; *c && *c != 'e'; c++)
        if (*c != '.')
            d.digits[d.count++] = *c;
    d.power = atoi(strchr(text, 'e') + 1);
    return d;
}

/* The next larger one with so many digits. */
static void next_up(decimal *d)
{
    int i = d->count - 1;
    while (i >= 0 && d->digits[i] == '9')
        d->digits[i--] = '0';
    if (i >= 0) {
        d->digits[i]++;
        return;
    }
    d->digits[0] = '1'; /* 999 becomes 1000 */
    d->power++;
}

/* As people write it: plain from 0.00001 to below 1e15, else with a power of ten. */
static void lay_out(const decimal *d, bool negative, char *out, size_t size)
{
    static const char zeros[] = "000000000000000";
    int count = d->count, point = d->power + 1;
    while (count > 1 && d->digits[count - 1] == '0')
        count--;
    const char *sign = negative ? "-" : "";
    if (d->power < -5 || d->power >= 15)
        snprintf(out, size, "%s%c%s%.*se%+03d", sign, d->digits[0], count > 1 ? "." : "", count - 1, d->digits + 1,
                 d->power);
    else if (point <= 0)
        snprintf(out, size, "%s0.%.*s%.*s", sign, -point, zeros, count, d->digits);
    else if (count <= point)
        snprintf(out, size, "%s%.*s%.*s", sign, count, d->digits, point - count, zeros);
    else
        snprintf(out, size, "%s%.*s.%.*s", sign, point, d->digits, count - point, d->digits + point);
}

static bool reads_back(bil_type type, const uint8_t *raw, double number, int digits, decimal *d)
{
    char text[48];
    uint8_t back[8];
    size_t size = type == BIL_F32 ? 4 : 8;
    decimal one = decimal_of(number, digits);
    bool negative = raw[0] & 0x80;
    for (int i = 0; i < 2; i++) {
        lay_out(&one, negative, text, sizeof text);
        if (to_raw(type, text, back) == BIL_OK && memcmp(back, raw, size) == 0) {
            *d = one;
            return true;
        }
        next_up(&one); /* above a power of two the neighbours are twice as far apart as below it */
    }
    return false;
}

/* How many places the decimal point of what is shown stands further to the left. */
static int places(const bil_format *format)
{
    int count = format->decimals;
    for (int32_t mul = format->mul; mul >= 10; mul /= 10)
        count--;
    return count;
}

/* The fewest digits that give the same bits. Most values of people have few digits, most others nearly all: look in the
 * middle first, then up or down. */
static int text_of(const bil_format *format, const uint8_t *raw, char *out, size_t size)
{
    bil_type type = (bil_type)format->type;
    double number = number_of(type, raw);
    if (!isfinite(number))
        return BIL_E_NO_TEXT;
    char text[48];
    decimal d = {.count = 0};
    int digits = type == BIL_F32 ? 6 : 15, most = type == BIL_F32 ? 9 : 17;
    if (reads_back(type, raw, number, digits, &d)) {
        while (digits > 1 && reads_back(type, raw, number, digits - 1, &d))
            digits--;
    } else {
        while (digits < most && !reads_back(type, raw, number, digits + 1, &d))
            digits++;
    }
    if (number < 0 || number > 0) /* zero is zero at each scale */
        d.power -= places(format);
    lay_out(&d, raw[0] & 0x80, text, sizeof text);
    size_t length = strlen(text);
    if (length >= size)
        return BIL_E_SPACE;
    memcpy(out, text, length + 1);
    return BIL_OK;
}

static int parse(const bil_format *format, const char *text, size_t length, uint8_t *raw)
{
    char copy[80];
    if (length == 0 || length >= 64 || strspn(text, "0123456789+-.eE") < length)
        return BIL_E_SYNTAX;
    memcpy(copy, text, length);
    copy[length] = '\0';
    char *end, *power = copy + strcspn(copy, "eE");
    strtod(copy, &end);
    if (*end || end == copy)
        return BIL_E_SYNTAX;
    int shift = places(format);
    long exponent = shift && *power ? strtol(power + 1, NULL, 10) : 0; /* where that is larger still, no type has it */
    if (shift && exponent > -100000 && exponent < 100000)
        snprintf(power, sizeof copy - (size_t)(power - copy), "e%ld", exponent + shift);
    return to_raw((bil_type)format->type, copy, raw);
}

const bil_float_ops host_floats = {text_of, parse};

#include "float_text.h"

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
    for (size_t i = size; i-- > 0; bits >>= 8)
        raw[i] = (uint8_t)bits;
    return BIL_OK;
}

static bool reads_back(bil_type type, const uint8_t *raw, double number, int digits, char text[40])
{
    uint8_t back[8];
    snprintf(text, 40, "%.*g", digits, number);
    return to_raw(type, text, back) == BIL_OK && memcmp(back, raw, type == BIL_F32 ? 4 : 8) == 0;
}

/* Most values of people have few digits, most others nearly all: look in the middle first, then up or down. */
static int text_of(bil_type type, const uint8_t *raw, char *out, size_t size)
{
    double number = number_of(type, raw);
    if (!isfinite(number))
        return BIL_E_NO_TEXT;
    char text[40], shorter[40];
    int digits = type == BIL_F32 ? 6 : 15, most = type == BIL_F32 ? 9 : 17;
    if (reads_back(type, raw, number, digits, text)) {
        while (digits > 1 && reads_back(type, raw, number, digits - 1, shorter)) {
            memcpy(text, shorter, sizeof text);
            digits--;
        }
    } else {
        while (digits < most && !reads_back(type, raw, number, digits + 1, text))
            digits++;
    }
    size_t length = strlen(text);
    if (length >= size)
        return BIL_E_SPACE;
    memcpy(out, text, length + 1);
    return BIL_OK;
}

static int parse(bil_type type, const char *text, size_t length, uint8_t *raw)
{
    char copy[64];
    if (length == 0 || length >= sizeof copy || strspn(text, "0123456789+-.eE") < length)
        return BIL_E_SYNTAX;
    memcpy(copy, text, length);
    copy[length] = '\0';
    char *end;
    strtod(copy, &end);
    if (*end || end == copy)
        return BIL_E_SYNTAX;
    return to_raw(type, copy, raw);
}

const bil_float_ops host_floats = {text_of, parse};

/* Network addresses as people write them: bytes, with a character between them. */
#include "bilancia/value.h"
#include "bytes.h"

static const char hex[] = "0123456789abcdef";

static size_t put_byte(const bil_format *format, uint8_t byte, char out[3])
{
    size_t used = 0;
    if (format->type == BIL_MAC) {
        out[used++] = hex[byte >> 4];
        out[used++] = hex[byte & 15];
        return used;
    }
    char digits[DIGITS];
    size_t from = bil_decimal(byte, digits);
    for (; from < DIGITS; from++)
        out[used++] = digits[from];
    return used;
}

static int address_text(const bil_format *format, const uint8_t *raw, char *out, size_t size)
{
    size_t used = 0;
    for (size_t i = 0; i < format->size; i++) {
        if (size - used < 5) /* a character between, a byte, and the end */
            return BIL_E_SPACE;
        if (i)
            out[used++] = format->type == BIL_MAC ? ':' : '.';
        used += put_byte(format, raw[i], out + used);
    }
    out[used] = '\0';
    return BIL_OK;
}

/* Up to 255; no number with a zero in front, which some read as another one. -1: no byte. */
static int take_decimal(const char *text, size_t length)
{
    int number = 0;
    if (length == 0 || length > 3 || (text[0] == '0' && length > 1))
        return -1;
    for (size_t i = 0; i < length; i++) {
        if (text[i] < '0' || text[i] > '9')
            return -1;
        number = number * 10 + (text[i] - '0');
    }
    return number;
}

static int take_hex(const char *text, size_t length)
{
    int number = 0;
    for (size_t i = 0; i < length; i++) {
        char lower = (char)(text[i] >= 'A' && text[i] <= 'F' ? text[i] - 'A' + 'a' : text[i]);
        int digit = 0;
        while (digit < 16 && hex[digit] != lower)
            digit++;
        if (digit == 16)
            return -1;
        number = number * 16 + digit;
    }
    return length == 2 ? number : -1;
}

/* 192.0.2.7; 02:00:5e:10:00:ff */
static int address_parse(const bil_format *format, const char *text, size_t length, uint8_t *raw)
{
    bool mac = format->type == BIL_MAC;
    size_t at = 0;
    for (size_t i = 0; i < format->size; i++) {
        size_t end = at;
        while (end < length && text[end] != ':' && text[end] != '.')
            end++;
        if (i + 1 < format->size ? end >= length || text[end] != (mac ? ':' : '.') : end != length)
            return BIL_E_SYNTAX;
        int number = mac ? take_hex(text + at, end - at) : take_decimal(text + at, end - at);
        if (number < 0)
            return BIL_E_SYNTAX;
        if (number > 255)
            return BIL_E_RANGE;
        raw[i] = (uint8_t)number;
        at = end + 1;
    }
    return BIL_OK;
}

const bil_form bil_form_address = {"address", NULL, NULL, NULL, address_text, address_parse, NULL};

/* Network addresses as people write them: bytes, with a character between them. */
#include "bilancia/value.h"
#include "bytes.h"
#include "text.h"

static int address_text(const bil_format *format, const uint8_t *raw, char *text, size_t size)
{
    bool mac = format->type == BIL_MAC;
    text_out out;
    bil_out_open(&out, text, size - 1);
    for (size_t i = 0; i < format->size; i++) {
        if (i)
            bil_out_lit(&out, mac ? ":" : ".");
        if (mac)
            bil_out_hex(&out, raw + i, 1);
        else
            bil_out_number(&out, raw[i]);
    }
    return bil_out_end(&out);
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
        int digit = bil_hex_value((char)(text[i] >= 'A' && text[i] <= 'F' ? text[i] | 0x20 : text[i]));
        if (digit < 0)
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

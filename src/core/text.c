#include "text.h"

#include "bilancia/value.h"
#include "bytes.h"

/* ---- text that is being built ---- */

void bil_out_open(text_out *out, char *text, size_t size)
{
    *out = (text_out){text, text, text + size, false};
}

void bil_out_raw(text_out *out, const char *text, size_t length)
{
    if ((size_t)(out->end - out->at) < length) {
        out->full = true;
        return;
    }
    memcpy(out->at, text, length);
    out->at += length;
}

void bil_out_lit(text_out *out, const char *text)
{
    bil_out_raw(out, text, strlen(text));
}

void bil_out_hex(text_out *out, const uint8_t *bytes, size_t count)
{
    static const char digits[] = "0123456789abcdef";
    for (size_t i = 0; i < 2 * count; i++)
        bil_out_raw(out, &digits[bytes[i / 2] >> (i % 2 ? 0 : 4) & 15], 1);
}

int bil_out_end(text_out *out)
{
    if (out->full)
        return BIL_E_SPACE;
    *out->at = '\0';
    return BIL_OK;
}

void bil_text_seen(const char *bytes, size_t count, char *out, size_t most)
{
    size_t n = count < most ? count : most;
    for (size_t i = 0; i < n; i++)
        out[i] = (char)(bytes[i] >= 0x20 && bytes[i] < 0x7f ? bytes[i] : '.');
    out[n] = '\0';
}

uint32_t bil_text_number(const char *text, size_t length)
{
    uint32_t number = 0;
    for (size_t i = 0; i < length && text[i] >= '0' && text[i] <= '9' && number < 100000000; i++)
        number = number * 10 + (uint32_t)(text[i] - '0');
    return number;
}

void bil_wipe(void *memory, size_t size)
{
    volatile uint8_t *bytes = memory;
    while (size--)
        *bytes++ = 0;
}

/* ---- digits ---- */

size_t bil_decimal(uint64_t number, char digits[DIGITS])
{
    size_t at = DIGITS;
    do {
        digits[--at] = (char)('0' + number % 10);
        number /= 10;
    } while (number > 0);
    return at;
}

void bil_out_number(text_out *out, uint64_t number)
{
    char digits[DIGITS];
    size_t at = bil_decimal(number, digits);
    bil_out_raw(out, digits + at, DIGITS - at);
}

int bil_hex_value(char c)
{
    return c >= '0' && c <= '9' ? c - '0' : c >= 'a' && c <= 'f' ? c - 'a' + 10 : -1;
}

/* ---- UTF-8 ---- */

/* Length of the character that starts here, 0 when it isn't valid (RFC 3629). */
static size_t utf8_length(const uint8_t *text, size_t left)
{
    uint8_t first = text[0];
    size_t length = first < 0x80 ? 1 : first < 0xc2 ? 0 : first < 0xe0 ? 2 : first < 0xf0 ? 3 : first < 0xf5 ? 4 : 0;
    if (length > left)
        return 0;
    for (size_t i = 1; i < length; i++)
        if ((text[i] & 0xc0) != 0x80)
            return 0;
    if ((first == 0xe0 && text[1] < 0xa0) || (first == 0xed && text[1] > 0x9f) || (first == 0xf0 && text[1] < 0x90) ||
        (first == 0xf4 && text[1] > 0x8f))
        return 0;
    return length;
}

/* Does this character end a line, or make what follows read in another direction than it is written? U+061C, U+200E,
 * U+200F, U+2028 to U+202E, U+2066 to U+2069 (UAX 9, table 1; UAX 14, class BK). */
static bool turns(const uint8_t *at)
{
    if (at[0] == 0xd8)
        return at[1] == 0x9c;
    if (at[0] != 0xe2 || (at[1] != 0x80 && at[1] != 0x81))
        return false;
    uint8_t last = at[2];
    return at[1] == 0x81 ? last >= 0xa6 && last <= 0xa9 : (last & 0xfe) == 0x8e || (last >= 0xa8 && last <= 0xae);
}

bool bil_text_is_printable(const char *text, size_t length)
{
    const uint8_t *bytes = (const uint8_t *)text;
    for (size_t i = 0, step; i < length; i += step) {
        step = utf8_length(bytes + i, length - i);
        if (step == 0 || bytes[i] < 0x20 || bytes[i] == 0x7f || (bytes[i] == 0xc2 && bytes[i + 1] < 0xa0) ||
            turns(bytes + i))
            return false;
    }
    return true;
}

/* Base64 (RFC 4648, section 4) where there is no library for it. */
#include "port/base64.h"

#include <string.h>

static const char digits[] = "ABCDEFGHIJKLMNOPQRSTUVWXYZabcdefghijklmnopqrstuvwxyz0123456789+/";

void base64_encode(const uint8_t *bytes, size_t count, char *text)
{
    for (size_t i = 0; i < count; i += 3) {
        uint32_t group = (uint32_t)bytes[i] << 16 | (i + 1 < count ? (uint32_t)bytes[i + 1] << 8 : 0) |
                         (i + 2 < count ? bytes[i + 2] : 0u);
        for (size_t k = 0; k < 4; k++)
            *text++ = i + k <= count ? digits[group >> (18 - 6 * k) & 63] : '=';
    }
    *text = '\0';
}

int base64_decode(const char *text, size_t length, uint8_t *bytes)
{
    size_t count = 0;
    for (size_t i = 0; i < length; i += 4) {
        uint32_t group = 0;
        size_t pad = 0;
        for (size_t k = 0; k < 4; k++) {
            const char *digit = text[i + k] == '=' ? NULL : strchr(digits, text[i + k]);
            if (!digit && text[i + k] != '=')
                return -1;
            pad += !digit;
            group = group << 6 | (digit ? (uint32_t)(digit - digits) : 0);
        }
        for (size_t k = 0; k < 3; k++)
            bytes[count + k] = (uint8_t)(group >> (16 - 8 * k));
        count += 3 - pad;
    }
    return (int)count;
}

/* Date and time of day, as a device's clock shows them: a decimal number of fourteen digits. */
#include "bilancia/value.h"
#include "bytes.h"
#include "calendar.h"
#include "text.h"

enum { RAW = 6 };

static const char like[] = "0000-00-00 00:00:00";

unsigned bil_days_in(unsigned year, unsigned month)
{
    bool leap = year % (year % 100 ? 4 : 16) == 0; /* of centuries, those of 400 years */
    return month == 2 ? 28u + leap : 30 + ((month + (month >> 3)) & 1);
}

void bil_time_split(const uint8_t *raw, uint16_t parts[6])
{
    uint64_t number = bil_value_number(raw, RAW);
    for (size_t i = 5; i > 0; i--, number /= 100)
        parts[i] = (uint16_t)(number % 100);
    parts[0] = (uint16_t)number; /* less than 2^48 / 10^10 */
}

int bil_time_join(const uint16_t parts[6], uint8_t *raw)
{
    uint64_t number = parts[0];
    for (size_t i = 1; i < 6; i++)
        number = number * 100 + parts[i];
    bil_value_put_number(raw, RAW, number);
    bool exists = parts[0] - 1000u < 9000 && parts[1] - 1u < 12 && parts[2] - 1u < bil_days_in(parts[0], parts[1]) &&
                  parts[3] < 24 && parts[4] < 60 && parts[5] < 60;
    return exists ? BIL_OK : BIL_E_ENCODING;
}

bool bil_time_exists(const bil_format *format, const uint8_t *raw)
{
    uint16_t parts[6];
    uint8_t same[RAW];
    (void)format;
    bil_time_split(raw, parts);
    return bil_time_join(parts, same) == BIL_OK;
}

int bil_time_text(const bil_format *format, const uint8_t *raw, char *out, size_t size)
{
    char digits[DIGITS];
    size_t from = bil_decimal(bil_value_number(raw, RAW), digits);
    (void)format;
    if (size < sizeof like)
        return BIL_E_SPACE;
    if (from != DIGITS - 14)
        return BIL_E_NO_TEXT;
    for (size_t i = 0; i < sizeof like; i++)
        out[i] = like[i] == '0' ? digits[from++] : like[i];
    return BIL_OK;
}

int bil_time_parse(const bil_format *format, const char *text, size_t length, uint8_t *raw)
{
    uint16_t parts[6] = {0}, *part = parts;
    (void)format;
    if (length != sizeof like - 1)
        return BIL_E_SYNTAX;
    for (size_t i = 0; i < sizeof like - 1; i++) {
        unsigned digit = (unsigned)(text[i] - '0');
        if (like[i] == '0' ? digit > 9 : text[i] != like[i])
            return BIL_E_SYNTAX;
        if (like[i] == '0')
            *part = (uint16_t)(*part * 10 + digit);
        else
            part++;
    }
    return bil_time_join(parts, raw) ? BIL_E_RANGE : BIL_OK;
}

const bil_form bil_form_time = {
    .name = "time", .text = bil_time_text, .parse = bil_time_parse, .holds = bil_time_exists};

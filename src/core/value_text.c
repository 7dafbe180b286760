/* Values as text and back, exactly. */
#include "bilancia/value.h"

#include "bytes.h"
#include "require.h"

/* ---- text that is being built ---- */

typedef struct text_out {
    char *at, *end; /* end leaves room for the NUL */
    bool full;
} text_out;

static void put(text_out *out, const char *text, size_t length)
{
    if ((size_t)(out->end - out->at) < length) {
        out->full = true;
        return;
    }
    memcpy(out->at, text, length);
    out->at += length;
}

size_t bil_decimal(uint64_t number, char digits[DIGITS])
{
    size_t at = DIGITS;
    do {
        digits[--at] = (char)('0' + number % 10);
        number /= 10;
    } while (number > 0);
    return at;
}

static void put_number(text_out *out, uint64_t number)
{
    char digits[DIGITS];
    size_t at = bil_decimal(number, digits);
    put(out, digits + at, DIGITS - at);
}

static int put_end(text_out *out)
{
    if (out->full)
        return BIL_E_SPACE;
    *out->at = '\0';
    return BIL_OK;
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

/* ---- numbers ---- */

/* Sign and magnitude of raw * mul + offset. Scales other than 1 belong to types of at most 32 bits, so that
 * nothing here overflows: 2^32 * 2^31 + 2^31 < 2^64. */
static bool scaled(const bil_format *format, const uint8_t *raw, uint64_t *magnitude)
{
    uint64_t bits = bil_value_number(raw, format->size);
    uint64_t sign = UINT64_C(1) << (8 * format->size - 1);
    bool negative = bil_type_is_signed((bil_type)format->type) && (bits & sign);
    uint64_t size = negative ? (~bits + 1) & (sign | (sign - 1)) : bits;
    if (format->mul != 1 || format->offset != 0) {
        uint64_t factor = format->mul < 0 ? (uint64_t) - (int64_t)format->mul : (uint64_t)format->mul;
        bool product_negative = negative != (format->mul < 0);
        uint64_t product = size * factor;
        bool offset_negative = format->offset < 0;
        uint64_t offset = offset_negative ? (uint64_t) - (int64_t)format->offset : (uint64_t)format->offset;
        if (product_negative == offset_negative) {
            size = product + offset;
            negative = product_negative;
        } else {
            size = product > offset ? product - offset : offset - product;
            negative = product > offset ? product_negative : offset_negative;
        }
    }
    *magnitude = size;
    return negative && size != 0;
}

static void put_decimal(text_out *out, const bil_format *format, const uint8_t *raw)
{
    uint64_t magnitude;
    if (scaled(format, raw, &magnitude))
        put(out, "-", 1);
    uint64_t unit = 1;
    for (uint8_t i = 0; i < format->decimals; i++)
        unit *= 10;
    put_number(out, magnitude / unit);
    if (format->decimals == 0)
        return;
    char digits[20];
    uint64_t rest = magnitude % unit;
    for (size_t i = format->decimals; i > 0; i--) {
        digits[i] = (char)('0' + rest % 10);
        rest /= 10;
    }
    digits[0] = '.';
    put(out, digits, (size_t)format->decimals + 1);
}

/* Reads [-]digits[.digits] into sign and magnitude in units of 10^-decimals. */
static int read_decimal(const char *text, size_t length, uint8_t decimals, bool *negative, uint64_t *magnitude)
{
    size_t at = 0;
    *negative = at < length && text[at] == '-';
    if (at < length && (text[at] == '-' || text[at] == '+'))
        at++;
    uint64_t number = 0;
    size_t before = 0, after = 0;
    bool point = false, inexact = false;
    for (; at < length; at++) {
        if (text[at] == '.' && !point) {
            point = true;
            continue;
        }
        if (text[at] < '0' || text[at] > '9')
            return BIL_E_SYNTAX;
        unsigned digit = (unsigned)(text[at] - '0');
        if (point)
            after++;
        else
            before++;
        if (after > decimals) {
            inexact |= digit != 0;
            continue;
        }
        if (number > (UINT64_MAX - digit) / 10)
            return BIL_E_RANGE;
        number = number * 10 + digit;
    }
    if (before == 0 || (point && after == 0))
        return BIL_E_SYNTAX;
    if (inexact)
        return BIL_E_INEXACT;
    for (; after < decimals; after++) {
        if (number > UINT64_MAX / 10)
            return BIL_E_RANGE;
        number *= 10;
    }
    *magnitude = number;
    return BIL_OK;
}

static int parse_decimal(const bil_format *format, const char *text, size_t length, uint8_t *raw)
{
    bool negative;
    uint64_t magnitude;
    int error = read_decimal(text, length, format->decimals, &negative, &magnitude);
    if (error)
        return error;
    if (format->mul != 1 || format->offset != 0) {
        bool offset_negative = format->offset < 0;
        uint64_t offset = offset_negative ? (uint64_t) - (int64_t)format->offset : (uint64_t)format->offset;
        if (negative != offset_negative) { /* subtracting the offset goes further from zero */
            if (magnitude > UINT64_MAX - offset)
                return BIL_E_RANGE;
            magnitude += offset;
        } else if (magnitude >= offset) {
            magnitude -= offset;
        } else {
            magnitude = offset - magnitude;
            negative = !negative;
        }
        uint64_t factor = format->mul < 0 ? (uint64_t) - (int64_t)format->mul : (uint64_t)format->mul;
        if (magnitude % factor != 0)
            return BIL_E_INEXACT;
        magnitude /= factor;
        negative = negative != (format->mul < 0);
    }
    uint64_t sign = UINT64_C(1) << (8 * format->size - 1);
    if (magnitude == 0)
        negative = false;
    if (bil_type_is_signed((bil_type)format->type)) {
        if (magnitude > (negative ? sign : sign - 1))
            return BIL_E_RANGE;
    } else if (negative || magnitude > (sign | (sign - 1))) {
        return BIL_E_RANGE;
    }
    bil_value_put_number(raw, format->size, negative ? ~magnitude + 1 : magnitude);
    return BIL_OK;
}

/* ---- choices and bits ---- */

static const char *choice_name(const bil_format *format, uint32_t value)
{
    for (uint16_t i = 0; i < format->choice_count; i++)
        if (format->choices[i].value == value)
            return format->choices[i].name;
    return NULL;
}

static void put_choice(text_out *out, const bil_format *format, const uint8_t *raw)
{
    uint32_t value = (uint32_t)bil_value_number(raw, format->size);
    const char *name = choice_name(format, value);
    if (name)
        put(out, name, strlen(name));
    else
        put_number(out, value);
}

static int parse_choice(const bil_format *format, const char *text, size_t length, uint8_t *raw)
{
    for (uint16_t i = 0; i < format->choice_count; i++)
        if (text_is(format->choices[i].name, text, length)) {
            bil_value_put_number(raw, format->size, format->choices[i].value);
            return BIL_OK;
        }
    bool negative;
    uint64_t number;
    if (read_decimal(text, length, 0, &negative, &number) != BIL_OK)
        return BIL_E_CHOICE;
    if (negative || number >> (8 * format->size) != 0)
        return BIL_E_RANGE;
    bil_value_put_number(raw, format->size, number);
    return BIL_OK;
}

/* Named bits, joined by "+", lowest first; the nameless as one hex number at the end; none as "0". */
static void put_bits(text_out *out, const bil_format *format, const uint8_t *raw)
{
    uint32_t bits = (uint32_t)bil_value_number(raw, format->size), nameless = 0;
    bool first = true;
    for (uint32_t bit = 0; bit < 8u * format->size; bit++) {
        if (!(bits >> bit & 1))
            continue;
        const char *name = choice_name(format, bit);
        if (!name) {
            nameless |= UINT32_C(1) << bit;
            continue;
        }
        if (!first)
            put(out, "+", 1);
        put(out, name, strlen(name));
        first = false;
    }
    if (nameless == 0 && !first)
        return;
    if (nameless == 0) {
        put(out, "0", 1);
        return;
    }
    char hex[10] = {'0', 'x'};
    size_t count = 2;
    for (int shift = 28; shift >= 0; shift -= 4) {
        uint32_t digit = nameless >> shift & 15;
        if (digit || count > 2)
            hex[count++] = "0123456789abcdef"[digit];
    }
    if (!first)
        put(out, "+", 1);
    put(out, hex, count);
}

static int parse_hex(const char *text, size_t length, uint32_t *number)
{
    if (length == 0 || length > 8)
        return BIL_E_SYNTAX;
    *number = 0;
    for (size_t i = 0; i < length; i++) {
        char c = text[i];
        uint32_t digit = c >= '0' && c <= '9'   ? (uint32_t)(c - '0')
                         : c >= 'a' && c <= 'f' ? (uint32_t)(c - 'a') + 10
                                                : 16;
        if (digit > 15)
            return BIL_E_SYNTAX;
        *number = *number << 4 | digit;
    }
    return BIL_OK;
}

static int parse_bits(const bil_format *format, const char *text, size_t length, uint8_t *raw)
{
    uint64_t bits = 0;
    for (size_t at = 0; at <= length;) {
        size_t end = at;
        while (end < length && text[end] != '+')
            end++;
        const char *part = text + at;
        size_t size = end - at;
        uint32_t value = 0;
        bool known = false;
        for (uint16_t i = 0; i < format->choice_count && !known; i++) {
            known = text_is(format->choices[i].name, part, size);
            if (known)
                value = UINT32_C(1) << format->choices[i].value;
        }
        if (!known && !(size == 1 && part[0] == '0') &&
            !(size > 2 && part[0] == '0' && part[1] == 'x' && parse_hex(part + 2, size - 2, &value) == BIL_OK))
            return BIL_E_CHOICE;
        bits |= value;
        at = end + 1;
    }
    if (bits >> (8 * format->size) != 0)
        return BIL_E_RANGE;
    bil_value_put_number(raw, format->size, bits);
    return BIL_OK;
}

/* ---- all types ---- */

static int put_text(text_out *out, const bil_format *format, const uint8_t *raw)
{
    size_t length = format->size;
    while (length > 0 && raw[length - 1] == 0)
        length--;
    if (!bil_text_is_printable((const char *)raw, length))
        return BIL_E_NO_TEXT;
    put(out, (const char *)raw, length);
    return BIL_OK;
}

int bil_value_text(const bil_format *format, const uint8_t *raw, const bil_float_ops *floats, char *text, size_t size)
{
    require(format && raw && (text || size == 0));
    if (size == 0)
        return BIL_E_SPACE;
    if (format->form && format->form->text)
        return format->form->text(format, raw, text, size);
    text_out out = {text, text + size - 1, false};
    switch ((bil_type)format->type) {
    case BIL_BOOL:
        put(&out, raw[0] ? "true" : "false", raw[0] ? 4 : 5);
        break;
    case BIL_F32:
    case BIL_F64:
        return floats ? floats->text(format, raw, text, size) : BIL_E_NO_TEXT;
    case BIL_CHOICE8:
    case BIL_CHOICE16:
        put_choice(&out, format, raw);
        break;
    case BIL_BITS8:
    case BIL_BITS16:
    case BIL_BITS32:
        put_bits(&out, format, raw);
        break;
    case BIL_TEXT:
        if (put_text(&out, format, raw) != BIL_OK)
            return BIL_E_NO_TEXT;
        break;
    default:
        put_decimal(&out, format, raw);
        break;
    }
    return put_end(&out);
}

int bil_value_parse(const bil_format *format, const char *text, size_t length, const bil_float_ops *floats,
                    uint8_t *raw)
{
    require(format && text && raw);
    if (format->form && format->form->parse)
        return format->form->parse(format, text, length, raw);
    switch ((bil_type)format->type) {
    case BIL_BOOL:
        if (!text_is("true", text, length) && !text_is("false", text, length))
            return BIL_E_SYNTAX;
        raw[0] = text[0] == 't';
        return BIL_OK;
    case BIL_F32:
    case BIL_F64:
        return floats ? floats->parse(format, text, length, raw) : BIL_E_NO_TEXT;
    case BIL_CHOICE8:
    case BIL_CHOICE16:
        return parse_choice(format, text, length, raw);
    case BIL_BITS8:
    case BIL_BITS16:
    case BIL_BITS32:
        return parse_bits(format, text, length, raw);
    case BIL_TEXT:
        if (length > format->size)
            return BIL_E_RANGE;
        if (!bil_text_is_printable(text, length))
            return BIL_E_SYNTAX;
        memset(raw, 0, format->size);
        memcpy(raw, text, length);
        return BIL_OK;
    default:
        return parse_decimal(format, text, length, raw);
    }
}

/* Values as text and back, exactly. */
#include "bilancia/value.h"

#include "bytes.h"
#include "require.h"
#include "text.h"

/* ---- numbers ---- */

/* Adds a number to one that is told by sign and magnitude; false where that is larger than 64 bits. */
static bool add(bool *negative, uint64_t *magnitude, int64_t number)
{
    bool other = number < 0;
    uint64_t size = other ? ~(uint64_t)number + 1 : (uint64_t)number;
    if (*negative == other) {
        *magnitude += size;
        return *magnitude >= size;
    }
    if (*magnitude < size) {
        *negative = other;
        *magnitude = size - *magnitude;
    } else {
        *magnitude -= size;
    }
    return true;
}

/* The magnitude of a factor, whose sign turns that of a number. */
static uint32_t factor_of(const bil_format *format, bool *negative)
{
    *negative = *negative != (format->mul < 0);
    return format->mul < 0 ? ~(uint32_t)format->mul + 1 : (uint32_t)format->mul;
}

/* raw * mul + offset. Scales other than 1 belong to types of at most 32 bits, so that nothing here overflows: 2^32 *
 * 2^31
 * + 2^31 < 2^64. */
static void put_decimal(text_out *out, const bil_format *format, const uint8_t *raw)
{
    uint64_t magnitude;
    bool negative = bil_value_magnitude(format, raw, &magnitude);
    magnitude *= factor_of(format, &negative);
    add(&negative, &magnitude, format->offset);
    if (negative && magnitude)
        bil_out_lit(out, "-");
    char digits[DIGITS];
    size_t at = bil_decimal(magnitude, digits), point = DIGITS - format->decimals;
    while (at >= point)
        digits[--at] = '0';
    bil_out_raw(out, digits + at, point - at);
    if (format->decimals) {
        bil_out_lit(out, ".");
        bil_out_raw(out, digits + point, format->decimals);
    }
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

/* What comes back is another number where it doesn't fit. */
static int put_raw(const bil_format *format, bool negative, uint64_t magnitude, uint8_t *raw)
{
    uint64_t back;
    bil_value_put_number(raw, format->size, negative ? ~magnitude + 1 : magnitude);
    bool turned = bil_value_magnitude(format, raw, &back) != negative;
    return back != magnitude || (turned && magnitude) ? BIL_E_RANGE : BIL_OK;
}

static int parse_decimal(const bil_format *format, const char *text, size_t length, uint8_t *raw)
{
    bool negative;
    uint64_t magnitude;
    int error = read_decimal(text, length, format->decimals, &negative, &magnitude);
    if (error)
        return error;
    if (!add(&negative, &magnitude, -(int64_t)format->offset))
        return BIL_E_RANGE;
    uint32_t factor = factor_of(format, &negative);
    if (magnitude % factor != 0)
        return BIL_E_INEXACT;
    magnitude /= factor;
    return put_raw(format, negative, magnitude, raw);
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
        bil_out_lit(out, name);
    else
        bil_out_number(out, value);
}

static int parse_choice(const bil_format *format, const char *text, size_t length, uint8_t *raw)
{
    for (uint16_t i = 0; i < format->choice_count; i++)
        if (bil_text_is(format->choices[i].name, text, length)) {
            bil_value_put_number(raw, format->size, format->choices[i].value);
            return BIL_OK;
        }
    bool negative;
    uint64_t number;
    if (read_decimal(text, length, 0, &negative, &number) != BIL_OK)
        return BIL_E_CHOICE;
    return put_raw(format, negative, number, raw);
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
            bil_out_lit(out, "+");
        bil_out_lit(out, name);
        first = false;
    }
    if (nameless == 0 && !first)
        return;
    if (!first)
        bil_out_lit(out, "+");
    bil_out_lit(out, nameless ? "0x" : "0");
    int shift = 32;
    while (shift > 0 && !(nameless >> (shift - 4)))
        shift -= 4;
    while (shift > 0) {
        shift -= 4;
        bil_out_raw(out, &"0123456789abcdef"[nameless >> shift & 15], 1);
    }
}

static int parse_hex(const char *text, size_t length, uint32_t *number)
{
    *number = 0;
    for (size_t i = 0; i < length; i++) {
        int digit = bil_hex_value(text[i]);
        if (digit < 0 || i == 8)
            return BIL_E_SYNTAX;
        *number = *number << 4 | (uint32_t)digit;
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
            known = bil_text_is(format->choices[i].name, part, size);
            if (known)
                value = UINT32_C(1) << format->choices[i].value;
        }
        if (!known && !(size == 1 && part[0] == '0') &&
            !(size > 2 && part[0] == '0' && part[1] == 'x' && parse_hex(part + 2, size - 2, &value) == BIL_OK))
            return BIL_E_CHOICE;
        bits |= value;
        at = end + 1;
    }
    return put_raw(format, false, bits, raw);
}

/* ---- all types ---- */

static int put_text(text_out *out, const bil_format *format, const uint8_t *raw)
{
    size_t length = format->size;
    while (length > 0 && raw[length - 1] == 0)
        length--;
    if (!bil_text_is_printable((const char *)raw, length))
        return BIL_E_NO_TEXT;
    bil_out_raw(out, (const char *)raw, length);
    return BIL_OK;
}

int bil_value_text(const bil_format *format, const uint8_t *raw, const bil_float_ops *floats, char *text, size_t size)
{
    require(format && raw && (text || size == 0));
    if (size == 0)
        return BIL_E_SPACE;
    if (format->form && format->form->text)
        return format->form->text(format, raw, text, size);
    text_out out;
    bil_out_open(&out, text, size - 1);
    switch ((bil_type)format->type) {
    case BIL_BOOL:
        bil_out_lit(&out, raw[0] ? "true" : "false");
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
    return bil_out_end(&out);
}

int bil_value_parse(const bil_format *format, const char *text, size_t length, const bil_float_ops *floats,
                    uint8_t *raw)
{
    require(format && text && raw);
    if (format->form && format->form->parse)
        return format->form->parse(format, text, length, raw);
    switch ((bil_type)format->type) {
    case BIL_BOOL:
        if (!bil_text_is("true", text, length) && !bil_text_is("false", text, length))
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

/* Types, checks, rounding. Text is in value_text.c. */
#include "bilancia/value.h"

#include "bytes.h"
#include "require.h"

static const char names[] =
#define NAME(NAME_, name, size) name "\0"
    BIL_TYPES(NAME);
#undef NAME

static const uint8_t sizes[BIL_TYPE_COUNT] = {
#define SIZE(NAME, name, size) size,
    BIL_TYPES(SIZE)
#undef SIZE
};

const char *bil_type_name(bil_type type)
{
    return bil_nth(names, (unsigned)type);
}

int bil_type_from_name(const char *name, size_t length)
{
    return bil_place(names, name, length);
}

size_t bil_type_size(bil_type type)
{
    return type < BIL_TYPE_COUNT ? sizes[type] : 0;
}

bool bil_type_is_float(bil_type type)
{
    return type == BIL_F32 || type == BIL_F64;
}

bool bil_type_is_signed(bil_type type)
{
    return type >= BIL_I8 && type <= BIL_I64;
}

static bool is_choice(bil_type type)
{
    return type == BIL_CHOICE8 || type == BIL_CHOICE16;
}

uint64_t bil_value_key(bil_type type, const uint8_t *raw, size_t size)
{
    if (type >= BIL_TEXT)
        return 0;
    uint64_t bits = bil_value_extended(type, raw, size);
    if (bil_type_is_signed(type))
        return bits ^ (UINT64_C(1) << 63);
    if (!bil_type_is_float(type))
        return bits;
    /* IEEE 754: sign and magnitude; negative numbers sort the other way round */
    uint64_t sign = UINT64_C(1) << (8 * size - 1);
    return bits & sign ? ~bits & (sign | (sign - 1)) : bits | sign;
}

static bool is_nan(bil_type type, uint64_t bits)
{
    return type == BIL_F32 ? (bits & 0x7fffffffu) > 0x7f800000u
                           : (bits & UINT64_C(0x7fffffffffffffff)) > UINT64_C(0x7ff0000000000000);
}

int bil_value_check(const bil_format *format, const uint8_t *raw)
{
    require(format && raw);
    bil_type type = (bil_type)format->type;
    if (format->form && format->form->holds && !format->form->holds(format, raw))
        return BIL_E_RANGE;
    if (is_choice(type)) {
        uint64_t bits = bil_value_number(raw, format->size);
        for (uint16_t i = 0; i < format->choice_count; i++)
            if (format->choices[i].value == bits)
                return BIL_OK;
        return BIL_E_CHOICE;
    }
    if (type == BIL_BOOL)
        return raw[0] <= 1 ? BIL_OK : BIL_E_RANGE;
    if (!format->limited)
        return BIL_OK;
    if (bil_type_is_float(type) && is_nan(type, bil_value_number(raw, format->size)))
        return BIL_E_RANGE;
    uint64_t key = bil_value_key(type, raw, format->size);
    if (key < format->low || key > format->high)
        return BIL_E_RANGE;
    /* from the lowest value that is shown: with a negative scale that is the highest raw one */
    if (format->step > 1 && (format->mul < 0 ? format->high - key : key - format->low) % format->step != 0)
        return BIL_E_STEP;
    return BIL_OK;
}

void bil_value_rounded(const bil_format *format, const uint8_t *raw, uint8_t *out)
{
    require(format && raw && out);
    memmove(out, raw, format->size);
    if (format->rounding == BIL_ROUND_NONE || format->round_to < 2)
        return;
    /* Integers only (the loader sees to it). Work on the magnitude, so that the remainder is never negative;
     * "down" means towards zero, "nearest" takes the larger magnitude when it lies in the middle. */
    uint64_t magnitude;
    bool negative = bil_value_magnitude(format, raw, &magnitude);
    uint64_t rest = magnitude % format->round_to;
    bool up = format->rounding == BIL_ROUND_UP        ? rest != 0
              : format->rounding == BIL_ROUND_NEAREST ? rest >= format->round_to - rest
                                                      : false;
    magnitude = magnitude - rest + (up ? format->round_to : 0);
    bil_value_put_number(out, format->size, negative ? ~magnitude + 1 : magnitude);
}

/* For floats of 32 bits (IEEE 754): |a - b| <= share * max(|a|, |b|), in whole numbers. */
static bool floats_near(uint32_t share, uint32_t a, uint32_t b)
{
    uint32_t low = a & 0x7fffffffu, high = b & 0x7fffffffu;
    if ((low | high) == 0)
        return true; /* both are zero, of whichever sign */
    if ((a ^ b) >> 31)
        return false; /* they are farther apart than the larger one is from zero */
    if (low > high) {
        uint32_t other = low;
        low = high;
        high = other;
    }
    uint32_t e = low >> 23, f = high >> 23;
    if (f == 255)
        return false;
    uint64_t m = (low & 0x7fffffu) | (e ? 0x800000u : 0), n = (high & 0x7fffffu) | (f ? 0x800000u : 0);
    uint32_t apart = (f ? f : 1) - (e ? e : 1);
    if (apart > 1)
        return false; /* less than half of it: no tolerance is so large */
    n <<= apart;
    return (n - m) * 100000 <= n * share;
}

bool bil_value_near(const bil_format *format, const uint8_t *a, const uint8_t *b)
{
    require(format && a && b);
    if (format->tolerance == 0)
        return false;
    if (format->type == BIL_F32)
        return floats_near(format->tolerance, (uint32_t)bil_value_number(a, 4), (uint32_t)bil_value_number(b, 4));
    uint64_t x = bil_value_key((bil_type)format->type, a, format->size),
             y = bil_value_key((bil_type)format->type, b, format->size);
    return (x > y ? x - y : y - x) <= format->tolerance;
}

uint64_t bil_value_extended(bil_type type, const uint8_t *raw, size_t size)
{
    uint64_t number = bil_type_is_signed(type) && raw[0] & 0x80 ? UINT64_MAX : 0;
    for (size_t i = 0; i < size; i++)
        number = number << 8 | raw[i];
    return number;
}

bool bil_value_magnitude(const bil_format *format, const uint8_t *raw, uint64_t *magnitude)
{
    bil_type type = (bil_type)format->type;
    uint64_t number = bil_value_extended(type, raw, format->size);
    bool negative = bil_type_is_signed(type) && number >> 63;
    *magnitude = negative ? ~number + 1 : number;
    return negative;
}

uint64_t bil_value_number(const uint8_t *raw, size_t size)
{
    return bil_value_extended(BIL_BOOL, raw, size);
}

void bil_value_put_number(uint8_t *raw, size_t size, uint64_t number)
{
    for (; size > 0; number >>= 8)
        raw[--size] = (uint8_t)number;
}

/* Forms of values in cells, beside the plain one: digits, signs, texts with a length and so on, and parts of a cell. */
#include "../core/bytes.h"
#include "in_cells.h"

/* ---- texts: strings of bytes, whose cells never change places ---- */

static uint8_t byte_of(const bil_format *format, const uint16_t *cells, size_t i)
{
    uint16_t cell = bil_cell_swapped(format, cells[i / 2]);
    return (uint8_t)(i % 2 ? cell & 0xff : cell >> 8);
}

static void put_byte(const bil_format *format, uint16_t *cells, size_t i, uint8_t byte)
{
    uint16_t cell = bil_cell_swapped(format, cells[i / 2]);
    cells[i / 2] = bil_cell_swapped(format, (uint16_t)(i % 2 ? (cell & 0xff00) | byte : (cell & 0xff) | byte << 8));
}

/* Up to what it was filled up with. */
static size_t length_of(const uint8_t *raw, size_t length, bool blanks)
{
    while (length && (raw[length - 1] == 0 || (blanks && raw[length - 1] == ' ')))
        length--;
    return length;
}

/* `length` bytes, and what fills up the rest of the cells. */
static void put_text(const bil_format *format, const uint8_t *raw, size_t length, uint8_t filler, uint16_t *cells)
{
    for (size_t i = 0; i < format->size + format->size % 2u; i++)
        put_byte(format, cells, i, i < length ? raw[i] : filler);
}

static int blanks_from(const bil_format *format, const uint16_t *cells, uint8_t *raw)
{
    size_t size = format->size;
    uint8_t left = size % 2 ? byte_of(format, cells, size) : 0;
    if (left && left != ' ')
        return BIL_E_ENCODING;
    for (size_t i = 0; i < size; i++)
        raw[i] = byte_of(format, cells, i);
    size_t length = length_of(raw, size, true);
    memset(raw + length, 0, size - length);
    return BIL_OK;
}

static int blanks_to(const bil_format *format, const uint8_t *raw, uint16_t *cells)
{
    put_text(format, raw, length_of(raw, format->size, false), ' ', cells);
    return BIL_OK;
}

static size_t length_cells(const bil_format *format)
{
    return (format->size + 1u) / 2 + 1;
}

static int length_from(const bil_format *format, const uint16_t *cells, uint8_t *raw)
{
    size_t length = cells[0];
    if (length > format->size)
        return BIL_E_ENCODING;
    for (size_t i = 0; i < format->size; i++)
        raw[i] = i < length ? byte_of(format, cells + 1, i) : 0;
    return length_of(raw, length, false) == length ? BIL_OK : BIL_E_ENCODING; /* else it would come back shorter */
}

static int length_to(const bil_format *format, const uint8_t *raw, uint16_t *cells)
{
    size_t length = length_of(raw, format->size, false);
    cells[0] = (uint16_t)length;
    put_text(format, raw, length, 0, cells + 1);
    return BIL_OK;
}

static size_t wide_cells(const bil_format *format)
{
    return format->size;
}

static int wide_from(const bil_format *format, const uint16_t *cells, uint8_t *raw)
{
    for (size_t i = 0; i < format->size; i++) {
        raw[i] = (uint8_t)(bil_cell_swapped(format, cells[i]) & 0xff);
        if (bil_cell_swapped(format, cells[i]) >> 8)
            return BIL_E_ENCODING;
    }
    return BIL_OK;
}

static int wide_to(const bil_format *format, const uint8_t *raw, uint16_t *cells)
{
    for (size_t i = 0; i < format->size; i++)
        cells[i] = bil_cell_swapped(format, raw[i]);
    return BIL_OK;
}

const bil_form bil_form_blanks = {"blanks", NULL, blanks_from, blanks_to, NULL, NULL, NULL};
const bil_form bil_form_length = {"length", length_cells, length_from, length_to, NULL, NULL, NULL};
const bil_form bil_form_wide = {"wide", wide_cells, wide_from, wide_to, NULL, NULL, NULL};

/* ---- numbers ---- */

static size_t place(const bil_format *format, size_t i)
{
    return format->order & BIL_LOW_CELL_FIRST ? (format->size + 1u) / 2 - 1 - i : i;
}

/* How many bits of its cells are the value's. */
static unsigned room(const bil_format *format)
{
    return format->width ? format->width : (format->size + 1u) / 2 * 16;
}

/* Of the cell of a value that has only a part of it. */
static uint32_t own_bits(const bil_format *format)
{
    return (UINT32_C(1) << format->width) - 1;
}

static uint64_t wire_of(const bil_format *format, const uint16_t *cells)
{
    uint64_t wire = 0;
    for (size_t i = 0; i < (format->size + 1u) / 2; i++)
        wire = wire << 16 | bil_cell_swapped(format, cells[place(format, i)]);
    return format->width ? (uint32_t)wire >> format->bit & own_bits(format) : wire;
}

/* Of a value that has only a part of its cell the rest stays as it is. */
static int put_wire(const bil_format *format, uint64_t wire, uint16_t *cells)
{
    if (format->width) {
        uint32_t others = bil_cell_swapped(format, cells[0]) & ~(own_bits(format) << format->bit);
        wire = others | (uint32_t)wire << format->bit;
    }
    for (size_t i = (format->size + 1u) / 2; i-- > 0; wire >>= 16)
        cells[place(format, i)] = bil_cell_swapped(format, (uint16_t)(wire & 0xffff));
    return BIL_OK;
}

static bool is_signed(const bil_format *format)
{
    return bil_type_is_signed((bil_type)format->type);
}

static bool is_negative(const bil_format *format, const uint8_t *raw)
{
    return is_signed(format) && raw[0] & 0x80;
}

/* Decimal digits of four bits each. Sixteen of them fit in 64 bits. */
static int bcd_from(const bil_format *format, const uint16_t *cells, uint8_t *raw)
{
    uint64_t digits = wire_of(format, cells), number = 0;
    for (unsigned i = 0; i < 16; i++, digits <<= 4) {
        unsigned digit = (unsigned)(digits >> 60);
        if (digit > 9)
            return BIL_E_ENCODING;
        number = number * 10 + digit;
    }
    bil_value_put_number(raw, format->size, number);
    return bil_value_number(raw, format->size) == number ? BIL_OK : BIL_E_ENCODING;
}

static int bcd_to(const bil_format *format, const uint8_t *raw, uint16_t *cells)
{
    uint64_t number = bil_value_number(raw, format->size), digits = 0;
    for (unsigned i = 0; i < 64; i += 4, number /= 10) {
        digits = digits >> 4 | number % 10 << 60;
        if (i >= room(format) && number)
            return BIL_E_RANGE;
    }
    return put_wire(format, digits, cells);
}

static int sign_from(const bil_format *format, const uint16_t *cells, uint8_t *raw)
{
    uint64_t wire = wire_of(format, cells), sign = UINT64_C(1) << (room(format) - 1);
    bool negative = wire & sign;
    uint64_t magnitude = wire & ~sign;
    bil_value_put_number(raw, format->size, negative ? ~magnitude + 1 : magnitude);
    /* larger than the type, or zero with a sign, it would come back as another one */
    bool fits = magnitude >> 4 >> (8u * format->size - 5) == 0 && is_negative(format, raw) == negative;
    return fits ? BIL_OK : BIL_E_ENCODING;
}

static int sign_to(const bil_format *format, const uint8_t *raw, uint16_t *cells)
{
    uint64_t number = bil_value_number(raw, format->size), sign = UINT64_C(1) << (room(format) - 1);
    bool negative = is_negative(format, raw);
    if (negative)
        number = (UINT64_C(1) << 4 << (8u * format->size - 4)) - number;
    return number < sign ? put_wire(format, number | (negative ? sign : 0), cells) : BIL_E_RANGE;
}

/* Some bits of a cell, those of a signed number with the sign in the highest. */
static int part_from(const bil_format *format, const uint16_t *cells, uint8_t *raw)
{
    uint32_t number = (uint32_t)wire_of(format, cells);
    if (is_signed(format) && number > own_bits(format) / 2)
        number |= ~own_bits(format);
    bil_value_put_number(raw, format->size, number);
    return BIL_OK;
}

static int part_to(const bil_format *format, const uint8_t *raw, uint16_t *cells)
{
    uint32_t number = (uint32_t)bil_value_number(raw, format->size), above = ~own_bits(format);
    if (is_negative(format, raw)) {
        number |= ~UINT32_C(0) << 8 * format->size;
        above |= own_bits(format) / 2 + 1;
        return (number & above) == above ? put_wire(format, number & own_bits(format), cells) : BIL_E_RANGE;
    }
    if (is_signed(format))
        above |= own_bits(format) / 2 + 1;
    return number & above ? BIL_E_RANGE : put_wire(format, number, cells);
}

/* ---- an odd number of bytes: what they leave of the cells is nothing, or anything ---- */

static int loose_from(const bil_format *format, const uint16_t *cells, uint8_t *raw)
{
    if (format->type != BIL_TEXT) {
        bil_value_put_number(raw, format->size, wire_of(format, cells));
        return format->type == BIL_BOOL && raw[0] > 1 ? BIL_E_ENCODING : BIL_OK;
    }
    for (size_t i = 0; i < format->size; i++)
        raw[i] = byte_of(format, cells, i);
    return BIL_OK;
}

static int loose_to(const bil_format *format, const uint8_t *raw, uint16_t *cells)
{
    if (format->type != BIL_TEXT)
        return put_wire(format, bil_value_number(raw, format->size), cells);
    put_text(format, raw, format->size, 0, cells);
    return BIL_OK;
}

/* A number with its sign in all bits above it. */
static uint64_t filled(const bil_format *format, const uint8_t *raw)
{
    uint64_t number = bil_value_number(raw, format->size);
    return is_negative(format, raw) ? number | UINT64_MAX << 8 * format->size : number;
}

static int odd_from(const bil_format *format, const uint16_t *cells, uint8_t *raw)
{
    int error = loose_from(format, cells, raw);
    if (format->type == BIL_TEXT)
        return byte_of(format, cells, format->size) ? BIL_E_ENCODING : error;
    uint64_t left = filled(format, raw) ^ wire_of(format, cells);
    return left << (64 - room(format)) ? BIL_E_ENCODING : error;
}

static int odd_to(const bil_format *format, const uint8_t *raw, uint16_t *cells)
{
    return format->type == BIL_TEXT ? loose_to(format, raw, cells) : put_wire(format, filled(format, raw), cells);
}

const bil_form bil_form_bcd = {"bcd", NULL, bcd_from, bcd_to, NULL, NULL, NULL};
const bil_form bil_form_sign_magnitude = {"sign_magnitude", NULL, sign_from, sign_to, NULL, NULL, NULL};
const bil_form bil_form_part = {"part", NULL, part_from, part_to, NULL, NULL, NULL};
const bil_form bil_form_loose = {"loose", NULL, loose_from, loose_to, NULL, NULL, NULL};
const bil_form bil_form_odd = {"odd", NULL, odd_from, odd_to, NULL, NULL, NULL};

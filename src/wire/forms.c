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

const bil_form bil_form_blanks = {"blanks", NULL, blanks_from, blanks_to};
const bil_form bil_form_length = {"length", length_cells, length_from, length_to};
const bil_form bil_form_wide = {"wide", wide_cells, wide_from, wide_to};

/* ---- numbers ---- */

static uint64_t ones(size_t bits)
{
    return bits < 64 ? (UINT64_C(1) << bits) - 1 : UINT64_MAX;
}

static size_t place(const bil_format *format, size_t i, size_t cells)
{
    return format->order & BIL_LOW_CELL_FIRST ? cells - 1 - i : i;
}

/* How many bits of its cells are the value's. */
static size_t room(const bil_format *format)
{
    return format->width ? format->width : 16 * ((format->size + 1u) / 2);
}

static uint64_t wire_of(const bil_format *format, const uint16_t *cells)
{
    size_t count = (format->size + 1u) / 2;
    uint64_t wire = 0;
    for (size_t i = 0; i < count; i++)
        wire = wire << 16 | bil_cell_swapped(format, cells[place(format, i, count)]);
    return format->width ? wire >> format->bit & ones(format->width) : wire;
}

/* Of a value that has only a part of its cell the rest stays as it is. */
static int put_wire(const bil_format *format, uint64_t wire, uint16_t *cells)
{
    size_t count = (format->size + 1u) / 2;
    if (format->width) {
        uint64_t mask = ones(format->width) << format->bit;
        wire = (bil_cell_swapped(format, cells[0]) & ~mask) | wire << format->bit;
    }
    for (size_t i = 0; i < count; i++)
        cells[place(format, i, count)] = bil_cell_swapped(format, (uint16_t)(wire >> 16 * (count - 1 - i) & 0xffff));
    return BIL_OK;
}

static bool is_signed(const bil_format *format)
{
    return bil_type_is_signed((bil_type)format->type);
}

/* A raw value as a number of 64 bits. */
static uint64_t number_of(const bil_format *format, const uint8_t *raw)
{
    size_t own = 8u * format->size;
    uint64_t number = bil_value_number(raw, format->size);
    return is_signed(format) && number >> (own - 1) & 1 ? number | ~ones(own) : number;
}

/* Decimal digits of four bits each. Sixteen of them fit in 64 bits. */
static int bcd_from(const bil_format *format, const uint16_t *cells, uint8_t *raw)
{
    uint64_t digits = wire_of(format, cells), number = 0;
    for (int shift = 60; shift >= 0; shift -= 4) {
        uint64_t digit = digits >> shift & 15;
        if (digit > 9)
            return BIL_E_ENCODING;
        number = number * 10 + digit;
    }
    bil_value_put_number(raw, format->size, number);
    return number > ones(8u * format->size) ? BIL_E_ENCODING : BIL_OK;
}

static int bcd_to(const bil_format *format, const uint8_t *raw, uint16_t *cells)
{
    uint64_t number = bil_value_number(raw, format->size), digits = 0;
    for (size_t shift = 0; shift + 4 <= room(format); shift += 4, number /= 10)
        digits |= number % 10 << shift;
    return number ? BIL_E_RANGE : put_wire(format, digits, cells);
}

static int sign_from(const bil_format *format, const uint16_t *cells, uint8_t *raw)
{
    uint64_t wire = wire_of(format, cells), sign = UINT64_C(1) << (room(format) - 1), magnitude = wire & (sign - 1);
    if (magnitude > ones(8u * format->size - 1) || wire == sign) /* zero has no sign: it would come back without */
        return BIL_E_ENCODING;
    bil_value_put_number(raw, format->size, wire & sign ? ~magnitude + 1 : magnitude);
    return BIL_OK;
}

static int sign_to(const bil_format *format, const uint8_t *raw, uint16_t *cells)
{
    uint64_t number = number_of(format, raw), sign = UINT64_C(1) << (room(format) - 1);
    bool negative = number >> 63;
    uint64_t magnitude = negative ? ~number + 1 : number;
    return magnitude < sign ? put_wire(format, magnitude | (negative ? sign : 0), cells) : BIL_E_RANGE;
}

/* What the value leaves of its cells may be anything: the upper half of a number, the last byte of a text. */
static int loose_from(const bil_format *format, const uint16_t *cells, uint8_t *raw)
{
    if (format->type != BIL_TEXT) {
        uint64_t number = wire_of(format, cells) & ones(8u * format->size);
        bil_value_put_number(raw, format->size, number);
        return format->type == BIL_BOOL && number > 1 ? BIL_E_ENCODING : BIL_OK;
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

/* Fewer bits than the type has, those of a signed number with the sign in the highest; or more, then above it stand
 * zeros, or its sign. */
static int part_from(const bil_format *format, const uint16_t *cells, uint8_t *raw)
{
    size_t own = 8u * format->size, bits = room(format);
    uint64_t wire = wire_of(format, cells), number = wire & ones(own);
    bool negative = is_signed(format) && wire >> (bits - 1) & 1;
    if (bits < own && negative)
        number |= ones(own) & ~ones(bits);
    if (bits > own && wire >> own != (negative ? ones(bits - own) : 0))
        return BIL_E_ENCODING;
    bil_value_put_number(raw, format->size, number);
    return (format->type == BIL_BOOL && number > 1) || (negative && number >> (own - 1) == 0) ? BIL_E_ENCODING : BIL_OK;
}

static int part_to(const bil_format *format, const uint8_t *raw, uint16_t *cells)
{
    size_t bits = room(format);
    uint64_t number = number_of(format, raw), wire = number & ones(bits);
    bool negative = is_signed(format) && wire >> (bits - 1) & 1;
    return (negative ? wire | ~ones(bits) : wire) == number ? put_wire(format, wire, cells) : BIL_E_RANGE;
}

/* An odd number of bytes: what they leave of the cells is nothing. */
static int odd_from(const bil_format *format, const uint16_t *cells, uint8_t *raw)
{
    if (format->type != BIL_TEXT)
        return part_from(format, cells, raw);
    return byte_of(format, cells, format->size) ? BIL_E_ENCODING : loose_from(format, cells, raw);
}

static int odd_to(const bil_format *format, const uint8_t *raw, uint16_t *cells)
{
    return format->type == BIL_TEXT ? loose_to(format, raw, cells) : part_to(format, raw, cells);
}

const bil_form bil_form_bcd = {"bcd", NULL, bcd_from, bcd_to};
const bil_form bil_form_sign_magnitude = {"sign_magnitude", NULL, sign_from, sign_to};
const bil_form bil_form_loose = {"loose", NULL, loose_from, loose_to};
const bil_form bil_form_part = {"part", NULL, part_from, part_to};
const bil_form bil_form_odd = {"odd", NULL, odd_from, odd_to};

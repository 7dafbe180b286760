/* Values in cells: which cells a request takes, packing and unpacking. */
#include "bilancia/cells.h"

#include "../core/bytes.h"
#include "../core/require.h"

size_t bil_value_cells(const bil_format *format)
{
    size_t size = format->size;
    if (format->type == BIL_TEXT && format->form == BIL_FORM_WIDE)
        return size;
    return (size + 1) / 2 + (format->type == BIL_TEXT && format->form == BIL_FORM_LENGTH);
}

static uint16_t swapped(const bil_format *format, uint16_t cell)
{
    unsigned turned = (unsigned)cell << 8 | cell >> 8;
    return format->order & BIL_LOW_BYTE_FIRST ? (uint16_t)(turned & 0xffff) : cell;
}

/* ---- texts: strings of bytes, whose cells never change places ---- */

static uint8_t byte_of(const bil_format *format, const uint16_t *cells, size_t i)
{
    uint16_t cell = swapped(format, cells[i / 2]);
    return (uint8_t)(i % 2 ? cell & 0xff : cell >> 8);
}

static void put_byte(const bil_format *format, uint16_t *cells, size_t i, uint8_t byte)
{
    uint16_t cell = swapped(format, cells[i / 2]);
    cells[i / 2] = swapped(format, (uint16_t)(i % 2 ? (cell & 0xff00) | byte : (cell & 0xff) | byte << 8));
}

/* Up to what it was filled up with. */
static size_t length_of(const uint8_t *raw, size_t length, bool blanks)
{
    while (length && (raw[length - 1] == 0 || (blanks && raw[length - 1] == ' ')))
        length--;
    return length;
}

static int text_from_cells(const bil_format *format, const uint16_t *cells, uint8_t *raw)
{
    size_t size = format->size, length = size;
    bool blanks = format->form == BIL_FORM_BLANKS;
    if (format->form == BIL_FORM_WIDE) {
        for (size_t i = 0; i < size; i++) {
            raw[i] = (uint8_t)(swapped(format, cells[i]) & 0xff);
            if (swapped(format, cells[i]) >> 8)
                return BIL_E_ENCODING;
        }
        return BIL_OK;
    }
    if (format->form == BIL_FORM_LENGTH)
        length = *cells++;
    if (length > size)
        return BIL_E_ENCODING;
    for (size_t i = 0; i < size; i++)
        raw[i] = i < length ? byte_of(format, cells, i) : 0;
    if (format->form == BIL_FORM_LENGTH)
        return length_of(raw, length, false) == length ? BIL_OK : BIL_E_ENCODING; /* else it would come back shorter */
    uint8_t left = size % 2 ? byte_of(format, cells, size) : 0;
    if (left && !(blanks && left == ' ') && format->form != BIL_FORM_LOOSE)
        return BIL_E_ENCODING;
    for (size_t i = blanks ? length_of(raw, size, true) : size; i < size; i++)
        raw[i] = 0;
    return BIL_OK;
}

static void text_to_cells(const bil_format *format, const uint8_t *raw, uint16_t *cells)
{
    size_t size = format->size, length = length_of(raw, size, false);
    uint8_t filler = format->form == BIL_FORM_BLANKS ? ' ' : 0;
    for (size_t i = 0; format->form == BIL_FORM_WIDE && i < size; i++)
        cells[i] = swapped(format, raw[i]);
    if (format->form == BIL_FORM_WIDE)
        return;
    if (format->form == BIL_FORM_LENGTH)
        *cells++ = (uint16_t)length;
    for (size_t i = 0; i < size + size % 2; i++)
        put_byte(format, cells, i, i < length ? raw[i] : i < size && !filler ? raw[i] : filler);
}

/* ---- numbers ---- */

static uint64_t ones(size_t bits)
{
    return bits < 64 ? (UINT64_C(1) << bits) - 1 : UINT64_MAX;
}

/* Where cell `i` of the raw value stands on the wire. */
static size_t place(const bil_format *format, size_t i, size_t cells)
{
    return format->order & BIL_LOW_CELL_FIRST ? cells - 1 - i : i;
}

static bool is_signed(const bil_format *format)
{
    return bil_type_is_signed((bil_type)format->type);
}

/* Decimal digits of four bits each; UINT64_MAX where one of them is none. Ten thousand of sixteen digits fit in 64
 * bits. */
static uint64_t from_digits(uint64_t digits)
{
    uint64_t number = 0;
    for (int shift = 60; shift >= 0; shift -= 4) {
        uint64_t digit = digits >> shift & 15;
        if (digit > 9)
            return UINT64_MAX;
        number = number * 10 + digit;
    }
    return number;
}

static bool to_digits(uint64_t number, size_t bits, uint64_t *digits)
{
    *digits = 0;
    for (size_t shift = 0; shift + 4 <= bits; shift += 4, number /= 10)
        *digits |= number % 10 << shift;
    return number == 0;
}

/* What stands in `bits` bits of the wire, as a raw value. */
static int decode(const bil_format *format, uint64_t wire, size_t bits, uint8_t *raw)
{
    size_t own = 8u * format->size;
    uint64_t sign = UINT64_C(1) << (bits - 1), number = wire;
    if (format->form == BIL_FORM_BCD) {
        number = from_digits(wire);
        if (number > ones(own))
            return BIL_E_ENCODING;
    } else if (format->form == BIL_FORM_SIGN) {
        uint64_t magnitude = wire & (sign - 1);
        if (magnitude > ones(own - 1) || wire == sign) /* zero has no sign: it would come back without */
            return BIL_E_ENCODING;
        number = wire & sign ? ~magnitude + 1 : magnitude;
    } else if (format->form == BIL_FORM_LOOSE && bits > own) {
        number = wire & ones(own);
    } else if (bits <= own) {
        number = is_signed(format) && wire & sign ? wire | ~ones(bits) : wire;
    } else {
        bool negative = is_signed(format) && wire >> (own - 1) & 1;
        if (wire >> own != (negative ? ones(bits - own) : 0))
            return BIL_E_ENCODING;
    }
    if (format->type == BIL_BOOL && number > 1)
        return BIL_E_ENCODING;
    bil_value_put_number(raw, format->size, number);
    return BIL_OK;
}

/* And back. */
static int encode(const bil_format *format, const uint8_t *raw, size_t bits, uint64_t *wire)
{
    size_t own = 8u * format->size;
    uint64_t number = bil_value_number(raw, format->size);
    bool negative = is_signed(format) && number >> (own - 1) & 1;
    uint64_t wide = negative ? number | ~ones(own) : number; /* as a number of 64 bits */
    if (format->form == BIL_FORM_BCD)
        return to_digits(number, bits, wire) ? BIL_OK : BIL_E_RANGE;
    if (format->form == BIL_FORM_SIGN) {
        uint64_t magnitude = negative ? ~wide + 1 : wide;
        *wire = magnitude | (negative ? UINT64_C(1) << (bits - 1) : 0);
        return magnitude <= ones(bits - 1) ? BIL_OK : BIL_E_RANGE;
    }
    *wire = (format->form == BIL_FORM_LOOSE ? number : wide) & ones(bits);
    uint64_t kept = negative && bits < 64 && *wire >> (bits - 1) & 1 ? *wire | ~ones(bits) : *wire;
    return kept == (format->form == BIL_FORM_LOOSE && bits >= own ? number : wide) ? BIL_OK : BIL_E_RANGE;
}

int bil_value_from_cells(const bil_format *format, const uint16_t *cells, uint8_t *raw)
{
    require(format && cells && raw);
    size_t count = bil_value_cells(format);
    uint64_t wire = 0;
    if (format->type == BIL_TEXT)
        return text_from_cells(format, cells, raw);
    for (size_t i = 0; i < count; i++)
        wire = wire << 16 | swapped(format, cells[place(format, i, count)]);
    if (format->width)
        return decode(format, wire >> format->bit & ones(format->width), format->width, raw);
    return decode(format, wire, 16 * count, raw);
}

int bil_value_to_cells(const bil_format *format, const uint8_t *raw, uint16_t *cells)
{
    require(format && raw && cells);
    size_t count = bil_value_cells(format);
    uint64_t wire;
    if (format->type == BIL_TEXT) {
        text_to_cells(format, raw, cells);
        return BIL_OK;
    }
    int error = encode(format, raw, format->width ? format->width : 16 * count, &wire);
    if (error)
        return error;
    if (format->width) {
        uint64_t mask = ones(format->width) << format->bit;
        wire = (swapped(format, cells[0]) & ~mask) | wire << format->bit;
    }
    for (size_t i = 0; i < count; i++)
        cells[place(format, i, count)] = swapped(format, (uint16_t)(wire >> 16 * (count - 1 - i)));
    return BIL_OK;
}

/* ---- requests ---- */

/* The bits of its cell that belong to the value, as they stand on the wire. */
static uint16_t mask_of(const bil_format *format)
{
    return format->width ? swapped(format, (uint16_t)(ones(format->width) << format->bit)) : 0xffff;
}

bil_span bil_cells_span(const bil_transfer *t)
{
    require(t && t->count);
    const bil_description *d = t->description;
    const bil_param *first = &d->params[t->items[0]], *last = &d->params[t->items[t->count - 1]];
    uint32_t from = first->at.number, end = last->at.number + last->cells; /* values never overlap */
    const bil_bank *bank = bil_description_bank(d, first, t->bank, t->copy);
    uint32_t there = bank ? from - bank->first + bank->at : from;
    const bil_space *space = &d->spaces[first->space];
    bil_span span = {.space = first->space,
                     .first = (uint16_t)there,
                     .count = (uint16_t)(end - from),
                     .table = space->table,
                     .way = t->write ? first->way : BIL_WAY_TOGETHER,
                     .unit = space->unit};
    for (uint16_t i = 0; i < t->count && span.way == BIL_WAY_MASKED; i++) /* all of one cell */
        span.mask |= mask_of(&d->params[t->items[i]].format);
    return span;
}

/* Does a cell have bits that none of these values has? */
static bool leaves_bits(const bil_transfer *t)
{
    const bil_param *params = t->description->params;
    uint16_t covered = 0;
    for (uint16_t i = 0; i < t->count; i++) {
        const bil_param *param = &params[t->items[i]];
        covered |= mask_of(&param->format);
        bool last = i + 1 == t->count || params[t->items[i + 1]].at.number != param->at.number;
        if (last && covered != 0xffff)
            return true;
        covered = last ? 0 : covered;
    }
    return false;
}

/* Bits stand side by side in cells, as a request has them. */
static void carry_bits(bil_cell_link *link, const bil_transfer *t)
{
    const bil_param *params = t->description->params;
    for (uint16_t i = 0; i < t->count; i++) {
        uint32_t at = params[t->items[i]].at.number - params[t->items[0]].at.number;
        uint16_t *cell = &link->cells[at / 16], bit = (uint16_t)(1u << at % 16);
        if (t->write) {
            *cell = (uint16_t)(t->raw[i] ? *cell | bit : *cell & ~bit);
        } else {
            t->raw[i] = *cell & bit ? 1 : 0;
            t->cause[i] = BIL_OK;
        }
    }
}

/* Raw values into the cells of a request, or, once it was read, out of them. */
static int carry(bil_cell_link *link, const bil_transfer *t)
{
    const bil_param *params = t->description->params;
    uint8_t *raw = t->raw;
    int error = BIL_OK;
    if (t->description->spaces[params[t->items[0]].space].bits) {
        carry_bits(link, t);
        return BIL_OK;
    }
    for (uint16_t i = 0; i < t->count && !error; i++) {
        const bil_param *param = &params[t->items[i]];
        uint16_t *cells = link->cells + (param->at.number - params[t->items[0]].at.number);
        if (t->write)
            error = bil_value_to_cells(&param->format, raw, cells);
        else
            t->cause[i] = (uint8_t)bil_value_from_cells(&param->format, cells, raw);
        raw += param->format.size;
    }
    return error;
}

static bil_outcome refuse(bil_result *result, int cause)
{
    result->cause = (bil_error)cause;
    return BIL_REFUSED;
}

/* Nothing was written yet, whatever became of the question. */
static bil_outcome read_before(bil_cell_link *link, const bil_span *span, bil_result *result)
{
    bil_span whole = *span;
    whole.way = BIL_WAY_TOGETHER;
    result->more++;
    bil_outcome outcome = link->below.ops->read(link->below.ctx, &whole, link->cells, result);
    return outcome == BIL_UNKNOWN ? BIL_NOT_SENT : outcome;
}

static bil_outcome transfer(void *ctx, const bil_transfer *t, bil_result *result)
{
    bil_cell_link *link = ctx;
    const bil_cell_ops *ops = link->below.ops;
    bil_span span = bil_cells_span(t);
    bool bits = t->description->spaces[span.space].bits;
    uint16_t cells = (uint16_t)(bits ? (span.count + 15u) / 16 : span.count);
    if (cells > BIL_CELLS_MAX)
        return refuse(result, BIL_E_REFUSED);
    result->cause = BIL_OK;
    result->more = 0;
    if (!t->write) {
        bil_outcome outcome = ops->read(link->below.ctx, &span, link->cells, result);
        if (outcome == BIL_DONE)
            carry(link, t);
        return outcome;
    }
    for (uint16_t i = 0; i < cells; i++)
        link->cells[i] = 0;
    bool reads = !bits && span.way != BIL_WAY_MASKED && leaves_bits(t);
    bil_outcome outcome = reads ? read_before(link, &span, result) : BIL_DONE;
    int error = outcome == BIL_DONE ? carry(link, t) : BIL_OK;
    if (error)
        outcome = refuse(result, error);
    else if (outcome == BIL_DONE)
        outcome = ops->write(link->below.ctx, &span, link->cells, result);
    volatile uint16_t *spoken = link->cells;
    for (uint16_t i = 0; t->secret && i < cells; i++)
        spoken[i] = 0;
    return outcome;
}

static bil_outcome dial(void *ctx, const bil_connect *to, bil_result *result)
{
    bil_cell_link *link = ctx;
    const bil_cell_ops *ops = link->below.ops;
    if (ops->speak_to)
        ops->speak_to(
            link->below.ctx,
            to->raw ? BIL_UNIT((uint32_t)bil_value_number(to->raw, to->description->params[to->at].format.size)) : 0);
    return ops->connect(link->below.ctx, result);
}

static void hang_up(void *ctx)
{
    bil_cell_link *link = ctx;
    link->below.ops->close(link->below.ctx);
}

bil_link bil_cell_link_over(bil_cell_link *memory, bil_cells cells)
{
    static const bil_link_ops ops = {dial, transfer, hang_up};
    require(memory && cells.ops);
    memory->below = cells;
    return (bil_link){&ops, memory};
}

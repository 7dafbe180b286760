/* Values in cells: which cells a request takes, packing and unpacking. */
#include "bilancia/cells.h"

#include "../core/bytes.h"
#include "../core/require.h"

size_t bil_value_cells(const bil_format *format)
{
    return format->size <= 2 ? 1 : ((size_t)format->size + 1) / 2;
}

static uint16_t swapped(const bil_format *format, uint16_t cell)
{
    unsigned turned = (unsigned)cell << 8 | cell >> 8;
    return format->order & BIL_LOW_BYTE_FIRST ? (uint16_t)(turned & 0xffff) : cell;
}

/* Where cell `i` of the raw value stands on the wire. Text is a string of bytes: its cells never change places. */
static size_t place(const bil_format *format, size_t i, size_t cells)
{
    return format->order & BIL_LOW_CELL_FIRST && format->type != BIL_TEXT ? cells - 1 - i : i;
}

int bil_value_from_cells(const bil_format *format, const uint16_t *cells, uint8_t *raw)
{
    require(format && cells && raw);
    size_t count = bil_value_cells(format);
    if (format->size == 1) {
        uint16_t cell = swapped(format, cells[0]);
        uint16_t high = cell >> 8, low = cell & 0xff;
        uint16_t wanted = format->type == BIL_I8 && low & 0x80 ? 0xff : 0;
        if (high != wanted || (format->type == BIL_BOOL && low > 1))
            return BIL_E_ENCODING;
        raw[0] = (uint8_t)low;
        return BIL_OK;
    }
    for (size_t i = 0; i < count; i++)
        bil_value_put_number(raw + 2 * i, 2, swapped(format, cells[place(format, i, count)]));
    return BIL_OK;
}

void bil_value_to_cells(const bil_format *format, const uint8_t *raw, uint16_t *cells)
{
    require(format && raw && cells);
    size_t count = bil_value_cells(format);
    if (format->size == 1) {
        uint16_t high = format->type == BIL_I8 && raw[0] & 0x80 ? 0xff00 : 0;
        cells[0] = swapped(format, (uint16_t)(high | raw[0]));
        return;
    }
    for (size_t i = 0; i < count; i++)
        cells[place(format, i, count)] = swapped(format, (uint16_t)bil_value_number(raw + 2 * i, 2));
}

bil_span bil_cells_span(const bil_transfer *t)
{
    require(t && t->count);
    const bil_description *d = t->description;
    const bil_param *first = &d->params[t->items[0]], *last = &d->params[t->items[t->count - 1]];
    uint32_t from = first->at.number, end = last->at.number + last->cells; /* values never overlap */
    const bil_bank *bank = bil_description_bank(d, first, t->bank, t->copy);
    uint32_t there = bank ? from - bank->first + bank->at : from;
    return (bil_span){first->space, (uint16_t)there, (uint16_t)(end - from)};
}

/* Raw values into the cells of a request, or, once it was read, out of them. */
static void carry(bil_cell_link *link, const bil_transfer *t)
{
    const bil_param *params = t->description->params;
    uint8_t *raw = t->raw;
    for (uint16_t i = 0; i < t->count; i++) {
        const bil_param *param = &params[t->items[i]];
        uint16_t *cells = link->cells + (param->at.number - params[t->items[0]].at.number);
        if (t->write)
            bil_value_to_cells(&param->format, raw, cells);
        else
            t->cause[i] = (uint8_t)bil_value_from_cells(&param->format, cells, raw);
        raw += param->format.size;
    }
}

static bil_outcome transfer(void *ctx, const bil_transfer *t, bil_result *result)
{
    bil_cell_link *link = ctx;
    const bil_cell_ops *ops = link->below.ops;
    bil_span span = bil_cells_span(t);
    bil_outcome outcome = BIL_REFUSED;
    result->cause = BIL_E_REFUSED;
    if (span.count > BIL_CELLS_MAX)
        return outcome;
    result->cause = BIL_OK;
    if (!t->write) {
        outcome = ops->read(link->below.ctx, span.space, span.first, span.count, link->cells, result);
        if (outcome == BIL_DONE)
            carry(link, t);
        return outcome;
    }
    carry(link, t);
    outcome = ops->write(link->below.ctx, span.space, span.first, span.count, link->cells, result);
    volatile uint16_t *spoken = link->cells;
    for (uint16_t i = 0; t->secret && i < span.count; i++)
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

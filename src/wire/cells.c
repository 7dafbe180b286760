/* Values in cells: which cells a request takes, packing and unpacking. What only some models have, forms and ways to
 * reach values, is reached through their description, so that a program with the tables of others doesn't carry it. */
#include "bilancia/cells.h"

#include "../core/bytes.h"
#include "../core/require.h"
#include "../core/text.h"
#include "in_cells.h"

size_t bil_value_cells(const bil_format *format)
{
    return format->form && format->form->cells ? format->form->cells(format) : (format->size + 1u) / 2;
}

/* Where cell `i` of the value stands on the wire. A text is a string of bytes: its cells never change places. */
static size_t place(const bil_format *format, size_t i, size_t cells)
{
    return format->order & BIL_LOW_CELL_FIRST && format->type != BIL_TEXT ? cells - 1 - i : i;
}

int bil_value_from_cells(const bil_format *format, const uint16_t *cells, uint8_t *raw)
{
    require(format && cells && raw);
    if (format->form && format->form->from_cells)
        return format->form->from_cells(format, cells, raw);
    size_t count = (format->size + 1u) / 2;
    if (format->size == 1) {
        uint16_t cell = bil_cell_swapped(format, cells[0]);
        uint16_t high = cell >> 8, low = cell & 0xff;
        uint16_t wanted = format->type == BIL_I8 && low & 0x80 ? 0xff : 0;
        if (high != wanted || (format->type == BIL_BOOL && low > 1))
            return BIL_E_ENCODING;
        raw[0] = (uint8_t)low;
        return BIL_OK;
    }
    for (size_t i = 0; i < count; i++)
        bil_value_put_number(raw + 2 * i, 2, bil_cell_swapped(format, cells[place(format, i, count)]));
    return BIL_OK;
}

int bil_value_to_cells(const bil_format *format, const uint8_t *raw, uint16_t *cells)
{
    require(format && raw && cells);
    if (format->form && format->form->to_cells)
        return format->form->to_cells(format, raw, cells);
    size_t count = (format->size + 1u) / 2;
    if (format->size == 1) {
        uint16_t high = format->type == BIL_I8 && raw[0] & 0x80 ? 0xff00 : 0;
        cells[0] = bil_cell_swapped(format, (uint16_t)(high | raw[0]));
        return BIL_OK;
    }
    for (size_t i = 0; i < count; i++)
        cells[place(format, i, count)] = bil_cell_swapped(format, (uint16_t)bil_value_number(raw + 2 * i, 2));
    return BIL_OK;
}

/* ---- requests ---- */

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
                     .unit = space->unit,
                     .pause_ms = d->link.pause_ms};
    return span;
}

/* Raw values into the cells of a request, or, once it was read, out of them. */
static int carry(bil_cell_link *link, const bil_transfer *t)
{
    const bil_param *params = t->description->params;
    uint8_t *raw = t->raw;
    int error = BIL_OK;
    for (uint16_t i = 0; i < t->count && !error; i++) {
        const bil_param *param = &params[t->items[i]];
        uint16_t *cells = link->cells + (param->at.number - params[t->items[0]].at.number);
        if (t->write)
            error = bil_value_to_cells(param->format, raw, cells);
        else
            t->cause[i] = (uint8_t)bil_value_from_cells(param->format, cells, raw);
        raw += param->format->size;
    }
    return error;
}

bil_outcome bil_cells_transfer(bil_cell_link *link, const bil_transfer *t, const bil_span *span, bil_result *result)
{
    const bil_cell_ops *ops = link->below.ops;
    if (span->count > BIL_CELLS_MAX)
        return bil_cells_refuse(result, BIL_E_REFUSED);
    if (t->write) {
        int error = carry(link, t);
        return error ? bil_cells_refuse(result, error) : ops->write(link->below.ctx, span, link->cells, result);
    }
    bil_outcome outcome = ops->read(link->below.ctx, span, link->cells, result);
    if (outcome == BIL_DONE)
        carry(link, t);
    return outcome;
}

static bil_outcome transfer(void *ctx, const bil_transfer *t, bil_result *result)
{
    bil_cell_link *link = ctx;
    bil_span span = bil_cells_span(t);
    const bil_reach *reach = t->description->spaces[span.space].reach;
    if (link->wrote)
        span.pause_ms = t->description->link.write_pause_ms;
    link->wrote = t->write;
    result->cause = BIL_OK;
    result->more = 0;
    bil_outcome outcome = reach ? reach->transfer(link, t, &span, result) : bil_cells_transfer(link, t, &span, result);
    if (t->secret)
        bil_wipe(link->cells, sizeof link->cells);
    return outcome;
}

static bil_outcome dial(void *ctx, const bil_connect *to, bil_result *result)
{
    bil_cell_link *link = ctx;
    const bil_cell_ops *ops = link->below.ops;
    if (to->description->console || to->description->http)
        return bil_cells_refuse(result, BIL_E_OTHER_MODEL);
    if (ops->speak_to)
        ops->speak_to(
            link->below.ctx,
            to->raw ? BIL_UNIT((uint32_t)bil_value_number(to->raw, to->description->params[to->at].format->size)) : 0);
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
    memory->wrote = false;
    return (bil_link){&ops, memory};
}

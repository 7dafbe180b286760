/* Ways to reach values that take more than a request for cells side by side. */
#include "in_cells.h"

/* ---- single bits: sixteen of them stand in a cell ---- */

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

static void clear(bil_cell_link *link)
{
    for (uint16_t i = 0; i < BIL_CELLS_MAX; i++)
        link->cells[i] = 0;
}

static bil_outcome single_bits(bil_cell_link *link, const bil_transfer *t, const bil_span *span, bil_result *result)
{
    const bil_cells *below = &link->below;
    if (span->count > BIL_CELL_BITS_MAX)
        return bil_cells_refuse(result, BIL_E_REFUSED);
    if (t->write) {
        clear(link);
        carry_bits(link, t);
        return below->ops->write(below->ctx, span, link->cells, result);
    }
    bil_outcome outcome = below->ops->read(below->ctx, span, link->cells, result);
    if (outcome == BIL_DONE)
        carry_bits(link, t);
    return outcome;
}

const bil_reach bil_reach_bits = {NULL, single_bits};

/* ---- values that have only some bits of their cell ---- */

/* Does a cell have bits that none of these values has? Then it is read before it is written, but for a masked write. */
static uint8_t reads_before(const bil_description *d, const uint16_t *items, uint16_t count, bool write)
{
    const bil_param *params = d->params;
    uint16_t covered = 0;
    for (uint16_t i = 0; write && params[items[0]].way != BIL_WAY_MASKED && i < count; i++) {
        const bil_param *param = &params[items[i]];
        covered |= bil_cell_mask(param->format);
        bool last = i + 1 == count || params[items[i + 1]].at.number != param->at.number;
        if (last && covered != 0xffff)
            return 1;
        covered = last ? 0 : covered;
    }
    return 0;
}

/* Before the request that is meant; nothing of that has happened yet, whatever became of this one. */
static bil_outcome before(bil_outcome outcome, bil_result *result)
{
    result->more += outcome == BIL_DONE;
    return outcome == BIL_UNKNOWN ? BIL_NOT_SENT : outcome;
}

/* The other bits of a cell go back as they were read, in the same breath. */
static bil_outcome parts(bil_cell_link *link, const bil_transfer *t, const bil_span *span, bil_result *result)
{
    bil_span at = *span;
    for (uint16_t i = 0; i < t->count && at.way == BIL_WAY_MASKED; i++) /* all of one cell */
        at.mask |= bil_cell_mask(t->description->params[t->items[i]].format);
    if (t->write)
        clear(link);
    if (reads_before(t->description, t->items, t->count, t->write)) {
        bil_span whole = *span;
        whole.way = BIL_WAY_TOGETHER;
        if (whole.count > BIL_CELLS_MAX)
            return bil_cells_refuse(result, BIL_E_REFUSED);
        bil_outcome outcome = before(link->below.ops->read(link->below.ctx, &whole, link->cells, result), result);
        if (outcome != BIL_DONE)
            return outcome;
        at.pause_ms = t->description->link.pause_ms;
    }
    return bil_cells_transfer(link, t, &at, result);
}

const bil_reach bil_reach_parts = {reads_before, parts};

/* ---- a mailbox: the number of a value into one cell, and there it lies in others ---- */

/* Read together with the number, a value is told from that which somebody else has called up meanwhile. */
static bil_outcome called_up(bil_cell_link *link, const bil_transfer *t, const bil_span *value, bil_result *result)
{
    const bil_param *param = &t->description->params[t->items[0]];
    bil_span both = *value;
    both.first--;
    both.count++;
    if (both.count > BIL_CELLS_MAX)
        return bil_cells_refuse(result, BIL_E_REFUSED);
    bil_outcome outcome = link->below.ops->read(link->below.ctx, &both, link->cells, result);
    if (outcome != BIL_DONE)
        return outcome;
    if (link->cells[0] != param->at.number) {
        result->cause = BIL_E_BUSY;
        return BIL_BUSY;
    }
    t->cause[0] = (uint8_t)bil_value_from_cells(param->format, link->cells + 1, t->raw);
    return BIL_DONE;
}

static bil_outcome mailbox(bil_cell_link *link, const bil_transfer *t, const bil_span *span, bil_result *result)
{
    const bil_mailbox *box = t->description->spaces[span->space].mailbox;
    bil_span at = *span;
    at.first = box->index;
    at.count = 1;
    at.way = box->way;
    link->cells[0] = span->first;
    bil_outcome outcome = before(link->below.ops->write(link->below.ctx, &at, link->cells, result), result);
    if (outcome != BIL_DONE)
        return outcome;
    at = *span;
    at.first = box->value;
    at.pause_ms = t->description->link.write_pause_ms;
    if (!t->write && box->echo)
        return called_up(link, t, &at, result);
    return bil_cells_transfer(link, t, &at, result);
}

static uint8_t calls_up(const bil_description *d, const uint16_t *items, uint16_t count, bool write)
{
    (void)d, (void)items, (void)count, (void)write;
    return 1;
}

const bil_reach bil_reach_mailbox = {calls_up, mailbox};

/* ---- objects: texts that tell what device it is ---- */

enum { HEAD = 4, MORE = 255, REGULAR = 3, EXTENDED = 0x80 }; /* 6.21: of the reply; the first number of each category */

static uint8_t byte_at(const bil_cell_link *link, size_t i)
{
    return (uint8_t)(i % 2 ? link->cells[i / 2] & 0xff : link->cells[i / 2] >> 8);
}

/* An object that is there, into those of the items that want it. */
static void take_object(const bil_cell_link *link, const bil_transfer *t, size_t at)
{
    const bil_param *params = t->description->params;
    uint8_t *raw = t->raw, length = byte_at(link, at + 1);
    for (uint16_t i = 0; i < t->count; i++) {
        const bil_param *param = &params[t->items[i]];
        uint8_t size = param->format->size;
        if (param->at.number == byte_at(link, at)) {
            t->cause[i] = length > size ? BIL_E_ENCODING : BIL_OK;
            for (uint8_t k = 0; k < size; k++)
                raw[k] = k < length ? byte_at(link, at + 2 + k) : 0;
        }
        raw += size;
    }
}

/* All objects of a reply; the number of the last one, or -1 where it isn't as it has to be. */
static int take_objects(const bil_cell_link *link, const bil_transfer *t)
{
    size_t at = HEAD;
    int last = -1;
    for (uint8_t i = 0; i < byte_at(link, 3); i++) {
        size_t end = at + 2 + (at + 2 <= 2 * BIL_CELLS_MAX ? byte_at(link, at + 1) : 2 * BIL_CELLS_MAX);
        if (end > 2 * BIL_CELLS_MAX || byte_at(link, at) <= last)
            return -1;
        last = byte_at(link, at);
        take_object(link, t, at);
        at = end;
    }
    return last;
}

static bil_outcome objects(bil_cell_link *link, const bil_transfer *t, const bil_span *span, bil_result *result)
{
    uint32_t most = 0;
    bil_span at = *span;
    for (uint16_t i = 0; i < t->count; i++) {
        uint32_t number = t->description->params[t->items[i]].at.number;
        most = number > most ? number : most;
        t->cause[i] = BIL_E_REFUSED; /* there is none of this number */
    }
    at.first = 0;
    at.count = most < REGULAR ? 1 : most < EXTENDED ? 2 : 3;
    for (;;) {
        bil_outcome outcome = t->write ? bil_cells_refuse(result, BIL_E_REFUSED)
                                       : link->below.ops->read(link->below.ctx, &at, link->cells, result);
        if (outcome != BIL_DONE)
            return outcome;
        int last = take_objects(link, t);
        if (last < 0) {
            result->cause = BIL_E_GARBLED;
            return BIL_UNKNOWN;
        }
        uint8_t next = byte_at(link, 2);
        if (byte_at(link, 1) != MORE || next <= last || next <= at.first || last >= (int)most)
            return BIL_DONE; /* what doesn't go on never ends */
        at.first = next;
        result->more++;
    }
}

const bil_reach bil_reach_objects = {NULL, objects};

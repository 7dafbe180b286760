/* Files in records of 16 bits, functions 0x14 and 0x15 of the Modbus Application Protocol 1.1b3 (6.14, 6.15): `number`
 * of a place is that of the file, which has as many bytes as its description says, always. */
#include "in_cells.h"

enum { RECORDS = 116 }; /* in one request, of which both directions take no more than 119 */

/* Some bytes, where they lie, become cells, the first byte of each the high one. */
static void become_cells(uint16_t *cells, uint16_t count)
{
    const uint8_t *bytes = (const uint8_t *)cells;
    for (uint16_t i = 0; i < count; i++, bytes += 2)
        cells[i] = (uint16_t)(bytes[0] << 8 | bytes[1]);
}

static bil_outcome one_request(bil_cell_link *link, const bil_transfer *t, const bil_span *at, bil_result *result)
{
    const bil_bytes *bytes = t->bytes;
    const bil_cell_ops *ops = link->below.ops;
    uint8_t *here = (uint8_t *)link->cells;
    size_t left = 2u * at->count, got;
    if (t->write) {
        for (; left > 0; left -= got, here += got)
            if ((got = bytes->give(bytes->ctx, here, left)) == 0) {
                result->cause = BIL_E_LOST;
                return BIL_NOT_SENT;
            }
        become_cells(link->cells, at->count);
        return ops->write(link->below.ctx, at, link->cells, result);
    }
    bil_outcome outcome = ops->read(link->below.ctx, at, link->cells, result);
    if (outcome != BIL_DONE)
        return outcome;
    become_cells(link->cells, at->count); /* the same both ways, or nothing at all */
    int error = bytes->take(bytes->ctx, here, left);
    return error ? bil_cells_refuse(result, error) : BIL_DONE;
}

/* What came before it has happened, whatever became of this one. */
static bil_outcome records(bil_cell_link *link, const bil_transfer *t, const bil_span *span, bil_result *result)
{
    bil_span at = *span;
    bil_outcome outcome = t->bytes && t->bytes->begin(t->bytes->ctx) ? BIL_DONE : BIL_REFUSED;
    at.file = span->first;
    at.first = 0;
    for (uint32_t left = (uint32_t)t->description->params[t->items[0]].format->high / 2; left && outcome == BIL_DONE;
         left -= at.count) {
        at.count = (uint16_t)(left < RECORDS ? left : RECORDS);
        outcome = one_request(link, t, &at, result);
        if (at.first && outcome > BIL_REFUSED && t->write)
            outcome = BIL_UNKNOWN;
        result->more += at.first > 0;
        at.first = (uint16_t)(at.first + at.count);
        if (t->write)
            at.pause_ms = t->description->link.write_pause_ms;
    }
    return outcome;
}

const bil_reach bil_reach_records = {NULL, records};

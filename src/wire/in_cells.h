/* Inside the wire of cells: what its files share. */
#ifndef BIL_WIRE_IN_CELLS_H
#define BIL_WIRE_IN_CELLS_H

#include "bilancia/cells.h"

/* A cell as it stands on the wire in the format's order of bytes, and back. */
static inline uint16_t bil_cell_swapped(const bil_format *format, uint16_t cell)
{
    unsigned turned = (unsigned)cell << 8 | cell >> 8;
    return format->order & BIL_LOW_BYTE_FIRST ? (uint16_t)(turned & 0xffff) : cell;
}

/* The bits of its cell that belong to the value, as they stand on the wire. */
static inline uint16_t bil_cell_mask(const bil_format *format)
{
    return format->width ? bil_cell_swapped(format, (uint16_t)(((UINT32_C(1) << format->width) - 1) << format->bit))
                         : 0xffff;
}

/* The device isn't asked. */
static inline bil_outcome bil_cells_refuse(bil_result *result, int cause)
{
    result->cause = (bil_error)cause;
    return BIL_REFUSED;
}

/* One request for the cells of `span`, into or out of which the values go. cells.c */
bil_outcome bil_cells_transfer(bil_cell_link *link, const bil_transfer *t, const bil_span *span, bil_result *result);

#endif

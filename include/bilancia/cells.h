/* bilancia/cells.h - links to devices whose values lie in cells of 16 bits: registers.
 *
 * Four or five functions on cells are all that a new one needs; bil_cell_link_over makes a link of them. It works out
 * which cells a request takes, from the first to the last value with the gaps between, and turns raw values into cells
 * and back, in the order that the description tells. `number` of a place is the first cell of a value.
 *
 * Thread rules: as link.h. */
#ifndef BILANCIA_CELLS_H
#define BILANCIA_CELLS_H

#include "bilancia/link.h"

#ifdef __cplusplus
extern "C" {
#endif

/* Modbus Application Protocol 1.1b3, 6.3; no request takes more. */
#define BIL_CELLS_MAX 125

/* The spaces that a register link usually has; others may be added behind them. */
typedef enum bil_cell_space { BIL_HOLDING, BIL_INPUT } bil_cell_space;

/* The functions on cells that a link is made of; each tells an outcome as the link above does (link.h). */
typedef struct bil_cell_ops {
    /* As in bil_link_ops. */
    bil_outcome (*connect)(void *ctx, bil_result *result);
    /* Reads or writes `count` cells from `address` on; `space` is the index in the description's `spaces`. */
    bil_outcome (*read)(void *ctx, uint16_t space, uint16_t address, uint16_t count, uint16_t *cells,
                        bil_result *result);
    bil_outcome (*write)(void *ctx, uint16_t space, uint16_t address, uint16_t count, const uint16_t *cells,
                         bil_result *result);
    void (*close)(void *ctx);
    /* Speaks to another BIL_UNIT on the same line from the next connection on, 0: the one it was made for. NULL
     * where a link has only one device. */
    void (*speak_to)(void *ctx, uint32_t unit);
} bil_cell_ops;

/* Those functions with their context, which is handed to each of them. */
typedef struct bil_cells {
    const bil_cell_ops *ops;
    void *ctx;
} bil_cells;

/* The memory of a link over cells; the caller's, as long as the link is used. */
typedef struct bil_cell_link {
    bil_cells below;
    uint16_t cells[BIL_CELLS_MAX];
} bil_cell_link;

/* Makes a link of functions on cells. Both arguments outlive it; `memory` needs no clearing before. */
bil_link bil_cell_link_over(bil_cell_link *memory, bil_cells cells);

/* Which cells a transfer takes, in its bank. */
typedef struct bil_span {
    uint16_t space, first, count;
} bil_span;
bil_span bil_cells_span(const bil_transfer *transfer);

/* Number of cells that the value takes: one for 1 and 2 bytes, else size / 2. */
size_t bil_value_cells(const bil_format *format);

/* Cells (host integers, in the order of their addresses) to raw, and back, in the format's order.
 * An 8 bit value sits in the low byte of its cell, the high byte zero (i8: the sign); a bool is 0 or 1.
 * Anything else gives BIL_E_ENCODING, so that no bit is lost silently. */
int bil_value_from_cells(const bil_format *format, const uint16_t *cells, uint8_t *raw);
void bil_value_to_cells(const bil_format *format, const uint8_t *raw, uint16_t *cells);

#ifdef __cplusplus
}
#endif

#endif

/* bilancia/cells.h - links to devices whose values lie in cells of 16 bits, registers, and in single bits: coils.
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

/* Modbus Application Protocol 1.1b3, 6.1 and 6.3; no request takes more. */
#define BIL_CELLS_MAX 125
#define BIL_CELL_BITS_MAX (16 * BIL_CELLS_MAX)

/* X(NAME, "name in descriptions"): cells; cells that can't be written; single bits; single bits that can't be written;
 * texts that tell what device it is, which can't be written either (bil_reach_objects); files in records
 * (bil_reach_records). */
/* clang-format off */
#define BIL_CELL_TABLE_NAMES(X) \
    X(HOLDING, "holding") X(INPUT, "input") X(COILS, "coils") X(DISCRETE, "discrete") X(OBJECTS, "identification") \
    X(RECORDS, "records")
/* clang-format on */

/* The four tables of such a device, chapter 4.3, its identification, 6.21, and its files, 6.14. The first spaces of a
 * description that was loaded are these, for the device itself; others may stand behind them. */
typedef enum bil_cell_table {
#define BIL_CELL_TABLE_ENUM(NAME, name) BIL_##NAME,
    BIL_CELL_TABLE_NAMES(BIL_CELL_TABLE_ENUM)
#undef BIL_CELL_TABLE_ENUM
        BIL_CELL_TABLES
} bil_cell_table;

/* Which cells, or bits, a transfer takes, in its bank. bil_cells_span tells all but the mask, which is what
 * bil_reach_parts makes of it. */
typedef struct bil_span {
    uint16_t space, first, count;
    uint8_t table;     /* bil_cell_table */
    uint8_t way;       /* bil_way, in writing */
    int16_t unit;      /* who answers there, as in bil_space */
    uint16_t file;     /* of records: the file in which they are; `first` is the first one */
    uint16_t mask;     /* of a masked write: the bits of the one cell that are written; the others stay */
    uint16_t pause_ms; /* the request goes out no sooner than so long after the reply before it */
} bil_span;
bil_span bil_cells_span(const bil_transfer *transfer);

/* The functions on cells that a link is made of; each tells an outcome as the link above does (link.h). */
typedef struct bil_cell_ops {
    /* As in bil_link_ops. */
    bil_outcome (*connect)(void *ctx, bil_result *result);
    /* Reads or writes these cells. Of bits, sixteen stand in a cell, the first one in its lowest bit, and what is left
     * of the last cell is zero. Objects are read from number `first` on, by the code `count` (1 basic, 2 regular,
     * 3 extended); all BIL_CELLS_MAX cells are filled with the reply, two bytes in each, the first one high:
     * conformity, 255 where more follow and from which number on, how many, and each with its number, length and bytes.
     */
    bil_outcome (*read)(void *ctx, const bil_span *at, uint16_t *cells, bil_result *result);
    bil_outcome (*write)(void *ctx, const bil_span *at, const uint16_t *cells, bil_result *result);
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
    bool wrote; /* the last request wrote something */
    uint16_t cells[BIL_CELLS_MAX];
} bil_cell_link;

/* Ways to reach values (bil_reach), where a request for cells side by side isn't enough.
 *
 *   bits     single bits, coils and discrete inputs
 *   parts    cells of which values have only some bits: without a masked write each is read before it is written
 *   mailbox  the number of a value goes into one cell, and then it lies in others
 *   objects  the identification (function 0x2B/0x0E): `number` of a place is that of the object, 0 to 255
 *   records  a file (value.h) in records of 16 bits (functions 0x14 and 0x15): `number` is that of the file, which
 * always has as many bytes as the format says, an even number; the first one of a record stands high */
extern const bil_reach bil_reach_bits;
extern const bil_reach bil_reach_parts;
extern const bil_reach bil_reach_mailbox;
extern const bil_reach bil_reach_objects;
extern const bil_reach bil_reach_records;

/* Where a mailbox is. */
typedef struct bil_mailbox {
    uint16_t index, value; /* the cell that takes the number of a value, and the first one in which that lies then */
    uint8_t way;           /* bil_way in which the number is written */
    bool echo; /* `value` lies right behind `index`, and both are read with one request: whatever somebody else has
                * called up meanwhile is no value of ours */
} bil_mailbox;

/* Makes a link of functions on cells. Both arguments outlive it; `memory` needs no clearing before. */
bil_link bil_cell_link_over(bil_cell_link *memory, bil_cells cells);

/* Forms of values in cells (value.h).
 *
 *   bcd             four bits a decimal digit: unsigned whole numbers
 *   sign_magnitude  the highest bit is the sign, the others the magnitude: signed whole numbers
 *   loose           what the value leaves of its cells may be anything, and is written as zero
 *   blanks          a text that is filled up with blanks
 *   length          a text whose first cell has its length in bytes; what stands behind may be anything
 *   wide            a text with one character a cell, in its low byte
 *   part            only some bits of a cell: `bit` and `width` of the format
 *   odd             what an odd number of bytes leaves of its cells are zeros, or the sign of a number; a number of a
 *                   single byte needs no form */
extern const bil_form bil_form_bcd;
extern const bil_form bil_form_sign_magnitude;
extern const bil_form bil_form_loose;
extern const bil_form bil_form_blanks;
extern const bil_form bil_form_length;
extern const bil_form bil_form_wide;
extern const bil_form bil_form_part;
extern const bil_form bil_form_odd;

/* Of the type time; a date that doesn't exist is no value.
 *
 *   time_bcd      twelve decimal digits in three cells: year and month, day and hour, minute and second; 2000 to 2099
 *   time_wide     six cells: year, month, day, hour, minute, second
 *   time_seconds  a number of 32 bits: seconds since the beginning of 1970; to 2106 */
extern const bil_form bil_form_time_bcd;
extern const bil_form bil_form_time_wide;
extern const bil_form bil_form_time_seconds;

/* Number of cells that the value takes: as many as its bytes need, or as its form says. */
size_t bil_value_cells(const bil_format *format);

/* Cells (host integers, in the order of their addresses) to raw, in the format's order and form. A value that leaves
 * some of its cells (8, 24 bits) sits in their low end, zeros above it (the sign, of a signed one), unless it is loose;
 * a bool is 0 or 1. Anything else gives BIL_E_ENCODING, so that no bit is lost silently; so do digits that are none,
 * and a length larger than the text. */
int bil_value_from_cells(const bil_format *format, const uint16_t *cells, uint8_t *raw);
/* And back; of a value that has only a part of its cell, the rest of the cell stays as it is. BIL_E_RANGE where the
 * form has no such value (more digits than fit, a magnitude too large, more bits than it has). */
int bil_value_to_cells(const bil_format *format, const uint8_t *raw, uint16_t *cells);

#ifdef __cplusplus
}
#endif

#endif

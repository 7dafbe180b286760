/* Rows of cells in columns that are as wide as what stands in them: the rows are kept aside until all are known, in a
 * file, because they may come by the million. Behind its cells a row has a rest of any form, lines of its own too. */
#ifndef BIL_SHOW_GRID_H
#define BIL_SHOW_GRID_H

#include <stdbool.h>
#include <stddef.h>
#include <stdio.h>

#include "show/columns.h"

enum { GRID_MOST = 20 };

typedef struct grid {
    FILE *out;                 /* what comes behind the cells is told here; NULL: there is no room for it */
    size_t columns;            /* at most GRID_MOST */
    size_t most[GRID_MOST];    /* for each column: what is longer is cut there; 0: nothing is */
    size_t records;            /* rows and lines */
    bool headed;               /* the first of them is a heading */
    size_t longest[GRID_MOST]; /* may be set before the first row: then a column is no narrower than that */
} grid;

/* Where nothing can be kept, grid_end says so. */
void grid_begin(grid *g, size_t columns, const size_t *most);
/* A new row; its mark (one character, or "" for none) in the colour of this code (tint_code), and then its cells, one
 * after the other. */
void grid_row(grid *g, const char *mark, const char *code);
void grid_cell(grid *g, const char *text, const char *code);
/* All cells of a row, in no colour. */
void grid_cells(grid *g, const char *const *texts);
/* What stands above the columns, as the first row; `rest` above what comes behind them. A heading of nothing isn't
 * printed. */
void grid_heading(grid *g, const char *const *texts, const char *rest);
/* A line without cells: what is told from here on. */
void grid_line(grid *g);
/* Prints it all, and lets go of it. The rest of a row that goes beyond the screen's width is cut there, where that
 * isn't 0 and the rest has a single line. False where something couldn't be kept or written. */
bool grid_end(grid *g, FILE *out, size_t width);

#endif

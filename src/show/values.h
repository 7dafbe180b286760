/* Parameters with their values side by side. */
#ifndef BIL_SHOW_VALUES_H
#define BIL_SHOW_VALUES_H

#include <stdint.h>

#include "show/grid.h"

/* One parameter with its values side by side. Where they are too long or too many for the width they stand below it,
 * the equal ones in one line, each with the labels of those that have it. */
typedef struct value_row {
    const char *mark, *id, *name;
    size_t count; /* of values, at most 16 */
    const char *const *labels, *const *values;
    uint32_t odd; /* a bit for each value to be marked */
} value_row;

/* Many of them, in columns no wider than they need. */
typedef struct value_table {
    grid grid;
    screen screen;
    size_t count;
} value_table;

/* `labels` stand above the values where there is room; NULL: nothing does. What is told to `grid.out` behind a row
 * stands below it. */
void values_begin(value_table *t, screen l, size_t count, const char *const *labels);
void values_row(value_table *t, const value_row *row);
/* False where something couldn't be kept or written. */
bool values_end(value_table *t);

#endif

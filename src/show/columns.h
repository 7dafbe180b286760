/* Text in columns of a fixed width, for terminals and for text reports. */
#ifndef BIL_SHOW_COLUMNS_H
#define BIL_SHOW_COLUMNS_H

#include <stdbool.h>
#include <stdint.h>
#include <stdio.h>

#include "show/tint.h"

/* Where text goes, how wide it may be, and whether it takes colours. */
typedef struct screen {
    FILE *out;
    size_t width;
    bool colour;
} screen;

/* Characters that a text takes on the screen. */
size_t shown_width(const char *text);
/* The text and blanks up to `width`; longer text is cut with an ellipsis. */
void put_cell(FILE *file, const char *text, size_t width);
/* The text as far as `width` goes, without blanks behind it. */
void put_last_cell(FILE *file, const char *text, size_t width);

/* One parameter with its values side by side. Where they are too long or too many for the width they stand below it,
 * the equal ones in one line, each with the labels of those that have it. */
typedef struct value_row {
    const char *mark, *id, *name;
    size_t count; /* of values, at most 16 */
    const char *const *labels, *const *values;
    uint32_t odd; /* a bit for each value to be marked */
} value_row;
void put_value_row(const screen *l, const value_row *row);
/* The width of each value in such a row; 0 when they stand below. */
size_t value_width(const screen *l, size_t count);
/* The width of the id before them, behind a mark and a blank. */
size_t id_width(const screen *l, size_t count);

#endif

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
    bool whole; /* nobody looks at it in that width: nothing is cut */
} screen;

/* Is there room for so much? */
bool screen_takes(const screen *l, size_t width);
/* Characters that a text takes on the screen. */
size_t shown_width(const char *text);
/* The text and blanks up to `width`; longer text is cut with an ellipsis. */
void put_cell(FILE *file, const char *text, size_t width);

#endif

/* How a device stands, for people: its mark, its colour, and what to do next. */
#ifndef BIL_SHOW_STANDING_H
#define BIL_SHOW_STANDING_H

#include <stdio.h>

#include "bilancia/site.h"
#include "show/tint.h"

const char *standing_mark(bil_standing s);
tint standing_tint(bil_standing s);

/* In a line: "6 values differ from the baseline". `out` of `size` bytes; returns it. */
const char *standing_line(const bil_site_standing *one, bil_standing s, char *out, size_t size);

/* A command that can be pasted, and what for. */
typedef struct next_step {
    char command[3 * 4096];
    const char *what_for;
} next_step;
enum { NEXT_MOST = 2 };
/* What can be done now; how many. */
size_t standing_next(const bil_site_standing *one, bil_standing s, next_step out[NEXT_MOST]);

#endif

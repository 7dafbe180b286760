/* A saved copy as a sheet of plain text. */
#ifndef BIL_SHOW_SHEET_H
#define BIL_SHOW_SHEET_H

#include <stdio.h>

#include "host/describe/catalogue.h"

/* A sheet that a person can read and print: identity, values by group, what isn't in it. */
int sheet_write(const char *copy, const catalogue *m, FILE *out, char *why, size_t why_size);

#endif

/* A saved copy as a sheet of plain text. */
#ifndef BIL_SHOW_SHEET_H
#define BIL_SHOW_SHEET_H

#include <stdio.h>

#include "bilancia/look.h"

/* A sheet that a person can read and print: identity, values by group, what isn't in it; of the one side of a look.
 * BIL_OK, or an error. */
int sheet_write(bil_look *look, FILE *out);

#endif

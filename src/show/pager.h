/* Long output at a terminal. */
#ifndef BIL_SHOW_PAGER_H
#define BIL_SHOW_PAGER_H

#include <stdbool.h>
#include <stdio.h>

/* Writes what stands in a temporary file to standard output; through a pager when that is a terminal with fewer lines
 * than it has. What is `for_programs` goes out as it is, whatever the terminal takes. */
void say_spooled(FILE *spool, bool for_programs);

#endif

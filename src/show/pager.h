/* Long output at a terminal. */
#ifndef BIL_SHOW_PAGER_H
#define BIL_SHOW_PAGER_H

#include <stdio.h>

/* Writes what stands in a temporary file to standard output; through a pager when that is a terminal with fewer lines
 * than it has. */
void say_spooled(FILE *spool);

#endif

/* What people call a copy of a site. */
#ifndef BIL_SHOW_CALLED_H
#define BIL_SHOW_CALLED_H

#include "bilancia/site.h"

enum { CALLED = 16 };

/* Behind the #: its number, or, where it has none, the beginning of its digest (six digits, which no number has).
 * Returns `out`. */
const char *called(const bil_site_copy *copy, char out[CALLED]);

#endif

/* How long ago something was. */
#ifndef BIL_SHOW_AGE_H
#define BIL_SHOW_AGE_H

#include <stddef.h>

/* "3 minutes ago" */
void age_text(const char *when, char *out, size_t size);

#endif

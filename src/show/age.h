/* How long ago something was, and how long something takes yet. */
#ifndef BIL_SHOW_AGE_H
#define BIL_SHOW_AGE_H

#include <stddef.h>
#include <stdint.h>

/* "3 minutes ago" */
void age_text(const char *when, char *out, size_t size);
/* "about 3 minutes", when so much of it was done in so many milliseconds; "" while nobody can say, and where it is over
 * in a moment. */
void left_text(uint64_t ms, uint32_t done, uint32_t total, char *out, size_t size);

#endif

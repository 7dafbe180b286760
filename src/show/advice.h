/* What a person can do now about an error, in words of the tool. */
#ifndef BIL_SHOW_ADVICE_H
#define BIL_SHOW_ADVICE_H

#include <stddef.h>

enum { ADVICE_TEXT = 300 };

/* "" where there is nothing to say. No option is named that isn't among these: names without dashes, ended by NULL
 * (NULL: any may be). */
void advice_for(int error, const char *const *options, char *out, size_t size);

#endif

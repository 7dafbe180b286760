/* What a person can do now about an error, in words of the tool. */
#ifndef BIL_SHOW_ADVICE_H
#define BIL_SHOW_ADVICE_H

#include <stddef.h>

enum { ADVICE_TEXT = 2000 };

/* A sentence, or "" where there is nothing to say. Its commands can be pasted; they are for the device that it was
 * about (DEVICE or DEVICE#WHICH; "" where that isn't known). No option is named that isn't among these: names without
 * dashes, ended by NULL (NULL: any may be). */
void advice_for(int error, const char *about, const char *const *options, char *out, size_t size);

#endif

/* Colours of a terminal. */
#ifndef BIL_SHOW_TINT_H
#define BIL_SHOW_TINT_H

#include <stdbool.h>

typedef enum tint { TINT_PLAIN, TINT_BOLD, TINT_GOOD, TINT_BAD, TINT_WARN, TINT_COUNT } tint;
/* The code that begins a colour, "" where there are none. */
const char *tint_code(bool colour, tint t);

/* Is this text one of those codes: the very one, not one that looks like it? */
bool tint_is_code(const char *text);

#endif

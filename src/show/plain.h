/* Plain characters, for a terminal or a log that can't show others. */
#ifndef BIL_SHOW_PLAIN_H
#define BIL_SHOW_PLAIN_H

#include <stdbool.h>
#include <stddef.h>
#include <stdio.h>

/* Is this one of the streams of a person (standard output and errors), and does that person's environment say that it
 * takes ASCII alone? LC_ALL, LC_CTYPE or LANG, the first that is set, names another character set than UTF-8 (none is
 * set: UTF-8 is taken), or it is a terminal that calls itself dumb. */
bool plain_wanted(FILE *out);

/* Puts text (UTF-8) out with a plain character of the same width for each that isn't one: "+" for a tick, "x" for a
 * cross, "?" for what has none. */
void plain_put(FILE *out, const char *text, size_t length);

#endif

/* Two texts, line by line. */
#ifndef BIL_HOST_LOOK_LINES_H
#define BIL_HOST_LOOK_LINES_H

#include <stdbool.h>
#include <stddef.h>

enum { LINES_MOST = 400 }; /* between the first and the last one that differ; of more nothing is told */

/* A line that only the left text has ('-'), or only the right one ('+'), with its number there, from 1; without its
 * LF, and not ended. */
typedef void lines_tell(void *ctx, char sign, unsigned number, const char *text, size_t length);

/* As few lines as possible, those of the left before those of the right at each place. False: there are too many, or
 * memory is short; nothing was told. */
bool lines_compare(const char *left, size_t left_size, const char *right, size_t right_size, lines_tell *tell,
                   void *ctx);

/* Is it a text that can be shown: printable UTF-8, tabs and LF? */
bool lines_are_text(const char *text, size_t size);

#endif

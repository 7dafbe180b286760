/* Work on many lines beside each other: each line has one owner, who takes what is to do there in turn. */
#ifndef BIL_HOST_RUN_LINES_H
#define BIL_HOST_RUN_LINES_H

#include <stddef.h>
#include <stdint.h>

#define LINES_NONE SIZE_MAX

typedef struct lines_work {
    size_t count;                                     /* pieces of work, 0 to count - 1 */
    unsigned at_once;                                 /* lines beside each other; 0: as many as is sensible */
    const char *(*line)(void *ctx, size_t i);         /* "" stands for a line of its own */
    void (*work)(void *ctx, size_t i, size_t before); /* in any thread; `before`: the piece done before on this line */
    void (*done)(void *ctx, size_t i);                /* one call at a time */
    void *ctx;
} lines_work;

void lines_run(const lines_work *c);

/* How many lines there are, and the pieces on the longest. */
void lines_measure(const lines_work *c, size_t *lines, size_t *longest);
/* How many of so many lines are worked on beside each other. */
size_t lines_hands(const lines_work *c, size_t lines);

#endif

/* The word of many that is most like one that doesn't exist. */
#ifndef BIL_HOST_BASE_NEAREST_H
#define BIL_HOST_BASE_NEAREST_H

#include <stddef.h>

typedef struct nearest {
    char best[64]; /* "" as long as nothing is near enough: less than half of it would have to be changed, or
                    * it is the beginning of a longer one */
    size_t distance;
} nearest;

/* Looks whether this one is nearer than those before. Words of up to 63 bytes. */
void nearest_offer(nearest *n, const char *wanted, const char *word);
/* Letters to put in, take away or change, neighbours swapped counting as one. */
size_t nearest_distance(const char *a, const char *b);

#endif

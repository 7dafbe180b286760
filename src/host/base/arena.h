/* Memory that is given back all at once. */
#ifndef BIL_HOST_BASE_ARENA_H
#define BIL_HOST_BASE_ARENA_H

#include <stddef.h>

typedef struct arena {
    struct arena_block *blocks;
} arena;

/* Zeroed memory, aligned for any type; NULL when it is short (port/memory.h). */
void *arena_take(arena *a, size_t size);
char *arena_text(arena *a, const char *text, size_t length);
void arena_free(arena *a);

#endif

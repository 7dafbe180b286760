#include "host/base/arena.h"

#include <stdalign.h>
#include <string.h>

#include "port/memory.h"

struct arena_block {
    struct arena_block *next;
    alignas(max_align_t) unsigned char bytes[];
};

void *arena_take(arena *a, size_t size)
{
    struct arena_block *block = mem_new(1, sizeof *block + size);
    if (!block)
        return NULL;
    block->next = a->blocks;
    a->blocks = block;
    return block->bytes;
}

char *arena_text(arena *a, const char *text, size_t length)
{
    char *copy = arena_take(a, length + 1);
    if (copy)
        memcpy(copy, text, length);
    return copy;
}

void arena_free(arena *a)
{
    while (a->blocks) {
        struct arena_block *next = a->blocks->next;
        mem_free(a->blocks);
        a->blocks = next;
    }
}

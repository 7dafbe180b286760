#include "host/base/arena.h"

#include <stdalign.h>
#include <stdio.h>
#include <stdlib.h>
#include <string.h>

#include "bilancia/host_error.h"

struct arena_block {
    struct arena_block *next;
    alignas(max_align_t) unsigned char bytes[];
};

_Noreturn void no_memory(void)
{
    fprintf(stderr, "bilancia: %s; %s\n", bil_host_error_text(BIL_E_MEMORY), bil_error_advice(BIL_E_MEMORY));
    exit(6);
}

void *need(size_t count, size_t size)
{
    void *memory = calloc(count ? count : 1, size ? size : 1);
    if (!memory)
        no_memory();
    return memory;
}

void *arena_take(arena *a, size_t size)
{
    struct arena_block *block = need(1, sizeof *block + size);
    block->next = a->blocks;
    a->blocks = block;
    return block->bytes;
}

char *arena_text(arena *a, const char *text, size_t length)
{
    char *copy = arena_take(a, length + 1);
    memcpy(copy, text, length);
    return copy;
}

void arena_free(arena *a)
{
    while (a->blocks) {
        struct arena_block *next = a->blocks->next;
        free(a->blocks);
        a->blocks = next;
    }
}

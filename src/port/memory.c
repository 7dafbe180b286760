#include "port/memory.h"

#include <stdint.h>
#include <stdlib.h>
#include <string.h>

static _Thread_local mem_scope *present;

void mem_enter(mem_scope *scope, const mem_hooks *hooks)
{
    *scope = (mem_scope){.hooks = hooks, .outer = present};
    present = scope;
}

bool mem_leave(mem_scope *scope)
{
    present = scope->outer;
    if (present)
        present->is_short = present->is_short || scope->is_short;
    return scope->is_short;
}

const mem_hooks *mem_present(void)
{
    return present ? present->hooks : NULL;
}

void mem_short(void)
{
    if (present)
        present->is_short = true;
}

bool mem_is_short(void)
{
    return present && present->is_short;
}

void *mem_made(void *made)
{
    if (!made)
        mem_short();
    return made;
}

void *mem_more(void *memory, size_t size)
{
    const mem_hooks *hooks = mem_present();
    size = size ? size : 1;
    return mem_made(hooks ? hooks->resize(hooks->ctx, memory, size) : realloc(memory, size));
}

void *mem_new(size_t count, size_t size)
{
    if (size && count > SIZE_MAX / 2 / size)
        return mem_made(NULL);
    size_t all = count && size ? count * size : 1;
    void *memory = mem_more(NULL, all);
    if (memory)
        memset(memory, 0, all);
    return memory;
}

void mem_free(void *memory)
{
    const mem_hooks *hooks = mem_present();
    if (!memory)
        return;
    if (hooks)
        hooks->resize(hooks->ctx, memory, 0);
    else
        free(memory);
}

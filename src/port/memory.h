/* Memory of a call into the library: by the hooks of whoever called, and with a mark once it ran short.
 *
 * What is given back without memory goes on as well as it can and without harm: nothing lasting is begun any more in
 * this scope (whoever writes a file, a note or a row asks mem_is_short first), and the call as a whole ends with
 * BIL_E_MEMORY. So a value that is missing for that reason is never taken for one that isn't there.
 *
 * The scope belongs to the thread; threads that work for a call open one of their own with its hooks. */
#ifndef BIL_PORT_MEMORY_H
#define BIL_PORT_MEMORY_H

#include <stdbool.h>
#include <stddef.h>

typedef struct mem_hooks {
    /* As realloc; with size 0 it gives `memory` back. NULL: there is none. */
    void *(*resize)(void *ctx, void *memory, size_t size);
    void *ctx;
} mem_hooks;

typedef struct mem_scope {
    const mem_hooks *hooks; /* NULL: malloc and free */
    bool is_short;
    struct mem_scope *outer;
} mem_scope;

void mem_enter(mem_scope *scope, const mem_hooks *hooks);
/* Did it run short? Then the scope around this one knows, too. */
bool mem_leave(mem_scope *scope);
/* The hooks of the present scope, for threads that work for it. */
const mem_hooks *mem_present(void);

/* Zeroed and aligned for any type, never of no bytes; NULL when it is short. */
void *mem_new(size_t count, size_t size);
/* As realloc: when it is short the old one stays good, and NULL comes back. */
void *mem_more(void *memory, size_t size);
void mem_free(void *memory);

/* It ran short somewhere; did it? */
void mem_short(void);
bool mem_is_short(void);
/* `made` itself; NULL of a function that fails only when it is short leaves the mark. */
void *mem_made(void *made);

#endif

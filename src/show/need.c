#include "show/need.h"

#include <stdio.h>
#include <stdlib.h>

#include "bilancia/host_error.h"
#include "show/advice.h"

static struct {
    void (*undo)(void *ctx);
    void *ctx;
} begun;

void need_undoes(void (*undo)(void *ctx), void *ctx)
{
    begun.undo = undo;
    begun.ctx = ctx;
}

_Noreturn void no_memory(void)
{
    if (begun.undo)
        begun.undo(begun.ctx);
    char advice[ADVICE_TEXT];
    advice_for(BIL_E_MEMORY, "", NULL, advice, sizeof advice);
    fprintf(stderr, "bilancia: %s; %s\n", bil_host_error_text(BIL_E_MEMORY), advice);
    exit(6);
}

void *need(size_t count, size_t size)
{
    void *memory = calloc(count ? count : 1, size ? size : 1);
    if (!memory)
        no_memory();
    return memory;
}

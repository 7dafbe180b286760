#include "show/need.h"

#include <stdio.h>
#include <stdlib.h>

#include "bilancia/host_error.h"
#include "show/advice.h"

static storage_file *cancelled;

void need_cancels(storage_file *begun)
{
    cancelled = begun;
}

_Noreturn void no_memory(void)
{
    if (cancelled)
        storage_cancel(cancelled);
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

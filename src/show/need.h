/* Memory for a program that can do nothing without. */
#ifndef BIL_SHOW_NEED_H
#define BIL_SHOW_NEED_H

#include <stddef.h>

#include "port/storage.h"

/* A file that is cancelled before that end; NULL: none any more. */
void need_cancels(storage_file *begun);
/* calloc that ends the program with a message when memory is short; and that end, for whoever asked otherwise. */
void *need(size_t count, size_t size);
_Noreturn void no_memory(void);

#endif

/* Memory for a program that can do nothing without. */
#ifndef BIL_SHOW_NEED_H
#define BIL_SHOW_NEED_H

#include <stddef.h>

/* What is taken back before that end: one thing at a time; NULL: nothing any more. */
void need_undoes(void (*undo)(void *ctx), void *ctx);
/* calloc that ends the program with a message when memory is short; and that end, for whoever asked otherwise. */
void *need(size_t count, size_t size);
_Noreturn void no_memory(void);

#endif

#ifndef EXAMPLES_BOARD_H
#define EXAMPLES_BOARD_H

#include <stddef.h>

/* Paints the stack below the caller; later tells how deep it was used since. */
void board_paint_stack(void);
size_t board_used_stack(void);

#endif

/* Start-up of the board, and a painted stack: what was never used still has its paint. */
#include "board.h"

#include <stdint.h>
#include <string.h>

extern uint8_t data_from[], data_start[], data_end[], bss_start[], bss_end[], stack_top[];
extern void initialise_monitor_handles(void); /* semihosting, from newlib's rdimon */
int main(void);
void exit(int code);

enum { PAINTED = 16384, PAINT = 0xa5 };

void reset(void)
{
    memcpy(data_start, data_from, (size_t)(data_end - data_start));
    memset(bss_start, 0, (size_t)(bss_end - bss_start));
    initialise_monitor_handles();
    exit(main());
}

static void fault(void)
{
    exit(99);
}

__attribute__((section(".vectors"), used)) static const void *const vectors[16] = {
    stack_top,           (const void *)reset, (const void *)fault, (const void *)fault,
    (const void *)fault, (const void *)fault, (const void *)fault};

/* Everything below the caller's frame, but for a little that this function itself needs. */
__attribute__((noinline)) void board_paint_stack(void)
{
    volatile uint8_t *here = __builtin_frame_address(0);
    for (volatile uint8_t *at = here - PAINTED; at < here - 64; at++)
        *at = PAINT;
}

__attribute__((noinline)) size_t board_used_stack(void)
{
    const volatile uint8_t *here = __builtin_frame_address(0), *at = here - PAINTED;
    while (*at == PAINT)
        at++;
    return (size_t)(here - at);
}

#include "clock.h"

#include <errno.h>
#include <time.h>

/* It goes on while the computer sleeps, so that a job notices that it did. */
static uint64_t now_ms(void *ctx)
{
    (void)ctx;
    struct timespec now;
    clock_gettime(CLOCK_BOOTTIME, &now);
    return (uint64_t)now.tv_sec * 1000 + (uint64_t)now.tv_nsec / 1000000;
}

static void sleep_until(void *ctx, uint64_t ms)
{
    (void)ctx;
    struct timespec until = {(time_t)(ms / 1000), (long)(ms % 1000) * 1000000};
    while (clock_nanosleep(CLOCK_BOOTTIME, TIMER_ABSTIME, &until, NULL) == EINTR)
        ;
}

bil_clock clock_monotonic(void)
{
    static const bil_clock_ops ops = {now_ms, sleep_until};
    return (bil_clock){&ops, NULL};
}

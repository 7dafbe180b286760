/* bilancia/port.h - the thin layer to hardware: one const table of functions and a context for each link.
 *
 * A new link is a file of about a hundred lines. It does one request at a time and tells, in one of five
 * outcomes, what is known about it afterwards. It never repeats a request and never reads values into it.
 *
 * After a time-out the link must be silent for `late_ms` and drained before the next request, so that a late
 * reply can't answer the next question. */
#ifndef BILANCIA_PORT_H
#define BILANCIA_PORT_H

#include "bilancia/job.h"

typedef struct bil_link_ops {
    /* Opens the link; an open one is closed first. BIL_DONE, or BIL_NOT_SENT with cause and code. */
    bil_outcome (*connect)(void *ctx, bil_result *result);
    /* Reads or writes `count` cells from `address` on. */
    bil_outcome (*read)(void *ctx, uint8_t space, uint16_t address, uint16_t count, uint16_t *cells,
                        bil_result *result);
    bil_outcome (*write)(void *ctx, uint8_t space, uint16_t address, uint16_t count, const uint16_t *cells,
                         bil_result *result);
    void (*close)(void *ctx);
    /* Speaks to another BIL_UNIT on the same line from the next connection on, 0: the one it was made for. NULL
     * where a link has only one device. */
    void (*speak_to)(void *ctx, uint32_t unit);
} bil_link_ops;

typedef struct bil_link {
    const bil_link_ops *ops;
    void *ctx;
} bil_link;

/* A clock that never goes back, and a way to let time pass. */
typedef struct bil_clock_ops {
    uint64_t (*now_ms)(void *ctx);
    void (*sleep_until)(void *ctx, uint64_t ms);
} bil_clock_ops;

typedef struct bil_clock {
    const bil_clock_ops *ops;
    void *ctx;
} bil_clock;

#endif

/* bilancia/stream.h - the seam below links that speak in characters: a serial line, a TCP connection, a simulated unit.
 *
 * A stream moves bytes and reads no meaning into them. It is one const table of a few functions and a context, as a
 * link is; console.h makes a link of one.
 *
 * Thread rules: a stream belongs to one thread at a time. */
#ifndef BILANCIA_STREAM_H
#define BILANCIA_STREAM_H

#include "bilancia/link.h"

#ifdef __cplusplus
extern "C" {
#endif

/* The functions of a stream; none of them keeps what it is given. */
typedef struct bil_stream_ops {
    /* Opens it once; an open one is closed first. BIL_DONE, or BIL_NOT_SENT with cause and code. */
    bil_outcome (*connect)(void *ctx, bil_result *result);
    /* Sends all of it. False: the stream is gone, and nobody knows how much of it arrived. */
    bool (*send)(void *ctx, const char *bytes, size_t count);
    /* What has come in, up to `room` bytes; waits up to `within_ms` (0: not at all) for the first of them. 0: nothing
     * came; -1: the stream is gone, which is said only once all that came before was taken. */
    int (*receive)(void *ctx, char *bytes, size_t room, uint32_t within_ms);
    void (*close)(void *ctx);
} bil_stream_ops;

/* Those functions with their context, which is handed to each of them. */
typedef struct bil_stream {
    const bil_stream_ops *ops;
    void *ctx;
    /* A connection is a session of its own, and who is there speaks first; else the line was there before. */
    bool session;
    uint16_t quiet_ms; /* bytes that belong together come no further apart; at least 1 */
} bil_stream;

#ifdef __cplusplus
}
#endif

#endif

/* Streams of this computer: TCP connections and serial lines. */
#ifndef BIL_PORT_STREAM_H
#define BIL_PORT_STREAM_H

#include "bilancia/stream.h"

typedef struct tcp_stream {
    char host[256], port[6];
    int socket; /* -1: none */
    uint32_t connect_ms;
    int connect_errno; /* why the last connection failed, 0 when it didn't */
} tcp_stream;

/* Nothing is connected yet. Ended by its `close`. */
void tcp_stream_open(tcp_stream *stream, const char *host, const char *port, bil_stream *out);
/* How long a connection may take. */
void tcp_stream_wait(tcp_stream *stream, uint32_t ms);

typedef struct serial_stream {
    char path[256];
    int speed, stop_bits;
    char parity; /* 'N', 'E' or 'O'; data bits are 8 */
    int fd;      /* -1: closed */
    int connect_errno;
} serial_stream;

void serial_stream_open(serial_stream *stream, const char *path, int speed, char parity, int stop_bits,
                        bil_stream *out);

#endif

/* Reading and writing a descriptor that never blocks, with a limit of time that no signal stretches. */
#ifndef BIL_PORT_WAIT_H
#define BIL_PORT_WAIT_H

#include <stdbool.h>
#include <stddef.h>
#include <stdint.h>

/* A clock that never goes back. */
uint64_t wait_now_ms(void);
/* Waits until it can be read or written (POLLIN, POLLOUT). False: the time is over. */
bool wait_until(int fd, short what, uint32_t within_ms);
/* All of it; false: the other end is gone, or takes nothing. */
bool wait_write(int fd, const char *bytes, size_t count, uint32_t within_ms);
/* As `receive` in bil_stream_ops. */
int wait_read(int fd, char *bytes, size_t room, uint32_t within_ms);

#endif

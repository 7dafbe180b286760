#include "wait.h"

#include <errno.h>
#include <poll.h>
#include <sys/socket.h>
#include <time.h>
#include <unistd.h>

uint64_t wait_now_ms(void)
{
    struct timespec now;
    clock_gettime(CLOCK_MONOTONIC, &now);
    return (uint64_t)now.tv_sec * 1000 + (uint64_t)now.tv_nsec / 1000000;
}

bool wait_until(int fd, short what, uint32_t within_ms)
{
    uint64_t until = wait_now_ms() + within_ms;
    for (;;) {
        uint64_t now = wait_now_ms();
        struct pollfd one = {.fd = fd, .events = what};
        int ready = poll(&one, 1, until > now ? (int)(until - now) : 0);
        if (ready > 0 || (ready < 0 && errno != EINTR))
            return ready > 0;
        if (ready == 0 && wait_now_ms() >= until)
            return false;
    }
}

/* A socket that is gone raises no signal; another descriptor has none to raise. */
static ssize_t put(int fd, const char *bytes, size_t count)
{
    ssize_t sent = send(fd, bytes, count, MSG_NOSIGNAL);
    return sent < 0 && errno == ENOTSOCK ? write(fd, bytes, count) : sent;
}

bool wait_write(int fd, const char *bytes, size_t count, uint32_t within_ms)
{
    while (count) {
        ssize_t sent = put(fd, bytes, count);
        if (sent > 0) {
            bytes += sent;
            count -= (size_t)sent;
        } else if (errno != EINTR && (errno != EAGAIN || !wait_until(fd, POLLOUT, within_ms))) {
            return false;
        }
    }
    return true;
}

int wait_read(int fd, char *bytes, size_t room, uint32_t within_ms)
{
    if (!wait_until(fd, POLLIN, within_ms))
        return 0;
    ssize_t count = read(fd, bytes, room);
    return count > 0 ? (int)count : count < 0 && (errno == EAGAIN || errno == EINTR) ? 0 : -1;
}

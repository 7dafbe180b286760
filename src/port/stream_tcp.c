#include "stream.h"

#include <errno.h>
#include <netdb.h>
#include <netinet/in.h>
#include <netinet/tcp.h>
#include <poll.h>
#include <stdio.h>
#include <sys/socket.h>
#include <unistd.h>

#include "line.h"
#include "wait.h"

/* What is said in one go comes in few pieces, also through a box that has the device at a serial line. */
enum { QUIET_MS = 5 };

static void hang_up(void *ctx)
{
    tcp_stream *s = ctx;
    if (s->socket >= 0)
        close(s->socket);
    s->socket = -1;
}

static int connect_one(const tcp_stream *s, const struct addrinfo *to)
{
    int fd = socket(to->ai_family, SOCK_STREAM | SOCK_NONBLOCK | SOCK_CLOEXEC, 0), error = 0, yes = 1;
    socklen_t size = sizeof error;
    if (fd < 0)
        return -1;
    if (connect(fd, to->ai_addr, to->ai_addrlen) != 0) {
        error = errno;
        if (error == EINPROGRESS)
            error = !wait_until(fd, POLLOUT, s->connect_ms)                    ? ETIMEDOUT
                    : getsockopt(fd, SOL_SOCKET, SO_ERROR, &error, &size) == 0 ? error
                                                                               : errno;
    }
    if (error) {
        close(fd);
        errno = error;
        return -1;
    }
    setsockopt(fd, IPPROTO_TCP, TCP_NODELAY, &yes, sizeof yes); /* a question is small, and waited for */
    return fd;
}

static bil_outcome dial(void *ctx, bil_result *result)
{
    tcp_stream *s = ctx;
    struct addrinfo hints = {.ai_socktype = SOCK_STREAM}, *found = NULL;
    hang_up(s);
    s->connect_errno = getaddrinfo(s->host, s->port, &hints, &found) == 0 ? 0 : EHOSTUNREACH;
    for (const struct addrinfo *one = found; one && s->socket < 0; one = one->ai_next) {
        s->socket = connect_one(s, one);
        s->connect_errno = s->socket < 0 ? errno : 0;
    }
    if (found)
        freeaddrinfo(found);
    result->cause = s->connect_errno ? line_cause(s->connect_errno) : BIL_OK;
    result->code = (uint32_t)s->connect_errno;
    return s->connect_errno ? BIL_NOT_SENT : BIL_DONE;
}

static bool send_all(void *ctx, const char *bytes, size_t count)
{
    const tcp_stream *s = ctx;
    return s->socket >= 0 && wait_write(s->socket, bytes, count, s->connect_ms);
}

static int receive(void *ctx, char *bytes, size_t room, uint32_t within_ms)
{
    const tcp_stream *s = ctx;
    return s->socket < 0 ? -1 : wait_read(s->socket, bytes, room, within_ms);
}

void tcp_stream_open(tcp_stream *s, const char *host, const char *port, bil_stream *out)
{
    static const bil_stream_ops ops = {dial, send_all, receive, hang_up};
    *s = (tcp_stream){.socket = -1, .connect_ms = 3000};
    snprintf(s->host, sizeof s->host, "%s", host);
    snprintf(s->port, sizeof s->port, "%s", port);
    *out = (bil_stream){&ops, s, true, QUIET_MS};
}

void tcp_stream_wait(tcp_stream *s, uint32_t ms)
{
    s->connect_ms = ms;
}

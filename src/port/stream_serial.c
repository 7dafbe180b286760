/* A serial line by POSIX termios: libserialport opens only the ports that it lists itself, so neither a link by name
 * nor a pseudo-terminal. */
#include <errno.h>
#include <stdio.h>
#include <termios.h>
#include <unistd.h>

#include "line.h"
#include "stream.h"
#include "wait.h"

enum { ADAPTER_MS = 20 }; /* it hands on what it has so often, beside the time of three characters */
enum { PATIENCE_MS = 5000 };

static void hang_up(void *ctx)
{
    serial_stream *s = ctx;
    if (s->fd >= 0)
        close(s->fd); /* the lock goes with it */
    s->fd = -1;
}

static speed_t speed_of(int speed)
{
    static const struct {
        int speed;
        speed_t code;
    } speeds[] = {{1200, B1200},   {1800, B1800},   {2400, B2400},   {4800, B4800},    {9600, B9600},
                  {19200, B19200}, {38400, B38400}, {57600, B57600}, {115200, B115200}};
    for (size_t i = 0; i < sizeof speeds / sizeof speeds[0]; i++)
        if (speeds[i].speed == speed)
            return speeds[i].code;
    return B0;
}

/* Eight bits, as they are; what has a wrong parity becomes a NUL, which is in no text. */
static bool set_up(const serial_stream *s)
{
    struct termios t;
    if (speed_of(s->speed) == B0)
        errno = EINVAL;
    if (speed_of(s->speed) == B0 || tcgetattr(s->fd, &t) != 0)
        return false;
    cfmakeraw(&t);
    t.c_cflag |= CREAD | CLOCAL;
    t.c_cflag &= ~(tcflag_t)(PARENB | PARODD | CSTOPB | CRTSCTS);
    t.c_cflag |= s->parity == 'N' ? 0 : s->parity == 'O' ? PARENB | PARODD : PARENB;
    t.c_cflag |= s->stop_bits == 2 ? CSTOPB : 0;
    t.c_iflag |= s->parity == 'N' ? 0 : INPCK;
    t.c_cc[VMIN] = 0;
    t.c_cc[VTIME] = 0;
    return cfsetispeed(&t, speed_of(s->speed)) == 0 && cfsetospeed(&t, speed_of(s->speed)) == 0 &&
           tcsetattr(s->fd, TCSANOW, &t) == 0;
}

/* What came before is thrown away. */
static bil_outcome dial(void *ctx, bil_result *result)
{
    serial_stream *s = ctx;
    hang_up(s);
    s->fd = line_take(s->path);
    bool good = s->fd >= 0 && set_up(s) && tcflush(s->fd, TCIOFLUSH) == 0;
    s->connect_errno = good ? 0 : errno;
    result->cause = good ? BIL_OK : line_cause(s->connect_errno);
    result->code = (uint32_t)s->connect_errno;
    if (!good)
        hang_up(s);
    return good ? BIL_DONE : BIL_NOT_SENT;
}

static bool send_all(void *ctx, const char *bytes, size_t count)
{
    const serial_stream *s = ctx;
    return s->fd >= 0 && wait_write(s->fd, bytes, count, PATIENCE_MS);
}

static int receive(void *ctx, char *bytes, size_t room, uint32_t within_ms)
{
    const serial_stream *s = ctx;
    return s->fd < 0 ? -1 : wait_read(s->fd, bytes, room, within_ms);
}

void serial_stream_open(serial_stream *s, const char *path, int speed, char parity, int stop_bits, bil_stream *out)
{
    static const bil_stream_ops ops = {dial, send_all, receive, hang_up};
    *s = (serial_stream){.fd = -1, .speed = speed, .stop_bits = stop_bits, .parity = parity};
    snprintf(s->path, sizeof s->path, "%s", path);
    *out = (bil_stream){&ops, s, false, (uint16_t)(ADAPTER_MS + 3 * 10 * 1000 / speed)};
}

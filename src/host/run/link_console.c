/* Devices that are asked in words, over TCP or a serial line: how their addresses are written, and which streams of the
 * port they take. */
#include <string.h>

#include "bilancia/console.h"
#include "bilancia/host_error.h"
#include "host/base/float_text.h"
#include "host/run/links.h"
#include "host/run/place.h"
#include "port/clock.h"
#include "port/stream.h"

extern const link_kind link_console_tcp, link_console_serial;

typedef struct spoken {
    bil_console_link over;
    tcp_stream tcp;
    serial_stream serial;
} spoken;

static const serial_usual usual = {9600, 'N', false};

static int parse_network(const char *text, address *out, char *why, size_t size)
{
    const char *rest;
    int error = place_host(text, NULL, out, &rest, why, size);
    return error || !*rest ? error : place_refuse(why, size, "nothing follows the port");
}

static int parse_serial(const char *text, address *out, char *why, size_t size)
{
    return place_serial(text, &usual, out, why, size);
}

static void network_text(const address *where, char *out, size_t size)
{
    place_host_text(where, NULL, out, size);
}

static void serial_text(const address *where, char *out, size_t size)
{
    place_serial_text(where, &usual, out, size);
}

static bool open_network(void *memory, const address *where, bil_link *link)
{
    spoken *s = memory;
    bil_stream stream;
    tcp_stream_open(&s->tcp, where->host, where->port, &stream);
    *link = bil_console_link_over(&s->over, stream, clock_monotonic(), &host_floats);
    return true;
}

static bool open_serial(void *memory, const address *where, bil_link *link)
{
    spoken *s = memory;
    bil_stream stream;
    serial_stream_open(&s->serial, where->path, where->speed, where->parity, where->stop_bits, &stream);
    *link = bil_console_link_over(&s->over, stream, clock_monotonic(), &host_floats);
    return true;
}

/* How long replies may take stands in the description that each transfer brings. */
static void wait_at_most(void *memory, uint32_t ms)
{
    tcp_stream_wait(&((spoken *)memory)->tcp, ms);
}

static void let_in(void *memory, bil_doorman by)
{
    ((spoken *)memory)->over.doorman = by;
}

static int why_not_connected(const void *memory)
{
    const spoken *s = memory;
    return s->over.stream.session ? s->tcp.connect_errno : s->serial.connect_errno;
}

static void end(void *memory)
{
    const spoken *s = memory;
    s->over.stream.ops->close(s->over.stream.ctx);
}

static const char *reason(uint32_t code)
{
    (void)code;
    return NULL;
}

static const char *heard(const void *memory)
{
    return ((const spoken *)memory)->over.heard;
}

const link_kind link_console_tcp = {.scheme = "console+tcp://",
                                    .way = LINK_CONSOLE,
                                    .range_from = "://",
                                    .range_after = ".:",
                                    .range_before = ":",
                                    .parse = parse_network,
                                    .text = network_text,
                                    .size = sizeof(spoken),
                                    .open = open_network,
                                    .let_in = let_in,
                                    .wait_at_most = wait_at_most,
                                    .connect_errno = why_not_connected,
                                    .end = end,
                                    .reason = reason,
                                    .heard = heard};
const link_kind link_console_serial = {.scheme = "console+serial:",
                                       .way = LINK_CONSOLE,
                                       .serial = true,
                                       .range_from = "?",
                                       .range_after = "",
                                       .range_before = "",
                                       .parse = parse_serial,
                                       .text = serial_text,
                                       .size = sizeof(spoken),
                                       .open = open_serial,
                                       .let_in = let_in,
                                       .wait_at_most = wait_at_most,
                                       .connect_errno = why_not_connected,
                                       .end = end,
                                       .reason = reason,
                                       .heard = heard};

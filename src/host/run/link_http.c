/* Devices that are asked by HTTP, with TLS or without it: how their addresses are written. */
#include <stdio.h>
#include <string.h>

#include "bilancia/host_error.h"
#include "host/base/float_text.h"
#include "host/run/links.h"
#include "host/run/place.h"
#include "port/http.h"

extern const link_kind link_http, link_https;

enum { DOCUMENT = 256 * 1024 };

typedef struct asked {
    bil_http_link over;
    http_port port;
    char room[2 * DOCUMENT];
} asked;

static int parse(const char *text, const char *usual, address *out, char *why, size_t size)
{
    const char *rest;
    int error = place_host(text, usual, out, &rest, why, size);
    if (error)
        return error;
    rest += *rest == '/';
    if (!*rest)
        return BIL_OK;
    if (strncmp(rest, "?key=", 5) != 0)
        return place_refuse(why, size, "behind the port comes nothing but /?key=, the key of the device");
    if (usual[0] == '8')
        return place_refuse(why, size, "a key is proved by https");
    if (strlen(rest + 5) != HTTP_KEY || strspn(rest + 5, "0123456789abcdef") != HTTP_KEY)
        return place_refuse(why, size, "a key is 64 digits, 0 to 9 and a to f");
    memcpy(out->key, rest + 5, HTTP_KEY + 1);
    return BIL_OK;
}

static int parse_plain(const char *text, address *out, char *why, size_t size)
{
    return parse(text, "80", out, why, size);
}

static int parse_tls(const char *text, address *out, char *why, size_t size)
{
    return parse(text, "443", out, why, size);
}

static void plain_text(const address *where, char *out, size_t size)
{
    place_host_text(where, "80", out, size);
}

static void tls_text(const address *where, char *out, size_t size)
{
    place_host_text(where, "443", out, size);
    if (where->key[0])
        snprintf(out + strlen(out), size - strlen(out), "/?key=%s", where->key);
}

static bool open_http(void *memory, const address *where, bil_link *link)
{
    asked *a = memory;
    bil_http_port port;
    http_port_open(&a->port, where->host, where->port, where->kind == &link_https, where->key, &port);
    *link = bil_http_link_over(&a->over, port, &host_floats, a->room, sizeof a->room);
    return true;
}

static void let_in(void *memory, bil_doorman by)
{
    ((asked *)memory)->over.doorman = by;
}

static void wait_at_most(void *memory, uint32_t ms)
{
    ((asked *)memory)->port.connect_ms = ms;
}

static int why_not_connected(const void *memory)
{
    return ((const asked *)memory)->port.connect_errno;
}

static void end(void *memory)
{
    asked *a = memory;
    a->over.port.ops->close(a->over.port.ctx);
}

/* Of those that devices give, RFC 9110, 15. */
static const char *reason(uint32_t code)
{
    static const struct {
        uint32_t code;
        const char *text;
    } all[] = {{400, "it doesn't understand the request"},
               {401, "it wants a login"},
               {403, "it doesn't allow that"},
               {404, "it has nothing there"},
               {405, "that can't be written"},
               {409, "not in its present state"},
               {412, "something else changed it meanwhile"},
               {413, "that is too large"},
               {415, "it takes no such document"},
               {422, "it doesn't take this value"},
               {423, "it is locked"}};
    for (size_t i = 0; i < sizeof all / sizeof all[0]; i++)
        if (all[i].code == code)
            return all[i].text;
    return NULL;
}

static const char *heard(const void *memory)
{
    const asked *a = memory;
    return a->port.shown[0] ? a->port.shown : a->over.heard;
}

#define BY_HTTP(scheme_, proves_, parse_, text_)                                                                       \
    {                                                                                                                  \
        .scheme = scheme_, .way = LINK_HTTP, .proves = proves_, .range_from = "://",                                   \
        .range_after = ".:", .range_before = ":", .parse = parse_, .text = text_, .size = sizeof(asked),               \
        .open = open_http, .let_in = let_in, .wait_at_most = wait_at_most, .connect_errno = why_not_connected,         \
        .end = end, .reason = reason, .heard = heard                                                                   \
    }
const link_kind link_http = BY_HTTP("http://", false, parse_plain, plain_text);
const link_kind link_https = BY_HTTP("https://", true, parse_tls, tls_text);

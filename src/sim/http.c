#include "http.h"

#include <stdlib.h>
#include <string.h>

#include "web.h"

enum { PATIENCE_MS = 300 };

static bil_outcome connect_http(void *ctx, bil_result *result)
{
    sim_link *link = ctx;
    link->now += 2;
    link->connected = sim_is_up(link->unit, link->now);
    if (!link->connected)
        result->cause = BIL_E_NOT_REACHABLE;
    return link->connected ? BIL_DONE : BIL_NOT_SENT;
}

static bil_outcome lost(sim_link *link, bil_result *result, bil_error cause, uint32_t after_ms)
{
    link->now += after_ms;
    link->connected = false;
    result->cause = cause;
    return BIL_UNKNOWN;
}

/* The bytes of a file that goes out; to be freed. NULL: they can't be had. */
static uint8_t *all_of(const bil_http_request *q)
{
    uint8_t *bytes = malloc((size_t)q->size + 1);
    size_t had = 0, got = 1;
    if (!bytes || !q->bytes->begin(q->bytes->ctx))
        got = 0;
    while (got && had < q->size)
        had += got = q->bytes->give(q->bytes->ctx, bytes + had, (size_t)q->size - had);
    if (got)
        return bytes;
    free(bytes);
    return NULL;
}

/* And of one that came, in several pieces. */
static bil_error hand_over(const bil_bytes *to, const uint8_t *bytes, size_t size)
{
    enum { PIECE = 100 };
    bil_error error = to->begin(to->ctx) ? BIL_OK : BIL_E_SPACE;
    for (size_t at = 0; at < size && !error; at += PIECE)
        error = to->take(to->ctx, bytes + at, size - at < PIECE ? size - at : PIECE);
    return error;
}

static bil_outcome request(void *ctx, const bil_http_request *q, bil_http_reply *reply, bil_result *result)
{
    sim_link *link = ctx;
    if (!link->connected) {
        result->cause = BIL_E_LOST;
        return BIL_NOT_SENT;
    }
    link->now += link->unit->model->reply_ms;
    if (link->swap && link->requests++ == link->swap_at) {
        link->unit = link->swap;
        if (link->swap_loses)
            return lost(link, result, BIL_E_SILENT, PATIENCE_MS);
    }
    char method[8], code[64];
    uint8_t *sends = NULL;
    size_t length = strcspn(q->method, " ");
    memcpy(method, q->method, length);
    method[length] = '\0';
    sim_web_code(link->unit, code);
    if (q->bytes && q->type && !(sends = all_of(q)))
        return lost(link, result, BIL_E_LOST, 0);
    sim_web_request asked = {.method = method,
                             .path = q->path,
                             .tag = q->tag,
                             .body = sends     ? (const char *)sends
                                     : q->type ? q->body
                                               : NULL,
                             .size = (size_t)q->size,
                             .login = !q->password                     ? SIM_NOBODY
                                      : strcmp(q->password, code) == 0 ? SIM_RIGHT
                                                                       : SIM_WRONG};
    sim_web_reply answer = sim_web_answer(link->unit, link->now, &asked);
    free(sends);
    uint32_t late = link->unit->late_ms;
    link->unit->late_ms = 0;
    size_t size = answer.size;
    bool file = q->bytes && answer.file;
    if (answer.status == 0 || late > PATIENCE_MS || (size > reply->room && !file)) {
        free(answer.body);
        return lost(link, result, size > reply->room ? BIL_E_GARBLED : BIL_E_SILENT, PATIENCE_MS);
    }
    link->now += late;
    reply->status = (uint16_t)answer.status;
    memcpy(reply->tag, answer.tag, strlen(answer.tag) + 1);
    if (answer.status == 401)
        strcpy(reply->realm, link->unit->model->web->realm);
    bil_error error = file ? hand_over(q->bytes, (const uint8_t *)answer.body, size) : BIL_OK;
    if (file) {
        free(answer.body);
        link->connected = !error; /* in the middle of it */
        result->cause = error;
        return error ? BIL_REFUSED : BIL_DONE;
    }
    memcpy(reply->body, answer.body ? answer.body : "", size);
    reply->size = size;
    free(answer.body);
    return BIL_DONE;
}

static void close_http(void *ctx)
{
    ((sim_link *)ctx)->connected = false;
}

bil_http_port sim_http_open(sim_link *link)
{
    static const bil_http_ops ops = {connect_http, request, close_http};
    return (bil_http_port){&ops, link};
}

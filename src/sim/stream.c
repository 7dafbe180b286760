#include "stream.h"

#include <string.h>

static bil_outcome connect_stream(void *ctx, bil_result *result)
{
    sim_stream *s = ctx;
    sim_link *link = s->link;
    link->now += 2;
    bool up = sim_is_up(link->unit, link->now), line = s->session.line;
    if (!up && !line) {
        result->cause = BIL_E_NOT_REACHABLE;
        return BIL_NOT_SENT;
    }
    if (!line) {
        sim_session_close(&s->session);
        sim_session_open(&s->session, link->unit, link->now, false);
    } else {
        if (s->session.unit != link->unit)
            sim_session_open(&s->session, link->unit, link->now, true);
        s->session.said_from = s->session.said_to = s->session.page_from = 0; /* what came before is thrown away */
    }
    link->connected = true;
    return BIL_DONE;
}

/* Another unit is there from this request on: behind the same connection, or that is lost with the request. */
static bool lost(sim_stream *s)
{
    sim_link *link = s->link;
    if (!link->swap || link->requests++ != link->swap_at)
        return false;
    sim_session *session = &s->session;
    bool line = session->line;
    sim_session_close(session);
    link->unit = link->swap;
    sim_session_open(session, link->unit, link->now, line);
    session->said_from = session->said_to = 0;
    session->over = link->swap_loses && !line;
    return link->swap_loses;
}

static bool send_bytes(void *ctx, const char *bytes, size_t count)
{
    sim_stream *s = ctx;
    sim_link *link = s->link;
    if (!link->connected)
        return false;
    if (s->session.unit != link->unit && !s->session.line) /* somebody put another one there meanwhile */
        sim_session_close(&s->session);
    if (count > 1 && memchr(bytes, '\r', count)) { /* an end of line by itself only wakes it */
        link->now += link->unit->model->reply_ms;
        if (lost(s))
            return true;
    }
    sim_session_hear(&s->session, link->now, bytes, count);
    return true;
}

static int receive(void *ctx, char *bytes, size_t room, uint32_t within_ms)
{
    sim_stream *s = ctx;
    sim_link *link = s->link;
    uint64_t until = link->now + within_ms;
    if (!link->connected)
        return -1;
    for (;;) {
        size_t count = sim_session_says(&s->session, link->now, bytes, room);
        if (count)
            return (int)count;
        if (sim_session_over(&s->session) && link->now >= s->session.said_at)
            return -1;
        if (link->now >= until)
            return 0;
        uint64_t next = s->session.said_at;
        link->now = next > link->now && next < until ? next : until;
    }
}

static void close_stream(void *ctx)
{
    sim_stream *s = ctx;
    s->link->connected = false;
    if (!s->session.line)
        sim_session_close(&s->session);
}

bil_stream sim_stream_open(sim_stream *stream, sim_link *link, bool line)
{
    static const bil_stream_ops ops = {connect_stream, send_bytes, receive, close_stream};
    memset(stream, 0, sizeof *stream);
    stream->link = link;
    stream->session.line = line;
    stream->session.over = true;
    if (line)
        sim_session_open(&stream->session, link->unit, 0, true);
    return (bil_stream){&ops, stream, !line, 2};
}

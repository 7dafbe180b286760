#include "console.h"

#include <stdarg.h>
#include <stdio.h>
#include <string.h>

#include "entry.h"

enum { DISCARD = 0x15, BACKSPACE = 8 };
enum { IN, USER, PASSWORD };
static const char more[] = "-- more --";

void sim_say(sim_session *s, const char *format, ...)
{
    va_list list;
    va_start(list, format);
    int count = vsnprintf(s->said + s->said_to, sizeof s->said - s->said_to, format, list);
    va_end(list);
    if (count > 0 && (size_t)count < sizeof s->said - s->said_to)
        s->said_to += (size_t)count;
}

bool sim_refused(sim_session *s, sim_reply reply)
{
    switch (reply) {
    case SIM_OK:
        return false;
    case SIM_BUSY:
        sim_say(s, "WAIT\r\n");
        break;
    case SIM_SILENT:
    case SIM_DEAD: /* the session goes with it */
        s->mute = true;
        break;
    case SIM_AT_WORK:
        sim_say(s, "OK\r\n"); /* such a unit says no more than that */
        break;
    default:
        sim_say(s, "NO %d\r\n", (int)reply);
        break;
    }
    return true;
}

static void prompt(sim_session *s)
{
    static const char *const questions[] = {[USER] = "user: ", [PASSWORD] = "password: "};
    sim_say(s, "%s", s->lets ? questions[s->lets] : s->unit->model->dialogue->prompt);
}

/* Where it tells nobody anything before a login, it says which one it is. */
static void call_itself(sim_session *s, const char *how)
{
    const sim_unit *unit = s->unit;
    char serial[64] = "";
    if (unit->guarded) {
        const sim_entry *entry = sim_find(unit, unit->model->serial);
        sim_show(unit, entry, &unit->running[entry->space][entry->address], serial, sizeof serial);
    }
    sim_say(s, "%s%s%s %s\r\n", unit->model->name, serial[0] ? " " : "", serial, how);
}

static void greet(sim_session *s, const char *how)
{
    s->lets = s->unit->guarded ? USER : IN;
    call_itself(s, how);
    prompt(s);
}

static void let_in(sim_session *s, uint64_t now)
{
    sim_unit *unit = s->unit;
    const sim_dialogue *d = unit->model->dialogue;
    char code[64];
    if (s->lets == USER) {
        s->known = strcmp(s->typed, d->user) == 0;
        s->lets = s->typed[0] ? PASSWORD : USER;
        if (!s->typed[0])
            call_itself(s, "console");
        return;
    }
    const sim_entry *entry = sim_find(unit, d->code);
    sim_show(unit, entry, &unit->running[entry->space][entry->address], code, sizeof code);
    bool right = s->known && strcmp(s->typed, code) == 0, closed = now < unit->closed_until;
    unit->wrong = right || closed ? 0 : unit->wrong + 1;
    if (unit->wrong >= d->wrong_most) {
        unit->wrong = 0;
        unit->closed_until = now + d->closed_ms;
        closed = true;
    }
    s->lets = right && !closed ? IN : USER;
    if (closed)
        sim_say(s, "closed for %u s\r\n", (unsigned)((unit->closed_until - now + 999) / 1000));
    else if (!right)
        sim_say(s, "no entry\r\n");
}

/* It was switched off or restarted since: on a line it says so once it is back, else the connection is gone. */
static bool is_there(sim_session *s, uint64_t now)
{
    bool up = sim_is_up(s->unit, now);
    if (up && s->starts == s->unit->starts)
        return true;
    s->said_from = s->said_to = s->page_from = s->typed_count = 0;
    s->over = s->over || !s->line;
    if (s->line && up) {
        s->starts = s->unit->starts;
        sim_say(s, "\r\n");
        greet(s, "ready");
    }
    return up && s->line;
}

bool sim_session_open(sim_session *s, sim_unit *unit, uint64_t now, bool line)
{
    *s = (sim_session){.unit = unit, .line = line, .starts = unit->starts, .heard_at = now};
    if (unit->talks_to && unit->talks_to != s && !line) {
        sim_say(s, "IN USE panel\r\n");
        s->over = true;
        return false;
    }
    unit->talks_to = s;
    s->lets = unit->guarded ? USER : IN;
    if (!line)
        greet(s, "console");
    return true;
}

static void leave(sim_session *s)
{
    if (s->unit->talks_to == s)
        s->unit->talks_to = NULL;
    if (s->unit->model->dialogue->left)
        s->unit->model->dialogue->left(s->unit);
}

void sim_session_close(sim_session *s)
{
    if (s->unit && s->unit->talks_to == s)
        leave(s);
    s->over = true;
}

/* What was just said is cut where a page is full. */
static void cut_pages(sim_session *s, size_t from)
{
    unsigned page = s->unit->model->dialogue->page ? s->unit->model->dialogue->page(s->unit) : 0, lines = 0;
    for (size_t i = from; page && i < s->said_to; i++)
        if (s->said[i] == '\n' && ++lines == page && i + 1 < s->said_to &&
            memchr(s->said + i + 1, '\n', s->said_to - i - 1)) {
            s->page_from = i + 1;
            return;
        }
}

static void obey(sim_session *s, uint64_t now)
{
    const sim_dialogue *d = s->unit->model->dialogue;
    size_t from = s->said_to;
    s->typed[s->typed_count] = '\0';
    s->typed_count = 0;
    s->mute = false;
    if (d->echo)
        sim_say(s, "%s\r\n", s->lets == PASSWORD ? "" : s->typed);
    s->said_at = now;
    uint32_t starts = s->unit->starts;
    if (s->lets)
        let_in(s, now);
    else if (s->too_long)
        sim_say(s, "NO 1\r\n");
    else if (s->typed[0])
        d->obey(s, s->typed);
    s->too_long = false;
    s->said_at = now + s->unit->late_ms;
    s->unit->late_ms = 0;
    if (s->mute) {
        s->said_to = from;
        return;
    }
    if (s->unit->starts != starts && !s->line) { /* the answer still goes out, and nothing else */
        s->over = true;
        s->starts = s->unit->starts;
        return;
    }
    prompt(s);
    cut_pages(s, from);
}

void sim_session_hear(sim_session *s, uint64_t now, const char *bytes, size_t count)
{
    for (size_t i = 0; i < count && !s->over && is_there(s, now); i++) {
        char c = bytes[i];
        s->heard_at = now;
        if (s->page_from) { /* any key: the line is wiped out, and the next page comes */
            char rest[SIM_SAID];
            size_t size = s->said_to - s->page_from, from = s->page_from;
            memcpy(rest, s->said + from, size);
            s->said_to = s->said_from;
            s->page_from = 0;
            s->asked = false;
            sim_say(s, "\r          \r");
            from = s->said_to;
            memcpy(s->said + from, rest, size);
            s->said_to += size;
            cut_pages(s, from);
        } else if (c == DISCARD) {
            s->typed_count = 0;
        } else if (c == BACKSPACE) {
            s->typed_count -= s->typed_count > 0;
        } else if (c == '\r') {
            obey(s, now);
        } else if (c != '\n' && s->typed_count + 1 < sizeof s->typed) {
            s->typed[s->typed_count++] = c;
        } else if (c != '\n') {
            s->too_long = true;
        }
    }
}

size_t sim_session_says(sim_session *s, uint64_t now, char *bytes, size_t room)
{
    const sim_dialogue *d = s->unit->model->dialogue;
    if (!s->over)
        is_there(s, now);
    if (!s->over && d->idle_ms && now - s->heard_at >= d->idle_ms && s->unit->talks_to == s) {
        leave(s);
        s->over = !s->line;
        s->lets = s->unit->guarded ? USER : IN;
    }
    if (now < s->said_at)
        return 0;
    size_t end = s->page_from ? s->page_from : s->said_to, count = end - s->said_from;
    count = count < room ? count : room;
    memcpy(bytes, s->said + s->said_from, count);
    s->said_from += count;
    if (s->page_from && !s->asked && s->said_from == end && count + sizeof more - 1 <= room) {
        s->asked = true;
        memcpy(bytes + count, more, sizeof more - 1);
        count += sizeof more - 1;
    }
    if (s->said_from == s->said_to)
        s->said_from = s->said_to = 0;
    return count;
}

bool sim_session_over(const sim_session *s)
{
    return s->over && s->said_from == s->said_to;
}

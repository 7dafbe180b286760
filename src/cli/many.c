#include "cli/many.h"

#include <stdlib.h>
#include <string.h>
#include <unistd.h>

#include "show/hint.h"
#include "show/need.h"

typedef struct choice {
    const many *m;
    open_site *h;
    fleet_task *tasks;
    device_row *owners; /* their rows, texts kept */
    size_t count, room;
    bool *used; /* which names were found */
} choice;

static bool wanted(choice *c, const device_row *row)
{
    const char **names = c->m->names;
    if (!names || !names[0])
        return !row->retired && card_text(row, "address")[0];
    bool found = false;
    for (size_t i = 0; names[i]; i++)
        if (strcmp(names[i], row->name) == 0 || strcmp(names[i], row->folder) == 0 ||
            strcmp(names[i], card_text(row, "group")) == 0 || strcmp(names[i], card_text(row, "address")) == 0)
            found = c->used[i] = true;
    return found && card_text(row, "address")[0];
}

static bool choose(void *ctx, const device_row *row)
{
    choice *c = ctx;
    if (!wanted(c, row))
        return true;
    if (c->count == c->room) {
        c->room = c->room ? 2 * c->room : 32;
        c->tasks = realloc(c->tasks, c->room * sizeof *c->tasks);
        c->owners = realloc(c->owners, c->room * sizeof *c->owners);
        if (!c->tasks || !c->owners)
            no_memory();
    }
    c->owners[c->count] = *row;
    json_incref(row->card);
    json_incref(row->state);
    c->count++;
    return true;
}

static void fill(choice *c)
{
    for (size_t i = 0; i < c->count; i++) {
        fleet_task *t = &c->tasks[i];
        const device_row *row = &c->owners[i];
        memset(t, 0, sizeof *t);
        t->name = row->name;
        t->folder = row->folder;
        t->address = card_text(row, "address");
        t->model = card_text(row, "description");
        t->only_changed = c->m->only_changed;
        if (row->copies == 0)
            continue;
        copy_path(&c->h->place, &row->last, t->last_path);
        snprintf(t->last_digest, sizeof t->last_digest, "%s", row->last.digest);
        snprintf(t->last_values, sizeof t->last_values, "%s", row->last.unreadable ? "" : row->last.values_digest);
        snprintf(t->last_serial, sizeof t->last_serial, "%s", row->last.serial);
        if (!t->model[0])
            t->model = row->last.model;
    }
}

/* What was seen, and what to check. */
static const char *why_of(const fleet_task *t, char *out, size_t size)
{
    char hint[200] = "";
    if (!t->opened)
        hint_for(t->address, t->error, t->connect_errno, hint, sizeof hint);
    snprintf(out, size, "%s%s%s", t->why, hint[0] ? "; " : "", hint);
    return out;
}

static void put_one(const many *m, const fleet_task *t)
{
    static const char *const marks[] = {"✓", "=", "=", "!", "✗"};
    bool well = t->end == FLEET_SAME || t->end == FLEET_UNCHANGED;
    if (m->json || (m->quiet && well && !t->unstored))
        return;
    char why[500];
    progress_clear();
    say("%s%s%s ",
        t->end == FLEET_SAVED || well ? good()
        : t->end == FLEET_PARTLY      ? warn()
                                      : bad(),
        marks[t->end], plain());
    put_cell(stdout, t->name, 22);
    putchar(' ');
    switch (t->end) {
    case FLEET_SAVED:
        say("saved, %u values: %s", t->values, t->path);
        break;
    case FLEET_PARTLY:
        say("saved, %u values, %u unreadable: %s", t->values, t->unreadable, t->path);
        break;
    case FLEET_SAME:
        say("read, the values are those of the last copy");
        break;
    case FLEET_UNCHANGED:
        say("its counter says that nothing changed");
        break;
    default:
        say("%s", why_of(t, why, sizeof why));
    }
    if (t->unstored)
        say("; %snot stored yet%s: a power cut loses values", warn(), plain());
    putchar('\n');
    fflush(stdout);
}

static void done(void *ctx, const fleet_task *t, size_t finished, size_t count)
{
    many *m = ctx;
    m->saved += t->end == FLEET_SAVED;
    m->partly += t->end == FLEET_PARTLY;
    m->same += t->end == FLEET_SAME || t->end == FLEET_UNCHANGED;
    m->failed += t->end == FLEET_FAILED;
    put_one(m, t);
    char line[80];
    snprintf(line, sizeof line, "Reading: %zu of %zu devices", finished, count);
    if (!m->json && finished < count)
        progress_line(line, 0, 0, 0);
}

void many_note_state(open_site *h, const device_row *owner, const fleet_task *t, const char *who)
{
    char why[500] = "";
    fleet_note(&h->place, owner, t, t->end == FLEET_FAILED && t->address ? why_of(t, why, sizeof why) : t->why, who);
    fleet_seen(&h->index, owner, t, who);
}

void say_moved(open_site *h, const char *folder, const char *name, const char *model, const char *serial)
{
    copy_row other;
    device_row where;
    if (!index_serial_elsewhere(&h->index, model, serial, folder, &other) ||
        !index_device(&h->index, other.device, &where))
        return;
    progress_clear();
    say("%s!%s %s: serial number %s was read as %s on %.10s: it was moved, or one of the addresses is wrong\n", warn(),
        plain(), name, serial, where.name, other.when);
    device_row_free(&where);
}

static json_t *task_json(const fleet_task *t)
{
    json_t *one = json_pack("{s:s,s:s,s:s,s:s,s:i,s:i,s:i,s:b}", "device", t->name, "address", t->address, "end",
                            fleet_end_name(t->end), "path", t->path, "values", (int)t->values, "unreadable",
                            (int)t->unreadable, "requests", (int)t->requests, "unstored", (int)t->unstored);
    if (t->error)
        json_object_set_new(one, "error", json_string(bil_host_error_name(t->error)));
    char why[500];
    if (t->why[0])
        json_object_set_new(one, "why", json_string(why_of(t, why, sizeof why)));
    return one;
}

static int code_of(const many *m, const choice *c)
{
    bool reached = false;
    for (size_t i = 0; i < c->count; i++) {
        if (exit_code_of(c->tasks[i].error) == EXIT_FILE)
            return EXIT_FILE;
        reached = reached || exit_code_of(c->tasks[i].error) != EXIT_NOT_REACHABLE;
    }
    return m->failed == 0 && m->partly == 0 ? EXIT_DONE : reached ? EXIT_INCOMPLETE : EXIT_NOT_REACHABLE;
}

static void put_total(const many *m, const choice *c)
{
    if (m->quiet && !m->failed && !m->saved && !m->partly)
        return;
    progress_clear();
    say("%zu device%s: %u saved, %u as before, %u with unreadable values, %u failed\n", c->count,
        c->count == 1 ? "" : "s", m->saved, m->same, m->partly, m->failed);
}

int many_read(open_site *h, many *m)
{
    size_t names = 0;
    while (m->names && m->names[names])
        names++;
    choice c = {.m = m, .h = h, .used = need(names + 1, sizeof *c.used)};
    index_devices(&h->index, choose, &c);
    int code = -1;
    for (size_t i = 0; i < names && code < 0; i++)
        if (!c.used[i])
            code = say_error(m->names[i], BIL_E_NO_DEVICE, NULL);
    if (code < 0 && c.count == 0)
        code =
            say_error(h->place.path, BIL_E_NO_DEVICE, "there is no device to read: bilancia device add NAME ADDRESS");
    if (code < 0) {
        c.tasks = realloc(c.tasks, c.count * sizeof *c.tasks);
        fill(&c);
        m->saved = m->same = m->partly = m->failed = 0;
        fleet_orders orders = {.site = &h->place,
                               .models = m->known,
                               .who = m->who,
                               .why = m->why,
                               .at_once = m->at_once,
                               .stop = m->stop,
                               .done = done,
                               .ctx = m};
        fleet_read(&orders, c.tasks, c.count);
        json_t *list = json_array();
        for (size_t i = 0; i < c.count; i++) {
            fleet_task *t = &c.tasks[i];
            many_note_state(h, &c.owners[i], t, m->who);
            if (t->origin && !m->json)
                say_moved(h, t->folder, t->name, t->origin->model, t->origin->serial);
            if (m->json)
                json_array_append_new(list, task_json(t));
        }
        code = code_of(m, &c);
        if (m->json)
            say_json(json_pack("{s:s,s:i,s:i,s:i,s:i,s:O}", "site", h->place.path, "saved", (int)m->saved, "same",
                               (int)m->same, "partly", (int)m->partly, "failed", (int)m->failed, "devices", list));
        else
            put_total(m, &c);
        json_decref(list);
    }
    for (size_t i = 0; i < c.count; i++) {
        if (c.tasks && code >= 0)
            fleet_task_free(&c.tasks[i]);
        device_row_free(&c.owners[i]);
    }
    free(c.used);
    free(c.tasks);
    free(c.owners);
    return code;
}

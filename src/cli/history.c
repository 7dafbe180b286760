/* bilancia history: the copies of a device, the newest first. */
#include <stdlib.h>
#include <string.h>

#include "cli/site_cli.h"

enum { USUAL = 20 };

typedef struct story {
    open_site *h;
    const device_row *owner;
    copy_row baseline, newer;
    bool has_baseline, has_newer, json;
    json_t *list;
    int shown;
} story;

typedef struct marks {
    bool proved, is_signed, taken_in, sent;
    json_t *notes, *names;
    copy_state state;
    bool has_before, is_baseline, other_unit;
    int from_before, from_baseline; /* values that differ; -1: not known */
} marks;

static bool collect(void *ctx, const char *id, const json_t *note)
{
    (void)id;
    marks *m = ctx;
    const char *kind = json_string_value(json_object_get(note, "kind"));
    if (!kind)
        return true;
    m->proved = m->proved || strcmp(kind, "proved") == 0;
    m->is_signed = m->is_signed || strcmp(kind, "signature") == 0;
    m->taken_in = m->taken_in || strcmp(kind, "taken_in") == 0;
    m->sent = m->sent || strcmp(kind, "sent") == 0;
    const char *name = json_string_value(json_object_get(note, "name"));
    if (strcmp(kind, "named") == 0 && name)
        json_array_append_new(m->names, json_string(name));
    if (strcmp(kind, "note") == 0)
        json_array_append_new(m->notes, json_pack("{s:O,s:O,s:O}", "when", json_object_get(note, "when"), "who",
                                                  json_object_get(note, "who"), "text", json_object_get(note, "text")));
    return true;
}

static void drift_text(int drift, char *out, size_t size)
{
    if (drift < 0)
        snprintf(out, size, "?");
    else if (drift == 0)
        snprintf(out, size, "=");
    else
        snprintf(out, size, "≠ %d", drift);
}

static json_t *drift_json(bool known, int drift)
{
    return known && drift >= 0 ? json_integer(drift) : json_null();
}

/* Names that it still goes by: each may have gone over to another copy. */
static void keep_own_names(const story *s, const copy_row *row, json_t *names)
{
    copy_row now;
    for (size_t i = json_array_size(names); i-- > 0;)
        if (index_copy(&s->h->index, s->owner, json_string_value(json_array_get(names, i)), &now) != BIL_OK ||
            strcmp(now.digest, row->digest) != 0)
            json_array_remove(names, i);
}

static void put_row_json(story *s, const copy_row *row, const marks *m)
{
    char path[STORAGE_PATH];
    copy_path(&s->h->place, row, path);
    static const char *const states[] = {"unseen", "whole", "damaged"};
    json_array_append_new(
        s->list, json_pack("{s:i,s:s,s:s,s:s,s:s,s:s,s:s,s:s,s:s,s:i,s:i,s:o,s:o,s:b,s:b,s:b,s:b,s:b,s:b,s:b,s:O,s:O}",
                           "place", row->place, "path", path, "digest", row->digest, "when", row->when, "who", row->who,
                           "why", row->why, "serial", row->serial, "firmware", row->firmware, "state", states[m->state],
                           "values", row->values, "unreadable", row->unreadable, "differs_from_before",
                           drift_json(m->has_before, m->from_before), "differs_from_baseline",
                           drift_json(s->has_baseline, m->from_baseline), "first", (int)(row->place == 1), "baseline",
                           (int)m->is_baseline, "proved", (int)m->proved, "signed", (int)m->is_signed, "taken_in",
                           (int)m->taken_in, "offline", (int)(strcmp(row->from, SET_OFFLINE) == 0), "sent",
                           (int)m->sent, "notes", m->notes, "names", m->names));
}

static void put_row_text(const story *s, const copy_row *row, const marks *m)
{
    char a[24] = "", b[24] = "", place[16];
    if (m->has_before)
        drift_text(m->from_before, a, sizeof a);
    if (s->has_baseline)
        drift_text(m->from_baseline, b, sizeof b);
    snprintf(place, sizeof place, "%d", row->place);
    say("%s%s%s%5s  ",
        m->is_baseline             ? good()
        : m->state == COPY_DAMAGED ? bad()
                                   : "",
        m->is_baseline             ? "★"
        : m->state == COPY_DAMAGED ? "✗"
                                   : " ",
        plain(), place);
    char when[20];
    snprintf(when, sizeof when, "%.10s %.5s", row->when, strlen(row->when) > 16 ? row->when + 11 : "");
    put_cell(stdout, when, 17);
    put_cell(stdout, row->who, 10);
    putchar(' ');
    put_cell(stdout, row->firmware, 8);
    putchar(' ');
    put_cell(stdout, a, 11);
    put_cell(stdout, b, 9);
    if (m->state == COPY_DAMAGED)
        say("%sdamaged: cut or altered%s · ", bad(), plain());
    if (row->place == 1)
        say("first · ");
    size_t i;
    json_t *note;
    json_array_foreach(m->names, i, note) say("%s#%s%s · ", bold(), json_string_value(note), plain());
    if (m->proved)
        say("proved · ");
    if (m->is_signed)
        say("signed · ");
    if (m->taken_in)
        say("taken in · ");
    if (strcmp(row->from, SET_OFFLINE) == 0)
        say("made offline · %s%s%s · ", m->sent ? "" : warn(), m->sent ? "sent" : "not sent", m->sent ? "" : plain());
    if (m->other_unit)
        say("%sother unit: %s%s · ", warn(), row->serial, plain());
    if (row->unreadable)
        say("%s%d unreadable%s · ", warn(), row->unreadable, plain());
    say("%s\n", row->why);
    json_array_foreach(m->notes, i, note)
        say("%25s└ %s %.10s: %s\n", "", json_string_value(json_object_get(note, "who")),
            json_string_value(json_object_get(note, "when")), json_string_value(json_object_get(note, "text")));
}

/* A row needs the copy before it: it is given one call later. */
static void put_row(story *s, copy_row *row, const copy_row *before)
{
    marks m = {.notes = json_array(), .names = json_array(), .has_before = before != NULL};
    m.state = index_verify(&s->h->index, row);
    index_notes(&s->h->index, s->owner->folder, NULL, row->digest[0] ? row->digest : "none", collect, &m);
    keep_own_names(s, row, m.names);
    m.from_before = before ? index_drift(&s->h->index, before, row) : -1;
    m.from_baseline = s->has_baseline ? index_drift(&s->h->index, &s->baseline, row) : -1;
    m.is_baseline = s->has_baseline && strcmp(s->baseline.digest, row->digest) == 0;
    m.other_unit = before && strcmp(before->serial, row->serial) != 0;
    if (s->json)
        put_row_json(s, row, &m);
    else
        put_row_text(s, row, &m);
    json_decref(m.notes);
    json_decref(m.names);
    s->shown++;
}

static bool each(void *ctx, const copy_row *row)
{
    story *s = ctx;
    if (s->has_newer)
        put_row(s, &s->newer, row);
    s->newer = *row;
    s->has_newer = true;
    return true;
}

static bool put_device_note(void *ctx, const char *id, const json_t *note)
{
    (void)ctx;
    (void)id;
    if (!json_object_get(note, "about"))
        say("  %.10s %s: %s\n", json_string_value(json_object_get(note, "when")),
            json_string_value(json_object_get(note, "who")), json_string_value(json_object_get(note, "text")));
    return true;
}

static void put_head(const device_row *row, bool baseline)
{
    say("%s%s%s  %s%s\n", bold(), row->name, plain(), card_text(row, "address"),
        row->retired ? ", out of service" : "");
    if (row->copies == 0) {
        say("No copy yet. Make one: bilancia read %s\n", row->name);
        return;
    }
    say("     #  when (UTC)       by         firmware vs before  %s\n", baseline ? "vs ★" : "");
}

static int run(const command *self, int argc, const char **argv)
{
    char *given = NULL;
    int json = 0, all = 0;
    struct poptOption options[] = {{"all", 'a', POPT_ARG_NONE, &all, 0, "all copies, not the newest 20 alone", NULL},
                                   SITE_OPTION(given),
                                   JSON_OPTION(json),
                                   HELP_OPTION,
                                   POPT_TABLEEND};
    call c;
    int code = call_begin(&c, self, argc, argv, options, 1, 1);
    if (code >= 0)
        return code;
    open_site h;
    device_row row;
    int error = enter_site(&h, given);
    if (error)
        return call_end(&c, exit_code_of(error));
    error = find_device(&h, c.arguments[0], &row);
    if (!error) {
        story s = {.h = &h, .owner = &row, .json = json, .list = json_array()};
        s.has_baseline = index_copy(&h.index, &row, "baseline", &s.baseline) == BIL_OK;
        if (!json)
            put_head(&row, s.has_baseline);
        index_copies(&h.index, row.folder, all ? 0 : USUAL + 1, each, &s); /* one more: what the last is compared to */
        if (s.has_newer && (all || s.shown < USUAL))
            put_row(&s, &s.newer, NULL);
        if (json) {
            say_json(json_pack("{s:s,s:s,s:i,s:s,s:b,s:O}", "device", row.name, "address", card_text(&row, "address"),
                               "copies", row.copies, "baseline", row.baseline, "baseline_disputed",
                               (int)row.baseline_disputed, "history", s.list));
        } else {
            if (row.copies > s.shown)
                say("%d older ones: --all\n", row.copies - s.shown);
            if (row.baseline_disputed)
                say("%s!%s two baselines were marked that don't know of each other; mark one again to decide\n", warn(),
                    plain());
            index_notes(&h.index, row.folder, "note", NULL, put_device_note, NULL);
        }
        json_decref(s.list);
        device_row_free(&row);
    }
    leave_site(&h);
    return call_end(&c, exit_code_of(error));
}

const command command_history = {
    "history",
    "[options] DEVICE",
    "the copies of a device: when, who, why, how they differ",
    "  bilancia history kneader-2\n"
    "★ is the baseline. A copy is named DEVICE#12, DEVICE#last, DEVICE#first, DEVICE#baseline.\n",
    run,
    430};

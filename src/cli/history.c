/* bilancia history: the copies of a device and the jobs that wrote to it, the newest first. */
#include <jansson.h>
#include <string.h>

#include "bilancia/words.h"
#include "cli/library.h"
#include "cli/standing.h"
#include "show/grid.h"

enum { USUAL = 20 };

/* Which columns there is room for; what else there is to say stands behind them, or below. */
enum { NARROW = 80 };
enum { NUMBER, WHEN, BEFORE, BASELINE, BY, FIRMWARE, COPY_COLUMNS };
enum { JOB_WHEN, KIND, WRITTEN, JOB_BY, JOB_COLUMNS };

typedef struct telling {
    grid grid;
    bool json;
    json_t *list;
    int shown;
} telling;

/* ---- copies ---- */

static void drift_text(bool known, int drift, char *out, size_t size)
{
    if (!known)
        out[0] = '\0';
    else if (drift < 0)
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

static void add_copy_json(json_t *list, const bil_site_past *p)
{
    const bil_site_copy *c = p->copy;
    json_t *notes = json_array(), *names = json_array();
    for (size_t i = 0; i < p->note_count; i++)
        json_array_append_new(notes, json_pack("{s:s,s:s,s:s}", "when", p->notes[i].when, "who", p->notes[i].who,
                                               "text", p->notes[i].text));
    for (size_t i = 0; i < p->name_count; i++)
        json_array_append_new(names, json_string(p->names[i]));
    json_array_append_new(
        list, json_pack("{s:i,s:s,s:s,s:s,s:s,s:s,s:s,s:s,s:s,s:i,s:i,s:o,s:o,s:b,s:b,s:b,s:b,s:b,s:b,s:b,s:o,s:o,s:i}",
                        "place", c->place, "path", c->path, "digest", c->digest, "when", c->when, "who", c->who, "why",
                        c->why, "serial", c->serial, "firmware", c->firmware, "state",
                        c->damaged ? "damaged"
                        : c->whole ? "whole"
                                   : "unseen",
                        "values", c->values, "unreadable", c->unreadable, "differs_from_before",
                        drift_json(p->has_before, p->from_before), "differs_from_baseline",
                        drift_json(p->has_baseline, p->from_baseline), "first", (int)(c->place == 1), "baseline",
                        (int)p->baseline, "proved", (int)p->proved, "signed", (int)p->is_signed, "taken_in",
                        (int)p->taken_in, "offline", (int)p->offline, "sent", (int)p->sent, "notes", notes, "names",
                        names, "number", (int)c->number));
}

static bool is_narrow(void)
{
    screen l = the_screen();
    return !screen_takes(&l, NARROW);
}

static const char *when_text(const char *when, char out[20])
{
    snprintf(out, 20, "%.10s %.5s", when, strlen(when) > 16 ? when + 11 : "");
    return out;
}

static void put_mark(FILE *out, const char **between, const char *code, const char *text)
{
    tell(out, "%s%s%s%s", *between, code, text, *code ? plain() : "");
    *between = " · ";
}

/* What is known of a copy beside its columns. */
static void put_marks(FILE *out, const bil_site_past *p)
{
    const bil_site_copy *c = p->copy;
    const char *between = "";
    char text[400];
    if (c->damaged)
        put_mark(out, &between, bad(), "damaged: cut or altered");
    if (c->place == 1)
        put_mark(out, &between, "", "first");
    for (size_t i = 0; i < p->name_count; i++) {
        snprintf(text, sizeof text, "#%s", p->names[i]);
        put_mark(out, &between, bold(), text);
    }
    if (p->proved)
        put_mark(out, &between, "", "proved");
    if (p->is_signed)
        put_mark(out, &between, "", "signed");
    if (p->taken_in)
        put_mark(out, &between, "", "taken in");
    if (p->offline) {
        put_mark(out, &between, "", "made offline");
        put_mark(out, &between, p->sent ? "" : warn(), p->sent ? "sent" : "not sent");
    }
    snprintf(text, sizeof text, "other unit: %s", c->serial);
    if (p->other_unit)
        put_mark(out, &between, warn(), text);
    snprintf(text, sizeof text, "%d unreadable", c->unreadable);
    if (c->unreadable)
        put_mark(out, &between, warn(), text);
    if (c->why[0])
        put_mark(out, &between, "", c->why);
    tell(out, "\n");
}

static void put_copy(grid *g, const bil_site_past *p)
{
    const bil_site_copy *c = p->copy;
    char before[24], baseline[24], word[CALLED], when[20];
    drift_text(p->has_before, p->from_before, before, sizeof before);
    drift_text(p->has_baseline, p->from_baseline, baseline, sizeof baseline);
    grid_row(g, p->baseline ? "★" : c->damaged ? "✗" : " ", p->baseline ? good() : c->damaged ? bad() : "");
    grid_cells(g,
               (const char *const[]){called(c, word), when_text(c->when, when), before, baseline, c->who, c->firmware});
    if (is_narrow())
        tell(g->out, "\n      ");
    put_marks(g->out, p);
    for (size_t i = 0; i < p->note_count; i++)
        tell(g->out, "      └ %s %.10s: %s\n", p->notes[i].who, p->notes[i].when, p->notes[i].text);
}

static bool each_copy(void *ctx, const bil_site_past *p)
{
    telling *t = ctx;
    t->shown++;
    if (t->json)
        add_copy_json(t->list, p);
    else if (t->grid.out)
        put_copy(&t->grid, p);
    return true;
}

/* ---- jobs ---- */

static void add_job_json(json_t *list, const bil_site_job *j)
{
    json_array_append_new(
        list, json_pack("{s:s,s:s,s:s,s:s,s:s,s:s,s:s,s:s,s:s,s:i,s:i,s:b,s:b,s:b,s:b,s:b,s:i,s:i}", "kind", j->kind,
                        "when", j->when, "who", j->who, "why", j->why, "serial", j->serial, "copy", j->copy, "groups",
                        j->groups, "verdict", j->verdict[0] ? j->verdict : "broken_off", "record", j->record, "planned",
                        (int)j->planned, "written", (int)j->written, "held", (int)j->held, "unfinished",
                        (int)j->unfinished, "on_trial", (int)j->on_trial, "undone", (int)j->undone, "foreign",
                        (int)j->foreign, "tests_failed", (int)j->tests_failed, "tests_open", (int)j->tests_open));
}

static void put_job(grid *g, const bil_site_job *j)
{
    bool over = j->verdict[0] != '\0';
    char values[40], when[20];
    FILE *out = g->out;
    snprintf(values, sizeof values, "%u value%s", over ? j->written : j->planned,
             (over ? j->written : j->planned) == 1 ? "" : "s");
    const char *verdict = "broken off";
    for (int i = 0; over && i < BIL_VERDICT_COUNT; i++)
        if (strcmp(j->verdict, bil_verdict_name((bil_verdict)i)) == 0)
            verdict = bil_verdict_text((bil_verdict)i);
    grid_row(g, " ", "");
    grid_cells(g, (const char *const[]){when_text(j->when, when), j->kind, values, j->who});
    if (is_narrow())
        tell(out, "\n      ");
    tell(out, "%s%s%s", j->held || j->unfinished ? bad() : j->on_trial ? warn() : "", verdict, plain());
    if (j->held)
        tell(out, " · %sstill held%s", bad(), plain());
    if (j->unfinished)
        tell(out, " · %snot finished%s", bad(), plain());
    if (j->undone)
        tell(out, " · undone");
    if (j->tests_failed)
        tell(out, " · %s%u failed%s", bad(), j->tests_failed, plain());
    if (j->tests_open)
        tell(out, " · %s%u not tried%s", warn(), j->tests_open, plain());
    if (j->foreign)
        tell(out, " · of another computer");
    tell(out, "%s%s\n", j->why[0] ? " · " : "", j->why);
}

static bool each_job(void *ctx, const bil_site_job *j)
{
    telling *t = ctx;
    t->shown++;
    if (t->json)
        add_job_json(t->list, j);
    else if (t->grid.out)
        put_job(&t->grid, j);
    return true;
}

/* ---- notes on the device ---- */

static bool put_device_note(void *ctx, const char *kind, const char *text)
{
    json_t *note = json_loads(text, 0, NULL);
    (void)ctx;
    (void)kind;
    if (note && !json_object_get(note, "about"))
        say("  %.10s %s: %s\n", json_string_value(json_object_get(note, "when")),
            json_string_value(json_object_get(note, "who")), json_string_value(json_object_get(note, "text")));
    json_decref(note);
    return true;
}

/* ---- all of it ---- */

/* What of it somebody wants. */
typedef struct wanted {
    int json, all, jobs;
} wanted;

static int put_copies(library *l, const wanted *w, const char *name, bool baseline, int count)
{
    telling t = {0};
    char word[4 * DEVICE_NAME + 3];
    grid_begin(&t.grid, is_narrow() ? BY : COPY_COLUMNS, NULL);
    grid_heading(&t.grid,
                 (const char *const[]){"#", "when (UTC)", "vs before", baseline ? "vs ★" : "", "by", "firmware"}, "");
    int error = bil_site_history(l->site, name, w->all ? 0 : USUAL, each_copy, &t);
    if (!grid_end(&t.grid, stdout, 0) && !error)
        return say_error("temporary file", BIL_E_FILE_WRITE, NULL);
    if (!error && count > t.shown)
        say("%d older ones: bilancia history %s --all%s\n", count - t.shown, pasted(name, word, sizeof word),
            next_site());
    return library_code(l, error);
}

static int put_jobs(library *l, const wanted *w, const char *name)
{
    telling t = {0};
    grid_begin(&t.grid, is_narrow() ? JOB_BY : JOB_COLUMNS, NULL);
    grid_heading(&t.grid, (const char *const[]){"jobs (UTC)", "kind", "written", "by"}, is_narrow() ? "" : "result");
    int error = bil_site_jobs(l->site, name, w->all ? 0 : USUAL, each_job, &t);
    if (!grid_end(&t.grid, stdout, 0) && !error)
        return say_error("temporary file", BIL_E_FILE_WRITE, NULL);
    if (!error && w->jobs && t.shown == 0)
        say("Nothing was written to it yet.\n");
    return library_code(l, error);
}

static int put_text(library *l, const wanted *w, const bil_site_standing *one)
{
    const bil_site_device *d = one->device;
    char name[DEVICE_NAME];
    int count = d->copies, code = EXIT_DONE;
    bool baseline = d->baseline[0];
    snprintf(name, sizeof name, "%s", d->name);
    say("%s%s%s  %s%s\n", bold(), d->name, plain(), d->address, d->retired ? ", out of service" : "");
    put_standing(one);
    if (!w->jobs && count)
        code = put_copies(l, w, name, baseline, count);
    if (code == EXIT_DONE)
        code = library_code(l, bil_site_notes(l->site, name, "note", put_device_note, NULL));
    return code == EXIT_DONE ? put_jobs(l, w, name) : code;
}

static int put_json(library *l, const wanted *w, const bil_site_standing *one)
{
    const bil_site_device *d = one->device;
    telling copies = {.json = true, .list = json_array()}, jobs = {.json = true, .list = json_array()};
    json_t *head = json_pack("{s:s,s:s,s:i,s:s,s:b}", "device", d->name, "address", d->address, "copies", d->copies,
                             "baseline", d->baseline, "baseline_disputed", (int)d->baseline_disputed);
    char name[DEVICE_NAME];
    snprintf(name, sizeof name, "%s", d->name);
    json_object_update_new(head, standing_json(one));
    int error = w->jobs ? BIL_OK : bil_site_history(l->site, name, w->all ? 0 : USUAL, each_copy, &copies);
    if (!error)
        error = bil_site_jobs(l->site, name, w->all ? 0 : USUAL, each_job, &jobs);
    if (!w->jobs)
        json_object_set(head, "history", copies.list);
    json_object_set(head, "jobs", jobs.list);
    json_decref(copies.list);
    json_decref(jobs.list);
    if (error)
        json_decref(head);
    else
        say_json(head);
    return library_code(l, error);
}

static int run(const command *self, int argc, const char **argv)
{
    library l = {0};
    wanted w = {0};
    const bil_site_standing *one;
    struct poptOption options[] = {{"all", 'a', POPT_ARG_NONE, &w.all, 0, "all of them, not the newest 20 alone", NULL},
                                   {"jobs", 0, POPT_ARG_NONE, &w.jobs, 0, "the jobs alone, without the copies", NULL},
                                   SITE_OPTION(l.given),
                                   JSON_OPTION(w.json),
                                   HELP_OPTION,
                                   POPT_TABLEEND};
    int code = library_begin(&l, self, argc, argv, options, 1, 1, true);
    if (code >= 0)
        return code;
    int error = bil_site_standing_of(l.site, l.c.arguments[0], &one);
    code = error ? library_failed(&l, error) : w.json ? put_json(&l, &w, one) : put_text(&l, &w, one);
    return library_end(&l, code);
}

const command command_history = {
    "history",
    "[options] DEVICE",
    "the copies of a device and what was written to it: when, who, why, how they differ",
    "  bilancia history kneader-2\n"
    "★ is the baseline. A copy is named DEVICE#12, DEVICE#last, DEVICE#first, DEVICE#baseline.\n",
    run,
    430};

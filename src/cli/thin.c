/* bilancia thin: deletes old copies by a rule, after showing which. */
#include <stdlib.h>
#include <string.h>
#include <time.h>

#include "cli/site_cli.h"
#include "host/base/arena.h"

typedef struct rule {
    int days, weeks, months; /* all copies of the newest days; then one a week; then one a month; then none */
} rule;

typedef struct pile {
    here *h;
    copy_row *rows;
    size_t count, room;
} pile;

static bool heap_up(void *ctx, const copy_row *row)
{
    pile *p = ctx;
    if (p->count == p->room) {
        p->room = p->room ? 2 * p->room : 64;
        p->rows = realloc(p->rows, p->room * sizeof *p->rows);
        if (!p->rows)
            no_memory();
    }
    p->rows[p->count++] = *row;
    return true;
}

/* Days before now, -1 when the time makes no sense. */
static long age_in_days(const char *when, time_t now)
{
    struct tm then = {0};
    return strptime(when, "%Y-%m-%dT%H:%M:%SZ", &then) ? (long)(difftime(now, timegm(&then)) / 86400) : -1;
}

static bool any(void *ctx, const char *id, const json_t *found)
{
    (void)id;
    (void)found;
    *(bool *)ctx = true;
    return false;
}

/* Copies that somebody cared about stay, whatever their age. */
static const char *kept_because(here *h, const device_row *owner, const copy_row *row)
{
    bool noted = false;
    if (row->place == 1)
        return "the first one";
    if (row->place == owner->copies)
        return "the newest one";
    if (strcmp(row->digest, owner->baseline) == 0)
        return "the baseline";
    index_notes(&h->index, owner->folder, NULL, row->digest, any, &noted);
    return noted ? "somebody noted something on it" : NULL;
}

/* From the newest on: is this one too many in its day, week or month? */
static bool too_many(const rule *r, long age, long *last_week, long *last_month)
{
    if (age < r->days)
        return false;
    if (age < r->days + 7L * r->weeks) {
        long week = age / 7;
        bool again = week == *last_week;
        *last_week = week;
        return again;
    }
    if (age < r->days + 7L * r->weeks + 30L * r->months) {
        long month = age / 30;
        bool again = month == *last_month;
        *last_month = month;
        return again;
    }
    return true;
}

typedef struct thinning {
    here *h;
    rule r;
    const char *only, *who;
    bool yes;
    unsigned gone, stay;
    int error;
} thinning;

static bool thin_device(void *ctx, const device_row *row)
{
    thinning *t = ctx;
    if (t->only && strcmp(row->name, t->only) != 0 && strcmp(card_text(row, "group"), t->only) != 0)
        return true;
    pile p = {.h = t->h};
    index_copies(&t->h->index, row->folder, 0, heap_up, &p);
    time_t now = time(NULL);
    long week = -1, month = -1;
    for (size_t i = 0; i < p.count && !t->error; i++) {
        long age = age_in_days(p.rows[i].when, now);
        bool old = age >= 0 && too_many(&t->r, age, &week, &month);
        if (!old || kept_because(t->h, row, &p.rows[i])) {
            t->stay++;
            continue;
        }
        t->gone++;
        say("  %s %s#%d  %s  %s\n", t->yes ? "deleted" : "would go:", row->name, p.rows[i].place, p.rows[i].when,
            p.rows[i].why);
        if (t->yes)
            t->error = delete_copy(t->h, row, &p.rows[i], "thinned out", t->who);
    }
    free(p.rows);
    return !t->error;
}

static int run(const command *self, int argc, const char **argv)
{
    char *given = NULL, *who = NULL;
    rule r = {30, 26, 60};
    int yes = 0;
    struct poptOption options[] = {
        {"days", 0, POPT_ARG_INT, &r.days, 0, "all copies of so many days stay (30)", "N"},
        {"weeks", 0, POPT_ARG_INT, &r.weeks, 0, "of so many weeks before, the newest of each (26)", "N"},
        {"months", 0, POPT_ARG_INT, &r.months, 0, "of so many months before, the newest of each (60)", "N"},
        {"yes", 'y', POPT_ARG_NONE, &yes, 0, "delete them; without it they are only shown", NULL},
        WHO_OPTION(who),
        SITE_OPTION(given),
        HELP_OPTION,
        POPT_TABLEEND};
    call c;
    int code = call_begin(&c, self, argc, argv, options, 0, 1);
    if (code >= 0)
        return code;
    if (r.days < 1 || r.weeks < 0 || r.months < 0 || r.days > 36500 || r.weeks > 5200 || r.months > 1200)
        return call_end(&c, say_error("", BIL_E_CALL, "at least one day, and not more than a hundred years"));
    if (!note_is_good(who))
        return call_end(&c, say_error("--who", BIL_E_CALL, NOTE_WANTED));
    here h;
    int error = here_open(&h, given);
    if (error)
        return call_end(&c, exit_code_of(error));
    thinning t = {.h = &h, .r = r, .only = c.count ? c.arguments[0] : NULL, .who = who, .yes = yes};
    index_devices(&h.index, thin_device, &t);
    here_close(&h);
    if (t.error)
        return call_end(&c, say_error(h.place.path, t.error, NULL));
    say("%u %s, %u stay (the first, the newest, baselines, and what somebody noted something on always do)\n", t.gone,
        yes ? "deleted" : "would go", t.stay);
    if (!yes && t.gone)
        say("To delete them: the same with --yes\n");
    return call_end(&c, EXIT_DONE);
}

const command command_thin = {"thin",
                              "[options] [DEVICE or GROUP]",
                              "deletes old copies by a rule, after showing which",
                              "  bilancia thin --days 30 --weeks 26 --months 60\n"
                              "  bilancia thin --yes\n",
                              run,
                              230};

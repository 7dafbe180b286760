#include "host/site/keeping.h"

#include <stdlib.h>
#include <string.h>

#include "host/base/json.h"
#include "host/site/index_inside.h"
#include "port/memory.h"

static bool any(void *ctx, const char *id, const json_t *found)
{
    (void)id;
    (void)found;
    *(bool *)ctx = true;
    return false;
}

/* The first one, the baseline and proved ones are kept for good. By a rule, copies that somebody cared about stay, too,
 * whatever their age, and the newest. */
static bool is_kept(site_index *x, const device_row *owner, const copy_row *copy, bool by_rule)
{
    bool found =
        copy->place == 1 || strcmp(owner->baseline, copy->digest) == 0 || (by_rule && copy->place == owner->copies);
    if (!found)
        index_notes(x, owner->folder, by_rule ? NULL : "proved", copy->digest, any, &found);
    return found;
}

int keeping_delete(site_index *x, const device_row *owner, const copy_row *copy, const char *why, const char *who)
{
    if (is_kept(x, owner, copy, false))
        return BIL_E_KEPT;
    char path[STORAGE_PATH];
    copy_path(x->site, copy, path);
    /* first the note: what is broken off here is deleted all the same, and other places of the site learn of it */
    int error =
        note_add(x->site, owner->folder, "deleted", who,
                 jn_pack("{s:s,s:s,s:s}", "about", copy->digest, "text", why ? why : "", "file", copy->file), NULL);
    return error ? error : storage_remove(path);
}

/* ---- thinning ---- */

typedef struct pile {
    copy_row *rows;
    size_t count, room;
} pile;

static bool heap_up(void *ctx, const copy_row *row)
{
    pile *p = ctx;
    if (p->count == p->room) {
        copy_row *more = mem_more(p->rows, (p->room ? 2 * p->room : 64) * sizeof *more);
        if (!more)
            return false;
        p->room = p->room ? 2 * p->room : 64;
        p->rows = more;
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

/* From the newest on: is this one too many in its day, week or month? */
static bool too_many(const keeping_rule *r, long age, long *last_week, long *last_month)
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
    site_index *x;
    keeping *wish;
    int error;
} thinning;

static bool thin_device(void *ctx, const device_row *row)
{
    thinning *t = ctx;
    keeping *k = t->wish;
    if (k->only && strcmp(row->name, k->only) != 0 && strcmp(index_word(row->card, "group"), k->only) != 0)
        return true;
    pile p = {0};
    index_copies(t->x, row->folder, 0, heap_up, &p);
    if (mem_is_short())
        t->error = BIL_E_MEMORY;
    long week = -1, month = -1;
    for (size_t i = 0; i < p.count && !t->error; i++) {
        long age = age_in_days(p.rows[i].when, k->now);
        bool old = age >= 0 && too_many(&k->rule, age, &week, &month);
        if (!old || is_kept(t->x, row, &p.rows[i], true)) {
            k->stay++;
            continue;
        }
        k->gone++;
        k->each(k->ctx, row, &p.rows[i]);
        if (k->deletes)
            t->error = keeping_delete(t->x, row, &p.rows[i], "thinned out", k->who);
    }
    mem_free(p.rows);
    return !t->error;
}

int keeping_thin(site_index *x, keeping *wish)
{
    thinning t = {x, wish, BIL_OK};
    index_devices(x, thin_device, &t);
    return t.error;
}

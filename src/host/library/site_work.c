/* Sites: what is done with them. */
#include <errno.h>
#include <string.h>

#include "host/base/person.h"
#include "host/library/site.h"
#include "host/site/check.h"
#include "host/site/fleet.h"
#include "host/site/keeping.h"
#include "host/site/marks.h"
#include "host/site/pass.h"
#include "host/site/share.h"
#include "host/site/signing.h"
#include "host/site/standing.h"

/* What was noted is known at once. */
static int done(bil_site *s, int error, const char *what, const char *why)
{
    if (error)
        trouble_of(&s->part.host->trouble, error, what, why);
    else if (!index_sync(&s->open.index))
        error = trouble_of(&s->part.host->trouble, BIL_E_SITE_BROKEN, s->open.place.path,
                           "it was done, and what the site has now can't be read");
    return lib_site_ended(s, error);
}

/* A call about a copy begins: its words are ones (`good`, `note`), and there is one copy that is meant. */
static int begin_with_copy(bil_site *s, const char *which, bool good, const char *note, device_row *owner,
                           copy_row *copy)
{
    int error = lib_begin(s->part.host);
    if (error)
        return error;
    error = good ? lib_note(s->part.host, note) : BIL_E_BAD_CALL;
    if (!error)
        error = lib_find_copy(s, which, owner, copy);
    return error ? lib_site_ended(s, error) : BIL_OK;
}

/* ---- what people say ---- */

int bil_site_note(bil_site *s, const char *which, const char *text)
{
    bil_host *h = s->part.host;
    device_row owner;
    copy_row copy;
    int error = lib_begin(h);
    if (error)
        return error;
    bool of_copy = which && strchr(which, '#');
    error = text ? lib_note(h, text) : BIL_E_BAD_CALL;
    if (!error)
        error = of_copy ? lib_find_copy(s, which, &owner, &copy) : lib_find_device(s, which, &owner);
    if (error)
        return lib_site_ended(s, error);
    error = mark_note(&s->open.index, &owner, of_copy ? &copy : NULL, text, h->who);
    device_row_free(&owner);
    return done(s, error, which, NULL);
}

int bil_site_baseline(bil_site *s, const char *which, const char *why)
{
    device_row owner;
    copy_row copy;
    int error = begin_with_copy(s, which, true, why, &owner, &copy);
    if (error)
        return error;
    error = mark_baseline(&s->open.index, &owner, &copy, why, s->part.host->who);
    device_row_free(&owner);
    return done(s, error, which, NULL);
}

int bil_site_name_copy(bil_site *s, const char *which, const char *name)
{
    device_row owner;
    copy_row copy;
    int error = begin_with_copy(s, which, name != NULL, NULL, &owner, &copy);
    if (error)
        return error;
    error = mark_name(&s->open.index, &owner, &copy, name, s->part.host->who);
    device_row_free(&owner);
    return done(s, error, name, error == BIL_E_CALL ? "this can't be the name of a copy" : NULL);
}

int bil_site_take_back(bil_site *s, const char *of, const char *name)
{
    device_row owner;
    int error = lib_begin(s->part.host);
    if (error)
        return error;
    error = !of || (name && !index_name_is_good(name)) ? BIL_E_BAD_CALL : lib_find_device(s, of, &owner);
    if (error)
        return lib_site_ended(s, error);
    error = mark_back(&s->open.index, &owner, name, s->part.host->who);
    device_row_free(&owner);
    return done(s, error, of, name ? "no copy of it goes by this name" : "no copy of it counts as right");
}

static int change(bil_site *s, const char *before, const bil_card *given)
{
    bil_host *h = s->part.host;
    bil_card card;
    device_row row;
    int error = lib_begin(h);
    if (error)
        return error;
    if (!given || !lib_take(&card, sizeof card, given) || (!before && (!card.name || !card.address)))
        return lib_site_ended(s, BIL_E_BAD_CALL);
    card_change change = {.name = card.name,
                          .address = card.address,
                          .group = card.group,
                          .description = card.model,
                          .signed_by = card.signed_by,
                          .storage = card.storage,
                          .why = card.why,
                          .limit = card.limit,
                          .writers = card.writers,
                          .retired = card.retired,
                          .in_service = card.in_service};
    error = card_change_check(&change, &h->trouble);
    if (!error && before)
        error = lib_find_device(s, before, &row);
    if (error)
        return lib_site_ended(s, error);
    error = card_write(&s->open.index, before ? &row : NULL, &change, h->who, &h->trouble);
    if (before)
        device_row_free(&row);
    return error ? lib_site_ended(s, error) : done(s, BIL_OK, NULL, NULL);
}

int bil_site_add(bil_site *s, const bil_card *card)
{
    return change(s, NULL, card);
}

int bil_site_change(bil_site *s, const char *name, const bil_card *card)
{
    return change(s, name ? name : "", card);
}

/* ---- many at once ---- */

typedef struct choice {
    bil_site *site;
    const char *const *names;
    size_t name_count;
    bool *used; /* which of them mean something */
    device_row *rows;
    size_t count, room;
    bil_read_many many;
    const fleet_task *tasks;
    atomic_int stop;
} choice;

static bool is_meant(choice *c, const device_row *row)
{
    bool meant = c->name_count == 0 && !row->retired;
    for (size_t i = 0; i < c->name_count; i++) {
        const char *name = c->names[i];
        if (strcmp(name, row->name) != 0 && strcmp(name, row->folder) != 0 &&
            strcmp(name, card_text(row, "group")) != 0 && strcmp(name, card_text(row, "address")) != 0)
            continue;
        meant = c->used[i] = true;
    }
    return meant && card_text(row, "address")[0];
}

static bool choose(void *ctx, const device_row *row)
{
    choice *c = ctx;
    if (!is_meant(c, row))
        return true;
    if (c->count == c->room) {
        device_row *more = mem_more(c->rows, (c->room ? 2 * c->room : 32) * sizeof *more);
        if (!more)
            return false;
        c->room = c->room ? 2 * c->room : 32;
        c->rows = more;
    }
    c->rows[c->count++] = *row;
    json_incref(row->card);
    json_incref(row->state);
    return true;
}

static void fill(const choice *c, const ledger *known, fleet_task *tasks)
{
    for (size_t i = 0; i < c->count; i++) {
        fleet_task *t = &tasks[i];
        const device_row *row = &c->rows[i];
        t->name = row->name;
        t->folder = row->folder;
        t->address = card_text(row, "address");
        t->model = card_text(row, "description");
        t->only_changed = c->many.only_changed;
        t->highest = index_highest(&c->site->open.index, row->folder);
        standing left;
        t->said_held = standing_of(&c->site->open.index, row, known, &left) == BIL_OK && left.held;
        if (row->copies == 0)
            continue;
        copy_path(&c->site->open.place, &row->last, t->last_path);
        snprintf(t->last_digest, sizeof t->last_digest, "%s", row->last.digest);
        snprintf(t->last_values, sizeof t->last_values, "%s", row->last.unreadable ? "" : row->last.values_digest);
        snprintf(t->last_serial, sizeof t->last_serial, "%s", row->last.serial);
        if (!t->model[0])
            t->model = row->last.model;
    }
}

static void read_one(void *ctx, const fleet_task *t, size_t finished, size_t count)
{
    choice *c = ctx;
    bil_read_many *m = &c->many;
    m->saved += t->end == FLEET_SAVED;
    m->partly += t->end == FLEET_PARTLY;
    m->same += t->end == FLEET_SAME || t->end == FLEET_UNCHANGED;
    m->failed += t->end == FLEET_FAILED;
    _Static_assert((int)BIL_READ_FAILED == (int)FLEET_FAILED, "one list of ends");
    bil_read_one_of_many one = {.device = t->name,
                                .end = (bil_read_end)t->end,
                                .error = t->error,
                                .why = t->why,
                                .path = t->path,
                                .values = t->values,
                                .unreadable = t->unreadable,
                                .requests = t->requests,
                                .unstored = t->unstored,
                                .index = (size_t)(t - c->tasks),
                                .address = t->address,
                                .system_error = t->opened ? 0 : t->connect_errno,
                                .model = t->origin ? t->origin->model : "",
                                .serial = t->origin ? t->origin->serial : ""};
    if (m->each && !m->each(m->ctx, &one, finished, count))
        c->stop = 1;
}

/* All that were chosen; how each read ended is noted where that is news. */
static int read_chosen(choice *c)
{
    bil_site *s = c->site;
    bil_host *h = s->part.host;
    fleet_task *tasks = mem_new(c->count, sizeof *tasks);
    if (!tasks)
        return BIL_E_MEMORY;
    ledger known;
    ledger_open(&known);
    fill(c, &known, tasks);
    ledger_close(&known);
    c->tasks = tasks;
    fleet_orders orders = {.site = &s->open.place,
                           .models = &h->known,
                           .who = h->who,
                           .why = c->many.why ? c->many.why : "",
                           .at_once = c->many.at_once,
                           .stop = &c->stop,
                           .secrets = lib_secrets(h),
                           .done = read_one,
                           .ctx = c};
    fleet_read(&orders, tasks, c->count);
    int error = BIL_OK;
    for (size_t i = 0; i < c->count; i++) {
        if (!error)
            error = fleet_note(&s->open.place, &c->rows[i], &tasks[i], tasks[i].why, h->who);
        if (!error)
            error = fleet_seen(&s->open.index, &c->rows[i], &tasks[i], h->who);
        fleet_task_free(&tasks[i]);
    }
    mem_free(tasks);
    return error ? trouble_of(&h->trouble, error, s->open.place.path, NULL) : BIL_OK;
}

const char *bil_read_end_name(bil_read_end end)
{
    return (unsigned)end <= BIL_READ_FAILED ? fleet_end_name((fleet_end)end) : "?";
}

int bil_site_read(bil_site *s, const char *const *names, size_t count, bil_read_many *many)
{
    bil_host *h = s->part.host;
    choice c = {.site = s, .names = names, .name_count = count};
    int error = lib_begin(h);
    if (error)
        return error;
    if (!lib_take(&c.many, sizeof c.many, many) || (count && !names))
        return lib_site_ended(s, BIL_E_BAD_CALL);
    c.many.saved = c.many.same = c.many.partly = c.many.failed = 0;
    error = lib_note(h, c.many.why);
    c.used = mem_new(count + 1, sizeof *c.used);
    if (!error && c.used)
        index_devices(&s->open.index, choose, &c);
    for (size_t i = 0; i < count && !error && c.used; i++)
        if (!c.used[i])
            error = lib_no_device(s, names[i]);
    if (!error && !mem_is_short())
        error = read_chosen(&c);
    for (size_t i = 0; i < c.count; i++)
        device_row_free(&c.rows[i]);
    mem_free(c.rows);
    mem_free(c.used);
    if (many && many->struct_size >= sizeof *many)
        many->saved = c.many.saved, many->same = c.many.same, many->partly = c.many.partly,
        many->failed = c.many.failed;
    return error ? lib_site_ended(s, error) : done(s, BIL_OK, NULL, NULL);
}

/* ---- keeping ---- */

int bil_site_delete(bil_site *s, const char *which, const char *why)
{
    device_row owner;
    copy_row copy;
    int error = begin_with_copy(s, which, true, why, &owner, &copy);
    if (error)
        return error;
    error = keeping_delete(&s->open.index, &owner, &copy, why, s->part.host->who);
    device_row_free(&owner);
    return done(s, error, which, NULL);
}

typedef struct thin {
    bil_site *site;
    bil_thinning wish;
} thin;

static void goes(void *ctx, const device_row *owner, const copy_row *copy)
{
    const thin *t = ctx;
    char path[STORAGE_PATH];
    row_texts texts;
    bil_site_copy its = lib_copy_row(t->site, copy, path);
    bil_site_device whose = lib_device_row(t->site, owner, &texts);
    if (t->wish.each)
        t->wish.each(t->wish.ctx, &whose, &its);
}

int bil_site_thin(bil_site *s, bil_thinning *thinning)
{
    thin t = {.site = s};
    int error = lib_begin(s->part.host);
    if (error)
        return error;
    if (!thinning || !lib_take(&t.wish, sizeof t.wish, thinning))
        return lib_site_ended(s, BIL_E_BAD_CALL);
    if (t.wish.days < 1 || t.wish.days > 36500 || t.wish.weeks < 0 || t.wish.weeks > 5200 || t.wish.months < 0 ||
        t.wish.months > 1200)
        return lib_site_ended(s, trouble_of(&s->part.host->trouble, BIL_E_CALL, "",
                                            "at least one day, and not more than a hundred years"));
    keeping k = {.rule = {t.wish.days, t.wish.weeks, t.wish.months},
                 .only = t.wish.only,
                 .who = s->part.host->who,
                 .now = time(NULL),
                 .deletes = t.wish.deletes,
                 .each = goes,
                 .ctx = &t};
    error = keeping_thin(&s->open.index, &k);
    if (thinning->struct_size >= sizeof *thinning)
        thinning->gone = k.gone, thinning->stay = k.stay;
    return done(s, error, s->open.place.path, NULL);
}

/* The copy in this file, as what a question gave. */
static bool find_by_path(bil_site *s, const char *path)
{
    set_origin *o = mem_new(1, sizeof *o);
    bil_set_totals totals;
    char digest[65];
    bool found = o && set_file_glance(path, o, &totals) == BIL_OK;
    mem_free(o);
    if (found) {
        set_digest_hex(totals.digest, digest);
        found = index_copy_by_digest(&s->open.index, digest, &s->found);
    }
    if (found)
        s->copy = lib_copy_row(s, &s->found, s->copy_path);
    return found;
}

int lib_take_in(bil_site *s, const char *name, const char *file, const char *from, const char *text,
                const bil_site_copy **taken)
{
    bil_host *h = s->part.host;
    char path[STORAGE_PATH], why[STORAGE_PATH + 500] = "";
    device_row owner;
    int error = lib_begin(h);
    if (error)
        return error;
    if (!file || !from)
        return lib_site_ended(s, BIL_E_BAD_CALL);
    error = lib_note(h, from);
    if (!error)
        error = lib_note(h, text);
    if (!error)
        error = lib_find_device(s, name, &owner);
    if (error)
        return lib_site_ended(s, error);
    set_origin *o = mem_new(1, sizeof *o);
    error = !o ? BIL_E_MEMORY
               : site_take_in(&s->open.index, &owner, file, from, text ? text : "", h->who, o, path, why, sizeof why);
    mem_free(o);
    device_row_free(&owner);
    if (!error && taken && index_sync(&s->open.index) && find_by_path(s, path))
        *taken = &s->copy;
    return done(s, error, file, why);
}

int bil_site_hand_out(bil_site *s, const char *which, const char *folder)
{
    char why[STORAGE_PATH + 300] = "";
    device_row owner;
    copy_row copy;
    int error = begin_with_copy(s, which, folder != NULL, NULL, &owner, &copy);
    if (error)
        return error;
    error = site_hand_out(&s->open.index, &copy, folder, why, sizeof why);
    device_row_free(&owner);
    return done(s, error, why[0] ? "" : folder, why);
}

int bil_site_share(bil_site *s, const char *other, bil_share_counts *counts)
{
    char why[STORAGE_PATH + 500] = "";
    share_count n = {0};
    int error = lib_begin(s->part.host);
    if (error)
        return error;
    error = other ? site_share(&s->open.place, other, s->part.host->who, &n, why, sizeof why) : BIL_E_BAD_CALL;
    snprintf(s->clash, sizeof s->clash, "%s", n.clash);
    if (counts)
        *counts = (bil_share_counts){n.there, n.here, n.clashes, n.passed_over, s->clash};
    return done(s, error, why[0] ? "" : other, why);
}

static void found(void *ctx, const char *what, const char *where, const char *why, bool harms)
{
    const bil_site_state *state = ctx;
    if (state->found)
        state->found(state->ctx, what, where, why, harms);
}

int bil_site_check(bil_site *s, bil_site_state *state)
{
    bil_site_state own;
    int error = lib_begin(s->part.host);
    if (error)
        return error;
    if (!state || !lib_take(&own, sizeof own, state))
        return lib_site_ended(s, BIL_E_BAD_CALL);
    site_check c = {.found = found, .ctx = &own};
    error = site_check_all(&s->open.index, &c);
    if (state->struct_size >= sizeof *state)
        state->devices = c.devices, state->copies = c.copies, state->notes = c.notes, state->findings = c.findings,
        state->harmful = c.harmful;
    return done(s, error, s->open.place.path, NULL);
}

/* ---- signatures ---- */

int bil_site_make_key(bil_site *s, const char *name, const char *file)
{
    int error = lib_begin(s->part.host);
    if (error)
        return error;
    error = name && file ? signing_make_key(&s->open.index, name, file, s->part.host->who) : BIL_E_BAD_CALL;
    return done(s, error, error == BIL_E_FILE_WRITE ? file : name,
                error == BIL_E_DISPUTED     ? "the site knows another key under this name"
                : error == BIL_E_FILE_WRITE ? strerror(errno)
                                            : NULL);
}

int bil_site_trust(bil_site *s, const char *name, const char *hex, bool decide)
{
    int error = lib_begin(s->part.host);
    if (error)
        return error;
    error = name && hex ? signing_trust(&s->open.index, name, hex, s->part.host->who) : BIL_E_BAD_CALL;
    if (error == BIL_E_DISPUTED && decide)
        error = signing_decide(&s->open.index, name, hex);
    return done(s, error, name,
                error == BIL_E_DISPUTED ? "the site knows another key under this name"
                : error == BIL_E_CALL   ? "a public half is 64 hex digits"
                                        : NULL);
}

int bil_site_sign(bil_site *s, const char *which, const char *file, bool for_any, const char **by)
{
    device_row owner;
    copy_row copy;
    if (by)
        *by = "";
    int error = begin_with_copy(s, which, file != NULL, NULL, &owner, &copy);
    if (error)
        return error;
    error = signing_sign(&s->open.index, &copy, for_any, file, s->part.host->who, s->signer);
    device_row_free(&owner);
    if (!error && by)
        *by = s->signer;
    return done(s, error, error == BIL_E_SIGNATURE || error == BIL_E_NO_KEY ? file : which,
                error == BIL_E_SIGNATURE ? "the site doesn't know this key" : NULL);
}

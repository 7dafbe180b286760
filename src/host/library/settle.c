/* Which side counts. */
#include "bilancia/settle.h"

#include <string.h>

#include "host/base/float_text.h"
#include "host/base/folders.h"
#include "host/base/json.h"
#include "host/copy/csv.h"
#include "host/library/inside.h"
#include "host/library/seen.h"
#include "host/look/decisions.h"

struct bil_settling {
    part part;
    bil_copy *copy, *other; /* `other` stands for the device, where that is a copy */
    bil_look *look;
    char source[STORAGE_PATH], digest[65], name[SITE_NAME];
    json_t *asked, *taken; /* decisions given beforehand, and taken: one for each value */
    unsigned count[BIL_WINNER_COUNT];
};

_Static_assert((int)BIL_WINS_OPEN == (int)WINS_OPEN && (int)BIL_WINS_VALUE == (int)WINS_VALUE, "one list of winners");

/* Its copies and its look are parts of the host of their own: whichever way that ends, each ends once. */
static void end(part *p)
{
    bil_settling *s = (bil_settling *)p;
    json_decref(s->asked);
    json_decref(s->taken);
}

/* ---- deciding ---- */

static int gather(bil_settling *s, const bil_settle_wish *wish)
{
    bil_host *h = s->part.host;
    char why[600] = "";
    int error = lib_begin(h);
    if (error)
        return error;
    s->asked = jn_array();
    s->taken = jn_array();
    for (size_t i = 0; i < wish->decision_count && !error; i++)
        if (!wish->decisions[i] || decisions_add_words(s->asked, wish->decisions[i]) != BIL_OK)
            error = trouble_of(&h->trouble, BIL_E_CALL, wish->decisions[i],
                               "PATTERN=device, PATTERN=saved or PATTERN=VALUE is wanted");
    if (!error && wish->file && (error = decisions_add_file(s->asked, wish->file, why, sizeof why)))
        trouble_of(&h->trouble, error, "", why);
    return lib_end_of(h, error);
}

static int take(bil_settling *s, const bil_finding *one, decision d)
{
    int error = BIL_OK;
    if (d.wins == WINS_VALUE)
        error = bil_copy_set(s->copy, one->id, d.value);
    else if (d.wins == WINS_DEVICE && one->items[1])
        error = lib_take_found(s->copy, s->look, 1, one->items[1]);
    if (error == BIL_E_UNREADABLE)
        return lib_fail(s->part.host, error, one->id, "the device didn't give this value, so it can't win");
    if (error)
        return error;
    s->count[d.wins]++;
    decisions_add(s->taken, one->id, d.wins, d.value);
    return BIL_OK;
}

static int decide(bil_settling *s, bil_settle_wish *wish, const bil_finding *one)
{
    char value[2 * BIL_VALUE_TEXT] = "";
    decision d = decisions_find(s->asked, one->id);
    if (d.wins == WINS_OPEN)
        d.wins = (winner)wish->rest;
    if (d.wins == WINS_OPEN && wish->ask) {
        bil_winner wins = wish->ask(wish->ctx, s, one, &wish->rest, value, sizeof value);
        d = (decision){(unsigned)wins < BIL_WINNER_COUNT ? (winner)wins : WINS_OPEN, value};
        if (d.wins == WINS_OPEN)
            return lib_fail(s->part.host, BIL_E_DECLINED, one->id,
                            "stopped before everything was decided; no new copy was made");
    }
    if (d.wins == WINS_OPEN)
        return lib_fail(s->part.host, BIL_E_PERSON, one->id, "nobody can be asked which of them counts");
    return take(s, one, d);
}

static int decide_all(bil_settling *s, bil_settle_wish *wish)
{
    bil_finding one;
    int got, error = BIL_OK;
    while (!error && (got = bil_look_next(s->look, &one)) != 0)
        if (got < 0)
            error = -got;
        else if (one.differs && one.cls != BIL_CLASS_UNIT)
            error = decide(s, wish, &one);
    return error;
}

/* ---- the two sides ---- */

static void whose(bil_settling *s)
{
    snprintf(s->source, sizeof s->source, "%s", bil_copy_tells(s->copy)->path);
    snprintf(s->digest, sizeof s->digest, "%s", bil_copy_tells(s->copy)->digest);
    snprintf(s->name, sizeof s->name, "%s", s->copy->owner);
}

/* Another copy may stand for the device: then it is loaded, so that values can be listed against it. */
static int open_both(bil_settling *s, const char *const *sides, const bil_settle_wish *wish)
{
    bil_host *h = s->part.host;
    bil_look_wish look;
    if (!lib_take(&look, sizeof look, wish->look))
        return lib_fail(h, BIL_E_BAD_CALL, "", "");
    look.struct_size = sizeof look;
    look.all = look.as_far_as = false;
    int error = bil_copy_open(h, sides[0], &s->copy);
    if (error)
        return error;
    whose(s);
    error = bil_look_open(h, sides, 2, &look, &s->look);
    if (!error && lib_look_findings(s->look)->sides[1].kind == SIDE_COPY)
        error = bil_copy_open(h, sides[1], &s->other);
    return error;
}

/* What it opened, without touching the trouble. */
static void let_go(bil_settling *s)
{
    bil_host *h = s->part.host;
    trouble kept = h->trouble;
    bil_look_close(s->look);
    bil_copy_close(s->other);
    bil_copy_close(s->copy);
    if (lib_begin(h) == BIL_OK) {
        lib_drop(&s->part);
        lib_end_of(h, BIL_OK);
    }
    h->trouble = kept;
}

int bil_settle(bil_host *h, const char *saved, const char *against, const bil_settle_wish *given, bil_settling **out)
{
    bil_settle_wish wish;
    const char *const sides[] = {saved, against};
    *out = NULL;
    int error = lib_begin(h);
    if (error)
        return error;
    bool good = saved && against && lib_take(&wish, sizeof wish, given) && (unsigned)wish.rest < BIL_WINS_VALUE &&
                (wish.decisions || !wish.decision_count);
    bil_settling *s = good ? lib_part(h, sizeof *s, end) : NULL;
    error = lib_end_of(h, good ? s ? BIL_OK : BIL_E_MEMORY : BIL_E_BAD_CALL);
    if (error)
        return error;
    error = gather(s, &wish);
    if (!error)
        error = open_both(s, sides, &wish);
    if (!error)
        error = decide_all(s, &wish);
    if (error)
        let_go(s);
    else
        *out = s;
    return error;
}

void bil_settling_close(bil_settling *s)
{
    if (s)
        let_go(s);
}

bil_copy *bil_settling_copy(bil_settling *s)
{
    return s->copy;
}

const bil_look *bil_settling_look(const bil_settling *s)
{
    return s->look;
}

unsigned bil_settling_count(const bil_settling *s, bil_winner who)
{
    return (unsigned)who < BIL_WINNER_COUNT ? s->count[who] : 0;
}

/* ---- what comes of it ---- */

static bool is_settable(const bil_param *p)
{
    return p->flags & BIL_WRITABLE && p->cls != BIL_CLASS_UNIT && !bil_class_left_out((bil_class)p->cls);
}

static unsigned put_rows(const bil_settling *s, FILE *out)
{
    const bil_image *want = bil_copy_image(s->copy);
    const bil_image *now = s->other ? bil_copy_image(s->other) : &lib_look_findings(s->look)->sides[1].image;
    const bil_description *d = want->description;
    unsigned rows = 0;
    for (uint16_t i = 0; i < d->count; i++) {
        bil_item item;
        char token[BIL_TOKEN], text[BIL_TOKEN];
        if (!is_settable(&d->params[i]) || want->state[i] != BIL_PRESENT || bil_image_same(want, now, i))
            continue;
        bil_image_item_told(want, i, &host_floats, token, &item);
        item_bare_text(&item, d, text, sizeof text);
        csv_put(out, d->params[i].id, false);
        if (item.type == BIL_TEXT)
            csv_put_text(out, text, true);
        else
            csv_put(out, text, true);
        csv_put(out, d->params[i].unit, true);
        csv_end(out);
        rows++;
    }
    return rows;
}

int bil_settling_list(bil_settling *s, const char *path, unsigned *values)
{
    bil_host *h = s->part.host;
    storage_file storage;
    char folder[STORAGE_PATH], whole[STORAGE_PATH];
    *values = 0;
    int error = lib_begin(h);
    if (error)
        return error;
    error = path ? storage_begin(&storage, folder, folder_of(path, folder)) : BIL_E_BAD_CALL;
    if (error)
        return lib_end(h, error, path, NULL);
    csv_put(storage.file, "id", false);
    csv_put(storage.file, "value", true);
    csv_put(storage.file, "unit", true);
    csv_end(storage.file);
    *values = put_rows(s, storage.file);
    error = ferror(storage.file) ? storage_error() : BIL_OK;
    if (error)
        storage_cancel(&storage);
    else
        error = storage_commit(&storage, folder, whole);
    return lib_end(h, error, path, NULL);
}

int bil_settling_record(bil_settling *s, const char *path)
{
    bil_host *h = s->part.host;
    char folder[STORAGE_PATH], whole[STORAGE_PATH];
    int error = lib_begin(h);
    if (error)
        return error;
    if (!path)
        return lib_end_of(h, BIL_E_BAD_CALL);
    const char *name = folder_of(path, folder);
    error = decisions_save(s->taken, h->who, s->source, lib_look_findings(s->look)->sides[1].text, folder, name, whole);
    return lib_end(h, error, path, NULL);
}

int bil_settling_note(bil_settling *s)
{
    bil_host *h = s->part.host;
    int error = lib_begin(h);
    if (error || !s->name[0])
        return error ? error : lib_end_of(h, BIL_OK);
    keeper *at = mem_new(1, sizeof *at);
    error = at ? lib_keeper(h, at, s->name, NULL) : BIL_E_MEMORY;
    if (!error && at->keep.in_site) {
        const char *about = s->copy->digest[0] ? s->copy->digest : s->digest;
        json_t *body = jn_pack("{s:s,s:s,s:s,s:i,s:i,s:i}", "about", about, "saved", s->source, "device",
                               lib_look_findings(s->look)->sides[1].text, "device_wins", (int)s->count[WINS_DEVICE],
                               "saved_wins", (int)s->count[WINS_SAVED], "new_values", (int)s->count[WINS_VALUE]);
        if (json_array_size(s->taken) <= 400) /* a note is small; a record of decisions keeps any number */
            json_object_set(body, "decisions", s->taken);
        error = note_add(&at->site->place, at->owner.folder, "settled", h->who, body, NULL);
        if (error)
            trouble_of(&h->trouble, error, at->site->place.path, NULL);
    }
    if (at)
        keeper_close(at);
    mem_free(at);
    return lib_end_of(h, error);
}

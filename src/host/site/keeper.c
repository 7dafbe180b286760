#include "host/site/keeper.h"

#include <stdlib.h>
#include <string.h>

#include "bilancia/host_error.h"
#include "host/base/folders.h"
#include "host/base/json.h"
#include "host/run/address.h"
#include "host/site/card.h"
#include "host/site/fleet.h"
#include "host/site/signing.h"
#include "port/memory.h"

/* ---- may it be? ---- */

/* Does one device of a site, at this place or with this unit, let it be? */
typedef struct asking {
    const keep_case *c;
    site_index *index;
    trouble *t;
    int error;
} asking;

static bool ask_card(void *ctx, const device_row *row)
{
    asking *ask = ctx;
    const keep_case *c = ask->c;
    char unclear[400], why[700];
    card_wish wish = {.person = c->who, .login = c->login, .tries = c->tries, .despite = c->despite};
    index_unclear(ask->index, row, unclear, sizeof unclear);
    int error = card_allows(row->card, row->name, unclear, &wish, why, sizeof why);
    const char *key = card_text(row, "signed_by");
    if (!error && key[0] && !unclear[0]) {
        bool resets = !c->digest[0];
        signing_state state = resets ? SIGNING_NONE : signing_check(ask->index, row->folder, c->digest, key);
        snprintf(why, sizeof why, "%.200s takes only copies signed by \"%.100s\"; %s", row->name, key,
                 state == SIGNING_BAD
                     ? "this one has a signature that doesn't fit: it was altered, or somebody else signed it"
                 : resets ? "nobody signed the factory values (--despite signature=REASON resets it all the same)"
                          : "this one isn't signed by it (--despite signature=REASON writes it all the same)");
        bool passes = state == SIGNING_GOOD || (state == SIGNING_NONE && c->unsigned_too);
        error = passes ? BIL_OK : BIL_E_SIGNATURE;
    }
    if (error)
        ask->error = trouble_of(ask->t, error, error == BIL_E_SIGNATURE ? c->copy : row->name, why);
    return !error;
}

/* What one site says of this place and unit; its files are read for that, not what the index remembers. `owner`: and of
 * this device, wherever it answers. */
static int ask_site(open_site *s, const device_row *owner, const keep_case *c, trouble *t)
{
    asking ask = {c, &s->index, t, BIL_OK};
    if (!index_reread(&s->index, NULL, false))
        return trouble_of(t, BIL_E_CARD, s->place.path, "the site can't be read now");
    index_each_at(&s->index, c->address, c->model, c->serial, ask_card, &ask);
    if (ask.error || !owner)
        return ask.error;
    device_row *row = mem_new(1, sizeof *row);
    if (!row)
        return trouble_of(t, BIL_E_MEMORY, "", NULL);
    if (index_folder(&s->index, owner->folder, row)) {
        ask_card(&ask, row);
        device_row_free(row);
    } else {
        ask.error = trouble_of(t, BIL_E_NO_DEVICE, owner->name, "it was taken out of the site a moment ago");
    }
    mem_free(row);
    return ask.error;
}

/* The site that a folder lies in, unless it was asked already. */
static int ask_around(const char *folder, char seen[][STORAGE_PATH], size_t *count, const keep_case *c, trouble *t)
{
    open_site *its = mem_new(1, sizeof *its);
    if (!its)
        return trouble_of(t, BIL_E_MEMORY, "", NULL);
    char why[STORAGE_PATH + 300];
    int error = site_around(&its->place, folder, why, sizeof why);
    bool fresh = error == BIL_OK;
    for (size_t i = 0; i < *count; i++)
        fresh = fresh && strcmp(seen[i], its->place.path) != 0;
    if (error == BIL_E_NO_SITE)
        error = BIL_OK;
    else if (error) /* there is one, and what it says can't be read */
        trouble_of(t, error = BIL_E_CARD, "", why);
    if (fresh) {
        snprintf(seen[(*count)++], STORAGE_PATH, "%s", its->place.path);
        error = open_site_at(its, seen[*count - 1], why, sizeof why);
        if (error)
            trouble_of(t, error, "", why);
        else
            error = ask_site(its, NULL, c, t);
        if (error)
            snprintf(t->site, sizeof t->site, "%s", its->place.path);
        if (its->index.db)
            open_site_close(its);
    }
    mem_free(its);
    return error;
}

/* Every site that has a say: the one given or that we are in, and those of the copy and of the record. */
static int allows(void *ctx, const keep_case *c, trouble *t)
{
    const keeper *k = ctx;
    char seen[3][STORAGE_PATH], folder[STORAGE_PATH], why[STORAGE_PATH + 300];
    size_t count = 0;
    int error = BIL_OK;
    if (k->site) {
        snprintf(seen[count++], STORAGE_PATH, "%s", k->site->place.path);
        error = ask_site(k->site, &k->owner, c, t);
    } else {
        site *place = mem_new(1, sizeof *place);
        if (!place)
            return trouble_of(t, BIL_E_MEMORY, "", NULL);
        int found = site_find(place, k->given, why, sizeof why);
        if (found == BIL_OK)
            error = ask_around(place->path, seen, &count, c, t);
        else if (found != BIL_E_NO_SITE)
            error = trouble_of(t, BIL_E_CARD, "", why);
        mem_free(place);
    }
    if (!error && c->copy[0]) {
        folder_of(c->copy, folder);
        error = ask_around(folder, seen, &count, c, t);
    }
    if (!error && c->record)
        error = ask_around(c->record, seen, &count, c, t);
    return error;
}

/* ---- a device of a site ---- */

static bool serial_shared(void *ctx, const char *model, const char *serial)
{
    keeper *k = ctx;
    return index_serial_shared(&k->site->index, model, serial, k->owner.folder);
}

static bool had_later(void *ctx, const char *digest, char *when)
{
    keeper *k = ctx;
    _Static_assert((int)KEEP_WHEN == (int)SIGNING_WHEN, "one moment");
    return signing_had_later(&k->site->index, k->owner.folder, digest, when);
}

static int note(keeper *k, const char *kind, const char *who, json_t *body)
{
    return note_add(&k->site->place, k->owner.folder, kind, who, body, NULL);
}

/* A site knows of each copy whether it was ever brought to a device. */
static int sent(void *ctx, const char *who, const char *digest, const char *serial)
{
    return note(ctx, "sent", who, jn_pack("{s:s,s:s}", "about", digest, "serial", serial));
}

static int proved(void *ctx, const char *who, const char *digest, const char *serial, const char *by)
{
    return note(ctx, "proved", who, jn_pack("{s:s,s:s,s:s}", "about", digest, "by", by, "serial", serial));
}

/* It answers elsewhere now. */
static int moved(void *ctx, const char *who, const char *now)
{
    keeper *k = ctx;
    if (strcmp(card_text(&k->owner, "address"), now) == 0)
        return BIL_OK;
    json_t *card = k->owner.card ? jn_deep_copy(k->owner.card) : jn_object();
    jn_put(card, "address", jn_string(now));
    jn_put(card, "after", index_heads(&k->site->index, k->owner.folder, "device"));
    return note(k, "device", who, card);
}

static int reached(void *ctx, const char *who, const char *why)
{
    keeper *k = ctx;
    fleet_task *seen = mem_new(1, sizeof *seen);
    if (!seen)
        return BIL_E_MEMORY;
    seen->end = why ? FLEET_FAILED : FLEET_SAVED;
    int error = fleet_note(&k->site->place, &k->owner, seen, why ? why : "", who);
    mem_free(seen);
    return error;
}

static const keep_ops of_device = {allows, serial_shared, had_later, sent, proved, moved, reached};
static const keep_ops of_folder = {.allows = allows};

void keeper_in_folder(keeper *k, const char *folder, const char *where, const char *given)
{
    *k = (keeper){.given = given};
    k->keep = keep_in_folder(folder, where);
    k->keep.ops = &of_folder;
    k->keep.ctx = k;
}

static int take_device(keeper *k, trouble *t)
{
    bool has_copies = k->owner.copies > 0;
    snprintf(k->address, sizeof k->address, "%s", card_text(&k->owner, "address"));
    int error = site_path_made(&k->site->place, k->owner.folder, "records", k->records);
    if (error)
        return trouble_of(t, error, k->records, NULL);
    error = site_path_made(&k->site->place, k->owner.folder, "copies", k->copies);
    if (error)
        return trouble_of(t, error, k->copies, NULL);
    if (!site_path(&k->site->place, k->owner.folder, "collected", k->collected))
        return trouble_of(t, BIL_E_FILE_WRITE, k->collected, NULL);
    k->keep = (keep){.ops = &of_device,
                     .ctx = k,
                     .in_site = true,
                     .name = k->owner.name,
                     .address = k->address,
                     .copies = k->copies,
                     .collected = k->collected,
                     .records = k->records,
                     .last = has_copies ? k->owner.last.digest : "",
                     .last_when = has_copies ? k->owner.last.when : "",
                     .last_serial = has_copies ? k->owner.last.serial : "",
                     .baseline = k->owner.baseline,
                     .highest = index_highest(&k->site->index, k->owner.folder)};
    return BIL_OK;
}

int keeper_find(keeper *k, const char *name, const char *given, trouble *t)
{
    char why[STORAGE_PATH + 300];
    keeper_in_folder(k, ".", name, given);
    open_site *s = mem_new(1, sizeof *s);
    if (!s)
        return trouble_of(t, BIL_E_MEMORY, "", NULL);
    int error = site_find(&s->place, given, why, sizeof why);
    if (error) {
        mem_free(s);
        return given ? trouble_of(t, BIL_E_NO_SITE, "", why) : BIL_OK;
    }
    error = open_site_at(s, given, why, sizeof why);
    if (error) {
        mem_free(s);
        return trouble_of(t, error, "", why);
    }
    k->site = s;
    error = index_find(&s->index, name, &k->owner, why, sizeof why);
    if (!error)
        return take_device(k, t);
    memset(&k->owner, 0, sizeof k->owner);
    keeper_close(k);
    if (address_is_device(name))
        return BIL_OK;
    return trouble_of(t, error, name, why);
}

bool keeper_close(keeper *k)
{
    bool whole = true;
    if (k->site) {
        device_row_free(&k->owner);
        whole = open_site_close(k->site);
    }
    mem_free(k->site);
    k->site = NULL;
    return whole;
}

/* May this person write here? What the cards of every site say that has a say in it, and whose turn it is. */
#include <jansson.h>
#include <stdlib.h>
#include <string.h>
#include <unistd.h>

#include "cli/writing_inside.h"
#include "host/base/arena.h"
#include "host/base/person.h"
#include "host/run/turn.h"
#include "host/site/card.h"
#include "host/site/signing.h"

int writing_allowed(const write_call *w)
{
    char why[600], from[STORAGE_PATH];
    bool tries = w->config.trial || w->undoes;
    person_limit limit = limit_of_person(from, sizeof from);
    if (limit == LIMIT_READING || (limit == LIMIT_TRIALS && !tries)) {
        snprintf(why, sizeof why, "%.300s limits you to %s", from, limit == LIMIT_READING ? "reading" : "trials");
        return say_error("", BIL_E_NOT_ALLOWED, why);
    }
    return -1;
}

/* Does one device of a site, at this place or with this unit, let it be? What this computer began is finished and
 * undone whatever the cards say by now: they may have been changed to stand in the way. */
typedef struct cards {
    const write_call *w;
    site_index *index;
    int code;
} cards;

static bool ask_card(void *ctx, const device_row *row)
{
    cards *c = ctx;
    const write_call *w = c->w;
    char unclear[400], why[700], digest[65];
    card_wish wish = {.person = person(w->who),
                      .tries = w->config.trial || w->undoes,
                      .despite = json_object_get(w->despite, "card") != NULL};
    index_unclear(c->index, row, unclear, sizeof unclear);
    int error = card_allows(row->card, row->name, unclear, &wish, why, sizeof why);
    const char *key = card_text(row, "signed_by");
    if (!error && key[0] && !unclear[0] && w->config.kind != BIL_JOB_RESET) {
        set_digest_hex(w->totals.digest, digest);
        signing_state state = signing_check(c->index, row->folder, digest, key);
        snprintf(why, sizeof why, "%.200s takes only copies signed by \"%.100s\"; this one %s", row->name, key,
                 state == SIGNING_BAD ? "has a signature that doesn't fit: it was altered, or somebody else signed it"
                                      : "isn't signed by it");
        error = state == SIGNING_GOOD ? BIL_OK : BIL_E_SIGNATURE;
    }
    if (error)
        c->code = say_error(error == BIL_E_SIGNATURE ? w->copy : "", error, why);
    return !error;
}

/* What one site says of this place and unit; its files are read for that, not what the index remembers. */
static int ask_site(const write_call *w, here *h, const char *at)
{
    char model[BIL_VALUE_TEXT], serial[BIL_VALUE_TEXT];
    cards c = {w, &h->index, -1};
    bil_image_identity(&w->dev.image, BIL_ID_MODEL, model, sizeof model);
    bil_image_identity(&w->dev.image, BIL_ID_SERIAL, serial, sizeof serial);
    if (!index_reread(&h->index, NULL, false))
        return say_error(h->place.path, BIL_E_CARD, "the site can't be read now");
    index_each_at(&h->index, at, w->dev.description->model, serial, ask_card, &c);
    if (c.code < 0 && w->h == h) { /* and the one that was named, wherever it answers */
        device_row *row = need(1, sizeof *row);
        if (index_folder(&h->index, w->owner.folder, row)) {
            ask_card(&c, row);
            device_row_free(row);
        } else {
            c.code = say_error(w->owner.name, BIL_E_NO_DEVICE, "it was taken out of the site a moment ago");
        }
        free(row);
    }
    return c.code;
}

/* Every site that has a say: the one given or that we are in, and those of the copy and of the record. */
int write_ask_sites(write_call *w)
{
    enum { COPY = 1, RECORD, SITES };
    char seen[SITES][STORAGE_PATH] = {""}, folder[STORAGE_PATH], why[STORAGE_PATH + 300];
    int code = -1;
    for (size_t i = 0; i < SITES && code < 0 && !w->goes_on; i++) {
        here *its = need(1, sizeof *its);
        bool mine = i == 0 && w->h;
        int found = mine ? BIL_OK : BIL_E_NO_SITE;
        if (i == 0 && !mine)
            found = site_find(&its->place, w->site_given, why, sizeof why);
        if (i == COPY && w->copy[0]) {
            folder_of(w->copy, folder);
            found = site_around(&its->place, folder, why, sizeof why);
        }
        if (i == RECORD && w->record_folder)
            found = site_around(&its->place, w->record_folder, why, sizeof why);
        bool has = found == BIL_OK;
        snprintf(seen[i], STORAGE_PATH, "%s", !has ? "" : mine ? w->h->place.path : its->place.path);
        for (size_t k = 0; k < i; k++)
            has = has && strcmp(seen[k], seen[i]) != 0;
        if (has && mine) {
            code = ask_site(w, w->h, w->address);
        } else if (has && here_open(its, seen[i]) != BIL_OK) {
            code = EXIT_FILE;
        } else if (has) {
            code = ask_site(w, its, w->address);
            here_close(its);
        } else if (found != BIL_OK && found != BIL_E_NO_SITE) {
            code = say_error("", BIL_E_CARD, why); /* there is one, and what it says can't be read */
        }
        free(its);
    }
    return code;
}

int writing_copy(write_call *w, const char *text, const char *site_given, char place[STORAGE_PATH])
{
    int error = place_of_copy(text, site_given, place, w->expected_digest);
    w->copy = place;
    return error ? exit_code_of(error) : -1;
}

/* The device of the site that is meant, and where its records and copies go. -1, or the exit code. */
int writing_find(write_call *w, const char *device_name, const char *site_given)
{
    char why[STORAGE_PATH + 300];
    w->address = device_name;
    w->site_given = site_given;
    static here h;
    if (site_find(&h.place, site_given, why, sizeof why) != BIL_OK)
        return site_given ? say_error("", BIL_E_NO_SITE, why) : -1;
    int error = here_open(&h, site_given);
    if (error)
        return exit_code_of(error);
    error = index_find(&h.index, device_name, &w->owner, why, sizeof why);
    if (error) {
        here_close(&h);
        return address_is_device(device_name) ? -1
                                              : say_error(device_name, error, error == BIL_E_DISPUTED ? why : NULL);
    }
    w->h = &h;
    snprintf(w->places[0], STORAGE_PATH, "%s", card_text(&w->owner, "address"));
    w->address = w->places[0];
    error = site_path_made(&h.place, w->owner.folder, "records", w->places[1]);
    if (!error)
        error = site_path_made(&h.place, w->owner.folder, "copies", w->places[2]);
    if (error)
        return say_error(w->places[1], error, NULL);
    w->folder = w->places[1];
    w->safety_folder = w->places[2];
    return -1;
}

/* One turn for the place and one for the unit, so that it is the same however either is written. A stuck one is set
 * aside by name. -1, or the exit code. */
int write_take_turn(write_call *w, turn *ours, const char *what)
{
    char who[400];
    if (turn_take(ours, what, person(w->who), who, sizeof who) || json_object_get(w->despite, "turn"))
        return -1;
    return say_error(w->address, BIL_E_TURN, who);
}

int write_take_unit_turn(write_call *w, turn *ours)
{
    char serial[BIL_VALUE_TEXT], what[2 * BIL_VALUE_TEXT + 10];
    bil_image_identity(&w->dev.image, BIL_ID_SERIAL, serial, sizeof serial);
    snprintf(what, sizeof what, "unit %s %s", w->dev.description->model, serial);
    return serial[0] ? write_take_turn(w, ours, what) : -1;
}

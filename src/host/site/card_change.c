/* Writing the card of a device. */
#include <string.h>

#include "host/base/json.h"
#include "host/base/person.h"
#include "host/run/address.h"
#include "host/site/marks.h"

static void put(json_t *card, const char *key, const char *value)
{
    if (value && *value)
        jn_put(card, key, jn_string(value));
    else if (value)
        json_object_del(card, key);
}

/* "anna,bruno" as a list; "" takes the limit away. */
static void put_writers(json_t *card, const char *text)
{
    if (!text)
        return;
    json_t *list = jn_array();
    for (const char *at = text; *at;) {
        size_t length = strcspn(at, ",");
        if (length)
            jn_add(list, jn_stringn(at, length));
        at += length + (at[length] == ',');
    }
    if (json_array_size(list))
        jn_put_shared(card, "writers", list);
    else
        json_object_del(card, "writers");
    json_decref(list);
}

int card_change_check(const card_change *w, trouble *t)
{
    const char *texts[] = {w->group, w->description, w->writers, w->why, w->signed_by, w->storage};
    char why[200];
    address where;
    for (size_t i = 0; i < sizeof texts / sizeof texts[0]; i++)
        if (!note_is_good(texts[i]))
            return trouble_of(t, BIL_E_CALL, "", NOTE_WANTED);
    if (w->limit && strcmp(w->limit, "reading") != 0 && strcmp(w->limit, "trials") != 0 && w->limit[0])
        return trouble_of(t, BIL_E_CALL, w->limit, "a limit is reading, trials or none");
    if (w->name && !site_name_is_good(w->name))
        return trouble_of(t, BIL_E_CALL, w->name,
                          "a name is a line of printable text without / and #, and without blanks at its ends");
    int error = w->address ? address_parse(w->address, &where, why, sizeof why) : BIL_OK;
    return error ? trouble_of(t, error, w->address, why) : BIL_OK;
}

/* Is there a device with a card of this name? One that is known by its copies alone may get one. */
static bool is_taken(site_index *x, const char *name, char *why, size_t size)
{
    device_row row;
    if (!index_device(x, name, &row))
        return false;
    bool has_card = row.card && strcmp(row.name, name) == 0;
    snprintf(why, size, "the site has this device already, at %.300s; device change changes it",
             card_text(&row, "address"));
    device_row_free(&row);
    return has_card;
}

/* Another device, or a group, that this one can't be told from where people name either. */
typedef struct clash {
    const char *folder, *name, *group;
    const char *what; /* NULL: none */
    bool knows_key;
} clash;

static bool look_for_clash(void *ctx, const device_row *row)
{
    clash *c = ctx;
    const char *group = card_text(row, "group");
    bool own = strcmp(row->folder, c->folder) == 0;
    if (!own && c->group && *c->group && strcmp(c->group, row->name) == 0)
        c->what = "a device is called so: read and find would mean either";
    if (!own && c->name && *group && strcmp(c->name, group) == 0)
        c->what = "a group is called so: read and find would mean either";
    return !c->what;
}

static bool look_for_key(void *ctx, const char *id, const json_t *note)
{
    clash *c = ctx;
    const char *name = json_string_value(json_object_get(note, "name"));
    (void)id;
    c->knows_key = name && strcmp(name, c->name) == 0;
    return !c->knows_key;
}

/* Is this what a device may be called, in this group, and does the site know who is to sign for it? */
static int check_names(site_index *x, const char *folder, const card_change *w, trouble *t)
{
    static const char *const words[] = {"factory", "new", "site", "last", "first", "baseline", "stored"};
    clash c = {.folder = folder, .name = w->name, .group = w->group}, key = {.name = w->signed_by};
    for (size_t i = 0; i < sizeof words / sizeof words[0]; i++)
        if ((w->name && strcmp(w->name, words[i]) == 0) || (w->group && strcmp(w->group, words[i]) == 0))
            return trouble_of(t, BIL_E_CALL, words[i], "this word means something else already");
    if (w->name && w->group && strcmp(w->name, w->group) == 0)
        return trouble_of(t, BIL_E_CALL, w->name, "a device and its group need names of their own");
    index_devices(x, look_for_clash, &c);
    if (c.what)
        return trouble_of(t, BIL_E_CALL, c.what[2] == 'd' ? w->group : w->name, c.what);
    if (!w->signed_by || !*w->signed_by)
        return BIL_OK;
    index_notes(x, "", "key", NULL, look_for_key, &key);
    return key.knows_key ? BIL_OK
                         : trouble_of(t, BIL_E_CALL, w->signed_by,
                                      "the site knows no key under this name, so that nothing could be written any "
                                      "more; it has to be told first (sign trust NAME PUBLIC)");
}

int card_write(site_index *x, const device_row *before, const card_change *w, const char *who, trouble *t)
{
    char folder[SITE_FOLDER], at[500];
    const char *name = w->name ? w->name : before->name;
    if (!before && is_taken(x, name, at, sizeof at))
        return trouble_of(t, BIL_E_CALL, name, at);
    if (before)
        snprintf(folder, sizeof folder, "%s", before->folder);
    else
        site_folder_of(name, folder);
    int error = check_names(x, folder, w, t);
    if (error)
        return error;
    json_t *card = before && before->card ? jn_deep_copy(before->card) : jn_object();
    jn_put(card, "name", jn_string(name));
    put(card, "address", w->address);
    put(card, "group", w->group);
    put(card, "description", w->description);
    put(card, "signed_by", w->signed_by);
    put(card, "storage", w->storage);
    put(card, "why", w->why ? w->why : "");
    put(card, "limit", w->limit);
    put_writers(card, w->writers);
    if (w->retired)
        jn_put(card, "retired", json_true());
    if (w->in_service)
        json_object_del(card, "retired");
    jn_put(card, "after", index_heads(x, folder, "device"));
    json_object_del(card, "nobody"); /* it came of two that disagreed; now somebody decides */
    error = note_add(x->site, folder, "device", who, card, NULL);
    if (error)
        return trouble_of(t, error, x->site->path, NULL);
    index_accept(x, folder);
    return BIL_OK;
}

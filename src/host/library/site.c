/* Sites: what they have. */
#include "host/library/site.h"

#include <string.h>

static void end(part *p)
{
    bil_site *s = (bil_site *)p;
    device_row_free(&s->row);
    mem_free(s->standing.left);
    open_site_close(&s->open);
}

/* ---- opening ---- */

static int open(bil_host *h, const char *folder, bil_site **out)
{
    char why[STORAGE_PATH + 300] = "";
    if (!folder && h->nowhere)
        return trouble_of(&h->trouble, BIL_E_NO_SITE, "", NULL);
    bil_site *s = lib_part(h, sizeof *s, end);
    if (!s)
        return BIL_E_MEMORY;
    int error = open_site_at(&s->open, folder ? folder : h->site, why, sizeof why);
    if (error) {
        trouble_of(&h->trouble, error, "", why);
        s->part.end = lib_nothing;
        lib_drop(&s->part);
        return error;
    }
    *out = s;
    return BIL_OK;
}

int bil_site_open(bil_host *h, const char *folder, bil_site **out)
{
    *out = NULL;
    int error = lib_begin(h);
    return error ? error : lib_end_of(h, open(h, folder, out));
}

int bil_site_make(bil_host *h, const char *folder, const char *name, bil_site **out)
{
    char why[STORAGE_PATH + 300] = "";
    *out = NULL;
    int error = lib_begin(h);
    if (error)
        return error;
    if (!folder || !name)
        return lib_end_of(h, BIL_E_BAD_CALL);
    if (!site_name_is_good(name))
        return lib_end(h, BIL_E_CALL, name, "a name is a line of printable text without / and #");
    site *made = mem_new(1, sizeof *made);
    error = made ? site_make(made, folder, name, h->who, why, sizeof why) : BIL_E_MEMORY;
    mem_free(made);
    if (error)
        trouble_of(&h->trouble, error, "", why);
    return lib_end_of(h, error ? error : open(h, folder, out));
}

void bil_site_close(bil_site *s)
{
    if (!s || lib_begin(s->part.host) != BIL_OK)
        return;
    bil_host *h = s->part.host;
    lib_drop(&s->part);
    lib_end_of(h, BIL_OK);
}

const char *bil_site_folder(const bil_site *s)
{
    return s->open.place.path;
}

const char *bil_site_name(const bil_site *s)
{
    return s->open.place.name;
}

/* ---- rows ---- */

bil_site_copy lib_copy_row(const bil_site *s, const copy_row *row, char path[STORAGE_PATH])
{
    copy_path(&s->open.place, row, path);
    return (bil_site_copy){.path = path,
                           .digest = row->digest,
                           .parent = row->parent,
                           .values_digest = row->values_digest,
                           .when = row->when,
                           .who = row->who,
                           .why = row->why,
                           .serial = row->serial,
                           .model = row->model,
                           .firmware = row->firmware,
                           .from = row->from,
                           .values = row->values,
                           .unreadable = row->unreadable,
                           .place = row->place,
                           .number = row->number,
                           .whole = row->state == COPY_WHOLE,
                           .damaged = row->state == COPY_DAMAGED};
}

bil_site_device lib_device_row(const bil_site *s, const device_row *row, row_texts *texts)
{
    size_t i, used = 0;
    json_t *writer;
    texts->writers[0] = '\0';
    json_array_foreach(json_object_get(row->card, "writers"), i, writer)
    {
        const char *name = json_string_value(writer);
        if (name && used + strlen(name) + 2 < sizeof texts->writers)
            used += (size_t)snprintf(texts->writers + used, sizeof texts->writers - used, "%s%s", i ? "," : "", name);
    }
    if (row->copies)
        texts->last = lib_copy_row(s, &row->last, texts->last_path);
    return (bil_site_device){.name = row->name,
                             .folder = row->folder,
                             .address = card_text(row, "address"),
                             .group = card_text(row, "group"),
                             .model = card_text(row, "description"),
                             .limit = card_text(row, "limit"),
                             .writers = texts->writers,
                             .changed = card_text(row, "when"),
                             .changed_by = card_text(row, "who"),
                             .changed_why = card_text(row, "why"),
                             .signed_by = card_text(row, "signed_by"),
                             .storage = card_text(row, "storage"),
                             .baseline = row->baseline,
                             .baseline_disputed = row->baseline_disputed,
                             .disputed = row->disputed,
                             .retired = row->retired,
                             .asked = row->state != NULL,
                             .answers = json_is_true(json_object_get(row->state, "answers")),
                             .unstored = json_is_true(json_object_get(row->state, "unstored")),
                             .copies = row->copies,
                             .last = row->copies ? &texts->last : NULL};
}

int lib_site_ended(bil_site *s, int error)
{
    bil_host *h = s->part.host;
    bool missing = !error || error == BIL_E_NO_DEVICE || error == BIL_E_NO_COPY;
    if (missing && index_broken(&s->open.index)) /* answers may be missing: it is made anew by the next opening */
        error =
            trouble_of(&h->trouble, BIL_E_SITE_BROKEN, s->open.place.path, "what was known of it can't be read now");
    return lib_end_of(h, error);
}

int lib_no_device(bil_site *s, const char *name)
{
    char why[SITE_NAME + 100] = "", like[SITE_NAME];
    index_nearest(&s->open.index, name, like, sizeof like);
    if (like[0])
        snprintf(why, sizeof why, "the site has no such device or group; did you mean %s?", like);
    return trouble_of(&s->part.host->trouble, BIL_E_NO_DEVICE, name, why);
}

int lib_find_device(bil_site *s, const char *name, device_row *row)
{
    char why[400] = "";
    int error = name ? index_find(&s->open.index, name, row, why, sizeof why) : BIL_E_BAD_CALL;
    return error ? trouble_of(&s->part.host->trouble, error, name, why) : BIL_OK;
}

int lib_find_copy(bil_site *s, const char *text, device_row *owner, copy_row *row)
{
    char name[SITE_NAME];
    if (!text)
        return BIL_E_BAD_CALL;
    const char *hash = strrchr(text, '#');
    snprintf(name, sizeof name, "%.*s", hash ? (int)(hash - text) : (int)strlen(text), text);
    int error = lib_find_device(s, name, owner);
    if (error)
        return error;
    error = index_copy(&s->open.index, owner, hash ? hash + 1 : "last", row);
    if (!error)
        return BIL_OK;
    char why[700] = "";
    if (error == BIL_E_DISPUTED)
        index_candidates(&s->open.index, owner, hash ? hash + 1 : "last", why, sizeof why);
    device_row_free(owner);
    return trouble_of(&s->part.host->trouble, error, text, why);
}

/* ---- devices and copies ---- */

typedef struct walk {
    bil_site *site;
    bool (*device)(void *ctx, const bil_site_device *device);
    bool (*copy)(void *ctx, const bil_site_copy *copy);
    bool (*note)(void *ctx, const char *kind, const char *json);
    void *ctx;
} walk;

static bool each_device(void *ctx, const device_row *row)
{
    const walk *w = ctx;
    row_texts texts;
    bil_site_device its = lib_device_row(w->site, row, &texts);
    return !mem_is_short() && w->device(w->ctx, &its);
}

int bil_site_devices(bil_site *s, bool (*each)(void *ctx, const bil_site_device *device), void *ctx)
{
    walk w = {.site = s, .device = each, .ctx = ctx};
    int error = lib_begin(s->part.host);
    if (error)
        return error;
    if (each)
        index_devices(&s->open.index, each_device, &w);
    return lib_site_ended(s, each ? BIL_OK : BIL_E_BAD_CALL);
}

int bil_site_device_of(bil_site *s, const char *name, const bil_site_device **out)
{
    *out = NULL;
    int error = lib_begin(s->part.host);
    if (error)
        return error;
    device_row_free(&s->row);
    error = lib_find_device(s, name, &s->row);
    if (!error) {
        s->device = lib_device_row(s, &s->row, &s->texts);
        *out = &s->device;
    }
    return lib_site_ended(s, error);
}

int bil_site_unit(bil_site *s, const char *model, const char *serial, const char *other_than,
                  const bil_site_device **out)
{
    bil_host *h = s->part.host;
    device_row own = {.card = NULL};
    int error = lib_begin(h);
    if (error)
        return error;
    *out = NULL;
    error = model && serial ? BIL_OK : BIL_E_BAD_CALL;
    if (!error && other_than)
        error = lib_find_device(s, other_than, &own);
    device_row_free(&s->row);
    if (!error && (!index_serial_elsewhere(&s->open.index, model, serial, other_than ? own.folder : "", &s->found) ||
                   !index_folder(&s->open.index, s->found.device, &s->row)))
        error = trouble_of(&h->trouble, BIL_E_NO_DEVICE, serial, NULL);
    if (!error) {
        s->device = lib_device_row(s, &s->row, &s->texts);
        s->texts.last = lib_copy_row(s, &s->found, s->texts.last_path); /* that of the unit, whatever came later */
        s->device.last = &s->texts.last;
        *out = &s->device;
    }
    if (other_than && own.card)
        device_row_free(&own);
    return lib_site_ended(s, error);
}

static bool each_copy(void *ctx, const copy_row *row)
{
    const walk *w = ctx;
    char path[STORAGE_PATH];
    bil_site_copy its = lib_copy_row(w->site, row, path);
    return !mem_is_short() && w->copy(w->ctx, &its);
}

int bil_site_copies(bil_site *s, const char *name, int most, bool (*each)(void *ctx, const bil_site_copy *copy),
                    void *ctx)
{
    walk w = {.site = s, .copy = each, .ctx = ctx};
    device_row row;
    int error = lib_begin(s->part.host);
    if (error)
        return error;
    error = each ? lib_find_device(s, name, &row) : BIL_E_BAD_CALL;
    if (!error) {
        index_copies(&s->open.index, row.folder, most, each_copy, &w);
        device_row_free(&row);
    }
    return lib_site_ended(s, error);
}

int bil_site_copy_of(bil_site *s, const char *which, const bil_site_copy **out)
{
    device_row owner;
    *out = NULL;
    int error = lib_begin(s->part.host);
    if (error)
        return error;
    error = lib_find_copy(s, which, &owner, &s->found);
    if (!error) {
        index_verify(&s->open.index, &s->found);
        s->copy = lib_copy_row(s, &s->found, s->copy_path);
        *out = &s->copy;
        device_row_free(&owner);
    }
    return lib_site_ended(s, error);
}

int bil_site_drift(bil_site *s, const char *one, const char *other)
{
    device_row owner;
    copy_row a, b;
    int error = lib_begin(s->part.host), drift = 0;
    if (error)
        return -error;
    error = lib_find_copy(s, one, &owner, &a);
    if (!error) {
        device_row_free(&owner);
        error = lib_find_copy(s, other, &owner, &b);
    }
    if (!error) {
        device_row_free(&owner);
        drift = index_drift(&s->open.index, &a, &b);
        if (drift < 0)
            error = trouble_of(&s->part.host->trouble, BIL_E_SET_ALTERED, one, "one of them can't be read");
    }
    error = lib_site_ended(s, error);
    return error ? -error : drift;
}

static bool each_note(void *ctx, const char *id, const json_t *note)
{
    const walk *w = ctx;
    const char *kind = json_string_value(json_object_get(note, "kind"));
    (void)id;
    char *text = kind ? jn_text(note, JSON_COMPACT) : NULL;
    bool more = !mem_is_short() && (!text || w->note(w->ctx, kind, text));
    free(text);
    return more;
}

int bil_site_notes(bil_site *s, const char *name, const char *kind,
                   bool (*each)(void *ctx, const char *kind, const char *json), void *ctx)
{
    walk w = {.site = s, .note = each, .ctx = ctx};
    device_row row = {.folder = ""};
    int error = lib_begin(s->part.host);
    if (error)
        return error;
    error = !each ? BIL_E_BAD_CALL : name && name[0] ? lib_find_device(s, name, &row) : BIL_OK;
    if (!error) {
        index_notes(&s->open.index, row.folder, kind, NULL, each_note, &w);
        device_row_free(&row);
    }
    return lib_site_ended(s, error);
}

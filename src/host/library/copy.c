/* Saved copies. */
#include <string.h>

#include "host/base/folders.h"
#include "host/base/time.h"
#include "host/describe/rule_text.h"
#include "host/library/inside.h"
#include "host/site/fleet.h"

static void end(part *p)
{
    edit_close(&((bil_copy *)p)->work);
}

void lib_copy_tells(bil_copy *copy)
{
    const set_origin *o = &copy->work.from.origin;
    const bil_set_totals *t = &copy->work.from.totals;
    set_digest_hex(t->digest, copy->digest);
    set_digest_hex(t->values_digest, copy->values_digest);
    if (!copy->path[0])
        copy->digest[0] = copy->values_digest[0] = '\0';
    copy->info = (bil_copy_info){.path = copy->path,
                                 .vendor = o->vendor,
                                 .model = o->model,
                                 .hardware = o->hardware,
                                 .firmware = o->firmware,
                                 .serial = o->serial,
                                 .device = o->device,
                                 .when = o->when,
                                 .who = o->who,
                                 .why = o->why,
                                 .from = o->from,
                                 .layout = o->layout,
                                 .digest = copy->digest,
                                 .values_digest = copy->values_digest,
                                 .parent = o->parent,
                                 .values = t->values,
                                 .unreadable = t->unreadable,
                                 .left_out = t->left_out,
                                 .revision = o->revision};
}

static int open(bil_host *h, const char *which, bil_copy **out)
{
    char place[STORAGE_PATH], digest[65];
    int error = lib_place(h, which, place, digest);
    if (error)
        return error;
    if (address_is_device(place))
        return trouble_of(&h->trouble, BIL_E_CALL, which, "a saved copy is wanted here, and this is a device");
    bil_copy *copy = lib_part(h, sizeof *copy, end);
    if (!copy)
        return BIL_E_MEMORY;
    snprintf(copy->path, sizeof copy->path, "%s", place);
    if (digest[0])
        snprintf(copy->called, sizeof copy->called, "%s", which);
    if (digest[0])
        snprintf(copy->owner, sizeof copy->owner, "%.*s", (int)(strrchr(which, '#') - which), which);
    error = edit_open(&copy->work, copy->path, &h->known);
    lib_copy_tells(copy);
    if (!error && digest[0] && strcmp(digest, copy->digest) != 0) {
        snprintf(copy->work.why, sizeof copy->work.why, "another copy has taken the place of the one that was meant");
        error = BIL_E_SET_ALTERED;
    }
    if (error) {
        trouble_of(&h->trouble, error, which, copy->work.why);
        lib_drop(&copy->part);
        return error;
    }
    *out = copy;
    return BIL_OK;
}

int bil_copy_open(bil_host *h, const char *which, bil_copy **out)
{
    *out = NULL;
    int error = lib_begin(h);
    if (error)
        return error;
    return lib_end_of(h, which ? open(h, which, out) : BIL_E_BAD_CALL);
}

static void count(bil_copy *copy)
{
    const bil_image *image = &copy->work.from.image;
    bil_set_totals *t = &copy->work.from.totals;
    *t = (bil_set_totals){0};
    for (uint16_t i = 0; i < image->description->count; i++) {
        bool left_out = bil_class_left_out((bil_class)image->description->params[i].cls);
        t->left_out += left_out;
        t->values += !left_out && image->state[i] == BIL_PRESENT;
        t->unreadable += !left_out && image->state[i] == BIL_UNREADABLE;
    }
}

int bil_copy_of_device(bil_device *dev, bil_copy **out)
{
    bil_host *h = dev->part.host;
    *out = NULL;
    int error = lib_begin(h);
    if (error)
        return error;
    if (!dev->was_read)
        return lib_end(h, BIL_E_BAD_CALL, dev->address, "it wasn't read yet");
    bil_copy *copy = lib_part(h, sizeof *copy, end);
    const bil_image *image = &dev->device.image;
    size_t size = bil_image_size(image->description);
    loaded_copy *from = copy ? &copy->work.from : NULL;
    if (copy)
        from->memory = mem_new(1, size);
    if (!copy || !from->memory) {
        if (copy)
            lib_drop(&copy->part);
        return lib_end_of(h, BIL_E_MEMORY);
    }
    snprintf(copy->device, sizeof copy->device, "%s", dev->name);
    copy->unstored = dev->unstored;
    copy->let_go = dev->let_go;
    copy->work.description = from->description = image->description;
    bil_image_init(&from->image, image->description, from->memory, size);
    bil_image_copy(&from->image, image);
    if (!files_share_all(&from->files, &dev->device.files, image)) {
        lib_drop(&copy->part);
        return lib_end_of(h, mem_is_short() ? BIL_E_MEMORY : storage_open_error());
    }
    char where[ADDRESS_TEXT + 20];
    copy->kept = dev->kept;
    snprintf(where, sizeof where, dev->kept ? "%s#kept%u" : "%s", dev->address, dev->kept);
    keep_origin(&from->origin, image, h->who, "", where, "");
    snprintf(from->origin.scope, SET_TEXT, "%s", dev->choice);
    count(copy);
    lib_copy_tells(copy);
    *out = copy;
    return lib_end_of(h, BIL_OK);
}

void bil_copy_close(bil_copy *copy)
{
    if (!copy || lib_begin(copy->part.host) != BIL_OK)
        return;
    bil_host *h = copy->part.host;
    lib_drop(&copy->part);
    lib_end_of(h, BIL_OK);
}

const bil_copy_info *bil_copy_tells(const bil_copy *copy)
{
    return &copy->info;
}

const bil_description *bil_copy_description(const bil_copy *copy)
{
    return copy->work.description;
}

const bil_image *bil_copy_image(const bil_copy *copy)
{
    return &copy->work.from.image;
}

unsigned bil_copy_changed(const bil_copy *copy)
{
    return copy->work.changed;
}

/* What the editing said. */
static int edited_so(bil_copy *copy, int error)
{
    return lib_end(copy->part.host, error, "", copy->work.why);
}

int bil_copy_value(bil_copy *copy, const char *id, char *text, size_t size)
{
    bil_host *h = copy->part.host;
    int error = lib_begin(h);
    if (error)
        return error;
    return lib_end(h, lib_value(&copy->work.from.image, id, text, size), id, NULL);
}

int bil_copy_set(bil_copy *copy, const char *id, const char *text)
{
    int error = lib_begin(copy->part.host);
    if (error)
        return error;
    return edited_so(copy, id && text ? edit_set(&copy->work, id, text) : BIL_E_BAD_CALL);
}

int bil_copy_assign(bil_copy *copy, const char *assignment)
{
    int error = lib_begin(copy->part.host);
    if (error)
        return error;
    return edited_so(copy, assignment ? edit_assign(&copy->work, assignment) : BIL_E_BAD_CALL);
}

int bil_copy_try(bil_copy *copy, const char *id, const char *text)
{
    int error = lib_begin(copy->part.host);
    if (error)
        return error;
    return edited_so(copy, id && text ? edit_check(&copy->work, id, text) : BIL_E_BAD_CALL);
}

int bil_copy_take(bil_copy *copy, const bil_copy *from, const char *id)
{
    int error = lib_begin(copy->part.host);
    if (error)
        return error;
    const bil_image *image = &from->work.from.image;
    int32_t index = bil_description_find(image->description, id, strlen(id));
    bil_item item;
    if (index < 0 || image->state[index] == BIL_ABSENT) {
        snprintf(copy->work.why, sizeof copy->work.why, "%.100s: the other copy has no such value", id);
        return edited_so(copy, index < 0 ? BIL_E_UNKNOWN_PARAMETER : BIL_E_UNREADABLE);
    }
    bil_image_item(image, (uint16_t)index, &item);
    if (item.type == BIL_FILE)
        files_share(&copy->work.from.files, &from->work.from.files, item.raw);
    return edited_so(copy, edit_take(&copy->work, &item));
}

int bil_copy_take_item(bil_copy *copy, const bil_item *item)
{
    int error = lib_begin(copy->part.host);
    if (error)
        return error;
    return edited_so(copy, item ? edit_take(&copy->work, item) : BIL_E_BAD_CALL);
}

int bil_copy_import(bil_copy *copy, const char *path, const char *which)
{
    int error = lib_begin(copy->part.host);
    if (error)
        return error;
    return edited_so(copy, path ? edit_import(&copy->work, path, which) : BIL_E_BAD_CALL);
}

int bil_copy_put_file(bil_copy *copy, const char *id, const char *path)
{
    int error = lib_begin(copy->part.host);
    if (error)
        return error;
    return edited_so(copy, id && path ? edit_put_file(&copy->work, id, path) : BIL_E_BAD_CALL);
}

int bil_copy_give_file(bil_copy *copy, const char *id, bool (*take)(void *ctx, const uint8_t *bytes, size_t count),
                       void *ctx)
{
    int error = lib_begin(copy->part.host);
    if (error)
        return error;
    return edited_so(copy, id && take ? edit_give_file(&copy->work, id, take, ctx) : BIL_E_BAD_CALL);
}

int bil_copy_seal_by(bil_copy *copy, const char *passphrase)
{
    int error = lib_begin(copy->part.host);
    if (error)
        return error;
    return edited_so(copy, passphrase ? edit_seal_by(&copy->work, passphrase) : BIL_E_BAD_CALL);
}

int bil_copy_seal(bil_copy *copy, const char *id, const char *value)
{
    int error = lib_begin(copy->part.host);
    if (error)
        return error;
    return edited_so(copy, id ? edit_seal(&copy->work, id, value) : BIL_E_BAD_CALL);
}

bool bil_copy_is_sealed(const bil_copy *copy, const char *id)
{
    return id && seals_find(&copy->work.from.files.seals, id);
}

int bil_copy_rule(bil_copy *copy, unsigned first, char *text, size_t size)
{
    uint16_t params[2];
    bil_values values = bil_image_values(&copy->work.from.image);
    const bil_description *d = copy->work.description;
    int32_t rule = first < d->rule_count ? bil_rule_broken(d, values, (uint16_t)first, params) : -1;
    text[0] = '\0';
    if (rule >= 0)
        rule_text(d, (uint16_t)rule, params, values, text, size);
    return rule;
}

/* What was read from a device is saved as that, everything else as made offline. */
static int save(bil_copy *copy, const keep *k, const char *why, keeper *at)
{
    edited *o = &copy->work;
    bil_host *h = copy->part.host;
    char path[STORAGE_PATH];
    bool read_now = !copy->path[0] && o->changed == 0;
    bil_set_totals totals;
    set_origin origin;
    keep its = *k;
    its.scope = o->from.origin.scope;
    int error =
        read_now ? keep_values(&its, &o->from.image, &o->from.files, h->who, why, NULL, "", "", &origin, path, &totals)
                 : edit_keep(o, k, h->who, why, "", path);
    if (error)
        return trouble_of(&h->trouble, error, k->copies, o->why);
    char reason[500];
    set_origin now;
    error = set_file_check(path, &now, &totals, reason, sizeof reason); /* what was written, not what was meant */
    if (error)
        return trouble_of(&h->trouble, error, path, reason);
    o->from.origin = now;
    o->from.totals = totals;
    o->changed = 0;
    if (read_now && at && at->keep.in_site)
        fleet_saved(&at->site->index, &at->owner, &o->from.image, &totals, copy->unstored, copy->let_go, h->who);
    snprintf(copy->path, sizeof copy->path, "%s", path);
    lib_copy_tells(copy);
    return BIL_OK;
}

int bil_copy_save(bil_copy *copy, const char *folder, const char *why)
{
    bil_host *h = copy->part.host;
    char beside[STORAGE_PATH];
    int error = lib_begin(h);
    if (error)
        return error;
    error = lib_note(h, why);
    if (!error && copy->kept && !folder)
        error = trouble_of(&h->trouble, BIL_E_CALL, copy->device,
                           "a copy that the device keeps isn't what it holds, and stands in no site: name a folder");
    if (!error && !copy->path[0] && strcmp(copy->work.from.origin.scope, CHOICE_ALL) != 0 && !folder)
        error = trouble_of(&h->trouble, BIL_E_CALL, copy->device,
                           "what was read is a part of what it holds, and stands in no site: name a folder");
    if (error)
        return lib_end_of(h, error);
    copy->work.why[0] = '\0';
    folder_of(copy->path[0] ? copy->path : ".", beside);
    keep k = keep_in_folder(folder ? folder : beside, copy->work.from.origin.from);
    const char *owner = copy->path[0] ? copy->owner : copy->device;
    keeper *at = folder || !owner[0] ? NULL : mem_new(1, sizeof *at);
    if (at && lib_keeper(h, at, owner, NULL) == BIL_OK && at->keep.in_site)
        k = at->keep;
    error = save(copy, &k, why ? why : "", at);
    if (at)
        keeper_close(at);
    mem_free(at);
    return lib_end_of(h, error);
}

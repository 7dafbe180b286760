/* Kits. */
#include "bilancia/kit.h"

#include <string.h>
#include <unistd.h>

#include "host/base/folders.h"
#include "host/library/site.h"
#include "host/site/kit.h"

/* clang-format off */
static const char *const names[] = {
#define NAME(NAME, name, text) name,
    BIL_KIT_PARTS(NAME)
#undef NAME
};
static const char *const texts[] = {
#define TEXT(NAME, name, text) text,
    BIL_KIT_PARTS(TEXT)
#undef TEXT
};
/* clang-format on */

const char *bil_kit_part_name(bil_kit_part which)
{
    return (unsigned)which < BIL_KIT_PART_COUNT ? names[which] : "?";
}

const char *bil_kit_part_text(bil_kit_part which)
{
    return (unsigned)which < BIL_KIT_PART_COUNT ? texts[which] : "?";
}

/* ---- what a kit tells ---- */

static const char *text_of(bil_host *h, const json_t *list, const char *key)
{
    const char *text = json_string_value(json_object_get(list, key));
    return lib_told(&h->kit, text ? text : "");
}

static bil_kit_part part_of(const char *name)
{
    static const char *const begins[] = {"sheet.txt", "description.yaml", "firmware/", "texts/", "tool/"};
    unsigned i = 0;
    while (i < BIL_KIT_PART_COUNT && strncmp(name, begins[i], strlen(begins[i])) != 0)
        i++;
    return (bil_kit_part)i;
}

/* The ending as far as the caller's struct goes. */
static void tell(bil_host *h, const json_t *list, const char *path, const char *storage, bil_kit *out)
{
    size_t i, size = out ? out->struct_size : 0;
    json_t *one;
    if (!out)
        return;
    arena_free(&h->kit);
    bil_kit told = {.struct_size = size,
                    .path = lib_told(&h->kit, path),
                    .device = text_of(h, list, "device"),
                    .who = text_of(h, list, "who"),
                    .why = text_of(h, list, "why"),
                    .when = text_of(h, list, "when"),
                    .firmware = text_of(h, list, "firmware"),
                    .storage = lib_told(&h->kit, storage),
                    .file_count = json_array_size(json_object_get(list, "files")),
                    .lacks = (UINT32_C(1) << BIL_KIT_PART_COUNT) - 1};
    json_array_foreach(json_object_get(list, "files"), i, one) told.lacks &=
        ~(UINT32_C(1) << part_of(json_string_value(json_object_get(one, "name"))));
    memcpy(out, &told, size < sizeof told ? size : sizeof told);
}

static bool is_kit_struct(const bil_kit *out)
{
    return !out || out->struct_size >= sizeof out->struct_size;
}

int bil_kit_check(bil_host *h, const char *file, void (*each)(void *ctx, const char *name, uint64_t bytes), void *ctx,
                  bil_kit *out)
{
    json_t *list = NULL, *one;
    size_t i;
    char why[600] = "";
    int error = lib_begin(h);
    if (error)
        return error;
    error = file && is_kit_struct(out) ? kit_check(file, &list, why, sizeof why) : BIL_E_BAD_CALL;
    if (!error) {
        json_array_foreach(json_object_get(list, "files"), i, one) if (each)
            each(ctx, json_string_value(json_object_get(one, "name")),
                 (uint64_t)json_integer_value(json_object_get(one, "bytes")));
        tell(h, list, file, "", out);
    }
    json_decref(list);
    return lib_end(h, error, file, why);
}

/* ---- making one ---- */

/* The description that the copy goes by, where it is a file: by what it describes, whatever that file is called. */
static const char *description_file(const bil_host *h, const char *copy)
{
    const char *path = NULL;
    bil_set_totals totals;
    set_origin *o = mem_new(1, sizeof *o);
    if (o && set_file_glance(copy, o, &totals) == BIL_OK)
        for (const described *one = h->loaded; one && !path; one = one->next)
            if (strcmp(one->loaded.table.model, o->model) == 0 && strcmp(one->loaded.table.layout, o->layout) == 0)
                path = one->path;
    mem_free(o);
    return path;
}

static int add(bil_host *h, kit *k, const char *path, const char *folder, const char *name)
{
    int error = path ? kit_add(k, path, folder, name) : BIL_OK;
    return error
               ? trouble_of(&h->trouble, error, path, error == BIL_E_CALL ? "too many files, or two of one name" : NULL)
               : BIL_OK;
}

static int fill(bil_site *s, kit *k, const bil_kit_wish *wish, const device_row *owner, const copy_row *copy)
{
    bil_host *h = s->part.host;
    char path[STORAGE_PATH];
    copy_path(&s->open.place, copy, path);
    snprintf(k->device, sizeof k->device, "%s", owner->name);
    snprintf(k->who, sizeof k->who, "%s", h->who);
    snprintf(k->why, sizeof k->why, "%s", wish->why ? wish->why : "");
    snprintf(k->firmware, sizeof k->firmware, "%s", copy->firmware);
    int error = add(h, k, path, "", "copy.bset");
    if (!error)
        error = add(h, k, wish->sheet, "", "sheet.txt");
    if (!error)
        error = add(h, k, description_file(h, path), "", "description.yaml");
    if (!error)
        error = add(h, k, wish->firmware, "firmware", NULL);
    if (!error)
        error = add(h, k, wish->tool, "tool", "bilancia");
    for (size_t i = 0; i < wish->text_count && !error; i++)
        error = wish->texts[i] ? add(h, k, wish->texts[i], "texts", NULL) : BIL_E_BAD_CALL;
    return error;
}

/* What was written is looked at, not what was meant. */
static int save(bil_host *h, const kit *k, const char *folder, const char *name, const char *storage, bil_kit *out)
{
    char path[STORAGE_PATH], why[STORAGE_PATH + 300] = "";
    json_t *list = NULL;
    int error = kit_save(k, folder, name, path, why, sizeof why);
    if (!error)
        error = kit_check(path, &list, why, sizeof why);
    if (error)
        trouble_of(&h->trouble, error, "", why);
    else
        tell(h, list, path, storage, out);
    json_decref(list);
    return error;
}

static int make(bil_site *s, const char *which, const char *file, const bil_kit_wish *wish, bil_kit *out)
{
    bil_host *h = s->part.host;
    device_row owner;
    copy_row copy;
    char folder[STORAGE_PATH], why[2 * STORAGE_PATH + 100];
    int error = lib_find_copy(s, which, &owner, &copy);
    if (error)
        return error;
    const char *name = folder_of(file, folder), *storage = card_text(&owner, "storage");
    kit *k = mem_new(1, sizeof *k);
    if (storage[0] && kit_lies_on(folder, storage)) {
        snprintf(why, sizeof why, "%s is on the device's own disk (%s), which a rebuild wipes", folder, storage);
        error = trouble_of(&h->trouble, BIL_E_ON_DEVICE, file, why);
    } else if (index_verify(&s->open.index, &copy) == COPY_DAMAGED) {
        error = trouble_of(&h->trouble, BIL_E_SET_ALTERED, which, NULL);
    } else {
        error = k ? fill(s, k, wish, &owner, &copy) : BIL_E_MEMORY;
        if (!error)
            error = save(h, k, folder, name, storage, out);
    }
    mem_free(k);
    device_row_free(&owner);
    return error;
}

int bil_kit_make(bil_site *s, const char *which, const char *file, const bil_kit_wish *given, bil_kit *out)
{
    bil_host *h = s->part.host;
    bil_kit_wish wish;
    int error = lib_begin(h);
    if (error)
        return error;
    error =
        which && file && is_kit_struct(out) && lib_take(&wish, sizeof wish, given) && (wish.texts || !wish.text_count)
            ? lib_note(h, wish.why)
            : BIL_E_BAD_CALL;
    return lib_site_ended(s, error ? error : make(s, which, file, &wish, out));
}

/* ---- taking one in ---- */

int bil_site_take_in(bil_site *s, const char *name, const char *file, const char *from, const char *text,
                     const bil_site_copy **taken)
{
    bil_host *h = s->part.host;
    char aside[KIT_ASIDE], why[600] = "", whence[3 * SET_TEXT];
    json_t *list = NULL;
    if (!file || !from || !storage_ends_with(file, ".zip"))
        return lib_take_in(s, name, file, from, text, taken);
    int error = lib_begin(h);
    if (error)
        return error;
    error = lib_end(h, kit_take_copy(file, aside, &list, why, sizeof why), file, why);
    if (!error) {
        snprintf(whence, sizeof whence, "the kit of %.100s, made %.40s by %.100s",
                 json_string_value(json_object_get(list, "device")), json_string_value(json_object_get(list, "when")),
                 json_string_value(json_object_get(list, "who")));
        error = lib_take_in(s, name, aside, from[0] ? from : whence, text, taken);
        unlink(aside);
    }
    json_decref(list);
    return error;
}

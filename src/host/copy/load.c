#include "host/copy/load.h"

#include <stdlib.h>

#include "bilancia/host_error.h"
#include "host/base/float_text.h"
#include "port/memory.h"

static int take(loaded_copy *out, const set_file *set, const bil_item *item, bool as_it_was)
{
    int error = as_it_was ? bil_image_put_item_as_it_was(&out->image, item, &host_floats)
                          : bil_image_put_item(&out->image, item, &host_floats);
    if (error)
        snprintf(out->why, sizeof out->why, "%s:%u: %.*s: %s", set->path, set->reader.line, (int)item->id.length,
                 item->id.text, bil_host_error_text(error));
    return error;
}

int copy_load(loaded_copy *out, const char *path, const catalogue *m, bool as_it_was)
{
    set_file set;
    bil_item item;
    const bil_description *same_model;
    *out = (loaded_copy){0};
    int fault = set_file_open(&set, path, SET_WHOLLY), error = BIL_OK, got;
    if (fault) {
        snprintf(out->why, sizeof out->why, "%s", set.why);
        return fault;
    }
    set.files = &out->files;
    out->description = catalogue_find(m, set.origin.model, set.origin.layout, &same_model);
    if (out->description) {
        size_t size = bil_image_size(out->description);
        out->memory = mem_new(1, size);
        if (!out->memory) {
            set_file_close(&set);
            return BIL_E_MEMORY;
        }
        bil_image_init(&out->image, out->description, out->memory, size);
    } else {
        error = same_model ? BIL_E_OTHER_LAYOUT : BIL_E_UNKNOWN_MODEL;
        snprintf(out->why, sizeof out->why,
                 same_model ? "%s was made with another layout of the description of %s than the one at hand"
                            : "%s: no description of %s is at hand",
                 path, set.origin.model);
    }
    bil_source source = set_file_source(&set);
    while ((got = source.next(source.ctx, &item)) == 1) /* to the end, since what is damaged isn't to be believed */
        if (!error)
            error = take(out, &set, &item, as_it_was);
    out->origin = set.origin;
    out->totals = set.reader.totals;
    if (got < 0) {
        error = -got;
        snprintf(out->why, sizeof out->why, "%s", set.why);
    }
    set_file_close(&set);
    return error;
}

void copy_unload(loaded_copy *copy)
{
    files_close(&copy->files);
    mem_free(copy->memory);
    copy->memory = NULL;
}

int copy_files(const char *path, file_store *files, char *why, size_t size)
{
    set_file set;
    bil_item item;
    int error = set_file_open(&set, path, SET_WHOLLY), got = 0;
    set.files = files;
    if (!error) {
        bil_source source = set_file_source(&set);
        while ((got = source.next(source.ctx, &item)) == 1)
            ;
        error = -got;
        set_file_close(&set);
    }
    snprintf(why, size, "%s", error ? set.why : "");
    return error;
}

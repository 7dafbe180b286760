#include "host/site/pass.h"

#include <string.h>

#include "host/base/json.h"
#include "host/copy/bring.h"
#include "host/copy/keep.h"
#include "host/describe/choice.h"

int site_take_in(site_index *x, const device_row *owner, const char *file, const char *from, const char *text,
                 const char *who, set_origin *o, char path[STORAGE_PATH], char *why, size_t size)
{
    bil_set_totals totals;
    char digest[65], stem[200], named[300], as[320], folder[STORAGE_PATH];
    bool was_there = false, same = true;
    copy_row twin;
    int error = set_file_check(file, o, &totals, why, size);
    if (error)
        return error;
    why[0] = '\0';
    if (o->scope[0] && strcmp(o->scope, CHOICE_ALL) != 0) {
        snprintf(why, size, "%s: it has only %.100s, and in a site it would be taken for all that the device holds",
                 file, o->scope);
        return BIL_E_CALL;
    }
    set_digest_hex(totals.digest, digest);
    set_file_stem(o, stem, sizeof stem);
    if (owner->copies && strcmp(owner->last.model, o->model) != 0) {
        snprintf(why, size, "%s: the copy is from a %s; %s is a %s", file, o->model, owner->name, owner->last.model);
        return BIL_E_OTHER_MODEL;
    }
    if (index_copy_by_digest(x, digest, &twin)) {
        if (strcmp(twin.device, owner->folder) != 0) {
            snprintf(why, size, "the site has this copy already, for another device: %s", twin.device);
            return BIL_E_CALL;
        }
        copy_path(x->site, &twin, path);
        return BIL_OK;
    }
    /* the origin first: a copy without it would look as if it had been read here */
    error = note_add(x->site, owner->folder, "taken_in", who,
                     jn_pack("{s:s,s:s,s:s}", "about", digest, "from", from, "text", text), NULL);
    if (!error)
        error = site_path_made(x->site, owner->folder, "copies", folder);
    if (!error) {
        keep k = {.in_site = true, .copies = folder, .highest = index_highest(x, owner->folder)};
        keep_name(&k, stem, "", ".bset", named, sizeof named);
        size_t before = strcspn(named, (const char[]){STORAGE_DIGEST, '\0'});
        snprintf(as, sizeof as, "%.*s%.*s%s", (int)before, named, SET_NAME_DIGEST, digest, named + before + 1);
        error = file_bring(file, folder, as, &was_there, &same);
    }
    if (!error)
        snprintf(path, STORAGE_PATH, "%s/%s", folder, as);
    return error;
}

int site_hand_out(site_index *x, copy_row *copy, const char *to, char *why, size_t size)
{
    char path[STORAGE_PATH];
    bool was_there, same;
    why[0] = '\0';
    copy_path(x->site, copy, path);
    if (index_verify(x, copy) == COPY_DAMAGED) {
        snprintf(why, size, "%s: %s", path, bil_host_error_text(BIL_E_SET_ALTERED));
        return BIL_E_SET_ALTERED;
    }
    int error = file_bring(path, to, copy->file, &was_there, &same);
    if (error || same)
        return error;
    snprintf(why, size, "%s: another file has this name there", to);
    return BIL_E_FILE_WRITE;
}

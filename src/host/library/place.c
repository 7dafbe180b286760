/* What people call devices and copies, and where that leads. */
#include <string.h>
#include <unistd.h>

#include "host/library/inside.h"

int lib_keeper(bil_host *h, keeper *k, const char *name, const char *folder)
{
    if (folder || h->nowhere) {
        keeper_in_folder(k, folder ? folder : ".", name, h->nowhere ? "" : h->site);
        return BIL_OK;
    }
    return keeper_find(k, name, h->site, &h->trouble);
}

/* A name that the site has for a device, with what stands behind its #. */
static int place_of_device(bil_host *h, site_index *x, const char *text, const char *hash, char *place)
{
    char name[SITE_NAME], why[400];
    device_row row;
    snprintf(name, sizeof name, "%.*s", hash ? (int)(hash - text) : (int)strlen(text), text);
    int error = index_find(x, name, &row, why, sizeof why);
    if (error == BIL_E_NO_DEVICE) { /* then it is a file, or nothing */
        index_nearest(x, name, h->like, sizeof h->like);
        return BIL_OK;
    }
    if (error)
        return trouble_of(&h->trouble, error, name, why);
    snprintf(place, STORAGE_PATH, "%s%s", card_text(&row, "address"), hash ? hash : "");
    device_row_free(&row);
    return BIL_OK;
}

static int place_of_copy(bil_host *h, open_site *s, const char *text, const char *hash, char *place, char *digest)
{
    char name[SITE_NAME], why[400];
    device_row row;
    copy_row copy;
    snprintf(name, sizeof name, "%.*s", (int)(hash - text), text);
    bool is_file = access(text, F_OK) == 0;
    int error = index_find(&s->index, name, &row, why, sizeof why);
    if (error && is_file) /* no device is called so: the file is meant */
        return BIL_OK;
    if (error)
        return trouble_of(&h->trouble, error, name, why);
    bool fresh = index_reread(&s->index, row.folder, true);
    device_row_free(&row);
    if (!fresh)
        return trouble_of(&h->trouble, BIL_E_SITE_BROKEN, s->place.path, NULL);
    error = index_find(&s->index, name, &row, why, sizeof why);
    if (error)
        return trouble_of(&h->trouble, error, name, NULL);
    error = index_copy(&s->index, &row, hash + 1, &copy);
    if (!error) {
        snprintf(digest, 65, "%s", copy.digest);
        copy_path(&s->place, &copy, place);
    } else {
        char candidates[700] = "";
        if (error == BIL_E_DISPUTED)
            index_candidates(&s->index, &row, hash + 1, candidates, sizeof candidates);
        trouble_of(&h->trouble, error, text, candidates);
    }
    device_row_free(&row);
    return error;
}

int lib_place(bil_host *h, const char *text, char *place, char *digest)
{
    snprintf(place, STORAGE_PATH, "%s", text);
    digest[0] = '\0';
    h->sited = false;
    h->like[0] = '\0';
    /* a file in a folder must not stand in for a copy of the site that is called so */
    bool as_file = (strchr(text, '/') || storage_ends_with(text, ".bset")) && access(text, F_OK) == 0;
    if (address_is_device(text) || as_file || h->nowhere)
        return BIL_OK;
    char why[STORAGE_PATH + 300];
    const char *hash = strrchr(text, '#');
    bool of_device =
        !hash || strcmp(hash, "#stored") == 0 || strcmp(hash, "#factory") == 0 || strncmp(hash, "#kept", 5) == 0;
    open_site *s = mem_new(1, sizeof *s);
    if (!s || site_find(&s->place, h->site, why, sizeof why) != BIL_OK) {
        mem_free(s);
        if (of_device || strchr(text, '/') || access(text, F_OK) == 0)
            return BIL_OK; /* whoever opens it says what it is not */
        return trouble_of(&h->trouble, BIL_E_NO_SITE, text,
                          "there is no such file, and no site here whose copy could be called so");
    }
    int error = open_site_at(s, h->site, why, sizeof why);
    if (error) {
        mem_free(s);
        return trouble_of(&h->trouble, error, "", why);
    }
    h->sited = true;
    error =
        of_device ? place_of_device(h, &s->index, text, hash, place) : place_of_copy(h, s, text, hash, place, digest);
    if (index_broken(&s->index)) /* then what it says isn't there may be there */
        error = trouble_of(&h->trouble, BIL_E_SITE_BROKEN, s->place.path, "what was known of it can't be read now");
    open_site_close(s);
    mem_free(s);
    return error;
}

int bil_host_named(bil_host *h, const char *text, bil_named *kind, const char **where)
{
    char digest[65];
    int error = lib_begin(h);
    if (error)
        return error;
    error = text && kind ? lib_place(h, text, h->where, digest) : BIL_E_BAD_CALL;
    if (!error) {
        *kind = address_is_device(h->where) ? BIL_NAMED_DEVICE : BIL_NAMED_FILE;
        if (where)
            *where = h->where;
    }
    return lib_end_of(h, error);
}

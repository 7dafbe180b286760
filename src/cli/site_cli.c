#include "cli/site_cli.h"

#include <dirent.h>
#include <stdlib.h>
#include <string.h>
#include <unistd.h>

#include "host/describe/load.h"

int enter_site(open_site *h, const char *given)
{
    char why[STORAGE_PATH + 300];
    int error = open_site_at(h, given, why, sizeof why);
    if (error)
        say_error("", error, why);
    return error;
}

static void say_damaged(void)
{
    tell(stderr, "bilancia: the index of the site was damaged, so that something may be missing above\n"
                 "  What to do: run the command again; the index is made anew.\n");
}

void leave_site(open_site *h)
{
    if (!open_site_close(h))
        say_damaged();
}

void leave_keeper(keeper *k)
{
    if (!keeper_close(k))
        say_damaged();
}

int find_device(open_site *h, const char *name, device_row *row)
{
    char why[400];
    int error = index_find(&h->index, name, row, why, sizeof why);
    if (error)
        say_error(name, error, error == BIL_E_DISPUTED ? why : NULL);
    return error;
}

int find_copy(open_site *h, const char *text, device_row *owner, copy_row *row)
{
    char name[SITE_NAME];
    const char *hash = strrchr(text, '#');
    snprintf(name, sizeof name, "%.*s", hash ? (int)(hash - text) : (int)strlen(text), text);
    int error = find_device(h, name, owner);
    if (error)
        return error;
    error = index_copy(&h->index, owner, hash ? hash + 1 : "last", row);
    if (error) {
        if (error == BIL_E_DISPUTED)
            say_error(text, error, "two baselines were marked that don't know of each other; mark one again");
        else
            say_error(text, error, NULL);
        device_row_free(owner);
    }
    return error;
}

static void say_two(void *ctx, const char *model, const char *digest, const char *other)
{
    const open_site *h = ctx;
    tell(stderr,
         "%s!%s %s has two descriptions that differ: %.12s and %.12s. Until you decide, the first is used for reading, "
         "and "
         "nothing is written by either.\n  To decide: bilancia check --decide %.12s --site %s\n",
         warn(), plain(), model, digest, other, digest, h->place.path);
}

int take_models(const open_site *h, catalogue *m)
{
    enum { MOST = 32 };
    static loaded_description loaded[MOST]; /* live as long as the program */
    static size_t used;
    char folder[STORAGE_PATH];
    site_path(&h->place, "", "descriptions", folder);
    DIR *dir = storage_list(folder);
    struct dirent *entry;
    while (dir && (entry = readdir(dir)) && used < MOST && m->count < CATALOGUE_MAX) {
        char path[STORAGE_PATH + 300], why[400];
        if (!index_takes_name(entry->d_name, ".yaml"))
            continue;
        snprintf(path, sizeof path, "%s/%s", folder, entry->d_name);
        int error = description_load(&loaded[used], path, why, sizeof why);
        if (error) /* what it describes isn't known; everything else is */
            say_error("passed over", error, why);
        else
            m->list[m->count++] = &loaded[used++].table;
    }
    if (dir)
        closedir(dir);
    catalogue_settle(m, h->place.id, say_two, (void *)(uintptr_t)h);
    return BIL_OK;
}

int catalogue_at_hand(catalogue *m, const char *file, const char *site_given)
{
    static open_site h;
    char why[STORAGE_PATH + 300];
    int error = catalogue_open(m, file);
    if (!error && site_find(&h.place, site_given, why, sizeof why) == BIL_OK)
        error = take_models(&h, m);
    return error;
}

/* Is it meant as a file? A file in a folder must not stand in for a copy of the site that is called so. */
static bool is_meant_as_file(const char *text)
{
    return strchr(text, '/') || storage_ends_with(text, ".bset");
}

int place_of(const char *text, const char *site_given, char *out)
{
    char digest[65];
    return place_of_copy(text, site_given, out, digest);
}

int place_of_copy(const char *text, const char *site_given, char *out, char *digest)
{
    snprintf(out, STORAGE_PATH, "%s", text);
    digest[0] = '\0';
    if (address_is_device(text) || (is_meant_as_file(text) && access(text, F_OK) == 0))
        return BIL_OK;
    open_site *h = malloc(sizeof *h);
    char why[STORAGE_PATH + 300];
    if (!h || site_find(&h->place, site_given, why, sizeof why) != BIL_OK) {
        free(h);
        return BIL_OK; /* a file that isn't there: whoever opens it says so */
    }
    int error = enter_site(h, site_given);
    device_row owner;
    copy_row copy;
    const char *hash = strrchr(text, '#');
    bool of_device =
        !hash || strcmp(hash, "#stored") == 0 || strcmp(hash, "#factory") == 0 || strncmp(hash, "#kept", 5) == 0;
    if (!error && !of_device) {
        char name[SITE_NAME], why_not[400];
        snprintf(name, sizeof name, "%.*s", (int)(hash - text), text);
        if (access(text, F_OK) == 0 && index_find(&h->index, name, &owner, why_not, sizeof why_not) != BIL_OK) {
            leave_site(h); /* no device of the site is called so: the file is meant */
            free(h);
            return BIL_OK;
        }
        if (access(text, F_OK) == 0)
            device_row_free(&owner);
        error = open_site_fresh(h, name) ? BIL_OK : BIL_E_SITE_BROKEN;
        if (!error)
            error = find_copy(h, text, &owner, &copy);
        if (!error) {
            snprintf(digest, 65, "%s", copy.digest);
            copy_path(&h->place, &copy, out);
            device_row_free(&owner);
        }
        leave_site(h);
    } else if (!error) {
        char name[SITE_NAME];
        snprintf(name, sizeof name, "%.*s", hash ? (int)(hash - text) : (int)strlen(text), text);
        if (index_device(&h->index, name, &owner)) {
            snprintf(out, STORAGE_PATH, "%s%s", card_text(&owner, "address"), hash ? hash : "");
            device_row_free(&owner);
        }
        leave_site(h);
    }
    free(h);
    return error;
}

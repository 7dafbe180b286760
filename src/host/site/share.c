#include "host/site/share.h"

#include <dirent.h>
#include <errno.h>
#include <stdlib.h>
#include <string.h>
#include <sys/file.h>
#include <unistd.h>

#include "host/base/json.h"
#include "host/copy/bring.h"
#include "host/copy/record.h"
#include "host/site/index.h"

/* ---- records ---- */

/* A record that is still being written isn't whole: whoever writes it holds a lock on it. */
static bool is_being_written(const char *path)
{
    int fd = storage_open(path, 0);
    bool busy = fd >= 0 && flock(fd, LOCK_SH | LOCK_NB) != 0 && errno == EWOULDBLOCK;
    if (fd >= 0)
        close(fd);
    return busy;
}

/* Is this text in a record of the folder, whole or as its beginning? */
static bool has_record(const char *folder, const char *text, size_t size)
{
    DIR *dir = storage_list(folder);
    struct dirent *entry;
    bool found = false;
    while (dir && !found && (entry = readdir(dir))) {
        char path[STORAGE_PATH + 300];
        size_t length = 0;
        if (!index_takes_name(entry->d_name, ".brec"))
            continue;
        snprintf(path, sizeof path, "%s/%s", folder, entry->d_name);
        char *its = storage_text(path, RECORD_MOST, &length);
        found = its && length >= size && memcmp(its, text, size) == 0;
        free(its);
    }
    if (dir)
        closedir(dir);
    return found;
}

/* Records are brought whole and never go on elsewhere: where a place has only the beginning of one, as a write that was
 * copied half way, the whole one comes beside it. */
static int bring_record(const char *from, const char *folder, const char *name, bool *added)
{
    size_t size;
    *added = false;
    if (is_being_written(from))
        return BIL_OK;
    char *text = storage_text(from, RECORD_MOST, &size);
    if (!text)
        return storage_open_error();
    int error = BIL_OK;
    *added = !has_record(folder, text, size);
    if (*added)
        error = file_add(from, folder, name);
    free(text);
    return error;
}

/* ---- folders ---- */

typedef struct sharing {
    const site *from, *to;
    unsigned *added; /* files, and records that went on */
    share_count *count;
} sharing;

/* A copy that was deleted for good stays so: its note has been brought before. */
static bool was_deleted(const site *s, const char *device, const char *file)
{
    char folder[STORAGE_PATH], path[STORAGE_PATH + 300], id[NOTE_ID + 1];
    site_path(s, device, "notes", folder);
    DIR *dir = storage_list(folder);
    struct dirent *entry;
    bool deleted = false, altered;
    while (!deleted && dir && (entry = readdir(dir))) {
        if (!storage_ends_with(entry->d_name, ".json"))
            continue;
        snprintf(path, sizeof path, "%s/%s", folder, entry->d_name);
        json_t *note = note_read(path, entry->d_name, id, &altered);
        const char *kind = json_string_value(json_object_get(note, "kind"));
        const char *name = json_string_value(json_object_get(note, "file"));
        deleted = kind && name && strcmp(kind, "deleted") == 0 && strcmp(name, file) == 0;
        json_decref(note);
    }
    if (dir)
        closedir(dir);
    return deleted;
}

/* Does this hold for every file, so that going on makes no sense? */
static bool is_of_the_place(int error)
{
    return error == BIL_E_DISK_FULL || error == BIL_E_FILE_WRITE || error == BIL_E_MEMORY || error == BIL_E_DESCRIPTORS;
}

static int share_folder(const sharing *s, const char *device, const char *what, const char *ending)
{
    char from[STORAGE_PATH], to[STORAGE_PATH], path[STORAGE_PATH + 300];
    if (!site_path(s->from, device, what, from))
        return BIL_E_FILE_OPEN;
    DIR *dir = storage_list(from);
    if (!dir)
        return errno == ENOENT ? BIL_OK : BIL_E_FILE_OPEN;
    int error = BIL_OK;
    struct dirent *entry;
    while (!error && (entry = readdir(dir))) {
        if (!index_takes_name(entry->d_name, ending))
            continue;
        bool was_there = true, same = true, added = false, is_record = strcmp(what, "records") == 0;
        snprintf(path, sizeof path, "%s/%s", from, entry->d_name);
        error = site_path_made(s->to, device, what, to);
        char there[STORAGE_PATH + 300];
        snprintf(there, sizeof there, "%s/%s", to, entry->d_name);
        if (!error && !storage_is_there(there) && strcmp(what, "copies") == 0 &&
            was_deleted(s->to, device, entry->d_name))
            continue;
        if (!error && is_record)
            error = bring_record(path, to, entry->d_name, &added);
        else if (!error)
            error = file_bring(path, to, entry->d_name, &was_there, &same);
        *s->added += !error && (added || !was_there);
        if (!same || (error && !is_of_the_place(error))) { /* this file is named, the others are brought */
            s->count->clashes += !same;
            s->count->passed_over += error != BIL_OK;
            snprintf(s->count->clash, sizeof s->count->clash, "%.*s", STORAGE_PATH - 1, path);
            error = BIL_OK;
        }
    }
    closedir(dir);
    return error;
}

static int share_devices(const sharing *s, const char *what, const char *ending)
{
    char folder[STORAGE_PATH];
    snprintf(folder, sizeof folder, "%s/devices", s->from->path);
    DIR *dir = storage_list(folder);
    struct dirent *entry;
    int error = BIL_OK;
    while (!error && dir && (entry = readdir(dir)))
        if (index_takes_name(entry->d_name, ""))
            error = share_folder(s, entry->d_name, what, ending);
    if (dir)
        closedir(dir);
    return error;
}

/* Notes first: they tell which copies were deleted. */
static int one_way(const site *from, const site *to, unsigned *added, share_count *count, bool notes)
{
    sharing s = {from, to, added, count};
    int error = BIL_OK;
    if (notes) {
        error = share_folder(&s, "", "notes", ".json");
        if (!error)
            error = share_devices(&s, "notes", ".json");
        return error;
    }
    error = share_folder(&s, "", "descriptions", ".yaml");
    if (!error)
        error = share_devices(&s, "copies", ".bset");
    if (!error)
        error = share_devices(&s, "records", ".brec");
    return error;
}

/* Is there anything in this folder? */
static bool is_empty(const char *path)
{
    DIR *dir = storage_list(path);
    struct dirent *entry;
    bool empty = true;
    while (dir && empty && (entry = readdir(dir)))
        empty = strcmp(entry->d_name, ".") == 0 || strcmp(entry->d_name, "..") == 0 ||
                strcmp(entry->d_name, "lost+found") == 0;
    if (dir)
        closedir(dir);
    return empty;
}

static int begin(const site *s, const char *path, char *why, size_t size)
{
    static const char *const first[] = {".gitignore", "site.json"};
    bool was_there, same;
    char from[STORAGE_PATH];
    if (storage_make_folder(path, 0777) != BIL_OK) {
        snprintf(why, size, "%s: %s", path, storage_why(errno));
        return storage_error();
    }
    snprintf(from, sizeof from, "%s/site.json", path);
    if (!storage_is_there(from) && !is_empty(path)) {
        snprintf(why, size, "%s: there are other things in this folder; take an empty one", path);
        return BIL_E_SITE_BROKEN;
    }
    for (int i = 0; i < 2; i++) {
        site_path(s, "", first[i], from);
        if (!storage_is_there(from))
            continue;
        int error = file_bring(from, path, first[i], &was_there, &same);
        if (error || (i == 1 && !same)) {
            snprintf(why, size, "%s: %s", path, error ? bil_host_error_text(error) : "this is another site");
            return error ? error : BIL_E_SITE_BROKEN;
        }
    }
    return BIL_OK;
}

static int both_ways(const site *s, const site *other, share_count *count)
{
    int error = BIL_OK;
    for (int notes = 1; notes >= 0 && !error; notes--) {
        error = one_way(s, other, &count->there, count, notes);
        if (!error)
            error = one_way(other, s, &count->here, count, notes);
    }
    return error;
}

int site_share(const site *s, const char *path, const char *who, share_count *count, char *why, size_t size)
{
    site other;
    *count = (share_count){0};
    int error = begin(s, path, why, size);
    if (!error)
        error = site_find(&other, path, why, size);
    if (!error && strcmp(other.path, s->path) == 0) {
        snprintf(why, size, "%s: this is the site itself", path);
        return BIL_E_CALL;
    }
    why[0] = error ? why[0] : '\0';
    if (!error)
        error = both_ways(s, &other, count);
    if (error || !(count->there || count->here))
        return error;
    char *whole = realpath(path, NULL);
    share_count again = {0};
    error = note_add(s, "", "second_place", who, jn_pack("{s:s}", "place", whole ? whole : path), NULL);
    free(whole);
    return error ? error : both_ways(s, &other, &again); /* the other place learns of it, too */
}

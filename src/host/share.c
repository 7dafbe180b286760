#include "share.h"

#include <dirent.h>
#include <errno.h>
#include <stdlib.h>
#include <string.h>
#include <sys/stat.h>
#include <unistd.h>

enum { BLOCK = 65536 };

static bool equal_files(const char *a, const char *b)
{
    static char left[BLOCK], right[BLOCK];
    FILE *x = fopen(a, "rb"), *y = fopen(b, "rb");
    bool same = x && y;
    size_t m = 1, n;
    while (same && m > 0) {
        m = fread(left, 1, BLOCK, x);
        n = fread(right, 1, BLOCK, y);
        same = m == n && memcmp(left, right, m) == 0;
    }
    if (x)
        fclose(x);
    if (y)
        fclose(y);
    return same;
}

int file_bring(const char *from, const char *folder, const char *name, bool *was_there, bool *same)
{
    static char block[BLOCK];
    char path[STORAGE_PATH + 300], done[STORAGE_PATH];
    snprintf(path, sizeof path, "%s/%s", folder, name);
    *was_there = access(path, F_OK) == 0;
    *same = true;
    if (*was_there) {
        *same = equal_files(from, path);
        return BIL_OK;
    }
    FILE *source = fopen(from, "rb");
    if (!source)
        return BIL_E_FILE_OPEN;
    storage_file storage;
    int error = storage_begin(&storage, folder, name);
    if (error) {
        fclose(source);
        return error;
    }
    size_t got;
    while (!error && (got = fread(block, 1, BLOCK, source)) > 0)
        if (fwrite(block, 1, got, storage.file) != got)
            error = storage_error();
    if (!error && ferror(source))
        error = BIL_E_FILE_OPEN;
    fclose(source);
    if (error) {
        storage_cancel(&storage);
        return error;
    }
    return storage_commit(&storage, folder, done);
}

/* A record grows while its write runs, so a place may have its beginning: the rest is added. Without it a device that
 * was let go long ago would seem held. */
static int bring_rest(const char *from, const char *to, bool *changed)
{
    static char ours[BLOCK], theirs[BLOCK];
    FILE *source = fopen(from, "rb"), *target = fopen(to, "r+b");
    int error = source && target ? BIL_OK : BIL_E_FILE_OPEN;
    size_t have = 1, got = 0;
    *changed = false;
    while (!error && have > 0) {
        have = fread(theirs, 1, BLOCK, target);
        got = fread(ours, 1, have ? have : BLOCK, source);
        if (have > 0 && (got != have || memcmp(ours, theirs, have) != 0))
            break; /* not the beginning of the other: nothing to add */
    }
    if (!error && have == 0 && got > 0) {
        error = fseek(target, 0, SEEK_END) == 0 ? BIL_OK : storage_error();
        do
            if (!error && fwrite(ours, 1, got, target) != got)
                error = storage_error();
        while (!error && (got = fread(ours, 1, BLOCK, source)) > 0);
        if (!error)
            error = storage_sync(target);
        *changed = !error;
    }
    if (source)
        fclose(source);
    if (target)
        fclose(target);
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
        if (entry->d_name[0] == '.' || !storage_ends_with(entry->d_name, ending))
            continue;
        bool was_there, same;
        snprintf(path, sizeof path, "%s/%s", from, entry->d_name);
        error = site_path_made(s->to, device, what, to);
        char there[STORAGE_PATH + 300];
        snprintf(there, sizeof there, "%s/%s", to, entry->d_name);
        if (!error && access(there, F_OK) != 0 && strcmp(what, "copies") == 0 &&
            was_deleted(s->to, device, entry->d_name))
            continue;
        if (!error)
            error = file_bring(path, to, entry->d_name, &was_there, &same);
        if (!error && !was_there)
            ++*s->added;
        if (!error && !same && strcmp(what, "records") == 0) {
            bool grown;
            error = bring_rest(path, there, &grown);
            *s->added += grown;
        } else if (!error && !same) {
            s->count->clashes++;
            snprintf(s->count->clash, sizeof s->count->clash, "%.*s", STORAGE_PATH - 1, path);
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
        if (entry->d_name[0] != '.' && strlen(entry->d_name) < SITE_FOLDER)
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
    if (mkdir(path, 0777) != 0 && errno != EEXIST) {
        snprintf(why, size, "%s: %s", path, strerror(errno));
        return BIL_E_FILE_WRITE;
    }
    snprintf(from, sizeof from, "%s/site.json", path);
    if (access(from, F_OK) != 0 && !is_empty(path)) {
        snprintf(why, size, "%s: there are other things in this folder; take an empty one", path);
        return BIL_E_SITE_BROKEN;
    }
    for (int i = 0; i < 2; i++) {
        site_path(s, "", first[i], from);
        if (access(from, F_OK) != 0)
            continue;
        int error = file_bring(from, path, first[i], &was_there, &same);
        if (error || (i == 1 && !same)) {
            snprintf(why, size, "%s: %s", path, error ? error_text(error) : "this is another site");
            return error ? error : BIL_E_SITE_BROKEN;
        }
    }
    return BIL_OK;
}

int site_share(const site *s, const char *path, share_count *count, char *why, size_t size)
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
    for (int notes = 1; notes >= 0 && !error; notes--) {
        error = one_way(s, &other, &count->there, count, notes);
        if (!error)
            error = one_way(&other, s, &count->here, count, notes);
    }
    return error;
}

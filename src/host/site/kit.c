#include "host/site/kit.h"

#include <errno.h>
#include <stdlib.h>
#include <string.h>
#include <sys/stat.h>
#include <sys/statvfs.h>
#include <time.h>
#include <unistd.h>

#include "host/base/json.h"
#include "host/base/time.h"
#include "port/digest.h"
#include "port/memory.h"
#include "port/zip.h"

enum { BLOCK = 16384, LIST_MOST = 1 << 20 };

static const char list_name[] = "kit.json", copy_name[] = "copy.bset";

#define KIT_MOST (INT64_C(1) << 40) /* bytes of all files together */
enum { KIT_NAME = sizeof((kit_file *)NULL)->name };

/* ---- what goes in ---- */

int kit_add(kit *k, const char *path, const char *folder, const char *name)
{
    struct stat seen;
    if (stat(path, &seen) != 0 || !S_ISREG(seen.st_mode) || access(path, R_OK) != 0)
        return BIL_E_FILE_OPEN;
    const char *slash = strrchr(path, '/');
    if (!name)
        name = slash ? slash + 1 : path;
    if (k->count == KIT_FILES || strlen(path) >= STORAGE_PATH ||
        strlen(folder) + strlen(name) + 2 > sizeof k->files[0].name || !bil_text_is_printable(name, strlen(name)))
        return BIL_E_CALL;
    kit_file *f = &k->files[k->count];
    snprintf(f->path, sizeof f->path, "%s", path);
    snprintf(f->name, sizeof f->name, "%s%s%s", folder, *folder ? "/" : "", name);
    for (size_t i = 0; i < k->count; i++)
        if (strcmp(k->files[i].name, f->name) == 0)
            return BIL_E_CALL;
    k->count++;
    return BIL_OK;
}

bool kit_lies_on(const char *folder, const char *storage)
{
    struct stat a, b;
    return stat(folder, &a) == 0 && stat(storage, &b) == 0 && a.st_dev == b.st_dev;
}

/* ---- writing ---- */

static bool digest_file(const char *path, char hex[2 * BIL_SHA256 + 1], uint64_t *size)
{
    char block[BLOCK];
    bil_digest digest;
    uint8_t out[BIL_SHA256];
    FILE *file = storage_read(path, 0);
    if (!file)
        return false;
    if (!digest_open(&digest)) {
        fclose(file);
        errno = ENOMEM;
        return false;
    }
    size_t got;
    *size = 0;
    digest.ops->start(digest.ctx);
    while ((got = fread(block, 1, BLOCK, file)) > 0) {
        digest.ops->add(digest.ctx, block, got);
        *size += got;
    }
    bool good = !ferror(file);
    fclose(file);
    digest.ops->end(digest.ctx, out);
    digest_close(&digest);
    set_digest_hex(out, hex);
    return good;
}

static bool put_file(zip_out *zip, const kit_file *f, uint64_t size)
{
    char block[BLOCK];
    zip_out_file(zip, f->name, size, strncmp(f->name, "tool/", 5) == 0);
    FILE *file = storage_read(f->path, 0);
    size_t got;
    while (file && (got = fread(block, 1, BLOCK, file)) > 0)
        zip_out_put(zip, block, got);
    bool good = file && !ferror(file);
    if (file)
        fclose(file);
    return good;
}

/* The list stands first, so that a kit is checked in one pass. */
static json_t *make_list(const kit *k, uint64_t *sizes, uint64_t *all, char *why, size_t size)
{
    json_t *files = jn_array();
    char hex[2 * BIL_SHA256 + 1], when[40];
    *all = 0;
    for (size_t i = 0; i < k->count; i++) {
        if (!digest_file(k->files[i].path, hex, &sizes[i])) {
            snprintf(why, size, "%s: %s", k->files[i].path, strerror(errno));
            json_decref(files);
            return NULL;
        }
        *all += sizes[i];
        jn_add(files, jn_pack("{s:s,s:I,s:s}", "name", k->files[i].name, "bytes", (json_int_t)sizes[i], "digest", hex));
    }
    time_now(when, sizeof when);
    return jn_pack("{s:i,s:s,s:s,s:s,s:s,s:s,s:o}", "bilancia_kit", 0, "device", k->device, "who", k->who, "why",
                   k->why, "when", when, "firmware", k->firmware, "files", files);
}

static bool has_room(const char *folder, uint64_t bytes)
{
    struct statvfs disk;
    return statvfs(folder, &disk) != 0 || (uint64_t)disk.f_bavail * disk.f_frsize > bytes + bytes / 20 + 65536;
}

int kit_save(const kit *k, const char *folder, const char *name, char *path, char *why, size_t why_size)
{
    uint64_t sizes[KIT_FILES], all;
    json_t *list = make_list(k, sizes, &all, why, why_size);
    if (!list)
        return mem_is_short() ? BIL_E_MEMORY : BIL_E_FILE_OPEN;
    if (!has_room(folder, all)) {
        snprintf(why, why_size, "%s: %llu MB are needed", folder, (unsigned long long)(all / 1000000 + 1));
        json_decref(list);
        return BIL_E_DISK_FULL;
    }
    char *text = jn_text(list, JSON_INDENT(2) | JSON_SORT_KEYS);
    json_decref(list);
    storage_file storage;
    int error = text ? storage_begin(&storage, folder, name) : BIL_E_MEMORY;
    if (error) {
        snprintf(why, why_size, "%s: %s", folder, bil_host_error_text(error));
        free(text);
        return error;
    }
    zip_out zip;
    zip_out_begin(&zip, storage.file);
    zip_out_file(&zip, list_name, strlen(text), false);
    zip_out_put(&zip, text, strlen(text));
    bool good = true;
    for (size_t i = 0; good && i < k->count; i++)
        good = put_file(&zip, &k->files[i], sizes[i]);
    good = zip_out_end(&zip) && good;
    if (!good)
        snprintf(why, why_size, "%s: %s", folder, strerror(errno));
    free(text);
    if (!good) {
        error = storage_error();
        storage_cancel(&storage);
        return error;
    }
    error = storage_commit(&storage, folder, path);
    if (error)
        snprintf(why, why_size, "%s: %s", folder, bil_host_error_text(error));
    return error;
}

/* ---- checking ---- */

static json_t *read_list(zip_in *zip)
{
    char *text = mem_new(LIST_MOST + 1, 1);
    if (!text)
        return NULL;
    long got, used = 0;
    while (used < LIST_MOST && (got = zip_in_get(zip, text + used, (size_t)(LIST_MOST - used))) > 0)
        used += got;
    json_t *list = jn_read(text, (size_t)used, NULL);
    mem_free(text);
    return list;
}

static json_t *entry_of(const json_t *list, const char *name)
{
    size_t i;
    json_t *one;
    json_array_foreach(json_object_get(list, "files"), i, one)
    {
        const char *its = json_string_value(json_object_get(one, "name"));
        if (its && strcmp(its, name) == 0)
            return one;
    }
    return NULL;
}

/* Digests one file of the kit; a copy is also put aside, to be looked at by itself. */
static bool read_file(zip_in *zip, FILE *aside, json_int_t most, char hex[2 * BIL_SHA256 + 1], json_int_t *bytes)
{
    char block[BLOCK];
    bil_digest digest;
    uint8_t out[BIL_SHA256];
    if (!digest_open(&digest))
        return false;
    long got;
    *bytes = 0;
    digest.ops->start(digest.ctx);
    while ((got = zip_in_get(zip, block, BLOCK)) > 0) {
        digest.ops->add(digest.ctx, block, (size_t)got);
        *bytes += got;
        if (*bytes > most)
            got = -1; /* more than the list says: nothing of it is of use */
        if (got > 0 && aside && fwrite(block, 1, (size_t)got, aside) != (size_t)got)
            got = -1;
    }
    digest.ops->end(digest.ctx, out);
    digest_close(&digest);
    set_digest_hex(out, hex);
    return got == 0;
}

static int check_copy(const char *path, char *why, size_t size)
{
    set_origin o = {0};
    bil_set_totals totals;
    char reason[600];
    int error = set_file_check(path, &o, &totals, reason, sizeof reason);
    if (error)
        snprintf(why, size, "copy.bset in the kit: %s", bil_host_error_text(error));
    return error;
}

/* Names that lead nowhere else: parts with "/" between, none of them empty, "." or "..". */
static bool is_plain_name(const char *name)
{
    size_t length = strlen(name);
    if (length == 0 || length >= KIT_NAME || strchr(name, '\\') || strchr(name, ':') ||
        !bil_text_is_printable(name, length))
        return false;
    for (const char *part = name;; part++) {
        size_t size = strcspn(part, "/");
        if (size == 0 || (size == 1 && part[0] == '.') || (size == 2 && part[0] == '.' && part[1] == '.'))
            return false;
        part += size;
        if (!*part)
            return true;
    }
}

/* Is the list one that a kit may have: each name once and plain, sizes that can be, digests, and a copy? */
static bool list_is_sound(const json_t *list)
{
    static const char *const texts[] = {"device", "who", "why", "when", "firmware"};
    const json_t *files = json_object_get(list, "files"), *format = json_object_get(list, "bilancia_kit");
    bool has_copy = false, good = json_is_array(files) && json_array_size(files) <= KIT_FILES &&
                                  json_is_integer(format) && json_integer_value(format) == 0;
    for (size_t i = 0; good && i < sizeof texts / sizeof texts[0]; i++) {
        const char *text = json_string_value(json_object_get(list, texts[i]));
        good = text && bil_text_is_printable(text, strlen(text));
    }
    json_int_t all = 0;
    for (size_t i = 0; good && i < json_array_size(files); i++) {
        const json_t *one = json_array_get(files, i), *bytes = json_object_get(one, "bytes");
        const char *name = json_string_value(json_object_get(one, "name"));
        const char *digest = json_string_value(json_object_get(one, "digest"));
        json_int_t size = json_integer_value(bytes);
        good = name && is_plain_name(name) && strcmp(name, list_name) != 0 && json_is_integer(bytes) && size >= 0 &&
               size <= KIT_MOST - all && digest && strlen(digest) == 2 * BIL_SHA256 && entry_of(list, name) == one;
        all += good ? size : 0;
        has_copy = has_copy || (name && strcmp(name, copy_name) == 0);
    }
    return good && has_copy;
}

static int check_entries(zip_in *zip, json_t *list, FILE *aside, const char *path, char *why, size_t size)
{
    zip_file file;
    size_t seen = 0;
    int result, error = BIL_OK;
    while (!error && (result = zip_in_next(zip, &file)) == 1) {
        json_t *one = entry_of(list, file.name);
        char hex[2 * BIL_SHA256 + 1];
        json_int_t bytes, listed = json_integer_value(json_object_get(one, "bytes"));
        const char *digest = json_string_value(json_object_get(one, "digest"));
        bool twice = json_object_get(one, "seen") != NULL, is_copy = one && strcmp(file.name, copy_name) == 0;
        if (!one || twice || !file.regular || !read_file(zip, is_copy ? aside : NULL, listed, hex, &bytes) ||
            strcmp(digest, hex) != 0 || bytes != listed) {
            snprintf(why, size, "%.300s: %s", bil_text_is_printable(file.name, strlen(file.name)) ? file.name : "?",
                     !one    ? "it isn't in the list of the kit"
                     : twice ? "it is in the kit twice"
                             : "it isn't what the list of the kit says");
            return BIL_E_SET_ALTERED;
        }
        jn_put(one, "seen", json_true());
        if (is_copy)
            error = fflush(aside) == 0 ? check_copy(path, why, size) : storage_error();
        seen++;
    }
    if (!error && (result != 0 || seen != json_array_size(json_object_get(list, "files")))) {
        snprintf(why, size, "%s", result == 0 ? "files of the list are missing" : "the archive is cut or damaged");
        error = BIL_E_SET_CUT;
    }
    return error;
}

int kit_take_copy(const char *path, char aside[KIT_ASIDE], json_t **list, char *why, size_t size)
{
    *list = NULL;
    zip_in zip = {0};
    zip_file first;
    int error = BIL_OK;
    int fd_of_kit = storage_open(path, 0);
    snprintf(aside, KIT_ASIDE, "/tmp/bilancia-kit-XXXXXX");
    int fd = -1;
    if (fd_of_kit < 0) {
        snprintf(why, size, "%s", storage_why(errno));
        error = storage_open_error();
    } else if (!zip_in_begin(&zip, path) || zip_in_next(&zip, &first) != 1 || strcmp(first.name, list_name) != 0 ||
               !(*list = read_list(&zip)) || !list_is_sound(*list)) {
        snprintf(why, size, "this is no kit, or it is cut or damaged");
        error = BIL_E_SET_ALTERED;
    } else {
        fd = mkstemp(aside);
        FILE *copy = fd >= 0 ? fdopen(fd, "wb") : NULL;
        error = copy ? check_entries(&zip, *list, copy, aside, why, size) : storage_error();
        if (copy)
            fclose(copy);
        if (fd >= 0 && error)
            unlink(aside);
    }
    zip_in_end(&zip);
    if (fd_of_kit >= 0)
        close(fd_of_kit);
    if (error)
        aside[0] = '\0';
    return error;
}

int kit_check(const char *path, json_t **list, char *why, size_t size)
{
    char aside[KIT_ASIDE];
    int error = kit_take_copy(path, aside, list, why, size);
    if (!error)
        unlink(aside);
    return error;
}

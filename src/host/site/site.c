#include "host/site/site.h"

#include <ctype.h>
#include <errno.h>
#include <stdlib.h>
#include <string.h>
#include <sys/random.h>
#include <unistd.h>

#include "host/base/json.h"
#include "host/base/time.h"
#include "port/digest.h"
#include "port/memory.h"

enum { FORMAT = 0 };

static const char site_file[] = STORAGE_SITE;

/* ---- finding and making ---- */

static int load(site *s, char *why, size_t size)
{
    char path[STORAGE_PATH];
    json_error_t at;
    size_t length;
    site_path(s, "", site_file, path);
    char *text = storage_text(path, NOTE_MOST, &length);
    if (!text) {
        snprintf(why, size, "%s: %s", path, storage_why(errno));
        return storage_open_error() == BIL_E_FILE_OPEN ? BIL_E_SITE_FILE : storage_open_error();
    }
    json_t *json = jn_read(text, length, &at);
    char hex[2 * BIL_SHA256 + 1] = "";
    digest_hex(text, length, hex);
    snprintf(s->id, sizeof s->id, "%s", hex);
    free(text);
    const char *name = json_string_value(json_object_get(json, "name"));
    json_t *format = json_object_get(json, "bilancia_site");
    int error = BIL_OK;
    if (!json) {
        snprintf(why, size, "%s:%d:%d: %s", path, at.line, at.column, at.text);
        error = BIL_E_SITE_FILE;
    } else if (!json_is_integer(format) || json_integer_value(format) != FORMAT) {
        snprintf(why, size, "%s: another version of this tool made this site", path);
        error = BIL_E_SITE_FILE;
    } else if (!name || !site_name_is_good(name)) {
        snprintf(why, size, "%s: the name of the site is missing", path);
        error = BIL_E_SITE_FILE;
    } else {
        snprintf(s->name, sizeof s->name, "%s", name);
    }
    json_decref(json);
    return error;
}

static bool is_site(const char *folder)
{
    char path[STORAGE_PATH + 20];
    snprintf(path, sizeof path, "%s/%s", folder, site_file);
    return access(path, F_OK) == 0;
}

static int find(site *s, const char *from, bool above, char *why, size_t size)
{
    *s = (site){0};
    char *start = realpath(from, NULL);
    if (!start || strlen(start) >= sizeof s->path - 300) {
        snprintf(why, size, "%s: %s", from, start ? "the path is too long" : strerror(errno));
        free(start);
        return BIL_E_NO_SITE;
    }
    snprintf(s->path, sizeof s->path, "%s", start);
    free(start);
    while (!is_site(s->path)) {
        char *slash = strrchr(s->path, '/');
        if (!above || !slash || slash == s->path) {
            snprintf(why, size, "%s: there is no %s", above ? "here and above" : s->path, site_file);
            return BIL_E_NO_SITE;
        }
        *slash = '\0';
    }
    return load(s, why, size);
}

int site_find(site *s, const char *given, char *why, size_t size)
{
    return given ? find(s, given, false, why, size) : find(s, ".", true, why, size);
}

int site_around(site *s, const char *folder, char *why, size_t size)
{
    return find(s, folder, true, why, size);
}

static int write_file(const char *folder, const char *name, const char *text)
{
    storage_file storage;
    char path[STORAGE_PATH];
    int error = storage_begin(&storage, folder, name);
    if (error)
        return error;
    if (fputs(text, storage.file) < 0) {
        error = storage_error();
        storage_cancel(&storage);
        return error;
    }
    return storage_commit(&storage, folder, path);
}

int site_make(site *s, const char *path, const char *name, const char *who, char *why, size_t size)
{
    *s = (site){0};
    if (is_site(path)) {
        snprintf(why, size, "%s: this is a site already", path);
        return BIL_E_CALL;
    }
    int error = storage_make_folder(path, 0777);
    json_t *json = jn_pack("{s:i,s:s,s:s}", "bilancia_site", FORMAT, "name", name, "who", who);
    char when[40];
    time_now(when, sizeof when);
    jn_put(json, "when", jn_string(when));
    char *text = jn_text(json, JSON_INDENT(2) | JSON_SORT_KEYS);
    json_decref(json);
    if (!error && (!text || mem_is_short()))
        error = BIL_E_MEMORY;
    if (!error)
        error = write_file(path, ".gitignore", ".*.part\n");
    if (!error)
        error = write_file(path, site_file, text);
    free(text);
    if (error) {
        snprintf(why, size, "%s: %s", path, strerror(errno));
        return error;
    }
    return site_find(s, path, why, size);
}

/* ---- names ---- */

bool site_name_is_good(const char *name)
{
    size_t length = strlen(name);
    return length > 0 && length < SITE_NAME && !strpbrk(name, "/#") && bil_text_is_printable(name, length) &&
           name[0] != ' ' && name[length - 1] != ' ';
}

void site_folder_of(const char *name, char out[SITE_FOLDER])
{
    size_t used = 0;
    bool plain = true;
    for (const char *c = name; *c; c++) {
        bool good = (*c >= 'a' && *c <= 'z') || (*c >= '0' && *c <= '9') || *c == '-' || *c == '_';
        plain = plain && good && used < 60;
        char safe = good ? *c : *c >= 'A' && *c <= 'Z' ? (char)(*c + 32) : '-';
        if (used < 60 && (good || safe != '-' || used == 0 || out[used - 1] != '-'))
            out[used++] = safe;
    }
    out[used] = '\0';
    char hex[2 * BIL_SHA256 + 1];
    if (!plain && digest_hex(name, strlen(name), hex))
        snprintf(out + used, SITE_FOLDER - used, "+%.8s", hex);
}

bool site_path(const site *s, const char *folder, const char *what, char out[STORAGE_PATH])
{
    const char *slash = what[0] ? "/" : "";
    int length = folder[0] ? snprintf(out, STORAGE_PATH, "%s/devices/%s%s%s", s->path, folder, slash, what)
                           : snprintf(out, STORAGE_PATH, "%s%s%s", s->path, slash, what);
    return length < STORAGE_PATH;
}

int site_path_made(const site *s, const char *folder, const char *what, char out[STORAGE_PATH])
{
    site_path(s, folder, what, out);
    return storage_make_folders(out, 0777);
}

/* ---- notes ---- */

static void compact_time(const char *when, char out[20])
{
    size_t used = 0;
    for (; *when && used < 19; when++)
        if (isdigit((unsigned char)*when) || *when == 'T' || *when == 'Z')
            out[used++] = *when;
    out[used] = '\0';
}

int note_add(const site *s, const char *folder, const char *kind, const char *who, json_t *body, char *id)
{
    char when[40], unique[20], short_when[20], hex[2 * BIL_SHA256 + 1], name[60], path[STORAGE_PATH],
        where[STORAGE_PATH];
    time_now(when, sizeof when);
    compact_time(when, short_when);
    jn_put(body, "bilancia_note", jn_integer(FORMAT));
    jn_put(body, "kind", jn_string(kind));
    jn_put(body, "who", jn_string(who));
    jn_put(body, "when", jn_string(when));
    uint64_t chance = 0; /* the same words twice in a second are two notes */
    if (getrandom(&chance, sizeof chance, 0) != sizeof chance) {
        json_decref(body);
        return BIL_E_MEMORY;
    }
    snprintf(unique, sizeof unique, "%016llx", (unsigned long long)chance);
    jn_put(body, "unique", jn_string(unique));
    char *text = mem_is_short() ? NULL : jn_text(body, JSON_COMPACT | JSON_SORT_KEYS);
    json_decref(body);
    if (!text || strlen(text) >= NOTE_MOST || !digest_hex(text, strlen(text), hex)) {
        free(text);
        return text ? BIL_E_CALL : BIL_E_MEMORY;
    }
    snprintf(name, sizeof name, "%s-%.*s.json", short_when, NOTE_SHORT, hex);
    storage_file storage;
    int error = site_path_made(s, folder, "notes", where);
    if (!error)
        error = storage_begin(&storage, where, name);
    if (!error) {
        bool good = fputs(text, storage.file) >= 0;
        error = good ? storage_commit(&storage, where, path) : storage_error();
        if (!good)
            storage_cancel(&storage);
    }
    free(text);
    if (id)
        snprintf(id, NOTE_ID + 1, "%s", hex);
    return error;
}

/* Notes come from other people's computers and their texts go to terminals: control characters have no place in them.
 */
static bool is_printable(const json_t *value)
{
    const char *key;
    json_t *entry;
    size_t i;
    if (json_is_string(value))
        return bil_text_is_printable(json_string_value(value), json_string_length(value));
    json_array_foreach(value, i, entry) if (!is_printable(entry)) return false;
    json_object_foreach((json_t *)value, key,
                        entry) if (!bil_text_is_printable(key, strlen(key)) || !is_printable(entry)) return false;
    return true;
}

json_t *note_read(const char *path, const char *name, char id[NOTE_ID + 1], bool *altered)
{
    *altered = true;
    size_t size;
    char *text = storage_text(path, NOTE_MOST, &size);
    const char *dash = strrchr(name, '-');
    json_t *json = NULL;
    if (text && dash && digest_hex(text, size, id) && strncmp(dash + 1, id, NOTE_SHORT) == 0)
        json = jn_read(text, size, NULL);
    free(text);
    *altered = !json_is_object(json) || json_integer_value(json_object_get(json, "bilancia_note")) != FORMAT ||
               !json_is_string(json_object_get(json, "kind")) || !json_is_string(json_object_get(json, "who")) ||
               !json_is_string(json_object_get(json, "when")) || !is_printable(json);
    if (*altered) {
        json_decref(json);
        return NULL;
    }
    return json;
}

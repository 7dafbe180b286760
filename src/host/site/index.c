#include "host/site/index.h"

#include <dirent.h>
#include <errno.h>
#include <fcntl.h>
#include <sqlite3.h>
#include <stdlib.h>
#include <string.h>
#include <sys/stat.h>
#include <time.h>
#include <unistd.h>

#include "host/base/arena.h"
#include "host/base/folders.h"
#include "host/copy/record.h"
#include "host/run/address.h"
#include "host/site/card.h"
#include "port/digest.h"

/* Of the tables below; an index of another version is made again. */
enum { VERSION = 4, INDEX_MOST = 1000000 /* names looked at in one folder */ };

static const char tables[] =
    "CREATE TABLE folders(path TEXT PRIMARY KEY, stamp INTEGER, unread INTEGER) WITHOUT ROWID;"
    "CREATE TABLE devices(folder TEXT PRIMARY KEY, name TEXT, key TEXT, card TEXT, card_disputed INTEGER, baseline "
    "TEXT,"
    " baseline_disputed INTEGER, copies INTEGER, last TEXT, state TEXT) WITHOUT ROWID;"
    "CREATE TABLE copies(device TEXT, file TEXT, digest TEXT, parent TEXT, values_digest TEXT, at TEXT, who TEXT, why "
    "TEXT,"
    " serial TEXT, model TEXT, firmware TEXT, origin TEXT, count INTEGER, unreadable INTEGER, place INTEGER,"
    " state INTEGER, stamp INTEGER, PRIMARY KEY(device, file)) WITHOUT ROWID;"
    "CREATE TABLE notes(device TEXT, file TEXT, id TEXT, kind TEXT, about TEXT, at TEXT, body TEXT,"
    " PRIMARY KEY(device, file)) WITHOUT ROWID;"
    "CREATE TABLE records(device TEXT, file TEXT, digest TEXT, state TEXT, PRIMARY KEY(device, file)) WITHOUT ROWID;"
    "CREATE TABLE drifts(a TEXT, b TEXT, count INTEGER, PRIMARY KEY(a, b)) WITHOUT ROWID;";

/* Made when the rows are there: that is quicker. */
static const char indexes[] = "CREATE INDEX copies_by_place ON copies(device, place);"
                              "CREATE INDEX copies_by_digest ON copies(digest);"
                              "CREATE INDEX copies_by_time ON copies(at);"
                              "CREATE INDEX copies_by_serial ON copies(serial, model);"
                              "CREATE INDEX devices_by_key ON devices(key);";

/* Two folders whose names can be taken for each other are a dispute, too. */
#define DEVICE_COLUMNS                                                                                                 \
    "folder, name, card, card_disputed OR (SELECT count(*) FROM devices twin WHERE twin.key = devices.key) > 1, "      \
    "baseline, baseline_disputed, copies, last, state"

#define COPY_COLUMNS                                                                                                   \
    "device, file, digest, parent, values_digest, at, who, why, serial, model, firmware, origin, count, unreadable, "  \
    "place, state"

/* ---- small things ---- */

/* A statement made ready once is used again: questions about a thousand devices are asked a thousand times. */
enum { READY = 32 };

typedef struct ready {
    struct {
        const char *sql; /* told apart by where it stands */
        sqlite3_stmt *statement;
        bool used;
    } list[READY];
    bool broken; /* a question went wrong */
} ready;

static sqlite3_stmt *make_ready(const site_index *x, const char *sql)
{
    ready *r = x->ready;
    sqlite3_stmt *s = NULL;
    size_t slot = READY;
    for (size_t i = 0; i < READY; i++) {
        if (r->list[i].statement && r->list[i].sql == sql && !r->list[i].used) {
            r->list[i].used = true;
            return r->list[i].statement;
        }
        if (!r->list[i].statement && slot == READY)
            slot = i;
    }
    if (sqlite3_prepare_v2(x->db, sql, -1, &s, NULL) != SQLITE_OK)
        return NULL;
    if (slot < READY) {
        r->list[slot].sql = sql;
        r->list[slot].statement = s;
        r->list[slot].used = true;
    }
    return s;
}

static void done(const site_index *x, sqlite3_stmt *s)
{
    ready *r = x->ready;
    for (size_t i = 0; s && i < READY; i++)
        if (r->list[i].statement == s) {
            sqlite3_reset(s);
            sqlite3_clear_bindings(s);
            r->list[i].used = false;
            return;
        }
    sqlite3_finalize(s);
}

/* Binds texts and numbers: `kinds` has a letter for each, 's' or 'i'. NULL on an error. Give it back with done. */
static sqlite3_stmt *ask(const site_index *x, const char *sql, const char *kinds, ...)
{
    sqlite3_stmt *s = make_ready(x, sql);
    va_list list;
    va_start(list, kinds);
    for (int i = 1; s && *kinds; kinds++, i++) {
        if (*kinds == 's')
            sqlite3_bind_text(s, i, va_arg(list, const char *), -1, SQLITE_TRANSIENT);
        else
            sqlite3_bind_int64(s, i, va_arg(list, long long));
    }
    va_end(list);
    return s;
}

/* The next row? What goes wrong marks the index as broken: it is made anew, and whoever asked is told. */
static bool next(const site_index *x, sqlite3_stmt *s)
{
    int result = s ? sqlite3_step(s) : SQLITE_ERROR;
    if (result != SQLITE_ROW && result != SQLITE_DONE)
        ((ready *)x->ready)->broken = true;
    return result == SQLITE_ROW;
}

static bool run(const site_index *x, sqlite3_stmt *s)
{
    int result = s ? sqlite3_step(s) : SQLITE_ERROR;
    done(x, s);
    bool good = result == SQLITE_DONE || result == SQLITE_ROW;
    if (!good && result != SQLITE_READONLY)
        ((ready *)x->ready)->broken = true;
    return good;
}

static const char *text_of(sqlite3_stmt *s, int column)
{
    const char *t = (const char *)sqlite3_column_text(s, column);
    return t ? t : "";
}

static void take(char *out, size_t size, sqlite3_stmt *s, int column)
{
    snprintf(out, size, "%s", text_of(s, column));
}

static uint64_t moment_of(const struct timespec *t)
{
    return (uint64_t)t->tv_sec * 1000000000u + (uint64_t)t->tv_nsec;
}

/* When a file or folder was changed last: by its own time, which anybody may set, and by that of its node, which nobody
 * can. 0: not known, or so short ago that it may change again within the same tick of its clock; -1: it isn't there. */
static long long stamp_of(const char *path)
{
    struct stat seen;
    struct timespec now;
    if (lstat(path, &seen) != 0)
        return errno == ENOENT ? -1 : 0;
    clock_gettime(CLOCK_REALTIME, &now);
    uint64_t changed = moment_of(&seen.st_ctim), present = moment_of(&now);
    if (present < changed || present - changed < 100000000u)
        return 0;
    return (long long)((changed * 31 + moment_of(&seen.st_mtim)) & INT64_MAX) | 1;
}

/* ---- bringing it up to date ---- */

typedef struct update {
    site_index *x;
    const site *site;
    sqlite3_stmt *known, *copy, *note;
    bool notes_anew, copies_anew; /* look at every file again */
} update;

/* Is this a name that the tool gives, for a folder or a file? Whatever else lies there is a stranger. */
bool index_takes_name(const char *name, const char *ending)
{
    static const char plain[] = "ABCDEFGHIJKLMNOPQRSTUVWXYZabcdefghijklmnopqrstuvwxyz0123456789_+.-";
    return name[0] != '.' && strspn(name, plain) == strlen(name) && (!ending[0] || storage_ends_with(name, ending)) &&
           strlen(name) < (ending[0] ? 256 : SITE_FOLDER);
}

static int by_name(const void *a, const void *b)
{
    return strcmp(*(char *const *)a, *(char *const *)b);
}

/* The names in a folder with this ending ("": folders). The list and its texts are the arena's. `unread`: it is there,
 * and can't be read. */
static char **names_in(arena *memory, const char *path, const char *ending, size_t *count, bool *unread)
{
    DIR *dir = storage_list(path);
    size_t room = 0;
    char **list = NULL;
    *count = 0;
    *unread = !dir && errno != ENOENT;
    struct dirent *entry;
    while (dir && *count < INDEX_MOST && (entry = readdir(dir))) {
        if (!index_takes_name(entry->d_name, ending))
            continue;
        if (*count == room) {
            char **more = arena_take(memory, (room ? room * 2 : 64) * sizeof *more);
            if (room)
                memcpy(more, list, room * sizeof *more);
            list = more;
            room = room ? room * 2 : 64;
        }
        list[(*count)++] = arena_text(memory, entry->d_name, strlen(entry->d_name));
    }
    if (dir)
        closedir(dir);
    if (*count)
        qsort(list, *count, sizeof *list, by_name);
    return list;
}

static void bind(sqlite3_stmt *s, int *at, const char *t)
{
    sqlite3_bind_text(s, (*at)++, t, -1, SQLITE_TRANSIENT);
}

static bool add_copy(update *u, const char *device, const char *folder, const char *file)
{
    char path[STORAGE_PATH + 300], digest[65] = "", values[65] = "";
    static set_origin o;
    o = (set_origin){0};
    bil_set_totals totals = {0};
    snprintf(path, sizeof path, "%s/%s", folder, file);
    int error = set_file_glance(path, &o, &totals);
    if (!error) {
        set_digest_hex(totals.digest, digest);
        set_digest_hex(totals.values_digest, values);
    }
    u->x->copies_read++;
    int at = 1;
    sqlite3_stmt *s = u->copy;
    const char *texts[] = {device, file,  digest,   o.parent, values,     o.when,
                           o.who,  o.why, o.serial, o.model,  o.firmware, o.from};
    for (size_t i = 0; i < sizeof texts / sizeof texts[0]; i++)
        bind(s, &at, texts[i]);
    sqlite3_bind_int64(s, at++, totals.values);
    sqlite3_bind_int64(s, at++, totals.unreadable);
    sqlite3_bind_int64(s, at, error ? COPY_DAMAGED : COPY_UNSEEN);
    sqlite3_step(s);
    sqlite3_reset(s);
    return error != BIL_E_DESCRIPTORS && error != BIL_E_MEMORY && error != BIL_E_FILE_OPEN;
}

/* False when it couldn't be read now: that isn't kept. */
static bool add_note(update *u, const char *device, const char *folder, const char *file)
{
    char path[STORAGE_PATH + 300], id[NOTE_ID + 1] = "";
    bool altered;
    snprintf(path, sizeof path, "%s/%s", folder, file);
    json_t *note = note_read(path, file, id, &altered);
    bool readable = note || altered;
    if (note && strcmp(json_string_value(json_object_get(note, "kind")), "device") == 0 && !card_is_sound(note)) {
        json_decref(note);
        note = NULL;
    }
    u->x->notes_read++;
    const char *about = json_string_value(json_object_get(note, "about"));
    char *body = note ? json_dumps(note, JSON_COMPACT | JSON_SORT_KEYS) : NULL;
    int at = 1;
    sqlite3_stmt *s = u->note;
    bind(s, &at, device);
    bind(s, &at, file);
    bind(s, &at, id);
    bind(s, &at, note ? json_string_value(json_object_get(note, "kind")) : readable ? "altered" : "unreadable");
    bind(s, &at, about ? about : "");
    bind(s, &at, note ? json_string_value(json_object_get(note, "when")) : "");
    bind(s, &at, body ? body : "{}");
    sqlite3_step(s);
    sqlite3_reset(s);
    free(body);
    json_decref(note);
    return readable;
}

/* Brings one folder's rows in line with its files. True when something changed. */
static bool sync_folder(update *u, const char *device, const char *what)
{
    char path[STORAGE_PATH], key[SITE_FOLDER + 40];
    bool copies = strcmp(what, "copies") == 0, anew = copies ? u->copies_anew : u->notes_anew;
    site_path(u->site, device, what, path);
    snprintf(key, sizeof key, "%s/%s", device, what);
    long long stamp = stamp_of(path), known = -2;
    sqlite3_bind_text(u->known, 1, key, -1, SQLITE_TRANSIENT);
    if (next(u->x, u->known))
        known = sqlite3_column_int64(u->known, 0);
    sqlite3_reset(u->known);
    if (known == stamp && stamp != 0 && !anew)
        return false;
    if (!copies) /* it is tried again */
        run(u->x, ask(u->x, "DELETE FROM notes WHERE device = ? AND kind = 'unreadable'", "s", device));
    arena memory = {0};
    size_t count, at = 0;
    bool unread, changed = known == -2;
    char **files = names_in(&memory, path, copies ? ".bset" : ".json", &count, &unread);
    sqlite3_stmt *old =
        ask(u->x,
            copies ? "SELECT file FROM copies WHERE device = ? ORDER BY file"
                   : "SELECT file FROM notes WHERE device = ? AND kind NOT IN ('gone', 'unreadable', 'copy_gone') "
                     "ORDER BY file",
            "s", device);
    /* both lists are sorted: what is in one alone is new, or gone */
    bool more = next(u->x, old);
    arena gone = {0};
    struct name {
        struct name *next;
        char *file;
    } *first_gone = NULL;
    while (at < count || more) {
        int order = !more ? -1 : at == count ? 1 : strcmp(files[at], text_of(old, 0));
        if (order < 0) {
            unread = !(copies ? add_copy : add_note)(u, device, path, files[at++]) || unread;
            changed = true;
        } else if (order > 0) {
            struct name *name = arena_take(&gone, sizeof *name);
            *name = (struct name){first_gone, arena_text(&gone, text_of(old, 0), strlen(text_of(old, 0)))};
            first_gone = name;
            changed = true;
            more = next(u->x, old);
        } else {
            if (anew) {
                unread = !(copies ? add_copy : add_note)(u, device, path, files[at]) || unread;
                changed = true;
            }
            at++;
            more = next(u->x, old);
        }
    }
    done(u->x, old);
    /* a note is never taken away: one that was there and isn't any more was taken by somebody */
    for (; first_gone; first_gone = first_gone->next) {
        if (!copies) {
            run(u->x, ask(u->x, "UPDATE notes SET kind = 'gone' WHERE device = ? AND file = ?", "ss", device,
                          first_gone->file));
            continue;
        }
        run(u->x,
            ask(u->x,
                "INSERT OR REPLACE INTO notes SELECT device, 'copies/' || file, '', 'copy_gone', digest, at, '{}' "
                "FROM copies WHERE device = ? AND file = ?",
                "ss", device, first_gone->file));
        run(u->x, ask(u->x, "DELETE FROM copies WHERE device = ? AND file = ?", "ss", device, first_gone->file));
    }
    if (copies)
        run(u->x,
            ask(u->x,
                "DELETE FROM notes WHERE device = ?1 AND kind = 'copy_gone' AND (about IN (SELECT digest FROM copies "
                "WHERE device = ?1) OR about IN (SELECT about FROM notes WHERE device = ?1 AND kind = 'deleted'))",
                "s", device));
    run(u->x, ask(u->x, "INSERT OR REPLACE INTO folders VALUES(?, ?, ?)", "sii", key, unread ? 0LL : stamp,
                  (long long)unread));
    arena_free(&memory);
    arena_free(&gone);
    return changed;
}

/* What is known of one record: its digest once it has its end, and whether it is as it was. */
static void sync_record(update *u, const char *device, const char *folder, const char *file)
{
    static const char end[] = "{\"event\":\"end\"}\n";
    char path[STORAGE_PATH + 300], hex[2 * BIL_SHA256 + 1] = "", known[65] = "", state[20] = "";
    size_t size;
    snprintf(path, sizeof path, "%s/%s", folder, file);
    char *text = storage_text(path, RECORD_MOST, &size);
    bool ended = text && size >= sizeof end && memcmp(text + size - (sizeof end - 1), end, sizeof end - 1) == 0;
    if (ended && !digest_hex(text, size, hex))
        hex[0] = '\0';
    free(text);
    sqlite3_stmt *s = ask(u->x, "SELECT digest, state FROM records WHERE device = ? AND file = ?", "ss", device, file);
    if (next(u->x, s)) {
        take(known, sizeof known, s, 0);
        take(state, sizeof state, s, 1);
    }
    done(u->x, s);
    bool altered = (known[0] && strcmp(known, hex) != 0) || strcmp(state, "record_altered") == 0;
    run(u->x, ask(u->x, "INSERT OR REPLACE INTO records VALUES(?, ?, ?, ?)", "ssss", device, file,
                  known[0] ? known : hex, altered ? "record_altered" : "there"));
}

/* Records are only ever added, and stay as they are once they have ended. */
static void sync_records(update *u, const char *device)
{
    char path[STORAGE_PATH], key[SITE_FOLDER + 40];
    site_path(u->site, device, "records", path);
    snprintf(key, sizeof key, "%s/records", device);
    long long stamp = stamp_of(path), known = -2;
    sqlite3_bind_text(u->known, 1, key, -1, SQLITE_TRANSIENT);
    if (next(u->x, u->known))
        known = sqlite3_column_int64(u->known, 0);
    sqlite3_reset(u->known);
    if (known == stamp && stamp != 0 && !u->copies_anew)
        return;
    arena memory = {0};
    size_t count;
    bool unread;
    char **files = names_in(&memory, path, ".brec", &count, &unread);
    if (!unread)
        run(u->x,
            ask(u->x, "UPDATE records SET state = 'record_gone' WHERE device = ? AND state = 'there'", "s", device));
    for (size_t i = 0; i < count; i++)
        sync_record(u, device, path, files[i]);
    run(u->x, ask(u->x, "INSERT OR REPLACE INTO folders VALUES(?, ?, ?)", "sii", key, unread ? 0LL : stamp,
                  (long long)unread));
    arena_free(&memory);
}

/* ---- the order of copies ---- */

typedef struct link_row {
    char *digest, *parent, *file;
    int parent_at;
    char mark; /* 0 not placed, 1 being placed, 2 placed */
} link_row;

static int by_digest(const void *a, const void *b)
{
    return strcmp((*(link_row *const *)a)->digest, (*(link_row *const *)b)->digest);
}

/* Each copy comes behind its parent, whatever the clocks say; else by time, then by digest. */
static void put_in_order(update *u, const char *device)
{
    arena memory = {0};
    size_t count = 0, room = 0;
    link_row *rows = NULL;
    sqlite3_stmt *s = ask(u->x,
                          "SELECT digest, parent, file FROM copies WHERE device = ?1 AND digest != '' AND digest NOT "
                          "IN (SELECT about FROM "
                          "notes WHERE device = ?1 AND kind = 'deleted') ORDER BY at, digest",
                          "s", device);
    while (next(u->x, s)) {
        if (count == room) {
            room = room ? 2 * room : 64;
            link_row *more = realloc(rows, room * sizeof *rows);
            if (!more)
                no_memory();
            rows = more;
        }
        rows[count++] = (link_row){arena_text(&memory, text_of(s, 0), strlen(text_of(s, 0))),
                                   arena_text(&memory, text_of(s, 1), strlen(text_of(s, 1))),
                                   arena_text(&memory, text_of(s, 2), strlen(text_of(s, 2))), -1, 0};
    }
    done(u->x, s);
    run(u->x, ask(u->x, "UPDATE copies SET place = 0 WHERE device = ? AND place != 0", "s", device));
    link_row **sorted = need(count + 1, sizeof *sorted);
    for (size_t i = 0; i < count; i++)
        sorted[i] = &rows[i];
    qsort(sorted, count, sizeof *sorted, by_digest);
    for (size_t i = 0; i < count; i++) {
        link_row key = {.digest = rows[i].parent}, *wanted = &key;
        link_row **found = rows[i].parent[0] ? bsearch(&wanted, sorted, count, sizeof *sorted, by_digest) : NULL;
        rows[i].parent_at = found ? (int)(*found - rows) : -1;
    }
    int place = 0, *stack = need(count + 1, sizeof *stack);
    s = ask(u->x, "UPDATE copies SET place = ? WHERE device = ? AND file = ?", "");
    for (size_t i = 0; i < count; i++) {
        size_t deep = 0;
        for (int at = (int)i; at >= 0 && rows[at].mark == 0; at = rows[at].parent_at) {
            rows[at].mark = 1;
            stack[deep++] = at;
        }
        while (deep > 0) {
            int at = stack[--deep];
            rows[at].mark = 2;
            sqlite3_bind_int(s, 1, ++place);
            sqlite3_bind_text(s, 2, device, -1, SQLITE_TRANSIENT);
            sqlite3_bind_text(s, 3, rows[at].file, -1, SQLITE_TRANSIENT);
            sqlite3_step(s);
            sqlite3_reset(s);
        }
    }
    done(u->x, s);
    free(stack);
    free(sorted);
    free(rows);
    arena_free(&memory);
}

/* ---- what the notes say now ---- */

static bool in_list(const json_t *list, const char *id)
{
    size_t i;
    json_t *entry;
    json_array_foreach(list, i,
                       entry) if (json_is_string(entry) && strcmp(json_string_value(entry), id) == 0) return true;
    return false;
}

/* The notes of one kind that no other follows, the newest last. An array of {"id", "note"}. */
static json_t *heads(const site_index *x, const char *device, const char *kind)
{
    json_t *all = json_array(), *left = json_array();
    sqlite3_stmt *s =
        ask(x, "SELECT id, body FROM notes WHERE device = ? AND kind = ? ORDER BY at, id", "ss", device, kind);
    while (next(x, s))
        json_array_append_new(all,
                              json_pack("{s:s,s:o?}", "id", text_of(s, 0), "note", json_loads(text_of(s, 1), 0, NULL)));
    done(x, s);
    size_t i, k;
    json_t *entry, *other;
    json_array_foreach(all, i, entry)
    {
        bool followed = false;
        const char *id = json_string_value(json_object_get(entry, "id"));
        json_array_foreach(all, k, other) followed =
            followed || in_list(json_object_get(json_object_get(other, "note"), "after"), id);
        if (!followed)
            json_array_append(left, entry);
    }
    json_decref(all);
    return left;
}

/* Do these heads disagree about what a key says? */
static bool disagree(const json_t *list, const char *key)
{
    const json_t *first = json_object_get(json_object_get(json_array_get(list, 0), "note"), key);
    size_t i;
    json_t *entry;
    json_array_foreach(list, i,
                       entry) if (!json_equal(json_object_get(json_object_get(entry, "note"), key), first)) return true;
    return false;
}

static const char *word(const json_t *object, const char *key)
{
    const char *t = json_string_value(json_object_get(object, key));
    return t ? t : "";
}

static void sum_up(update *u, const char *device)
{
    put_in_order(u, device);
    json_t *cards = heads(u->x, device, "device"), *baselines = heads(u->x, device, "baseline");
    size_t last_baseline = json_array_size(baselines);
    bool disputed;
    json_t *card = card_of(cards, &disputed);
    char key[CARD_KEY];
    card_key(card ? word(card, "name") : device, key);
    const json_t *baseline =
        last_baseline ? json_object_get(json_array_get(baselines, last_baseline - 1), "note") : NULL;
    char *body = card ? json_dumps(card, JSON_COMPACT) : NULL;
    run(u->x,
        ask(u->x,
            "INSERT OR REPLACE INTO devices SELECT ?1, ?2, ?7, ?3, ?4, ?5, ?6, (SELECT count(*) FROM copies WHERE "
            "device = "
            "?1 "
            "AND place > 0), coalesce((SELECT file FROM copies WHERE device = ?1 AND place > 0 AND origin != "
            "'" SET_OFFLINE
            "' ORDER BY place DESC LIMIT 1), (SELECT file FROM copies WHERE device = ?1 AND place > 0 ORDER BY place "
            "DESC LIMIT 1)), "
            "(SELECT body FROM notes WHERE device = ?1 AND kind = 'state' "
            "ORDER BY at DESC, id DESC LIMIT 1)",
            "sssisis", device, card ? word(card, "name") : device, body ? body : "", (long long)disputed,
            baseline ? word(baseline, "about") : "", (long long)disagree(baselines, "about"), key));
    free(body);
    json_decref(card);
    json_decref(cards);
    json_decref(baselines);
}

static void sync_devices(update *u)
{
    arena memory = {0};
    char path[STORAGE_PATH];
    size_t count;
    snprintf(path, sizeof path, "%s/devices", u->site->path);
    bool unread;
    char **folders = names_in(&memory, path, "", &count, &unread);
    for (size_t i = 0; i < count; i++) {
        bool copies = sync_folder(u, folders[i], "copies"), notes = sync_folder(u, folders[i], "notes");
        sync_records(u, folders[i]);
        run(u->x, ask(u->x, "DELETE FROM records WHERE device = '' AND file = ?", "s", folders[i]));
        if (copies || notes)
            sum_up(u, folders[i]);
    }
    sync_folder(u, "", "notes");
    if (unread) { /* not gone, only not to be seen now */
        arena_free(&memory);
        return;
    }
    /* folders that are gone */
    sqlite3_stmt *s = ask(u->x, "SELECT folder FROM devices ORDER BY folder", "");
    size_t at = 0;
    while (next(u->x, s)) {
        while (at < count && strcmp(folders[at], text_of(s, 0)) < 0)
            at++;
        if (at < count && strcmp(folders[at], text_of(s, 0)) == 0)
            continue;
        run(u->x, ask(u->x, "INSERT OR REPLACE INTO records VALUES('', ?, '', 'device_gone')", "s", text_of(s, 0)));
        run(u->x, ask(u->x, "DELETE FROM copies WHERE device = ?", "s", text_of(s, 0)));
        run(u->x, ask(u->x, "DELETE FROM notes WHERE device = ?", "s", text_of(s, 0)));
        run(u->x, ask(u->x, "DELETE FROM folders WHERE path IN (?1 || '/copies', ?1 || '/notes', ?1 || '/records')",
                      "s", text_of(s, 0)));
        run(u->x, ask(u->x, "DELETE FROM devices WHERE folder = ?", "s", text_of(s, 0)));
    }
    done(u->x, s);
    arena_free(&memory);
}

static bool end_update(update *u, bool good)
{
    done(u->x, u->known);
    done(u->x, u->copy);
    done(u->x, u->note);
    return sqlite3_exec(u->x->db, good ? "COMMIT" : "ROLLBACK", NULL, NULL, NULL) == SQLITE_OK && good;
}

static bool begin_update(update *u)
{
    site_index *x = u->x;
    if (sqlite3_exec(x->db, "BEGIN IMMEDIATE", NULL, NULL, NULL) != SQLITE_OK)
        return false;
    u->known = ask(x, "SELECT stamp FROM folders WHERE path = ?", "");
    u->copy = ask(x, "INSERT OR REPLACE INTO copies VALUES(?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, 0, ?, 0)", "");
    u->note = ask(x, "INSERT OR REPLACE INTO notes VALUES(?, ?, ?, ?, ?, ?, ?)", "");
    return (u->known && u->copy && u->note) || end_update(u, false);
}

static bool refresh(site_index *x)
{
    update u = {.x = x, .site = x->site};
    if (!begin_update(&u))
        return false;
    sync_devices(&u);
    return end_update(&u, true);
}

/* ---- opening ---- */

static void set_up(sqlite3 *db)
{
    sqlite3_busy_timeout(db, 10000);
    sqlite3_exec(db, "PRAGMA foreign_keys = OFF; PRAGMA temp_store = MEMORY; PRAGMA trusted_schema = OFF", NULL, NULL,
                 NULL);
}

static bool usable(const site_index *x)
{
    sqlite3_stmt *s = ask(x, "PRAGMA user_version", "");
    bool good = next(x, s) && sqlite3_column_int(s, 0) == VERSION;
    done(x, s);
    return good;
}

static bool open_at(site_index *x, const char *path, int flags)
{
    sqlite3 *db = NULL;
    bool good = sqlite3_open_v2(path, &db, flags, NULL) == SQLITE_OK;
    x->db = db;
    x->ready = need(1, sizeof(ready));
    if (good)
        set_up(db);
    else
        index_close(x);
    return good;
}

static bool create(site_index *x)
{
    char version[40];
    snprintf(version, sizeof version, "PRAGMA user_version = %d", VERSION);
    return sqlite3_exec(x->db, tables, NULL, NULL, NULL) == SQLITE_OK &&
           sqlite3_exec(x->db, version, NULL, NULL, NULL) == SQLITE_OK;
}

/* Makes it anew beside the old one and puts it in its place when it is whole: whoever reads the old one isn't
 * disturbed. */
static bool build(site_index *x, const char *path)
{
    char fresh[STORAGE_PATH + 40];
    snprintf(fresh, sizeof fresh, "%s.%ld.part", path, (long)getpid());
    unlink(fresh);
    if (!open_at(x, fresh, SQLITE_OPEN_READWRITE | SQLITE_OPEN_CREATE))
        return false;
    sqlite3_exec(x->db, "PRAGMA journal_mode = OFF; PRAGMA synchronous = OFF; PRAGMA locking_mode = EXCLUSIVE", NULL,
                 NULL, NULL);
    bool good = create(x) && refresh(x) && sqlite3_exec(x->db, indexes, NULL, NULL, NULL) == SQLITE_OK;
    index_close(x);
    good = good && rename(fresh, path) == 0;
    if (!good)
        unlink(fresh);
    return good && open_at(x, path, SQLITE_OPEN_READWRITE);
}

/* In the folder of the person who asks, called by what the site is and not by its path: a folder that was moved keeps
 * it, another one in its place has its own. */
static bool place_of_index(const site *s, bool make, char path[STORAGE_PATH])
{
    struct statx seen;
    char what[STORAGE_PATH], hex[2 * BIL_SHA256 + 1], name[300];
    size_t size;
    site_path(s, "", STORAGE_SITE, what);
    bool known = statx(AT_FDCWD, s->path, AT_SYMLINK_NOFOLLOW, STATX_INO | STATX_BTIME, &seen) == 0;
    char *text = known ? storage_text(what, NOTE_MOST, &size) : NULL;
    bool good = text && digest_hex(text, size, hex);
    free(text);
    if (!good)
        return false;
    snprintf(name, sizeof name, "%x:%x %llx %lld.%u %s", seen.stx_dev_major, seen.stx_dev_minor,
             (unsigned long long)seen.stx_ino, (long long)seen.stx_btime.tv_sec, seen.stx_btime.tv_nsec, hex);
    if (!digest_hex(name, strlen(name), hex) || !own_folder(OWN_CACHE, make, path))
        return false;
    size_t used = strlen(path);
    snprintf(path + used, STORAGE_PATH - used, "/sites");
    if (make && storage_make_folder(path, 0700) != BIL_OK)
        return false;
    used = strlen(path);
    snprintf(path + used, STORAGE_PATH - used, "/%.16s.sqlite", hex);
    return true;
}

bool index_broken(const site_index *x)
{
    return x->ready && ((const ready *)x->ready)->broken;
}

static bool open_in_memory(site_index *x)
{
    return open_at(x, ":memory:", SQLITE_OPEN_READWRITE | SQLITE_OPEN_CREATE) && create(x) && refresh(x) &&
           sqlite3_exec(x->db, indexes, NULL, NULL, NULL) == SQLITE_OK;
}

int index_open(site_index *x, const site *s, char *why, size_t size)
{
    char path[STORAGE_PATH];
    *x = (site_index){.site = s};
    bool kept = place_of_index(s, true, path);
    if (kept && open_at(x, path, SQLITE_OPEN_READWRITE) && usable(x) && refresh(x) && !index_broken(x))
        return BIL_OK;
    index_close(x);
    if (kept && build(x, path))
        return BIL_OK;
    index_close(x);
    if (open_in_memory(x))
        return BIL_OK;
    snprintf(why, size, "%s: the index can't be made: %s", s->path, x->db ? sqlite3_errmsg(x->db) : strerror(errno));
    index_close(x);
    return BIL_E_FILE_WRITE;
}

void index_close(site_index *x)
{
    ready *r = x->ready;
    for (size_t i = 0; r && i < READY; i++)
        sqlite3_finalize(r->list[i].statement);
    if (x->db)
        sqlite3_close(x->db);
    x->db = NULL;
    free(x->ready);
    x->ready = NULL;
}

void index_forget(const site *s)
{
    char path[STORAGE_PATH];
    if (place_of_index(s, false, path))
        unlink(path);
}

/* ---- questions ---- */

static void take_copy(sqlite3_stmt *s, copy_row *row)
{
    *row = (copy_row){.values = sqlite3_column_int(s, 12),
                      .unreadable = sqlite3_column_int(s, 13),
                      .place = sqlite3_column_int(s, 14),
                      .state = (copy_state)sqlite3_column_int(s, 15)};
    take(row->device, sizeof row->device, s, 0);
    take(row->file, sizeof row->file, s, 1);
    take(row->digest, sizeof row->digest, s, 2);
    take(row->parent, sizeof row->parent, s, 3);
    take(row->values_digest, sizeof row->values_digest, s, 4);
    take(row->when, sizeof row->when, s, 5);
    take(row->who, sizeof row->who, s, 6);
    take(row->why, sizeof row->why, s, 7);
    take(row->serial, sizeof row->serial, s, 8);
    take(row->model, sizeof row->model, s, 9);
    take(row->firmware, sizeof row->firmware, s, 10);
    take(row->from, sizeof row->from, s, 11);
}

static bool first_copy(const site_index *x, sqlite3_stmt *s, copy_row *row)
{
    bool found = next(x, s);
    if (found)
        take_copy(s, row);
    done(x, s);
    return found;
}

static void take_device(site_index *x, sqlite3_stmt *s, device_row *row)
{
    *row = (device_row){.disputed = sqlite3_column_int(s, 3) != 0,
                        .baseline_disputed = sqlite3_column_int(s, 5) != 0,
                        .copies = sqlite3_column_int(s, 6)};
    take(row->folder, sizeof row->folder, s, 0);
    take(row->name, sizeof row->name, s, 1);
    take(row->baseline, sizeof row->baseline, s, 4);
    row->card = json_loads(text_of(s, 2), 0, NULL);
    row->state = json_loads(text_of(s, 8), 0, NULL);
    row->retired = json_is_true(json_object_get(row->card, "retired"));
    if (row->copies > 0)
        first_copy(x,
                   ask(x, "SELECT " COPY_COLUMNS " FROM copies WHERE device = ? AND file = ?", "ss", row->folder,
                       text_of(s, 7)),
                   &row->last);
}

void device_row_free(device_row *row)
{
    json_decref(row->card);
    json_decref(row->state);
    row->card = row->state = NULL;
}

void index_devices(site_index *x, bool (*each)(void *ctx, const device_row *row), void *ctx)
{
    sqlite3_stmt *s = ask(x, "SELECT " DEVICE_COLUMNS " FROM devices ORDER BY name, folder", "");
    bool more = true;
    while (more && next(x, s)) {
        static device_row row;
        take_device(x, s, &row);
        more = each(ctx, &row);
        device_row_free(&row);
    }
    done(x, s);
}

bool index_folder(site_index *x, const char *folder, device_row *row)
{
    sqlite3_stmt *s = ask(x, "SELECT " DEVICE_COLUMNS " FROM devices WHERE folder = ?", "s", folder);
    bool found = next(x, s);
    if (found)
        take_device(x, s, row);
    done(x, s);
    return found;
}

/* The folders of devices at the same place as this address, the first two. */
static size_t at_address(site_index *x, const char *text, char folders[2][SITE_FOLDER])
{
    char wanted[ADDRESS_TEXT], its[ADDRESS_TEXT];
    size_t count = 0;
    if (!address_is_device(text) || !address_place(text, wanted))
        return 0;
    sqlite3_stmt *s =
        ask(x, "SELECT folder, json_extract(nullif(card, ''), '$.address') FROM devices ORDER BY folder", "");
    while (next(x, s) && count < 2) {
        if (address_place(text_of(s, 1), its) && strcmp(its, wanted) == 0)
            take(folders[count++], SITE_FOLDER, s, 0);
    }
    done(x, s);
    return count;
}

int index_find(site_index *x, const char *name, device_row *row, char *why, size_t size)
{
    static const char prefix[] = "devices/";
    char folders[2][SITE_FOLDER] = {"", ""};
    size_t count = 0;
    if (strncmp(name, prefix, sizeof prefix - 1) == 0)
        return index_folder(x, name + sizeof prefix - 1, row) ? BIL_OK : BIL_E_NO_DEVICE;
    sqlite3_stmt *s = ask(x, "SELECT folder FROM devices WHERE name = ? ORDER BY folder LIMIT 2", "s", name);
    while (next(x, s))
        take(folders[count++], SITE_FOLDER, s, 0);
    done(x, s);
    if (count == 0 && index_folder(x, name, row))
        return BIL_OK;
    if (count == 0)
        count = at_address(x, name, folders);
    if (count == 2) {
        snprintf(why, size, "the site has two of these, in the folders %s and %s; say devices/%s or devices/%s",
                 folders[0], folders[1], folders[0], folders[1]);
        return BIL_E_DISPUTED;
    }
    return count && index_folder(x, folders[0], row) ? BIL_OK : BIL_E_NO_DEVICE;
}

bool index_device(site_index *x, const char *name, device_row *row)
{
    char why[400];
    return index_find(x, name, row, why, sizeof why) == BIL_OK;
}

bool index_each_at(site_index *x, const char *at, const char *model, const char *serial,
                   bool (*each)(void *ctx, const device_row *row), void *ctx)
{
    char wanted[ADDRESS_TEXT] = "", its[ADDRESS_TEXT];
    bool more = true;
    if (!address_place(at, wanted))
        wanted[0] = '\0';
    /* who it is: by the last copy of each device; an old one may be of a unit that went elsewhere */
    sqlite3_stmt *s =
        ask(x,
            "SELECT folder, coalesce(json_extract(nullif(card, ''), '$.address'), ''), EXISTS(SELECT 1 FROM copies c "
            "WHERE c.device = folder AND c.file = last AND c.serial = ?1 AND c.model = ?2 AND ?1 != '') FROM devices "
            "ORDER BY folder",
            "ss", serial, model);
    arena memory = {0};
    struct name {
        struct name *next;
        char *folder;
    } *list = NULL;
    while (next(x, s))
        if (sqlite3_column_int(s, 2) || (address_place(text_of(s, 1), its) && strcmp(its, wanted) == 0)) {
            struct name *one = arena_take(&memory, sizeof *one);
            *one = (struct name){list, arena_text(&memory, text_of(s, 0), strlen(text_of(s, 0)))};
            list = one;
        }
    done(x, s);
    for (; list && more; list = list->next) {
        device_row *row = need(1, sizeof *row);
        if (index_folder(x, list->folder, row)) {
            more = each(ctx, row);
            device_row_free(row);
        }
        free(row);
    }
    arena_free(&memory);
    return more;
}

bool index_unclear(site_index *x, const device_row *row, char *why, size_t size)
{
    why[0] = '\0';
    sqlite3_stmt *s =
        ask(x, "SELECT folder FROM devices WHERE folder != ?1 AND key = (SELECT key FROM devices WHERE folder = ?1)",
            "s", row->folder);
    if (next(x, s))
        snprintf(why, size, "another folder of the site has a device of the same name: devices/%s", text_of(s, 0));
    else if (row->disputed)
        snprintf(why, size, "two places of the site say different things of it");
    done(x, s);
    s = ask(x, "SELECT kind, file FROM notes WHERE device = ? AND kind IN ('altered', 'unreadable', 'gone') LIMIT 1",
            "s", row->folder);
    if (!why[0] && next(x, s))
        snprintf(why, size, "a note of it %s: %s",
                 strcmp(text_of(s, 0), "gone") == 0      ? "was there and is gone"
                 : strcmp(text_of(s, 0), "altered") == 0 ? "isn't what its name says"
                                                         : "can't be read",
                 text_of(s, 1));
    done(x, s);
    s = ask(x, "SELECT 1 FROM folders WHERE path = ?1 || '/notes' AND unread != 0", "s", row->folder);
    if (!why[0] && next(x, s))
        snprintf(why, size, "its notes can't be read");
    done(x, s);
    return why[0] != '\0';
}

void index_strange(site_index *x, const char *folder, bool (*each)(void *ctx, const char *kind, const char *file),
                   void *ctx)
{
    sqlite3_stmt *s =
        ask(x,
            "SELECT kind, file FROM notes WHERE device = ?1 AND (kind IN ('altered', 'unreadable', 'gone') OR (kind = "
            "'copy_gone' AND about NOT IN (SELECT about FROM notes WHERE device = ?1 AND kind = 'deleted'))) "
            "UNION ALL SELECT state, iif(?1 = '', 'devices/', 'records/') || file FROM records WHERE device = ?1 AND "
            "state != "
            "'there' "
            "UNION ALL SELECT 'damaged', 'copies/' || file FROM copies WHERE device = ?1 AND digest = '' ORDER BY 2",
            "s", folder);
    bool more = true;
    while (more && next(x, s))
        more = each(ctx, text_of(s, 0), text_of(s, 1));
    done(x, s);
}

void index_accept(site_index *x, const char *folder)
{
    run(x, ask(x, "DELETE FROM notes WHERE device = ? AND kind IN ('gone', 'copy_gone')", "s", folder));
    run(x, ask(x, "DELETE FROM records WHERE device = ? AND state != 'there'", "s", folder));
}

static bool reread(site_index *x, const char *folder, bool copies)
{
    update u = {.x = x, .site = x->site, .notes_anew = true, .copies_anew = copies};
    if (!begin_update(&u))
        return false;
    if (folder) {
        sync_folder(&u, folder, "copies");
        sync_folder(&u, folder, "notes");
        sync_folder(&u, "", "notes");
        sum_up(&u, folder);
    } else {
        sync_devices(&u);
    }
    return end_update(&u, true) && !index_broken(x);
}

bool index_reread(site_index *x, const char *folder, bool copies)
{
    if (reread(x, folder, copies))
        return true;
    index_close(x); /* it can't be brought up to date where it lies, as on a full disk: then all is read into memory */
    return open_in_memory(x);
}

void index_copies(site_index *x, const char *folder, int most, bool (*each)(void *ctx, const copy_row *row), void *ctx)
{
    sqlite3_stmt *s =
        ask(x, "SELECT " COPY_COLUMNS " FROM copies WHERE device = ? AND place > 0 ORDER BY place DESC LIMIT ?", "si",
            folder, (long long)(most ? most : -1));
    bool more = true;
    copy_row row;
    while (more && next(x, s)) {
        take_copy(s, &row);
        more = each(ctx, &row);
    }
    done(x, s);
}

bool index_name_is_good(const char *name)
{
    static const char *const taken[] = {"last", "first", "baseline", "stored", "factory"};
    size_t length = strlen(name);
    if (length == 0 || length > 40 || !(name[0] >= 'a' && name[0] <= 'z') || strncmp(name, "kept", 4) == 0 ||
        strspn(name, "abcdefghijklmnopqrstuvwxyz0123456789_-") != length || strspn(name, "0123456789abcdef") == length)
        return false;
    for (size_t i = 0; i < sizeof taken / sizeof taken[0]; i++)
        if (strcmp(name, taken[i]) == 0)
            return false;
    return true;
}

/* The notes that give this name and that no later one follows. */
static json_t *namings(const site_index *x, const char *device, const char *name)
{
    json_t *all = heads(x, device, "named"), *its = json_array(), *entry;
    size_t i;
    json_array_foreach(all, i, entry)
    {
        if (strcmp(word(json_object_get(entry, "note"), "name"), name) == 0)
            json_array_append(its, entry);
    }
    json_decref(all);
    return its;
}

json_t *index_name_heads(site_index *x, const char *folder, const char *name)
{
    json_t *list = namings(x, folder, name), *ids = json_array(), *entry;
    size_t i;
    json_array_foreach(list, i, entry) json_array_append(ids, json_object_get(entry, "id"));
    json_decref(list);
    return ids;
}

/* The digest of the copy that goes by a name. */
static int named_copy(site_index *x, const device_row *device, const char *name, char digest[65])
{
    json_t *list = namings(x, device->folder, name);
    size_t count = json_array_size(list);
    bool two = disagree(list, "about");
    if (count)
        snprintf(digest, 65, "%s", word(json_object_get(json_array_get(list, count - 1), "note"), "about"));
    json_decref(list);
    return count == 0 ? BIL_E_NO_COPY : two ? BIL_E_DISPUTED : BIL_OK;
}

int index_copy(site_index *x, const device_row *device, const char *which, copy_row *row)
{
    char named[65];
    size_t length = strlen(which);
    if (length == 0 || length > 64)
        return BIL_E_NO_COPY;
    if (index_name_is_good(which)) {
        int error = named_copy(x, device, which, named);
        if (error)
            return error;
        which = named;
        length = strlen(named);
    }
    bool digits = strspn(which, "0123456789") == length && length < 6;
    const char *key = which;
    const char *sql =
        "SELECT " COPY_COLUMNS " FROM copies WHERE device = ?1 AND place > 0 AND digest LIKE ?2 || '%' LIMIT 2";
    if (strcmp(which, "last") == 0) {
        sql = "SELECT " COPY_COLUMNS " FROM copies WHERE device = ?1 AND file = ?2";
        key = device->copies ? device->last.file : "";
    } else if (strcmp(which, "first") == 0)
        sql = "SELECT " COPY_COLUMNS " FROM copies WHERE device = ?1 AND place = 1 AND ?2 != ''";
    else if (strcmp(which, "baseline") == 0)
        key = device->baseline;
    else if (digits)
        sql = "SELECT " COPY_COLUMNS " FROM copies WHERE device = ?1 AND place = CAST(?2 AS INTEGER)";
    else if (length < 6 || strspn(which, "0123456789abcdef") < length)
        return BIL_E_NO_COPY;
    if (!key[0])
        return BIL_E_NO_COPY;
    if (strlen(key) == 64 && key != device->last.file)
        sql = "SELECT " COPY_COLUMNS " FROM copies WHERE device = ?1 AND digest = ?2 AND place > 0";
    if (strcmp(which, "baseline") == 0 && device->baseline_disputed)
        return BIL_E_DISPUTED;
    sqlite3_stmt *s = ask(x, sql, "ss", device->folder, key);
    bool found = next(x, s);
    if (found) {
        take_copy(s, row);
        char digest[65];
        snprintf(digest, sizeof digest, "%s", row->digest);
        if (next(x, s) && strcmp(text_of(s, 2), digest) != 0)
            found = false; /* two begin like this */
    }
    done(x, s);
    return found ? BIL_OK : BIL_E_NO_COPY;
}

bool index_copy_by_digest(site_index *x, const char *digest, copy_row *row)
{
    return first_copy(
        x, ask(x, "SELECT " COPY_COLUMNS " FROM copies WHERE digest = ? AND place > 0 LIMIT 1", "s", digest), row);
}

void copy_path(const site *s, const copy_row *row, char out[STORAGE_PATH])
{
    char what[300];
    snprintf(what, sizeof what, "copies/%s", row->file);
    site_path(s, row->device, what, out);
}

/* "...-DIGEST.bset", or "...-DIGEST-2.bset" where two read the same at once. */
static bool name_has_digest(const char *file, const char *digest)
{
    char part[SET_NAME_DIGEST + 2];
    snprintf(part, sizeof part, "-%s", digest);
    const char *at = strstr(file, part);
    if (!at)
        return false;
    at += strlen(part);
    if (*at == '-' && at[1] >= '2' && at[1] <= '9')
        at += 1 + strspn(at + 1, "0123456789");
    return strcmp(at, ".bset") == 0;
}

copy_state index_verify(site_index *x, copy_row *row)
{
    char path[STORAGE_PATH], why[500], digest[65];
    copy_path(x->site, row, path);
    long long stamp = stamp_of(path), seen = -2;
    sqlite3_stmt *s = ask(x, "SELECT stamp FROM copies WHERE device = ? AND file = ?", "ss", row->device, row->file);
    if (next(x, s))
        seen = sqlite3_column_int64(s, 0);
    done(x, s);
    if (row->state != COPY_UNSEEN && seen == stamp && stamp > 0)
        return row->state;
    static set_origin o;
    bil_set_totals totals;
    row->state = set_file_check(path, &o, &totals, why, sizeof why) == BIL_OK ? COPY_WHOLE : COPY_DAMAGED;
    set_digest_hex(totals.digest, digest);
    if (row->state == COPY_WHOLE && (!name_has_digest(row->file, digest) || strcmp(digest, row->digest) != 0))
        row->state = COPY_DAMAGED; /* another file under the name of this one */
    run(x, ask(x, "UPDATE copies SET state = ?, stamp = ? WHERE device = ? AND file = ?", "iiss", (long long)row->state,
               stamp > 0 ? stamp : 0LL, row->device, row->file));
    return row->state;
}

/* ---- drift ---- */

static bool counts(const bil_item *item)
{
    return item->cls == BIL_CLASS_SETUP || item->cls == BIL_CLASS_PLACE || item->cls == BIL_CLASS_CALIBRATION;
}

static int count_differences(const char *left, const char *right)
{
    static set_file a, b;
    if (set_file_open(&a, left, SET_QUICKLY) != BIL_OK)
        return -1;
    if (set_file_open(&b, right, SET_QUICKLY) != BIL_OK) {
        set_file_close(&a);
        return -1;
    }
    bil_compare compare;
    bil_difference d;
    set_pair pair = {&a, &b, NULL};
    bil_compare_init(&compare, set_file_source(&a), set_file_source(&b));
    compare.skip = set_pair_skip(&pair);
    int count = 0, got;
    while ((got = bil_compare_next(&compare, &d)) == 1)
        count += d.relation != BIL_REL_EQUAL && counts(d.left ? d.left : d.right);
    set_file_close(&a);
    set_file_close(&b);
    return got < 0 ? -1 : count;
}

int index_drift(site_index *x, const copy_row *a, const copy_row *b)
{
    if (!a->values_digest[0] || !b->values_digest[0])
        return -1;
    if (strcmp(a->values_digest, b->values_digest) == 0 && a->unreadable == 0 && b->unreadable == 0)
        return 0;
    bool swap = strcmp(a->digest, b->digest) > 0;
    const char *low = swap ? b->digest : a->digest, *high = swap ? a->digest : b->digest;
    sqlite3_stmt *s = ask(x, "SELECT count FROM drifts WHERE a = ? AND b = ?", "ss", low, high);
    int count = next(x, s) ? sqlite3_column_int(s, 0) : -2;
    done(x, s);
    if (count != -2)
        return count;
    char left[STORAGE_PATH], right[STORAGE_PATH];
    copy_path(x->site, a, left);
    copy_path(x->site, b, right);
    count = count_differences(left, right);
    if (count >= 0)
        run(x, ask(x, "INSERT OR REPLACE INTO drifts VALUES(?, ?, ?)", "ssi", low, high, (long long)count));
    return count;
}

/* ---- notes ---- */

void index_notes(site_index *x, const char *folder, const char *kind, const char *about,
                 bool (*each)(void *ctx, const char *id, const json_t *note), void *ctx)
{
    sqlite3_stmt *s =
        ask(x,
            "SELECT id, body FROM notes WHERE device = ?1 AND (?2 = '' OR kind = ?2) AND (?3 = '' OR about = "
            "?3) ORDER BY at, id",
            "sss", folder, kind ? kind : "", about ? about : "");
    bool more = true;
    while (more && next(x, s)) {
        json_t *note = json_loads(text_of(s, 1), 0, NULL);
        more = each(ctx, text_of(s, 0), note);
        json_decref(note);
    }
    done(x, s);
}

json_t *index_heads(site_index *x, const char *folder, const char *kind)
{
    json_t *list = heads(x, folder, kind), *ids = json_array();
    size_t i;
    json_t *entry;
    json_array_foreach(list, i, entry) json_array_append(ids, json_object_get(entry, "id"));
    json_decref(list);
    return ids;
}

bool index_serial_elsewhere(site_index *x, const char *model, const char *serial, const char *folder, copy_row *row)
{
    return serial[0] &&
           first_copy(x,
                      ask(x,
                          "SELECT " COPY_COLUMNS " FROM copies WHERE serial = ? AND model = ? AND device != ? AND "
                          "place > 0 ORDER BY at DESC LIMIT 1",
                          "sss", serial, model, folder),
                      row);
}

bool index_serial_shared(site_index *x, const char *model, const char *serial, const char *folder)
{
    sqlite3_stmt *s =
        ask(x,
            "SELECT 1 FROM copies c WHERE serial = ? AND model = ? AND device != ? AND place > 0 AND place = "
            "(SELECT max(place) FROM copies d WHERE d.device = c.device) LIMIT 1",
            "sss", serial, model, folder);
    bool shared = serial[0] && next(x, s);
    done(x, s);
    return shared;
}

int index_count_since(site_index *x, const char *when)
{
    sqlite3_stmt *s = ask(x, "SELECT count(*) FROM copies WHERE at > ?", "s", when);
    int count = next(x, s) ? sqlite3_column_int(s, 0) : 0;
    done(x, s);
    return count;
}

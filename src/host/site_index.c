#include "site_index.h"

#include <dirent.h>
#include <errno.h>
#include <sqlite3.h>
#include <stdlib.h>
#include <string.h>
#include <sys/stat.h>
#include <time.h>
#include <unistd.h>

#include "arena.h"

/* Of the tables below; an index of another version is made again. */
enum { VERSION = 2 };

static const char file_name[] = ".index.sqlite";

static const char tables[] =
    "CREATE TABLE folders(path TEXT PRIMARY KEY, mtime INTEGER) WITHOUT ROWID;"
    "CREATE TABLE devices(folder TEXT PRIMARY KEY, name TEXT, card TEXT, card_disputed INTEGER, baseline TEXT,"
    " baseline_disputed INTEGER, copies INTEGER, last TEXT, state TEXT) WITHOUT ROWID;"
    "CREATE TABLE copies(device TEXT, file TEXT, digest TEXT, parent TEXT, values_digest TEXT, at TEXT, who TEXT, why "
    "TEXT,"
    " serial TEXT, model TEXT, firmware TEXT, origin TEXT, count INTEGER, unreadable INTEGER, place INTEGER,"
    " state INTEGER, mtime INTEGER, PRIMARY KEY(device, file)) WITHOUT ROWID;"
    "CREATE TABLE notes(device TEXT, file TEXT, id TEXT, kind TEXT, about TEXT, at TEXT, body TEXT,"
    " PRIMARY KEY(device, file)) WITHOUT ROWID;"
    "CREATE TABLE drifts(a TEXT, b TEXT, count INTEGER, PRIMARY KEY(a, b)) WITHOUT ROWID;";

/* Made when the rows are there: that is quicker. */
static const char indexes[] = "CREATE INDEX copies_by_place ON copies(device, place);"
                              "CREATE INDEX copies_by_digest ON copies(digest);"
                              "CREATE INDEX copies_by_time ON copies(at);"
                              "CREATE INDEX copies_by_serial ON copies(serial, model);";

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

static const char *text(sqlite3_stmt *s, int column)
{
    const char *t = (const char *)sqlite3_column_text(s, column);
    return t ? t : "";
}

static void take(char *out, size_t size, sqlite3_stmt *s, int column)
{
    snprintf(out, size, "%s", text(s, column));
}

static long long mtime_of(const char *path)
{
    struct stat seen;
    return lstat(path, &seen) == 0 ? (long long)seen.st_mtim.tv_sec * 1000000000 + seen.st_mtim.tv_nsec : -1;
}

/* A folder that changed a moment ago may change again within the same tick of its clock: it is looked at once more. */
static long long settled(long long mtime)
{
    struct timespec now;
    clock_gettime(CLOCK_REALTIME, &now);
    long long age = (long long)now.tv_sec * 1000000000 + now.tv_nsec - mtime;
    return age > 100000000 ? mtime : 0;
}

/* ---- bringing it up to date ---- */

typedef struct update {
    site_index *x;
    const site *site;
    sqlite3_stmt *known, *copy, *note;
} update;

static int by_name(const void *a, const void *b)
{
    return strcmp(*(char *const *)a, *(char *const *)b);
}

/* The names in a folder with this ending ("": folders). The list and its texts are the arena's. */
static char **names_in(arena *memory, const char *path, const char *ending, size_t *count)
{
    DIR *dir = storage_list(path);
    size_t room = 0;
    char **list = NULL;
    *count = 0;
    struct dirent *entry;
    while (dir && (entry = readdir(dir))) {
        if (entry->d_name[0] == '.' || (ending[0] && !storage_ends_with(entry->d_name, ending)) ||
            strlen(entry->d_name) >= (ending[0] ? 256 : SITE_FOLDER))
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

static void add_copy(update *u, const char *device, const char *folder, const char *file)
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
}

static void add_note(update *u, const char *device, const char *folder, const char *file)
{
    char path[STORAGE_PATH + 300], id[NOTE_ID + 1] = "";
    bool altered;
    snprintf(path, sizeof path, "%s/%s", folder, file);
    json_t *note = note_read(path, file, id, &altered);
    u->x->notes_read++;
    const char *about = json_string_value(json_object_get(note, "about"));
    char *body = note ? json_dumps(note, JSON_COMPACT | JSON_SORT_KEYS) : NULL;
    int at = 1;
    sqlite3_stmt *s = u->note;
    bind(s, &at, device);
    bind(s, &at, file);
    bind(s, &at, id);
    bind(s, &at, note ? json_string_value(json_object_get(note, "kind")) : "altered");
    bind(s, &at, about ? about : "");
    bind(s, &at, note ? json_string_value(json_object_get(note, "when")) : "");
    bind(s, &at, body ? body : "{}");
    sqlite3_step(s);
    sqlite3_reset(s);
    free(body);
    json_decref(note);
}

/* Brings one folder's rows in line with its files. True when something changed. */
static bool sync_folder(update *u, const char *device, const char *what)
{
    char path[STORAGE_PATH], key[SITE_FOLDER + 40];
    bool copies = strcmp(what, "copies") == 0;
    site_path(u->site, device, what, path);
    snprintf(key, sizeof key, "%s/%s", device, what);
    long long mtime = mtime_of(path), known = -1;
    sqlite3_bind_text(u->known, 1, key, -1, SQLITE_TRANSIENT);
    if (next(u->x, u->known))
        known = sqlite3_column_int64(u->known, 0);
    sqlite3_reset(u->known);
    if (known == mtime && mtime != 0)
        return false;
    arena memory = {0};
    size_t count, at = 0;
    char **files = names_in(&memory, path, copies ? ".bset" : ".json", &count);
    bool changed = false;
    sqlite3_stmt *old = ask(u->x,
                            copies ? "SELECT file FROM copies WHERE device = ? ORDER BY file"
                                   : "SELECT file FROM notes WHERE device = ? ORDER BY file",
                            "s", device);
    /* both lists are sorted: what is in one alone is new, or gone */
    bool more = next(u->x, old);
    arena gone = {0};
    struct name {
        struct name *next;
        char *file;
    } *first_gone = NULL;
    while (at < count || more) {
        int order = !more ? -1 : at == count ? 1 : strcmp(files[at], text(old, 0));
        if (order < 0) {
            (copies ? add_copy : add_note)(u, device, path, files[at++]);
            changed = true;
        } else if (order > 0) {
            struct name *name = arena_take(&gone, sizeof *name);
            *name = (struct name){first_gone, arena_text(&gone, text(old, 0), strlen(text(old, 0)))};
            first_gone = name;
            changed = true;
            more = next(u->x, old);
        } else {
            at++;
            more = next(u->x, old);
        }
    }
    done(u->x, old);
    for (; first_gone; first_gone = first_gone->next)
        run(u->x, ask(u->x,
                      copies ? "DELETE FROM copies WHERE device = ? AND file = ?"
                             : "DELETE FROM notes WHERE device = ? AND file = ?",
                      "ss", device, first_gone->file));
    run(u->x, ask(u->x, "INSERT OR REPLACE INTO folders VALUES(?, ?)", "si", key, settled(mtime)));
    arena_free(&memory);
    arena_free(&gone);
    return changed;
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
    sqlite3_stmt *s =
        ask(u->x,
            "SELECT digest, parent, file FROM copies WHERE device = ?1 AND digest NOT IN (SELECT about FROM "
            "notes WHERE device = ?1 AND kind = 'deleted') ORDER BY at, digest",
            "s", device);
    while (next(u->x, s)) {
        if (count == room) {
            room = room ? 2 * room : 64;
            link_row *more = realloc(rows, room * sizeof *rows);
            if (!more)
                abort();
            rows = more;
        }
        rows[count++] = (link_row){arena_text(&memory, text(s, 0), strlen(text(s, 0))),
                                   arena_text(&memory, text(s, 1), strlen(text(s, 1))),
                                   arena_text(&memory, text(s, 2), strlen(text(s, 2))), -1, 0};
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
        json_array_append_new(all, json_pack("{s:s,s:o?}", "id", text(s, 0), "note", json_loads(text(s, 1), 0, NULL)));
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
    size_t last_card = json_array_size(cards), last_baseline = json_array_size(baselines);
    const json_t *card = last_card ? json_object_get(json_array_get(cards, last_card - 1), "note") : NULL;
    const json_t *baseline =
        last_baseline ? json_object_get(json_array_get(baselines, last_baseline - 1), "note") : NULL;
    char *body = card ? json_dumps(card, JSON_COMPACT) : NULL;
    run(u->x,
        ask(u->x,
            "INSERT OR REPLACE INTO devices SELECT ?1, ?2, ?3, ?4, ?5, ?6, (SELECT count(*) FROM copies WHERE device = "
            "?1 "
            "AND place > 0), coalesce((SELECT file FROM copies WHERE device = ?1 AND place > 0 AND origin != "
            "'" SET_OFFLINE
            "' ORDER BY place DESC LIMIT 1), (SELECT file FROM copies WHERE device = ?1 AND place > 0 ORDER BY place "
            "DESC LIMIT 1)), "
            "(SELECT body FROM notes WHERE device = ?1 AND kind = 'state' "
            "ORDER BY at DESC, id DESC LIMIT 1)",
            "sssisi", device, card ? word(card, "name") : device, body ? body : "",
            (long long)(disagree(cards, "address") || disagree(cards, "name")), baseline ? word(baseline, "about") : "",
            (long long)disagree(baselines, "about")));
    free(body);
    json_decref(cards);
    json_decref(baselines);
}

static void sync_devices(update *u)
{
    arena memory = {0};
    char path[STORAGE_PATH];
    size_t count;
    snprintf(path, sizeof path, "%s/devices", u->site->path);
    char **folders = names_in(&memory, path, "", &count);
    for (size_t i = 0; i < count; i++) {
        bool copies = sync_folder(u, folders[i], "copies"), notes = sync_folder(u, folders[i], "notes");
        if (copies || notes)
            sum_up(u, folders[i]);
    }
    sync_folder(u, "", "notes");
    /* folders that are gone */
    sqlite3_stmt *s = ask(u->x, "SELECT folder FROM devices ORDER BY folder", "");
    size_t at = 0;
    while (next(u->x, s)) {
        while (at < count && strcmp(folders[at], text(s, 0)) < 0)
            at++;
        if (at < count && strcmp(folders[at], text(s, 0)) == 0)
            continue;
        run(u->x, ask(u->x, "DELETE FROM copies WHERE device = ?", "s", text(s, 0)));
        run(u->x, ask(u->x, "DELETE FROM notes WHERE device = ?", "s", text(s, 0)));
        run(u->x, ask(u->x, "DELETE FROM folders WHERE path IN (?1 || '/copies', ?1 || '/notes')", "s", text(s, 0)));
        run(u->x, ask(u->x, "DELETE FROM devices WHERE folder = ?", "s", text(s, 0)));
    }
    done(u->x, s);
    arena_free(&memory);
}

static bool refresh(site_index *x)
{
    update u = {.x = x, .site = x->site};
    if (sqlite3_exec(x->db, "BEGIN IMMEDIATE", NULL, NULL, NULL) != SQLITE_OK)
        return false;
    u.known = ask(x, "SELECT mtime FROM folders WHERE path = ?", "");
    u.copy = ask(x, "INSERT OR REPLACE INTO copies VALUES(?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, 0, ?, 0)", "");
    u.note = ask(x, "INSERT OR REPLACE INTO notes VALUES(?, ?, ?, ?, ?, ?, ?)", "");
    bool good = u.known && u.copy && u.note;
    if (good)
        sync_devices(&u);
    done(x, u.known);
    done(x, u.copy);
    done(x, u.note);
    return sqlite3_exec(x->db, good ? "COMMIT" : "ROLLBACK", NULL, NULL, NULL) == SQLITE_OK && good;
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
    site_path(s, "", file_name, path);
    if (open_at(x, path, SQLITE_OPEN_READWRITE) && usable(x) && refresh(x) && !index_broken(x))
        return BIL_OK;
    index_close(x);
    if (build(x, path))
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
    site_path(s, "", file_name, path);
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
    row->card = json_loads(text(s, 2), 0, NULL);
    row->state = json_loads(text(s, 8), 0, NULL);
    row->retired = json_is_true(json_object_get(row->card, "retired"));
    if (row->copies > 0)
        first_copy(
            x,
            ask(x, "SELECT " COPY_COLUMNS " FROM copies WHERE device = ? AND file = ?", "ss", row->folder, text(s, 7)),
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
    sqlite3_stmt *s =
        ask(x,
            "SELECT folder, name, card, card_disputed, baseline, baseline_disputed, copies, last, state FROM devices "
            "ORDER BY name, folder",
            "");
    bool more = true;
    while (more && next(x, s)) {
        static device_row row;
        take_device(x, s, &row);
        more = each(ctx, &row);
        device_row_free(&row);
    }
    done(x, s);
}

bool index_device(site_index *x, const char *name, device_row *row)
{
    sqlite3_stmt *s =
        ask(x,
            "SELECT folder, name, card, card_disputed, baseline, baseline_disputed, copies, last, state FROM devices "
            "WHERE name = ?1 OR folder = ?1 OR json_extract(nullif(card, ''), '$.address') = ?1 "
            "ORDER BY name = ?1 DESC, folder = ?1 DESC LIMIT 1",
            "s", name);
    bool found = next(x, s);
    if (found)
        take_device(x, s, row);
    done(x, s);
    return found;
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
        if (next(x, s) && strcmp(text(s, 2), digest) != 0)
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

copy_state index_verify(site_index *x, copy_row *row)
{
    char path[STORAGE_PATH], why[500], digest[65];
    copy_path(x->site, row, path);
    long long mtime = mtime_of(path), seen = -2;
    sqlite3_stmt *s = ask(x, "SELECT mtime FROM copies WHERE device = ? AND file = ?", "ss", row->device, row->file);
    if (next(x, s))
        seen = sqlite3_column_int64(s, 0);
    done(x, s);
    if (row->state != COPY_UNSEEN && seen == mtime && mtime > 0)
        return row->state;
    static set_origin o;
    bil_set_totals totals;
    row->state = set_file_check(path, &o, &totals, why, sizeof why) == BIL_OK ? COPY_WHOLE : COPY_DAMAGED;
    set_digest_hex(totals.digest, digest);
    const char *dash = strrchr(row->file, '-');
    if (row->state == COPY_WHOLE && (!dash || strncmp(dash + 1, digest, SET_NAME_DIGEST) != 0))
        row->state = COPY_DAMAGED; /* another file under the name of this one */
    run(x, ask(x, "UPDATE copies SET state = ?, mtime = ? WHERE device = ? AND file = ?", "iiss", (long long)row->state,
               settled(mtime), row->device, row->file));
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
        json_t *note = json_loads(text(s, 1), 0, NULL);
        more = each(ctx, text(s, 0), note);
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

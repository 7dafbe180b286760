/* Brings the index in line with the files of the site. */
#include <dirent.h>
#include <errno.h>
#include <stdlib.h>
#include <string.h>

#include "host/base/arena.h"
#include "host/base/json.h"
#include "host/copy/keep.h"
#include "host/copy/record.h"
#include "host/site/card.h"
#include "host/site/index_inside.h"
#include "port/digest.h"
#include "port/memory.h"

enum { INDEX_MOST = 1000000 }; /* names looked at in one folder */

typedef struct update {
    site_index *x;
    const site *site;
    db_answer *known, *copy, *note;
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
            if (!more)
                break;
            if (room)
                memcpy(more, list, room * sizeof *more);
            list = more;
            room = room ? room * 2 : 64;
        }
        list[*count] = arena_text(memory, entry->d_name, strlen(entry->d_name));
        if (!list[*count])
            break;
        ++*count;
    }
    if (dir)
        closedir(dir);
    if (*count)
        qsort(list, *count, sizeof *list, by_name);
    return list;
}

static bool add_copy(update *u, const char *device, const char *folder, const char *file)
{
    char path[STORAGE_PATH + 300], digest[65] = "", values[65] = "";
    set_origin o = {0};
    bil_set_totals totals = {0};
    snprintf(path, sizeof path, "%s/%s", folder, file);
    int error = set_file_glance(path, &o, &totals);
    if (!error) {
        set_digest_hex(totals.digest, digest);
        set_digest_hex(totals.values_digest, values);
    }
    u->x->copies_read++;
    int at = 1;
    db_answer *s = u->copy;
    const char *texts[] = {device, file,  digest,   o.parent, values,     o.when,
                           o.who,  o.why, o.serial, o.model,  o.firmware, o.from};
    for (size_t i = 0; i < sizeof texts / sizeof texts[0]; i++)
        db_put_text(s, at++, texts[i]);
    db_put_number(s, at++, totals.values);
    db_put_number(s, at++, totals.unreadable);
    db_put_number(s, at++, error ? COPY_DAMAGED : COPY_UNSEEN);
    db_put_number(s, at, keep_number(file));
    db_again(u->x->db, s);
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
    char *body = note ? jn_text(note, JSON_COMPACT | JSON_SORT_KEYS) : NULL;
    int at = 1;
    db_answer *s = u->note;
    db_put_text(s, at++, device);
    db_put_text(s, at++, file);
    db_put_text(s, at++, id);
    db_put_text(s, at++, note ? json_string_value(json_object_get(note, "kind")) : readable ? "altered" : "unreadable");
    db_put_text(s, at++, about ? about : "");
    db_put_text(s, at++, note ? json_string_value(json_object_get(note, "when")) : "");
    db_put_text(s, at++, body ? body : "{}");
    db_again(u->x->db, s);
    free(body);
    json_decref(note);
    return readable;
}

/* The stamp of a folder when it was last looked at; -2: it never was. */
static long long stamp_before(update *u, const char *key)
{
    long long known = -2;
    db_put_text(u->known, 1, key);
    if (db_next(u->x->db, u->known))
        known = db_number(u->known, 0);
    db_reset(u->known);
    return known;
}

static void keep_stamp(update *u, const char *key, long long stamp, bool unread)
{
    db_run(u->x->db, db_ask(u->x->db, "INSERT OR REPLACE INTO folders VALUES(?, ?, ?)", "sii", key,
                            unread ? 0LL : stamp, (long long)unread));
}

typedef struct name {
    struct name *next;
    char *file;
} name;

static void put_gone(update *u, const char *device, bool copies, const name *gone)
{
    /* a note is never taken away: one that was there and isn't any more was taken by somebody */
    for (; gone; gone = gone->next) {
        if (!copies) {
            db_run(u->x->db, db_ask(u->x->db, "UPDATE notes SET kind = 'gone' WHERE device = ? AND file = ?", "ss",
                                    device, gone->file));
            continue;
        }
        db_run(
            u->x->db,
            db_ask(u->x->db,
                   "INSERT OR REPLACE INTO notes SELECT device, 'copies/' || file, '', 'copy_gone', digest, at, '{}' "
                   "FROM copies WHERE device = ? AND file = ?",
                   "ss", device, gone->file));
        db_run(u->x->db,
               db_ask(u->x->db, "DELETE FROM copies WHERE device = ? AND file = ?", "ss", device, gone->file));
    }
    if (copies)
        db_run(
            u->x->db,
            db_ask(
                u->x->db,
                "DELETE FROM notes WHERE device = ?1 AND kind = 'copy_gone' AND (about IN (SELECT digest FROM copies "
                "WHERE device = ?1) OR about IN (SELECT about FROM notes WHERE device = ?1 AND kind = 'deleted'))",
                "s", device));
}

/* Brings one folder's rows in line with its files. True when something changed. */
static bool sync_folder(update *u, const char *device, const char *what)
{
    char path[STORAGE_PATH], key[SITE_FOLDER + 40];
    bool copies = strcmp(what, "copies") == 0, anew = copies ? u->copies_anew : u->notes_anew;
    site_path(u->site, device, what, path);
    snprintf(key, sizeof key, "%s/%s", device, what);
    long long stamp = index_stamp(path), known = stamp_before(u, key);
    if (known == stamp && stamp != 0 && !anew)
        return false;
    if (!copies) /* it is tried again */
        db_run(u->x->db, db_ask(u->x->db, "DELETE FROM notes WHERE device = ? AND kind = 'unreadable'", "s", device));
    arena memory = {0};
    size_t count, at = 0;
    bool unread, changed = known == -2;
    char **files = names_in(&memory, path, copies ? ".bset" : ".json", &count, &unread);
    db_answer *old =
        db_ask(u->x->db,
               copies ? "SELECT file FROM copies WHERE device = ? ORDER BY file"
                      : "SELECT file FROM notes WHERE device = ? AND kind NOT IN ('gone', 'unreadable', 'copy_gone') "
                        "ORDER BY file",
               "s", device);
    /* both lists are sorted: what is in one alone is new, or gone */
    bool more = db_next(u->x->db, old);
    arena gone = {0};
    name *first_gone = NULL;
    while (at < count || more) {
        int order = !more ? -1 : at == count ? 1 : strcmp(files[at], db_text(old, 0));
        if (order < 0) {
            unread = !(copies ? add_copy : add_note)(u, device, path, files[at++]) || unread;
            changed = true;
        } else if (order > 0) {
            name *one = arena_take(&gone, sizeof *one);
            char *text = arena_text(&gone, db_text(old, 0), strlen(db_text(old, 0)));
            if (!one || !text)
                break;
            *one = (name){first_gone, text};
            first_gone = one;
            changed = true;
            more = db_next(u->x->db, old);
        } else {
            if (anew) {
                unread = !(copies ? add_copy : add_note)(u, device, path, files[at]) || unread;
                changed = true;
            }
            at++;
            more = db_next(u->x->db, old);
        }
    }
    db_done(u->x->db, old);
    put_gone(u, device, copies, first_gone);
    keep_stamp(u, key, stamp, unread);
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
    db_answer *s =
        db_ask(u->x->db, "SELECT digest, state FROM records WHERE device = ? AND file = ?", "ss", device, file);
    if (db_next(u->x->db, s)) {
        index_take(known, sizeof known, s, 0);
        index_take(state, sizeof state, s, 1);
    }
    db_done(u->x->db, s);
    bool altered = (known[0] && strcmp(known, hex) != 0) || strcmp(state, "record_altered") == 0;
    db_run(u->x->db, db_ask(u->x->db, "INSERT OR REPLACE INTO records VALUES(?, ?, ?, ?)", "ssss", device, file,
                            known[0] ? known : hex, altered ? "record_altered" : "there"));
}

/* Records are only ever added, and stay as they are once they have ended. */
static void sync_records(update *u, const char *device)
{
    char path[STORAGE_PATH], key[SITE_FOLDER + 40];
    site_path(u->site, device, "records", path);
    snprintf(key, sizeof key, "%s/records", device);
    long long stamp = index_stamp(path), known = stamp_before(u, key);
    if (known == stamp && stamp != 0 && !u->copies_anew)
        return;
    arena memory = {0};
    size_t count;
    bool unread;
    char **files = names_in(&memory, path, ".brec", &count, &unread);
    if (!unread)
        db_run(u->x->db,
               db_ask(u->x->db, "UPDATE records SET state = 'record_gone' WHERE device = ? AND state = 'there'", "s",
                      device));
    for (size_t i = 0; i < count; i++)
        sync_record(u, device, path, files[i]);
    keep_stamp(u, key, stamp, unread);
    arena_free(&memory);
}

static void sum_up(update *u, const char *device)
{
    index_put_in_order(u->x, device);
    json_t *cards = note_heads(u->x, device, "device"), *baselines = note_heads(u->x, device, "baseline");
    size_t last_baseline = json_array_size(baselines);
    bool disputed;
    json_t *card = card_of(cards, &disputed);
    char key[CARD_KEY];
    card_key(card ? index_word(card, "name") : device, key);
    const json_t *baseline =
        last_baseline ? json_object_get(json_array_get(baselines, last_baseline - 1), "note") : NULL;
    char *body = card ? jn_text(card, JSON_COMPACT) : NULL;
    db_run(
        u->x->db,
        db_ask(
            u->x->db,
            "INSERT OR REPLACE INTO devices SELECT ?1, ?2, ?7, ?3, ?4, ?5, ?6, (SELECT count(*) FROM copies WHERE "
            "device = "
            "?1 "
            "AND place > 0), coalesce((SELECT file FROM copies WHERE device = ?1 AND place > 0 AND origin != "
            "'" SET_OFFLINE
            "' AND digest NOT IN (SELECT about FROM notes WHERE device = ?1 AND kind = 'taken_in') ORDER BY place DESC "
            "LIMIT 1), (SELECT file FROM copies WHERE device = ?1 AND place > 0 ORDER BY place "
            "DESC LIMIT 1)), "
            "(SELECT body FROM notes WHERE device = ?1 AND kind = 'state' "
            "ORDER BY at DESC, id DESC LIMIT 1)",
            "sssisis", device, card ? index_word(card, "name") : device, body ? body : "", (long long)disputed,
            baseline ? index_word(baseline, "about") : "", (long long)note_heads_disagree(baselines, "about"), key));
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
        db_run(u->x->db, db_ask(u->x->db, "DELETE FROM records WHERE device = '' AND file = ?", "s", folders[i]));
        if (copies || notes)
            sum_up(u, folders[i]);
    }
    sync_folder(u, "", "notes");
    if (unread) { /* not gone, only not to be seen now */
        arena_free(&memory);
        return;
    }
    /* folders that are gone */
    db_answer *s = db_ask(u->x->db, "SELECT folder FROM devices ORDER BY folder", "");
    size_t at = 0;
    while (db_next(u->x->db, s)) {
        while (at < count && strcmp(folders[at], db_text(s, 0)) < 0)
            at++;
        if (at < count && strcmp(folders[at], db_text(s, 0)) == 0)
            continue;
        db_run(u->x->db,
               db_ask(u->x->db, "INSERT OR REPLACE INTO records VALUES('', ?, '', 'device_gone')", "s", db_text(s, 0)));
        db_run(u->x->db, db_ask(u->x->db, "DELETE FROM copies WHERE device = ?", "s", db_text(s, 0)));
        db_run(u->x->db, db_ask(u->x->db, "DELETE FROM notes WHERE device = ?", "s", db_text(s, 0)));
        db_run(u->x->db,
               db_ask(u->x->db, "DELETE FROM folders WHERE path IN (?1 || '/copies', ?1 || '/notes', ?1 || '/records')",
                      "s", db_text(s, 0)));
        db_run(u->x->db, db_ask(u->x->db, "DELETE FROM devices WHERE folder = ?", "s", db_text(s, 0)));
    }
    db_done(u->x->db, s);
    arena_free(&memory);
}

static bool end_update(update *u, bool good)
{
    db_done(u->x->db, u->known);
    db_done(u->x->db, u->copy);
    db_done(u->x->db, u->note);
    good = good && !mem_is_short(); /* what is missing for that reason isn't gone */
    return db_do(u->x->db, good ? "COMMIT" : "ROLLBACK") && good;
}

static bool begin_update(update *u)
{
    site_index *x = u->x;
    if (!db_do(x->db, "BEGIN IMMEDIATE"))
        return false;
    u->known = db_ask(x->db, "SELECT stamp FROM folders WHERE path = ?", "");
    u->copy =
        db_ask(x->db, "INSERT OR REPLACE INTO copies VALUES(?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, 0, ?, 0, ?)", "");
    u->note = db_ask(x->db, "INSERT OR REPLACE INTO notes VALUES(?, ?, ?, ?, ?, ?, ?)", "");
    return (u->known && u->copy && u->note) || end_update(u, false);
}

bool index_sync(site_index *x)
{
    update u = {.x = x, .site = x->site};
    if (!begin_update(&u))
        return false;
    sync_devices(&u);
    return end_update(&u, true);
}

bool index_sync_again(site_index *x, const char *folder, bool copies)
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
    return end_update(&u, true);
}

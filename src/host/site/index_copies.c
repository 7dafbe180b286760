/* Questions about copies and notes. */
#include <errno.h>
#include <stdlib.h>
#include <string.h>
#include <sys/stat.h>
#include <time.h>

#include "host/base/json.h"
#include "host/copy/keep.h"
#include "host/site/index_inside.h"

void index_take(char *out, size_t size, db_answer *s, int column)
{
    snprintf(out, size, "%s", db_text(s, column));
}

static uint64_t moment_of(const struct timespec *t)
{
    return (uint64_t)t->tv_sec * 1000000000u + (uint64_t)t->tv_nsec;
}

/* When a file or folder was changed last: by its own time, which anybody may set, and by that of its node, which nobody
 * can. 0: not known, or so short ago that it may change again within the same tick of its clock; -1: it isn't there. */
long long index_stamp(const char *path)
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

static void index_take_copy(db_answer *s, copy_row *row)
{
    *row = (copy_row){.values = (int)db_number(s, 12),
                      .unreadable = (int)db_number(s, 13),
                      .place = (int)db_number(s, 14),
                      .state = (copy_state)(int)db_number(s, 15),
                      .number = (unsigned)db_number(s, 16)};
    index_take(row->device, sizeof row->device, s, 0);
    index_take(row->file, sizeof row->file, s, 1);
    index_take(row->digest, sizeof row->digest, s, 2);
    index_take(row->parent, sizeof row->parent, s, 3);
    index_take(row->values_digest, sizeof row->values_digest, s, 4);
    index_take(row->when, sizeof row->when, s, 5);
    index_take(row->who, sizeof row->who, s, 6);
    index_take(row->why, sizeof row->why, s, 7);
    index_take(row->serial, sizeof row->serial, s, 8);
    index_take(row->model, sizeof row->model, s, 9);
    index_take(row->firmware, sizeof row->firmware, s, 10);
    index_take(row->from, sizeof row->from, s, 11);
}

bool index_first_copy(const site_index *x, db_answer *s, copy_row *row)
{
    bool found = db_next(x->db, s);
    if (found)
        index_take_copy(s, row);
    db_done(x->db, s);
    return found;
}

void index_copies(site_index *x, const char *folder, int most, bool (*each)(void *ctx, const copy_row *row), void *ctx)
{
    db_answer *s =
        db_ask(x->db, "SELECT " COPY_COLUMNS " FROM copies WHERE device = ? AND place > 0 ORDER BY place DESC LIMIT ?",
               "si", folder, (long long)(most ? most : -1));
    bool more = true;
    copy_row row;
    while (more && db_next(x->db, s)) {
        index_take_copy(s, &row);
        more = each(ctx, &row);
    }
    db_done(x->db, s);
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

/* The digest of the copy that goes by a name. */
static int named_copy(site_index *x, const device_row *device, const char *name, char digest[65])
{
    json_t *list = note_namings(x, device->folder, name);
    size_t count = json_array_size(list);
    bool two = note_heads_disagree(list, "about");
    if (count)
        snprintf(digest, 65, "%s", index_word(json_object_get(json_array_get(list, count - 1), "note"), "about"));
    json_decref(list);
    return count == 0 ? BIL_E_NO_COPY : two ? BIL_E_DISPUTED : BIL_OK;
}

/* A number that was taken stays so, when its copy was deleted, too. Calls for the deleted copies of a device: by
 * digest. */
static void each_deleted(const site_index *x, const char *folder,
                         void (*each)(void *ctx, unsigned number, const char *digest), void *ctx)
{
    db_answer *s = db_ask(x->db, "SELECT body FROM notes WHERE device = ? AND kind = 'deleted'", "s", folder);
    while (db_next(x->db, s)) {
        json_t *note = index_json(s, 0);
        each(ctx, keep_number(index_word(note, "file")), index_word(note, "about"));
        json_decref(note);
    }
    db_done(x->db, s);
}

static void take_highest(void *ctx, unsigned number, const char *digest)
{
    unsigned *highest = ctx;
    (void)digest;
    *highest = number > *highest ? number : *highest;
}

unsigned index_highest(const site_index *x, const char *folder)
{
    unsigned highest = 0;
    db_answer *s = db_ask(x->db, "SELECT max(number) FROM copies WHERE device = ?", "s", folder);
    if (db_next(x->db, s))
        highest = (unsigned)db_number(s, 0);
    db_done(x->db, s);
    each_deleted(x, folder, take_highest, &highest);
    return highest;
}

/* Is this a number of a copy, and not the beginning of a digest? */
static bool is_number(const char *which)
{
    size_t length = strlen(which);
    return length > 0 && length < 6 && strspn(which, "0123456789") == length;
}

/* A number, and a copy (NULL: none) that it may mean. */
typedef struct claim {
    unsigned number;
    const char *digest;
    char other[65]; /* a deleted copy that had it */
} claim;

static void look_for_claim(void *ctx, unsigned number, const char *digest)
{
    claim *c = ctx;
    if (number == c->number && strcmp(digest, c->digest) != 0)
        snprintf(c->other, sizeof c->other, "%s", digest);
}

enum { SHORTEST = 3 }; /* digits of a digest that may be enough */

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
    bool digits = is_number(which);
    const char *key = which;
    const char *sql = "SELECT " COPY_COLUMNS " FROM copies WHERE device = ?1 AND place > 0 AND digest LIKE ?2 || '%'";
    if (strcmp(which, "last") == 0) {
        sql = "SELECT " COPY_COLUMNS " FROM copies WHERE device = ?1 AND file = ?2";
        key = device->copies ? device->last.file : "";
    } else if (strcmp(which, "first") == 0)
        sql = "SELECT " COPY_COLUMNS " FROM copies WHERE device = ?1 AND place = 1 AND ?2 != ''";
    else if (strcmp(which, "baseline") == 0)
        key = device->baseline;
    else if (digits)
        sql = "SELECT " COPY_COLUMNS " FROM copies WHERE device = ?1 AND number = CAST(?2 AS INTEGER) AND place > 0 "
              "AND number > 0 ORDER BY digest";
    else if (length < SHORTEST || strspn(which, "0123456789abcdef") < length)
        return BIL_E_NO_COPY;
    if (!key[0])
        return BIL_E_NO_COPY;
    if (strlen(key) == 64 && key != device->last.file)
        sql = "SELECT " COPY_COLUMNS " FROM copies WHERE device = ?1 AND digest = ?2 AND place > 0";
    if (strcmp(which, "baseline") == 0 && device->baseline_disputed)
        return BIL_E_DISPUTED;
    db_answer *s = db_ask(x->db, sql, "ss", device->folder, key);
    bool found = db_next(x->db, s), two = false;
    if (found) {
        index_take_copy(s, row);
        while (!two && db_next(x->db, s)) /* two begin like this, or got this number at two places */
            two = strcmp(db_text(s, 2), row->digest) != 0;
    }
    db_done(x->db, s);
    claim had = {.number = digits ? (unsigned)strtoul(which, NULL, 10) : 0, .digest = found ? row->digest : ""};
    if (found && digits)
        each_deleted(x, device->folder, look_for_claim, &had);
    two = two || had.other[0];
    return two ? BIL_E_DISPUTED : found ? BIL_OK : BIL_E_NO_COPY;
}

void index_candidates(site_index *x, const device_row *device, const char *which, char *why, size_t size)
{
    bool digits = is_number(which), one = false;
    if (strcmp(which, "baseline") == 0 || index_name_is_good(which)) {
        snprintf(why, size, "%s",
                 strcmp(which, "baseline") == 0
                     ? "two baselines were marked that don't know of each other; mark one again"
                     : "two copies were given this name at two places; give it again");
        return;
    }
    snprintf(why, size, "this may be");
    db_answer *s = db_ask(x->db,
                          digits ? "SELECT digest, at, who FROM copies WHERE device = ?1 AND number = CAST(?2 AS "
                                   "INTEGER) AND place > 0 GROUP BY digest LIMIT 5"
                                 : "SELECT digest, at, who FROM copies WHERE device = ?1 AND digest LIKE ?2 || '%' AND "
                                   "place > 0 GROUP BY digest LIMIT 5",
                          "ss", device->folder, which);
    for (; db_next(x->db, s); one = true)
        snprintf(why + strlen(why), size - strlen(why), "%s %.200s#%.8s (%.16s by %.40s)", one ? " or" : "",
                 device->name, db_text(s, 0), db_text(s, 1), db_text(s, 2));
    db_done(x->db, s);
    claim had = {.number = digits ? (unsigned)strtoul(which, NULL, 10) : 0, .digest = ""};
    if (digits)
        each_deleted(x, device->folder, look_for_claim, &had);
    if (had.other[0])
        snprintf(why + strlen(why), size - strlen(why), " or #%.8s, which was deleted", had.other);
}

bool index_copy_by_digest(site_index *x, const char *digest, copy_row *row)
{
    return index_first_copy(
        x, db_ask(x->db, "SELECT " COPY_COLUMNS " FROM copies WHERE digest = ? AND place > 0 LIMIT 1", "s", digest),
        row);
}

void copy_path(const site *s, const copy_row *row, char out[STORAGE_PATH])
{
    char what[300];
    snprintf(what, sizeof what, "copies/%s", row->file);
    site_path(s, row->device, what, out);
}

void index_notes(site_index *x, const char *folder, const char *kind, const char *about,
                 bool (*each)(void *ctx, const char *id, const json_t *note), void *ctx)
{
    db_answer *s =
        db_ask(x->db,
               "SELECT id, body FROM notes WHERE device = ?1 AND (?2 = '' OR kind = ?2) AND (?3 = '' OR about = "
               "?3) ORDER BY at, id",
               "sss", folder, kind ? kind : "", about ? about : "");
    bool more = true;
    while (more && db_next(x->db, s)) {
        json_t *note = index_json(s, 1);
        more = each(ctx, db_text(s, 0), note);
        json_decref(note);
    }
    db_done(x->db, s);
}

bool index_serial_elsewhere(site_index *x, const char *model, const char *serial, const char *folder, copy_row *row)
{
    return serial[0] && index_first_copy(x,
                                         db_ask(x->db,
                                                "SELECT " COPY_COLUMNS
                                                " FROM copies WHERE serial = ? AND model = ? AND device != ? AND "
                                                "place > 0 ORDER BY at DESC LIMIT 1",
                                                "sss", serial, model, folder),
                                         row);
}

bool index_serial_shared(site_index *x, const char *model, const char *serial, const char *folder)
{
    db_answer *s =
        db_ask(x->db,
               "SELECT 1 FROM copies c WHERE serial = ? AND model = ? AND device != ? AND place > 0 AND place = "
               "(SELECT max(place) FROM copies d WHERE d.device = c.device) LIMIT 1",
               "sss", serial, model, folder);
    bool shared = serial[0] && db_next(x->db, s);
    db_done(x->db, s);
    return shared;
}

int index_count_since(site_index *x, const char *when)
{
    db_answer *s = db_ask(x->db, "SELECT count(*) FROM copies WHERE at > ?", "s", when);
    int count = db_next(x->db, s) ? (int)db_number(s, 0) : 0;
    db_done(x->db, s);
    return count;
}

#include "host/site/index.h"

#include <errno.h>
#include <fcntl.h>
#include <stdlib.h>
#include <string.h>
#include <sys/stat.h>
#include <unistd.h>

#include "host/base/folders.h"
#include "host/site/index_inside.h"
#include "port/digest.h"

/* Of the tables below; an index of another version is made again. */
enum { VERSION = 6 };

static const char tables[] =
    "CREATE TABLE folders(path TEXT PRIMARY KEY, stamp INTEGER, unread INTEGER) WITHOUT ROWID;"
    "CREATE TABLE devices(folder TEXT PRIMARY KEY, name TEXT, key TEXT, card TEXT, card_disputed INTEGER, baseline "
    "TEXT,"
    " baseline_disputed INTEGER, copies INTEGER, last TEXT, state TEXT) WITHOUT ROWID;"
    "CREATE TABLE copies(device TEXT, file TEXT, digest TEXT, parent TEXT, values_digest TEXT, at TEXT, who TEXT, why "
    "TEXT,"
    " serial TEXT, model TEXT, firmware TEXT, origin TEXT, count INTEGER, unreadable INTEGER, place INTEGER,"
    " state INTEGER, stamp INTEGER, number INTEGER, PRIMARY KEY(device, file)) WITHOUT ROWID;"
    "CREATE TABLE notes(device TEXT, file TEXT, id TEXT, kind TEXT, about TEXT, at TEXT, body TEXT,"
    " PRIMARY KEY(device, file)) WITHOUT ROWID;"
    "CREATE TABLE records(device TEXT, file TEXT, digest TEXT, state TEXT, PRIMARY KEY(device, file)) WITHOUT ROWID;"
    "CREATE TABLE standings(device TEXT PRIMARY KEY, seen TEXT) WITHOUT ROWID;"
    "CREATE TABLE drifts(a TEXT, b TEXT, count INTEGER, PRIMARY KEY(a, b)) WITHOUT ROWID;";

/* Made when the rows are there: that is quicker. */
static const char indexes[] = "CREATE INDEX copies_by_place ON copies(device, place);"
                              "CREATE INDEX copies_by_digest ON copies(digest);"
                              "CREATE INDEX copies_by_time ON copies(at);"
                              "CREATE INDEX copies_by_serial ON copies(serial, model);"
                              "CREATE INDEX devices_by_key ON devices(key);";

static bool usable(const site_index *x)
{
    db_answer *s = db_ask(x->db, "PRAGMA user_version", "");
    bool good = db_next(x->db, s) && (int)db_number(s, 0) == VERSION;
    db_done(x->db, s);
    return good;
}

static bool create(site_index *x)
{
    char version[40];
    snprintf(version, sizeof version, "PRAGMA user_version = %d", VERSION);
    return db_do(x->db, tables) && db_do(x->db, version);
}

/* Makes it anew beside the old one and puts it in its place when it is whole: whoever reads the old one isn't
 * disturbed. */
static bool build(site_index *x, const char *path)
{
    char fresh[STORAGE_PATH + 40];
    snprintf(fresh, sizeof fresh, "%s.%ld.part", path, (long)getpid());
    unlink(fresh);
    if (!(x->db = db_open(fresh, true)))
        return false;
    db_do(x->db, "PRAGMA journal_mode = OFF; PRAGMA synchronous = OFF; PRAGMA locking_mode = EXCLUSIVE");
    bool good = create(x) && index_sync(x) && db_do(x->db, indexes);
    index_close(x);
    good = good && rename(fresh, path) == 0;
    if (!good)
        unlink(fresh);
    return good && (x->db = db_open(path, false));
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
    return x->db && db_is_broken(x->db);
}

static bool open_in_memory(site_index *x)
{
    return (x->db = db_open(":memory:", true)) && create(x) && index_sync(x) && db_do(x->db, indexes);
}

int index_open(site_index *x, const site *s, char *why, size_t size)
{
    char path[STORAGE_PATH];
    *x = (site_index){.site = s};
    bool kept = place_of_index(s, true, path);
    if (kept && (x->db = db_open(path, false)) && usable(x) && index_sync(x) && !index_broken(x))
        return BIL_OK;
    index_close(x);
    if (kept && build(x, path))
        return BIL_OK;
    index_close(x);
    if (open_in_memory(x))
        return BIL_OK;
    snprintf(why, size, "%s: the index can't be made: %s", s->path, x->db ? db_trouble(x->db) : strerror(errno));
    index_close(x);
    return BIL_E_FILE_WRITE;
}

void index_close(site_index *x)
{
    db_close(x->db);
    x->db = NULL;
}

void index_forget(const site *s)
{
    char path[STORAGE_PATH];
    if (place_of_index(s, false, path))
        unlink(path);
}

bool index_reread(site_index *x, const char *folder, bool copies)
{
    if (index_sync_again(x, folder, copies) && !index_broken(x))
        return true;
    index_close(x); /* it can't be brought up to date where it lies, as on a full disk: then all is read into memory */
    return open_in_memory(x);
}

#include "host/site/standing.h"

#include <dirent.h>
#include <string.h>
#include <sys/stat.h>

#include "host/base/json.h"
#include "host/base/time.h"
#include "host/site/index_inside.h"
#include "port/digest.h"
#include "port/memory.h"

/* ---- what people answered since ---- */

typedef struct answers {
    record_story *story;
    char last[RECORD_TESTS][40]; /* when each was answered last */
} answers;

static bool take_answer(void *ctx, const char *id, const json_t *note)
{
    answers *a = ctx;
    record_story *s = a->story;
    (void)id;
    if (strcmp(index_word(note, "record"), s->intent) != 0)
        return true;
    bool warning = json_is_true(json_object_get(note, "warning"));
    const char *moment = index_word(note, "moment");
    for (size_t i = 0; i < s->test_count; i++)
        if (s->tests[i].warning == warning && strcmp(s->tests[i].what, index_word(note, "what")) == 0 &&
            strcmp(moment, a->last[i]) > 0) {
            s->tests[i].result = record_result_of(index_word(note, "result"));
            snprintf(a->last[i], sizeof a->last[i], "%s", moment);
        }
    return true;
}

void standing_answers(site_index *x, const char *folder, record_story *story)
{
    answers a = {.story = story};
    index_notes(x, folder, "tried", NULL, take_answer, &a);
}

/* Does any note of this kind say this? */
typedef struct said {
    const char *key, *text;
    bool is;
} said;

static bool look_for(void *ctx, const char *id, const json_t *note)
{
    said *s = ctx;
    (void)id;
    s->is = !s->key || strcmp(index_word(note, s->key), s->text) == 0;
    return !s->is;
}

/* `key` NULL: is there any note of this kind? */
static bool is_said(site_index *x, const char *folder, const char *kind, const char *key, const char *text)
{
    said s = {key, text, false};
    index_notes(x, folder, kind, NULL, look_for, &s);
    return s.is;
}

/* Nobody has seen it after a restart, nor later. */
static bool is_unproved(site_index *x, const char *folder, const record_story *s)
{
    return s->settled && !s->proved && s->wrote && s->values[0] && !is_said(x, folder, "lasted", "record", s->intent);
}

bool standing_is_clean(const standing *s)
{
    return !s->held && !s->unfinished && !s->on_trial && !s->unproved && !s->failed && !s->open;
}

/* ---- the newest record ---- */

/* The newest that wrote or left something behind: of the device, or, written to by its address from elsewhere, of the
 * unit that was read there last. */
static bool newest(site_index *x, const device_row *row, const ledger *known, record_story *s)
{
    char folder[STORAGE_PATH];
    site_path(x->site, row->folder, "records", folder);
    const copy_row *last = &row->last;
    bool unit = row->copies > 0 && last->serial[0];
    bool found = story_newest(folder, known, NULL, NULL, true, s);
    if (found && !s->settled)
        return true;
    return (unit && story_newest(folder, known, last->model, last->serial, true, s)) ||
           (found && story_newest(folder, known, NULL, NULL, true, s));
}

static void tell(const site *place, const device_row *row, const record_story *s, standing *out)
{
    char folder[STORAGE_PATH];
    site_path(place, row->folder, "records", folder);
    size_t length = strlen(folder);
    out->held = s->held;
    out->on_trial = s->on_trial;
    out->unfinished = !s->settled && !s->held && !s->on_trial;
    out->foreign = s->foreign;
    for (size_t i = 0; i < s->test_count; i++) {
        out->failed += s->tests[i].result == RECORD_FAILED;
        out->open += s->tests[i].result == RECORD_OPEN;
    }
    out->elsewhere = strncmp(s->path, folder, length) != 0 || s->path[length] != '/';
    snprintf(out->record, sizeof out->record, "%s", s->path);
    snprintf(out->intent, sizeof out->intent, "%s", s->intent);
    snprintf(out->when, sizeof out->when, "%s", s->when);
    snprintf(out->who, sizeof out->who, "%s", s->who);
}

/* What reading it told since. */
static void what_was_seen(site_index *x, const char *folder, record_story *s)
{
    s->held = s->held && !is_said(x, folder, "let_go", "record", s->intent);
    bool over = s->on_trial && is_said(x, folder, "trial_over", "record", s->intent);
    s->on_trial = s->on_trial && !over;
    s->settled = s->settled || over;
}

static int look(site_index *x, const device_row *row, const ledger *known, standing *out, record_story *s)
{
    *out = (standing){0};
    if (!newest(x, row, known, s))
        return mem_is_short() ? BIL_E_MEMORY : BIL_E_NO_RECORD;
    what_was_seen(x, row->folder, s);
    standing_answers(x, row->folder, s);
    out->unproved = is_unproved(x, row->folder, s);
    tell(x->site, row, s, out);
    return BIL_OK;
}

/* ---- remembered where nothing was left behind ---- */

/* What the records of this device and the ledger look like from outside: as long as that stays, so does what they say.
 */
static bool outside(site_index *x, const device_row *row, const ledger *known, char hex[2 * BIL_SHA256 + 1])
{
    char folder[STORAGE_PATH], path[STORAGE_PATH + 300], text[1200];
    uint64_t sum = 0, count = 0;
    struct stat seen;
    site_path(x->site, row->folder, "records", folder);
    DIR *dir = storage_list(folder);
    struct dirent *entry;
    while (dir && (entry = readdir(dir))) {
        if (!storage_ends_with(entry->d_name, ".brec"))
            continue;
        snprintf(path, sizeof path, "%s/%s", folder, entry->d_name);
        if (stat(path, &seen) != 0)
            continue;
        uint64_t one = (uint64_t)seen.st_mtim.tv_sec * 1000000007u + (uint64_t)seen.st_mtim.tv_nsec * 131u +
                       (uint64_t)seen.st_size * 31u + (uint64_t)seen.st_ino;
        sum += one * one + one; /* in whatever order they come */
        count++;
    }
    if (dir)
        closedir(dir);
    const copy_row *last = &row->last;
    snprintf(text, sizeof text, "%llx %llx %zu %s %.100s %.100s", (unsigned long long)sum, (unsigned long long)count,
             known->count, known->count ? known->entries[known->count - 1].intent : "", row->copies ? last->model : "",
             row->copies ? last->serial : "");
    return digest_hex(text, strlen(text), hex);
}

static bool is_remembered(site_index *x, const char *folder, const char *hex)
{
    db_answer *s = db_ask(x->db, "SELECT 1 FROM standings WHERE device = ? AND seen = ?", "ss", folder, hex);
    bool is = db_next(x->db, s);
    db_done(x->db, s);
    return is;
}

int standing_of(site_index *x, const device_row *row, const ledger *known, standing *out)
{
    char hex[2 * BIL_SHA256 + 1];
    *out = (standing){0};
    /* where people have answered, a test that was so may be found not to be */
    bool plain = !is_said(x, row->folder, "tried", NULL, NULL) && outside(x, row, known, hex);
    if (plain && is_remembered(x, row->folder, hex))
        return BIL_OK;
    record_story *s = mem_new(1, sizeof *s);
    int error = s ? look(x, row, known, out, s) : BIL_E_MEMORY;
    mem_free(s);
    if (plain && standing_is_clean(out) && (error == BIL_OK || error == BIL_E_NO_RECORD))
        db_run(x->db, db_ask(x->db, "INSERT OR REPLACE INTO standings VALUES(?, ?)", "ss", row->folder, hex));
    return error == BIL_E_NO_RECORD ? BIL_OK : error;
}

/* ---- tests ---- */

int standing_tests(site_index *x, const device_row *row, const ledger *known, standing *out,
                   bool (*each)(void *ctx, const record_test *test), void *ctx)
{
    record_story *s = mem_new(1, sizeof *s);
    int error = s ? look(x, row, known, out, s) : BIL_E_MEMORY;
    for (size_t i = 0; !error && i < s->test_count && each(ctx, &s->tests[i]); i++)
        ;
    mem_free(s);
    return error;
}

int standing_answer(site_index *x, const device_row *row, const standing *of, const record_test *test,
                    record_result result, const char *who)
{
    char moment[48];
    time_moment(moment); /* of two answers the later one counts, also within a second */
    return note_add(x->site, row->folder, "tried", who,
                    jn_pack("{s:s,s:s,s:b,s:s,s:s}", "moment", moment, "record", of->intent, "warning",
                            (int)test->warning, "what", test->what, "result", record_result_name(result)),
                    NULL);
}

/* ---- what comes to be known later ---- */

/* The kind of note that this sight is worth, or NULL. */
static const char *news(const standing *left, const record_story *s, const standing_sight *sight)
{
    bool restarted = sight->starts && s->has_starts && *sight->starts != s->starts;
    if (left->held && sight->let_go)
        return "let_go";
    if (left->on_trial && restarted)
        return "trial_over";
    return left->unproved && restarted && sight->values[0] && strcmp(sight->values, s->values) == 0 ? "lasted" : NULL;
}

int standing_seen(site_index *x, const device_row *row, const standing_sight *sight, const char *who)
{
    ledger known;
    standing left;
    record_story *s = sight->starts || sight->let_go ? mem_new(1, sizeof *s) : NULL;
    if (!s)
        return BIL_OK;
    ledger_open(&known);
    const char *kind = look(x, row, &known, &left, s) == BIL_OK ? news(&left, s, sight) : NULL;
    int error = kind ? note_add(x->site, row->folder, kind, who, jn_pack("{s:s}", "record", s->intent), NULL) : BIL_OK;
    ledger_close(&known);
    mem_free(s);
    return error;
}

/* ---- another unit ---- */

bool standing_exchanged(site_index *x, const device_row *row, char *serial)
{
    copy_row own;
    bool has = row->copies > 0 && row->last.serial[0];
    serial[0] = '\0';
    if (has && row->baseline[0] && index_copy(x, row, "baseline", &own) == BIL_OK) {
        snprintf(serial, 100, "%s", own.serial);
    } else if (has) { /* the first unit that was read there */
        db_answer *s = db_ask(x->db,
                              "SELECT serial FROM copies WHERE device = ?1 AND place > 0 AND origin != '" SET_OFFLINE
                              "' AND digest NOT IN (SELECT about FROM notes WHERE device = ?1 AND kind = 'taken_in') "
                              "ORDER BY place LIMIT 1",
                              "s", row->folder);
        if (db_next(x->db, s))
            index_take(serial, 100, s, 0);
        db_done(x->db, s);
    }
    return has && serial[0] && strcmp(serial, row->last.serial) != 0 &&
           !is_said(x, row->folder, "sent", "serial", row->last.serial);
}

/* The record of a write: JSON Lines, one event a line, each durable before the job goes on. */
#ifndef BIL_HOST_COPY_RECORD_H
#define BIL_HOST_COPY_RECORD_H

#include <jansson.h>

#include "bilancia/job.h"
#include "host/copy/ledger.h"
#include "host/copy/set_file.h"

enum { RECORD_MOST = 16 << 20 }; /* bytes of a record that is read */

typedef struct record {
    FILE *file;
    FILE *own; /* the page beside the ledger; NULL: there is none */
    char path[STORAGE_PATH];
    char intent[2 * BIL_SHA256 + 1], last[2 * BIL_SHA256 + 1]; /* digests of its first and its last line */
} record;

/* Makes the file with its first line; STORAGE_DIGEST in the name becomes digits of the digest of that line. `first` is
 * consumed. With `own` a page beside the ledger has each line first. */
int record_begin(record *rec, const char *folder, const char *name, json_t *first, bool own);
/* Adds a line; `line` is consumed. */
int record_add(record *rec, json_t *line);
/* Its last line: behind it nothing counts any more. */
int record_end(record *rec);
/* Gives the page beside the ledger up. */
void record_forget_page(record *rec);
/* Leaves it as it is. */
void record_close(record *rec);

/* What is decided before the first value is written. */
typedef struct record_intent {
    const char *who, *why, *address;
    const bil_image *have;        /* the device as it was read */
    const bil_job_config *config; /* of the job */
    bil_purpose purpose;          /* as the job took it */
    const char *copy, *digest;    /* what is to be written, and its digest; "" and "" for a reset */
    const char *groups;           /* "" for all, else their names with commas between */
    const char *chain;            /* record with which an unfinished story began; "" where this is the first */
    const json_t *after;          /* digests of the intents that this one follows: story_heads */
    bool still_held, undoes;      /* what that left; it goes back to what was before another write */
    uint32_t found, found_first;  /* state in which the device was found now, and by the first one */
    uint32_t unit_after;          /* BIL_UNIT that the device answers at afterwards, 0: as before */
    unsigned planned;             /* values */
    bool goes_on, restart_asked;  /* it ends without a restart; and a person said when that comes */
    const char *description;      /* digest of the one that is used (catalogue_digest), or NULL */
    const json_t *despite;        /* checks set aside, each with its reason */
    const json_t *without;        /* values left out, each with its reason */
    const json_t *secrets;        /* IDs of those that it puts in from their seals; or NULL */
} record_intent;

/* The lines of a record; `when` is a moment (time_moment). */
json_t *record_intent_line(const record_intent *intent, const char *when);
json_t *record_event_line(const bil_description *description, const bil_action *action, const char *when);
json_t *record_safety_line(const char *path, const char *digest);
/* A file of what the device measured, saved here. */
json_t *record_collected_line(const char *id, const char *path);
/* `values`: digest of the values that were read back last, or ""; `changes`: the device's own counter then, where its
 * model has one. */
json_t *record_outcome_line(const bil_action *end, unsigned written, const char *values, const bil_image *have);
/* What a person is to try, or was to be expected meanwhile, and what came of it. */
json_t *record_test_line(bool warning, const char *what, const char *result, const char *who, const char *when);

/* What a person answered of it. A test counts as open until somebody has said that it is so or that it isn't. */
typedef enum record_result { RECORD_OPEN, RECORD_PASSED, RECORD_FAILED } record_result;
/* "open", "passed", "failed"; and back, where anything else is open. */
const char *record_result_name(record_result result);
record_result record_result_of(const char *name);

enum { RECORD_TESTS = 2 * BIL_TESTS_MAX, RECORD_TEST = 404 };
typedef struct record_test {
    bool warning; /* of the device, to be expected meanwhile; else a test of function or safety */
    record_result result;
    char what[RECORD_TEST];
} record_test;

/* What a record says, as far as it goes. */
typedef struct record_story {
    char path[STORAGE_PATH];
    char intent[2 * BIL_SHA256 + 1];   /* digest of its first line */
    char last[2 * BIL_SHA256 + 1];     /* and of its last whole one */
    bool foreign;                      /* not of this computer's ledger: what it says is evidence, and no order */
    char after[8][2 * BIL_SHA256 + 1]; /* those that it follows */
    size_t after_count;
    char description[65]; /* digest of all that it used says */
    char layout[65];      /* of the description that it used */
    char chain[300]; /* file name of the record with which an unfinished story began: this one, where it is the first */
    char model[SET_TEXT], serial[SET_TEXT], address[SET_TEXT], when[64], who[SET_TEXT], why[SET_TEXT];
    char copy[STORAGE_PATH], copy_digest[65];     /* what was to be written */
    char safety[STORAGE_PATH], safety_digest[65]; /* what was there before; "" when it didn't come so far */
    int purpose;
    bool with_calibration, undoes;
    bool resets; /* a factory reset rather than a write */
    int restart; /* bil_restart */
    char groups[SET_TEXT];
    /* BIL_UNIT of the device when it began, and when all is done; 0: not known */
    uint32_t unit_before, unit_after;
    char without[STORAGE_PATH];      /* IDs of values left out, with commas between */
    uint32_t despite;                /* checks that were set aside, as in bil_job_config */
    uint32_t found;                  /* the state in which the device was found, and goes back to */
    uint32_t found_first;            /* the one before an unfinished story began */
    bool held;                       /* it was held and not let go again */
    bool settled;                    /* the device is wholly as it was, or wholly as wanted */
    bool finished;                   /* it came to its end with that */
    bool on_trial;                   /* its values are in force, and not stored: to be kept or undone */
    bool wrote;                      /* values, or the memory that survives a power cut */
    char verdict[40];                /* "" when the record was broken off */
    unsigned planned, written;       /* values; `written` once it came to an end */
    char values[2 * BIL_SHA256 + 1]; /* values digest of what was read back last; "" where nothing was */
    bool has_changes, has_starts;    /* and the device's counters then, where its model has them */
    uint32_t changes, starts;
    bool proved;                 /* it was seen after a restart */
    bool goes_on, restart_asked; /* as in the intent */
    record_test tests[RECORD_TESTS];
    size_t test_count;
} record_story;

/* Reads one, up to where it was cut: one intent, what happened, one outcome, one end, and nothing behind it. What is
 * otherwise, or whose outcome something else follows than the tests of a person, isn't a record. BIL_E_FILE_OPEN,
 * BIL_E_RECORD_FORM. */
int record_read(const char *path, record_story *story);
/* The same, with what the ledger knows: `foreign`, and where there is a page beside the ledger, what that says, even
 * where the file is damaged or gone. */
int story_read(const char *path, const ledger *known, record_story *story);
/* Is the record of this entry still as it was written here? 0: it is, or there is no page to tell; 1: no; -1: it is
 * gone. */
int story_is_as_written(const ledger_entry *entry);
/* The digests of the intents that no other of this unit (of any, with NULL) follows yet: the next one follows them. */
json_t *story_heads(const char *folder, const ledger *known, const char *model, const char *serial);
/* The newest record of one unit (or, with NULL, of any) in a folder and, with a ledger, wherever this computer has
 * written one; or the newest that wrote or left something unfinished. Each intent names those that it follows; where
 * that leaves the order open, the ledger of this computer tells it; what isn't settled comes before what is. No clock
 * has a say in it. False when there is none. */
bool story_newest(const char *folder, const ledger *known, const char *model, const char *serial, bool that_wrote,
                  record_story *story);

/* The newest that this computer began. */
bool story_newest_of_ours(const char *folder, const ledger *known, bool that_wrote, record_story *story);

/* Each record of one unit (or, with NULL, of any), found as by story_newest, the newest first, whether or not it is
 * settled. `followed`: a later one names it as one that it follows. `each` returns false to end. */
void story_each(const char *folder, const ledger *known, const char *model, const char *serial,
                bool (*each)(void *ctx, record_story *story, bool followed), void *ctx);

/* The record with which the story of `last` began: beside it, in `folder`, or where the ledger knows it. False: it is
 * gone, and `first` is `last`. */
bool story_first(const char *folder, const ledger *known, const record_story *last, record_story *first);

/* What the newest record of a unit means for the next job: what it had found before it held the device. */
void record_go_on(const record_story *before, bil_job_config *config);
/* What the next job of a story does: finish what its first record wanted, or go back to what was before it. True when
 * the safety copy of the first record is what it writes, else that record's copy (none for a reset). An undo that
 * broke off is gone on with either way. */
bool record_again(const record_story *first, bool undoes, bil_job_config *config);

#endif

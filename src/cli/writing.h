/* A write from the copy on disk to the verdict: what the commands share that write. */
#ifndef BIL_CLI_WRITING_H
#define BIL_CLI_WRITING_H

#include "cli/site_cli.h"
#include "host/copy/record.h"
#include "host/run/secret.h"

typedef struct write_call {
    const char *copy, *address, *folder, *who, *why;
    const char *site_given;    /* as given with --site, or NULL */
    const char *record_folder; /* of the record that is gone on with, or NULL: its site has a say, too */
    const char *safety_folder; /* in a site: where its copies are */
    here *h;                   /* NULL: the device isn't one of a site */
    device_row owner;
    bool yes, json;
    bool sets;                   /* the copy was made a moment ago, from the device itself */
    bool undoes;                 /* it goes back to what was before another write */
    const char *groups;          /* only these, with commas between; NULL or "": all */
    const char *restart_word;    /* as given with --restart, or NULL */
    int rehearse;                /* REHEARSE_... */
    const char *expected_serial; /* of the unit that a story is about, or NULL */
    char expected_digest[2 * BIL_SHA256 +
                         1];    /* of the copy, where it was found by what a site or a record says; or "" */
    const char *foreign_agreed; /* intent of a record of another computer that a person agreed to go on with; or NULL */
    bool goes_on;               /* with what this computer began: no card stops that */
    const char *recorded_address; /* where a story says that it answered; NULL or "" where that isn't known */
    uint32_t numbers[4];          /* BIL_UNITs at which that may answer by now, beside the address; 0: none */
    char **despite_words;         /* checks set aside: "firmware=REASON", ended by NULL; or NULL */
    char **without_words;         /* values left out: "ID=REASON", ended by NULL; or NULL */
    const char *without_before;   /* those that the story left out before, with commas between; or NULL */
    const char *unseen;           /* IDs with commas between that are written though there is no way back; or NULL */
    int start_again;              /* agreed beforehand: a machine that was at work is set to work again */
    bil_job_config config;
    /* own */
    json_t *despite, *without, *after;
    uint8_t *by_name;  /* for the job: the values of `unseen` */
    set_origin origin; /* of the copy */
    bil_set_totals totals;
    bil_image want;
    char before_path[STORAGE_PATH]; /* of a story that is gone on with: the values before it; "" where there are none */
    bil_image before;
    unsigned changed; /* values that neither that nor the copy explains */
    uint8_t *in_copy; /* state of each value in the copy, where only some groups are written; else NULL */
    device dev;
    bil_job *job;
    char password[SECRET_MAX];
    char stem[200]; /* of the files of this write */
    char safety[STORAGE_PATH];
    char others[STORAGE_PATH]; /* a record of another computer that says this unit was left unfinished; or "" */
    char chain[300];           /* the record with which an unfinished story began; "" where this is the first */
    char places[3][STORAGE_PATH];
    char moved_address[ADDRESS_TEXT]; /* where the device answers at in the end, "" where that is `address` */
    bool still_held;                  /* the unfinished story left it held */
    uint32_t found, found_first;      /* what the device was doing now, and before an unfinished story began */
    record rec;
    unsigned planned;
    bool waits;                   /* for its restart, at work */
    bool declined_without_asking; /* nobody could be asked */
    int file_error;               /* why a record or safety copy failed */
} write_call;

#define WRITING_OPTIONS(yes, json, fd, folder, who, why)                                                                \
    {"yes", 'y', POPT_ARG_NONE, &(yes), 0, "agree beforehand; nothing is asked", NULL},                                 \
        {"password-fd", 0, POPT_ARG_INT, &(fd), 0, "read the password from this file descriptor", "N"},                 \
        {"folder", 'f', POPT_ARG_STRING, &(folder), 0, "for safety copy and record (the site, or this folder)", "DIR"}, \
        WHO_OPTION(who), {"why", 0, POPT_ARG_STRING, &(why), 0, "a note for the record", "TEXT"}, JSON_OPTION(json)

/* What only the write itself may be told, and goes straight into its call. */
#define START_OPTION(w)                                                                                                \
    {                                                                                                                  \
        "start-again", 0, POPT_ARG_NONE, &(w)->start_again, 0,                                                         \
            "set the machine to work again afterwards, if it was at work when this began (--yes doesn't)", NULL        \
    }
#define CALL_OPTIONS(w)                                                                                                \
    START_OPTION(w),                                                                                                   \
        {"without", 0, POPT_ARG_ARGV, &(w)->without_words, 0, "leave this value out, with the reason", "ID=REASON"},   \
    {                                                                                                                  \
        "unseen", 0, POPT_ARG_STRING, &(w)->unseen, 0,                                                                 \
            "write these though their present values can't be read, so that there is no way back", "ID,ID"             \
    }

#define RESTART_OPTION(restart)                                                                                        \
    {                                                                                                                  \
        "restart", 0, POPT_ARG_STRING, &(restart), 0,                                                                  \
            "when it restarts, which proves that values last: now, idle (when the machine stands), a time, by-hand, "  \
            "never",                                                                                                   \
            "WHEN"                                                                                                     \
    }

#define DESPITE_OPTION(despite)                                                                                        \
    {                                                                                                                  \
        "despite", 0, POPT_ARG_ARGV, &(despite), 0,                                                                    \
            "set a check aside, with the reason: firmware, hardware, rules, changed, card, turn", "CHECK=REASON"       \
    }

/* How values are written, and in spite of what. */
#define HOW_OPTIONS(trial, restart, despite)                                                                           \
    {"trial", 0, POPT_ARG_NONE, &(trial), 0, "put the values in force, but don't store them: keep or undo ends it",    \
     NULL},                                                                                                            \
        RESTART_OPTION(restart), DESPITE_OPTION(despite)

enum { REHEARSE_NOT, REHEARSE_FIRST, REHEARSE_ONLY };

/* ---- of one write; preview.c, verdict.c, rehearsal.c ---- */

/* What the job will do about this value. */
bil_write_need need_of(const write_call *w, uint16_t index);
/* Why this value isn't, or won't be, as wanted; BIL_OK where it is, or is to be left out. */
bil_error exception_of(const write_call *w, uint16_t index);
/* Neither held nor standing by itself. */
bool at_work(const bil_description *d, uint32_t state);
bool state_text(const bil_description *d, uint32_t state, char text[BIL_VALUE_TEXT]);
/* Who, what, and what will happen; counts what is planned. */
void preview(write_call *w, uint32_t found);
void preview_count(write_call *w);
/* Values that are neither as the story found them nor as it wants them, nor reset by those it writes; told under
 * `title`, unless NULL. */
unsigned story_changes(const write_call *w, const char *title);
int exit_of(const bil_action *end, const write_call *w);
void put_verdict(const write_call *w, const bil_action *end);
void put_json(const write_call *w, const bil_action *end, int code);
/* The machine goes back to work when a person has tried it. Each answer is recorded; true unless one failed. */
bool ask_for_tests(write_call *w);
/* The machine was at work when this began and stands now: a question of its own decides whether it is set to work
 * again. True unless it was to and didn't. */
bool start_again(write_call *w, bool tests_passed);
/* Values that are on the device now and in no copy: a fresh one is offered. */
void offer_copy(write_call *w);
bool ask_at_terminal(const char *question);
/* What was read back last, as a copy; its path. */
int save_from_device(write_call *w, const char *why, char *path);
/* Plays the whole write against a simulated unit that has the values of the device. -1 when it ended well, else the
 * exit code; what came out was said. */
int rehearse(write_call *w);

/* ---- the engine ---- */

/* Finds the device in the site, if there is one: fills address, folder, safety_folder, h, owner. -1, or the exit code.
 */
int writing_find(write_call *w, const char *device_name, const char *site_given);
/* May this person write to this device at all? -1, or the exit code. */
int writing_allowed(const write_call *w);
/* The copy that is meant, as place_of finds it, and by its digest where a site names it. -1, or the exit code. */
int writing_copy(write_call *w, const char *text, const char *site_given, char place[STORAGE_PATH]);
/* The whole write. The exit code. */
int writing_run(write_call *w, const models *m, int password_fd);
/* Frees the call and what it holds. */
void writing_end(write_call *w);

#endif

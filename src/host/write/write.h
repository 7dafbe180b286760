/* A write from the copy on disk to the verdict, with its intent record and its safety copy.
 *
 * The caller fills in what is wanted (the first part of a write_call, all else zero), how it answers (write_answers)
 * and where things are kept, and calls, in this order:
 *
 *     write_begin    may it be? Loads the copy, takes the turns, connects, asks who has a say; nothing is written
 *     write_run      the job, from the preview to the verdict
 *     write_told     what people tried afterwards; write_start sets the machine to work again; both where they apply
 *     write_end      closes the record, lets the device go, gives the turns back and frees what the call holds
 *
 * The first two return BIL_OK or an error, and then `trouble` says more. Nothing here prints or asks. */
#ifndef BIL_HOST_WRITE_WRITE_H
#define BIL_HOST_WRITE_WRITE_H

#include "host/base/trouble.h"
#include "host/copy/keep.h"
#include "host/copy/load.h"
#include "host/copy/record.h"
#include "host/run/device.h"
#include "host/run/secret.h"
#include "host/run/turn.h"

typedef enum write_phase { WRITE_CONNECTING, WRITE_READING, WRITE_WORKING, WRITE_WRITING, WRITE_WAITING } write_phase;

typedef enum write_question {
    WRITE_MAY_GO_ON,        /* what is planned was shown: is it to be done? */
    WRITE_MAY_TAKE_CHANGED, /* values were changed since by another hand: are they to be overwritten, too? */
    WRITE_IS_IT_DONE,       /* something that only a person at the device can do or see; `text` says what */
    WRITE_MAY_ACT = 4 /* safety-relevant values act at once on a machine at work: may they? `text` has their ids */
} write_question;

typedef enum write_answer { WRITE_NO, WRITE_YES, WRITE_NOBODY /* there is nobody to be asked */ } write_answer;

typedef struct write_call write_call;

/* How whoever started the write answers, and what is told meanwhile. Functions may be NULL: then there is nobody to be
 * asked, and nobody who watches. They are called by the thread that runs the write. */
typedef struct write_answers {
    write_answer (*ask)(void *ctx, const write_call *w, write_question question, const char *text);
    /* As in bil_write_wish; SECRET_MAX bytes. */
    bool (*password)(void *ctx, const char *which, bool may_ask, char *out, size_t size);
    bool (*trust)(void *ctx, const char *where, const char *says, const char *before); /* as in bil_host_config */
    /* As in bil_write_wish; PASSPHRASE_MAX bytes. */
    bool (*passphrase)(void *ctx, bool wrong, char *out, size_t size);
    /* All that is planned is known (write_planned, `changed`): time to show it. */
    void (*preview)(void *ctx, const write_call *w);
    void (*event)(void *ctx, const write_call *w, const bil_action *action);
    void (*saved)(void *ctx, const write_call *w); /* the safety copy */
    /* Measured data; `path`: "" where there was none. */
    void (*collected)(void *ctx, const write_call *w, const char *id, const char *path);
    void (*doing)(void *ctx, write_phase phase, const bil_job_progress *p);
    /* How much of a file went, or came: `all` 0 where nobody knows that. */
    void (*moving)(void *ctx, const char *id, uint64_t done, uint64_t all);
    /* Something that doesn't end the write isn't as it should be. */
    void (*doubt)(void *ctx, const char *what, int error, const char *why);
    bool person_there; /* at the device, to switch it off and on */
    void *ctx;
} write_answers;

/* How far a write is only played before. */
enum { REHEARSE_NOT, REHEARSE_FIRST, REHEARSE_ONLY };

struct write_call {
    /* ---- what is wanted; texts outlive the call ---- */
    const char *copy;   /* path; "" for a reset */
    const char *called; /* what people call it; NULL: by its path */
    const char *who, *why;
    keep keep;                 /* where the device answers, and where records and copies go */
    const char *record_folder; /* of the record that is gone on with, or NULL: its site has a say, too */
    bool yes;                  /* agreed beforehand, but for what `despite` has to name */
    bool sets;                 /* the copy was made a moment ago, from the device itself */
    bool undoes;               /* it goes back to what was before another write */
    const char *groups;        /* only these, with commas between; NULL or "": all */
    uint64_t restart_in_ms; /* until the restart at a time, or for how long it may wait for the machine to stand; 0 */
    int rehearse;           /* REHEARSE_... */
    char expected_digest[2 * BIL_SHA256 + 1]; /* of the copy, where a site or a record names it; or "" */
    /* The reason of each check set aside, beside the bit in `config` ("changed", "card" and "turn" have none), and of
     * each value left out, by its ID; or NULL. The call takes them over. */
    json_t *despite, *without;
    const char *unseen; /* IDs with commas between that are written though there is no way back; or NULL */
    bool restart_asked; /* `config.restart` is what a person said; else a machine that is at work goes on */
    int prove;          /* the proof is wanted now: restarted, also where nothing differs */
    bool collect;       /* what the device measured and this would clear is saved before */
    int start_again;    /* agreed beforehand: a machine that was at work is set to work again */
    bil_job_config config;
    bil_link link; /* the caller's own, with its clock, instead of one to the address; ops NULL: none */
    bil_clock clock;
    bool (*stop)(void *ctx); /* not NULL: asked often whether the write is to end as soon as that is safe */
    void *stop_ctx;

    /* ---- of the story that it goes on with; see again.h ---- */
    const char *expected_serial; /* of the unit that it is about, or NULL */
    const char *foreign_agreed; /* intent of a record of another computer that a person agreed to go on with, or NULL */
    bool goes_on;               /* with what this computer began: no card stops that */
    const char *recorded_address;   /* where it answered then; NULL or "" where that isn't known */
    uint32_t numbers[4];            /* BIL_UNITs at which that may answer by now, beside the address; 0: none */
    const char *without_before;     /* values that it left out before, with commas between; or NULL */
    char before_path[STORAGE_PATH]; /* the values before it; "" where there are none */

    /* ---- what is known of it ---- */
    trouble trouble;
    write_answers answers;
    json_t *after;
    uint8_t *by_name; /* for the job: the values of `unseen` */
    loaded_copy want, before;
    struct opened *put; /* secrets that are put in: sealed in the copy, and opened */
    size_t put_count, put_room;
    bil_proc_step *put_steps;
    bil_procedure puts;
    unsigned changed; /* values that neither the story nor the copy explains */
    uint8_t *in_copy; /* state of each value in the copy, where only some groups are written; else NULL */
    device dev;
    bool opened;
    turn place, unit;
    bil_job *job;
    uint16_t file; /* that goes, or comes, just now */
    secrets secrets;
    char stem[200];          /* of the files of this write */
    json_t *collected;       /* paths of what was measured, by the ids of the files; NULL before anything is written */
    const char *uncollected; /* the one that couldn't be, for `collect_error`; or NULL */
    int collect_error;
    char now_digest[2 * BIL_SHA256 + 1]; /* of write_save_now */
    char safety[STORAGE_PATH], safety_digest[2 * BIL_SHA256 + 1];
    char safety_values[2 * BIL_SHA256 + 1];  /* values digest of the safety copy; "" where it isn't complete */
    char present_values[2 * BIL_SHA256 + 1]; /* values digest of what was read back last, or "" */
    char present[STORAGE_PATH];              /* the copy of what was read back last; "" where there is none */
    char others[STORAGE_PATH];        /* a record of another computer that says this unit was left unfinished; or "" */
    char chain[300];                  /* the record with which an unfinished story began; "" where this is the first */
    char moved_address[ADDRESS_TEXT]; /* where the device answers in the end, "" where that is `keep.address` */
    bool moved;                       /* it does by this write */
    bool still_held;                  /* the unfinished story left it held */
    uint32_t found, found_first;      /* what the device was doing now, and before an unfinished story began */
    record rec;
    unsigned planned;
    uint8_t *written;                 /* 1 for each parameter that was planned when a person was asked; NULL before */
    bool waits;                       /* for its restart, at work */
    bool nobody_asked;                /* it was declined because of that */
    bool password_later, no_password; /* a person is to be asked for it; was asked, and there is none */
    bool asked_for_more;              /* than the first one */
    bool lacks_person;                /* a step needs one, and nobody is there */
    bool acts;                        /* that was about safety-relevant values on a machine at work */
    bool already;                     /* nothing differs, and it is known to be stored: nothing was done */
    bool known_good; /* the newest story of the unit was proved, with these values and, if counted, these changes: */
    bool good_counted;
    char good_values[2 * BIL_SHA256 + 1];
    uint32_t good_changes;
    int file_error; /* why a record or safety copy failed */
    bil_action end; /* of the job */
    bool over;
};

/* Before single values are set: the device as it was read just now, saved as its newest copy; `path` of STORAGE_PATH
 * bytes. BIL_OK, or why it couldn't be saved. */
int write_save_now(write_call *w, device *now, char path[STORAGE_PATH]);

/* May this person write at all? BIL_OK, or BIL_E_NOT_ALLOWED. */
int write_allowed(write_call *w);

/* Before it begins: sets a check aside, or leaves a value out, both of which go into the record; `length` is that of
 * the first text. False where it is none, or `why` is no reason. */
bool write_set_aside(write_call *w, const char *check, size_t length, const char *why);
bool write_leave_value(write_call *w, const char *id, size_t length, const char *why);

int write_begin(write_call *w, const catalogue *m, const write_answers *answers);
/* The job: BIL_OK once it is over, however that was: `end` tells. */
int write_run(write_call *w);
/* Did it come to its end as wanted, and did anything change by it, so that a person should try the machine? */
bool write_proved(const write_call *w);
/* Or is it in force and stored, on a machine that went on? */
bool write_lasts(const write_call *w);
/* May who tried these values here make them last, too? */
bool write_may_last(const write_call *w);
/* Is the machine at work, as it was found? */
bool write_is_at_work(const write_call *w);
/* Is this a state in which the machine is neither held nor stands by itself? */
bool write_state_is_work(const bil_description *d, uint32_t state);
bool write_wants_tests(const write_call *w);
/* What a person answered of a test, or of a warning that was to be expected; both are open until then. */
int write_told(write_call *w, bool warning, const char *what, record_result result);
/* Was the machine at work when this began, and does it stand now? Can it be set to work again from here, and do it, on
 * purpose. */
bool write_stopped(const write_call *w);
bool write_can_start(const write_call *w);
int write_start(write_call *w);
/* Values on the device now that are in no copy, and what was read back last saved as one. */
unsigned write_beside_the_copy(const write_call *w);
int write_save(write_call *w, const char *why); /* `present` tells where */
void write_end(write_call *w);

/* ---- what is planned: as the job itself plans it ---- */

bil_write_need write_need(const write_call *w, uint16_t index);
/* Will it be written: not what there is no way back from, unless that was named. */
bool write_planned(const write_call *w, uint16_t index);
/* Why this value isn't, or won't be, as wanted; BIL_OK where it is, or is to be left out. */
bil_error write_exception(const write_call *w, uint16_t index);
/* Neither as the story found it nor as it wants it, nor reset by what it writes. */
bool write_changed_since(const write_call *w, uint16_t index);
/* What of the device would be lost because a written value resets it, and it isn't among those written. */
bool write_would_lose(const write_call *w, uint16_t index);

/* Is this a file of what the device measured, which is saved before the write clears it? */
bool write_collects(const write_call *w, uint16_t index);

/* Is this a secret that goes in from its seal, or one that stays sealed, since nobody gave the passphrase? */
typedef enum write_sealed { WRITE_NOT_SEALED, WRITE_PUTS, WRITE_LEAVES_SEALED } write_sealed;
write_sealed write_is_sealed(const write_call *w, uint16_t index);

/* The first step of what comes that only a person at the device can do; NULL: there is none. */
const char *write_person_step(const write_call *w);

/* Does it concern this write: something that it is about is written, or, where it says nothing of that, the machine is
 * stopped for it? */
bool write_concerns(const write_call *w, const bil_reminder *reminder);

/* ---- playing it before ---- */

/* For reads before the write: what they take it takes, too. */
secret_source write_secrets(write_call *w);
/* Is there a password, if one is wanted? Where it isn't at hand a person is asked now. */
bool write_has_password(write_call *w);
/* Reads the device and plays the whole write against another link: a unit that has its values. Then `end` tells how
 * that ended and `counts` what it took. The device itself is only read, by write_rehearsal_reads. */
int write_rehearsal_reads(write_call *w);
int write_rehearse(write_call *w, bil_link link, bil_clock clock, bil_action *end, bil_job_progress *counts);

#endif

/* bilancia/write.h - writing to a device, with record, safety copy and proof: docs/write.md is the law.
 *
 * A call does all of it: it takes the turn, looks who answers, asks, saves what was there, writes what differs, stores,
 * restarts, proves and lets the device go; or stops where that is safe, and says so. The ending tells how it came out;
 * the record beside the safety copy is what bil_resume and bil_undo go on with after a break, by this program or
 * another.
 *
 * Thread rules: as host.h; hooks are called by the thread that writes. bil_cancel may be called in a hook, and by
 * any thread or a signal handler. */
#ifndef BILANCIA_WRITE_H
#define BILANCIA_WRITE_H

#include "bilancia/copy.h"

#ifdef __cplusplus
extern "C" {
#endif

/* A write in progress, as its hooks see it. */
typedef struct bil_writing bil_writing;

/* See below. */
typedef struct bil_ending bil_ending;

/* What is asked; the answer decides. */
typedef enum bil_write_question {
    BIL_MAY_GO_ON,        /* the plan is known (bil_writing_...): is it to be done? */
    BIL_MAY_TAKE_CHANGED, /* values were changed since by another hand: are they to be overwritten, too? */
    BIL_IS_IT_DONE,       /* something that only a person at the device can do or see; `text` says what */
    BIL_MAY_START, /* the machine was at work (`text`: in which state) and stands now: is everybody clear of it, is
                    * it to be set to work again? */
    BIL_MAY_ACT    /* safety-relevant values act at once on a machine at work (`text` has their ids): may they? */
} bil_write_question;

/* What somebody answered. */
typedef enum bil_write_answer {
    BIL_ANSWER_NO,
    BIL_ANSWER_YES,
    BIL_ANSWER_NOBODY /* there is nobody to be asked */
} bil_write_answer;

/* What it is about at the moment, for a person who waits. */
typedef enum bil_write_phase {
    BIL_PHASE_CONNECTING,
    BIL_PHASE_READING,
    BIL_PHASE_WORKING, /* not to be disconnected */
    BIL_PHASE_WRITING, /* nor now */
    BIL_PHASE_WAITING  /* for the restart; the device works meanwhile */
} bil_write_phase;

/* Why something is set aside or left out; both go into the record. */
typedef struct bil_reason {
    const char *what; /* a check ("firmware", "hardware", "rules"; "changed", "card", "turn", "at-work", "signature"),
                         or the id of a value */
    const char *why;  /* a line of printable text, of more than two bytes */
} bil_reason;

/* A record that is gone on with, or gone back from, as it says; texts are good during the call that gives it. */
typedef struct bil_story {
    const char *record;            /* the file; of a story of several the last one */
    const char *when, *who;        /* when it was begun, and by whom; "" where it doesn't say */
    const char *model, *serial;    /* of the unit */
    const char *address;           /* where that answered then */
    const char *verdict;           /* how it ended, by name (bil_verdict_name); "" where it was broken off */
    bool held, on_trial, finished; /* how it left the device; `finished`: nothing is left to do for bil_resume */
    bool undoes;                   /* this call goes back, not on */
    const char *writes;            /* the copy that would be written now; "" for the factory values, or none */
    bool resets;                   /* the factory values are wanted */
    const char *groups, *without;  /* only these; values that it left out; or "" */
    bil_purpose purpose;
    bool with_calibration;
    uint32_t found;   /* the state in which it found the device */
    uint32_t aside;   /* 1 << bil_check for each check that it set aside */
    bool foreign;     /* it is of another computer: then it counts once a person agrees, and its checks
                       * hold again */
    const char *ours; /* and this computer's own newest record there, where it
                       * leaves anything to do, or "" */
} bil_story;

/* What is to be written, how, and how the program answers. Texts and lists needn't outlive the call. */
typedef struct bil_write_wish {
    size_t struct_size;
    const char *why;    /* for the record; or NULL */
    const char *folder; /* of record and safety copy; NULL: those of the device in the site, else the current folder */
    bool yes;           /* agreed beforehand, but for what `despite` has to name */
    bool person_there;  /* at the device, to switch it off and on */
    bool start_again;   /* agreed beforehand: a machine that was at work is set to work again */

    /* what is written */
    bool purpose_given; /* else only the same unit is taken */
    bil_purpose purpose;
    bool with_calibration;
    bool trial;         /* put in force, neither stored nor restarted: bil_keep or bil_undo ends it */
    const char *groups; /* only these, with commas between; NULL: all */
    bool restart_given; /* else at once; but a machine that is at work goes on, and single values never stop one: then
                         * the verdict is IN_FORCE */
    bil_restart restart;
    uint64_t restart_in_ms; /* until the restart at a time, or for how long it may wait for the machine to stand */
    const char
        *unseen; /* ids with commas between that are written though their present values can't be read; or NULL */
    const bil_reason *despite; /* checks set aside */
    size_t despite_count;
    const bil_reason *without; /* values left out */
    size_t without_count;

    /* bil_resume, bil_undo, bil_keep: the device, where it is reached over a link of the program's own; else NULL */
    bil_device *device;
    /* to go on with a record of another computer: the serial number of the unit in front of the person; or NULL */
    const char *serial;

    /* hooks; each may be NULL: then nobody is asked, and nobody watches */
    bil_write_answer (*ask)(void *ctx, const bil_writing *w, bil_write_question question, const char *text);
    /* The password of the device, ended by a NUL, at most `size` bytes with it: first (`may_ask` false) one that is at
     * hand already; where there was none and one is wanted, what a person may be asked for, once all checks have passed
     * and the plan was agreed to. `which`: "" for the first one, before it is known what the model calls it; else its
     * name in the description. A model with several is asked for all of them then, in their order, each first with
     * `may_ask` false. One that shows no values without it is asked for it before they are read. False: none. NULL:
     * that of the host (bil_host_config) is asked. */
    bool (*password)(void *ctx, const char *which, bool may_ask, char *out, size_t size);
    /* All that is planned is known. */
    void (*preview)(void *ctx, const bil_writing *w);
    /* An event of the job; `index` of the parameter that it is about, or BIL_NONE. */
    void (*event)(void *ctx, const bil_writing *w, bil_event event, uint16_t index);
    /* The safety copy is saved (bil_writing_safety, bil_writing_record). */
    void (*saved)(void *ctx, const bil_writing *w);
    void (*doing)(void *ctx, const bil_writing *w, bil_write_phase phase, const bil_job_progress *progress);
    /* After a proved write: a warning of the device that was to be expected meanwhile (`test` false): is that over? A
     * test of function or safety: is it so? NO: it failed; NOBODY: it stays open. Each answer goes into the record. */
    bil_write_answer (*tried)(void *ctx, const bil_writing *w, bool test, const char *what);
    void *ctx;

    /* the proof is wanted now: stored and restarted, also where nothing differs and where the machine is at work */
    bool prove;

    /* bil_resume, bil_undo, bil_keep: what is gone on with, before anything else. Of a foreign one, where `serial`
     * isn't given, `typed` becomes what a person at the device types to agree: its serial number, or, where it has
     * none, its address. False ends it: BIL_E_FOREIGN or BIL_E_DECLINED. */
    bool (*story)(void *ctx, const bil_story *story, char *typed, size_t size);
    /* The job is over, and so its record says: how, before anybody is asked for tests or for a start. */
    void (*ended)(void *ctx, const bil_writing *w, const bil_ending *so_far);
    /* Values on the device are in no copy now (`beside` of the ending): is one to be saved of what was read back? */
    bool (*save_present)(void *ctx, const bil_writing *w, unsigned values);
    /* Not NULL: the whole write is first played over another link, to a unit that has the values of the device
     * (bil_writing_have) and, where that isn't "", its password. False: there is no such unit (BIL_E_CALL). */
    bool (*stage)(void *ctx, const bil_writing *w, const char *password, bil_link *link, bil_clock *clock);
    bool only_rehearsed; /* and nothing is written to the device */
    /* It was played. Where that didn't end well, or nothing more is wanted, `ending` is that of the rehearsal, and
     * nothing was written to the device. */
    void (*rehearsed)(void *ctx, const bil_writing *w, const bil_ending *end, const bil_job_progress *counts);
    /* The copy has secrets sealed in it (bil_copy_seal), which this write would put in: their passphrase, ended by a
     * NUL, at most `size` bytes with it. `wrong`: what was given isn't it. False, or NULL: none; the secrets stay
     * sealed, are left to people, and nothing else changes; after a wrong one the write ends before it begins, with
     * BIL_E_PASSPHRASE. A trial puts none in, since nothing would take them back. */
    bool (*passphrase)(void *ctx, const bil_writing *w, bool wrong, char *out, size_t size);
    /* While a file goes, or comes, which may take long: how many of its bytes are there, and of how many, 0 where
     * nobody knows that. */
    void (*moving)(void *ctx, const bil_writing *w, const char *id, uint64_t done, uint64_t all);
    /* What the device measured, and the write would clear (bil_writing_loses): first saved beside the copies, as far as
     * the description says in which files of the device it is. Nothing is written where that can't be done. */
    bool collect;
    /* One of these is saved; `path` is "" where the device had none. */
    void (*collected)(void *ctx, const bil_writing *w, const char *id, const char *path);
} bil_write_wish;

/* How it came out. Texts belong to the host, until its next write. */
struct bil_ending {
    size_t struct_size; /* the caller's; what lies behind it isn't told */
    bil_verdict verdict;
    bool held;                         /* the device is, or may be, still held */
    bool wrote, stored;                /* a value was sent; the device confirmed that it stored them */
    bool restarted;                    /* a restart was seen */
    bool stopped;                      /* the machine was at work when this began, and stands now */
    bool started;                      /* and was set to work again */
    bool moved;                        /* it answers elsewhere now: `address` */
    int cause;                         /* why it isn't verified */
    const char *param, *other;         /* ids that the cause is about, or "" */
    uint32_t code;                     /* what the device gave as its reason */
    unsigned planned, written;         /* values */
    unsigned tests_failed, tests_open; /* see `tried` */
    const char *safety, *record;       /* paths; "" where it didn't come so far */
    const char *address;
    bool went_on;        /* a machine at work wasn't stopped for it */
    bool already;        /* nothing differs, and that is known to be stored: nothing was done, and the
                          * verdict is that of the earlier proof */
    const char *present; /* the copy of what was read back last, or "" */
    int file_error;      /* why record or safety copy failed, where they did */
    const char *copy;    /* the copy that was written: of bil_set the one that was made for it; or "" */
    const char *called;  /* what goes on with it or back from it: the device's name in its site, else the record */
    bool in_site;
    const char *was;    /* the state of operation in which the device was found, as text; "" where that isn't told */
    bool can_start;     /* a machine that was stopped can be set to work again from here */
    int start_error;    /* that was wanted, and why it didn't */
    unsigned beside;    /* values on the device now that are in no copy */
    const char *before; /* bil_resume, where nothing was left to finish: how that write ended, by name; else "" */
};

/* Writes a saved copy: only what differs. The copy is the file as it was opened; one that was changed in memory is to
 * be saved first (BIL_E_CALL). BIL_OK once there is an ending, which has to be looked at; an error where it was refused
 * before anything began, and then the device wasn't touched: BIL_E_CALL, BIL_E_NOT_ALLOWED, BIL_E_TURN,
 * BIL_E_SIGNATURE, BIL_E_CARD, BIL_E_DISPUTED, BIL_E_OTHER_MODEL, BIL_E_FILE_WRITE, ..., or what the line says.
 * Afterwards the device's image is what was read back. `ending` may be NULL. */
int bil_write(bil_device *device, const bil_copy *copy, const bil_write_wish *wish, bil_ending *ending);

/* Changes single values on a device: `assignments` are "ID=VALUE", `count` of them. What is there is read and saved,
 * and the copy that is wanted made of it. BIL_OK with verdict VERIFIED and nothing written where it has these values.
 */
int bil_set(bil_device *device, const char *const *assignments, size_t count, const bil_write_wish *wish,
            bil_ending *ending);

/* Puts the factory values in force, as the description says. */
int bil_reset(bil_device *device, const bil_write_wish *wish, bil_ending *ending);

/* After a break, by the record (a .brec file) or the name of a device of the site: goes on to what it wanted; goes back
 * to what was there before the last write that changed something; makes a trial last. BIL_E_NO_RECORD,
 * BIL_E_RECORD_FORM, BIL_E_FOREIGN (the record is of another computer: `wish->serial` is wanted), BIL_E_OTHER_UNIT, or
 * as bil_write. Where nothing is left to finish, resume says VERIFIED and has written nothing. */
int bil_resume(bil_host *host, const char *which, const bil_write_wish *wish, bil_ending *ending);
int bil_undo(bil_host *host, const char *which, const bil_write_wish *wish, bil_ending *ending);
int bil_keep(bil_host *host, const char *which, const bil_write_wish *wish, bil_ending *ending);

/* Ends the write that this host has in progress as soon as that is safe: nothing was sent, then the device is let go;
 * else as a break, with cause BIL_E_CANCELLED. Does nothing where there is none. Safe in a signal handler. */
void bil_cancel(bil_host *host);

/* ---- what a hook may ask ---- */

/* By which description the device goes. */
const bil_description *bil_writing_description(const bil_writing *w);
/* What the device holds, as far as it was read, and what is wanted. */
const bil_image *bil_writing_have(const bil_writing *w);
const bil_image *bil_writing_want(const bil_writing *w);
/* From the preview on: what is to be done about a value, and whether it is written; how many are. */
bil_write_need bil_writing_need(const bil_writing *w, uint16_t index);
bool bil_writing_plans(const bil_writing *w, uint16_t index);
unsigned bil_writing_planned(const bil_writing *w);
/* Was it changed since by another hand than this story's? */
bool bil_writing_changed_since(const bil_writing *w, uint16_t index);
/* Why a value isn't, or won't be, as wanted: BIL_E_FIXED, BIL_E_LACKS, BIL_E_UNREADABLE (there would be no way back),
 * or how it was read back; BIL_OK where it is, or is to be left out. And would what the device has there be lost,
 * because another value that is written resets it? */
int bil_writing_exception(const bil_writing *w, uint16_t index);
bool bil_writing_would_lose(const bil_writing *w, uint16_t index);
/* From the preview on: of what the description says the device loses (`loses`, by its place there), does this write
 * clear it? And is this parameter a file that is collected before? */
bool bil_writing_loses(const bil_writing *w, uint8_t which);
bool bil_writing_collects(const bil_writing *w, uint16_t index);
/* Is this a secret that the write puts in from its seal? It is an exception then, BIL_E_UNSHOWN, or BIL_E_REFUSED: no
 * device shows it. And one that stays sealed, and is to be entered by hand? */
bool bil_writing_puts(const bil_writing *w, uint16_t index);
bool bil_writing_leaves_sealed(const bil_writing *w, uint16_t index);
/* From the preview on: what it is done for; does the machine go on, neither held nor restarted; and what the job took
 * so far. */
bil_purpose bil_writing_purpose(const bil_writing *w);
bool bil_writing_goes_on(const bil_writing *w);
void bil_writing_counts(const bil_writing *w, bil_job_progress *counts);
/* The first step of what comes that only a person at the device can do, or NULL. */
const char *bil_writing_person_step(const bil_writing *w);
/* Where the device answers; and the paths of safety copy and record, "" before these are there. */
const char *bil_writing_address(const bil_writing *w);
const char *bil_writing_safety(const bil_writing *w);
const char *bil_writing_record(const bil_writing *w);

#ifdef __cplusplus
}
#endif

#endif

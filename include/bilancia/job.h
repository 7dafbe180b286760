/* bilancia/job.h - reading and writing as state machines that do no I/O.
 *
 * A job lives in the caller's memory. bil_job_step takes the result of the last action and gives the next one;
 * the caller performs it: moves values, waits, connects, makes a record durable, asks a person. The last action
 * is `end`. A job can be dropped after any action; nothing has to be freed. Its state is never saved: to go on
 * after a break, make a new job.
 *
 *     bil_result result = {.now_ms = now()};
 *     while (bil_job_step(job, &result, &action) == BIL_OK && action.kind != BIL_ACT_END)
 *         perform(&action, &result);
 *
 * Thread rules: one job belongs to one thread at a time; jobs share nothing but the const description. */
#ifndef BILANCIA_JOB_H
#define BILANCIA_JOB_H

#include "bilancia/link.h"
#include "bilancia/plan.h"

#ifdef __cplusplus
extern "C" {
#endif

/* What whoever runs a job has to do next. */
typedef enum bil_action_kind {
    BIL_ACT_CONNECT,  /* open the link anew; an open one is closed first */
    BIL_ACT_TRANSFER, /* move some values, in one request */
    BIL_ACT_WAIT,     /* let time pass */
    BIL_ACT_ASK,      /* ask the person; answer yes or no */
    BIL_ACT_RECORD,   /* make this event durable before the next step */
    BIL_ACT_SAVE,     /* save the image as a set, durable before the next step */
    BIL_ACT_END       /* the job is over */
} bil_action_kind;

/* What is asked by BIL_ACT_ASK. */
typedef enum bil_question {
    BIL_ASK_WRITE, /* `have` is what the device holds: may the job go on and write what differs? */
    BIL_ASK_PERSON /* a step for a person: `text` */
} bil_question;

/* Moments of a job, for records, progress and messages. X(NAME, "name", "text") */
/* clang-format off */
#define BIL_EVENTS(X) \
    X(INTENT, "intent", "the write is decided") \
    X(HOLDING, "holding", "the device is being held") \
    X(HELD, "held", "the device is held") \
    X(WRITING, "writing", "values are being written") \
    X(VALUE_REFUSED, "value_refused", "the device refused a value") \
    X(STORING, "storing", "values are being stored") \
    X(STORED, "stored", "the device confirms that it stored the values") \
    X(RESETTING, "resetting", "the device is being reset to factory values") \
    X(WAITING, "waiting", "the restart waits; the device works with the new values meanwhile") \
    X(RESTARTING, "restarting", "the device restarts") \
    X(RESTARTED, "restarted", "the device is back: same unit") \
    X(PROVED, "proved", "everything was read back twice and compared") \
    X(RELEASING, "releasing", "the device is being released") \
    X(RELEASED, "released", "the device is released: it stands") \
    X(STARTING, "starting", "the machine is being set to work again") \
    X(STARTED, "started", "the machine is at work again") \
    X(VERDICT, "verdict", "the job is over")
/* clang-format on */

/* See BIL_EVENTS. */
typedef enum bil_event {
#define BIL_EVENT_ENUM(NAME, name, text) BIL_EV_##NAME,
    BIL_EVENTS(BIL_EVENT_ENUM)
#undef BIL_EVENT_ENUM
        BIL_EVENT_COUNT
} bil_event;

/* How a job ended. X(NAME, "name", "text") */
/* clang-format off */
#define BIL_VERDICTS(X) \
    X(VERIFIED, "verified", "verified") \
    X(WITH_EXCEPTIONS, "verified_with_exceptions", "verified, with the exceptions named") \
    X(IN_FORCE, "in_force", "in force") \
    X(NOT_PROVED, "not_proved", "not proved") \
    X(ON_TRIAL, "on_trial", "on trial: in force, not stored") \
    X(INCOMPLETE, "incomplete", "incomplete") \
    X(REFUSED, "refused", "refused") \
    X(UNTOUCHED, "untouched", "untouched")
/* clang-format on */

/* See BIL_VERDICTS. */
typedef enum bil_verdict {
#define BIL_VERDICT_ENUM(NAME, name, text) BIL_VERDICT_##NAME,
    BIL_VERDICTS(BIL_VERDICT_ENUM)
#undef BIL_VERDICT_ENUM
        BIL_VERDICT_COUNT
} bil_verdict;

/* The next thing to do; memory that it points to is the job's, and good until the next step. */
typedef struct bil_action {
    uint32_t number; /* the result quotes it */
    bil_action_kind kind;
    union {
        bil_transfer transfer; /* its memory is the job's */
        struct {
            uint64_t until_ms;
        } wait;
        bil_connect connect;
        struct {
            bil_question question;
            const char *text;
            const bil_image *have;
            uint32_t found; /* state of operation, where the model tells it */
        } ask;
        struct {
            bil_event event;
            bil_error cause;
            uint16_t param; /* or BIL_NONE */
            uint32_t code;  /* what the device gave as its reason, or the state found before hold */
            const bil_image *have;
        } record;
        struct {
            const bil_image *have;
        } save;
        struct {
            bil_verdict verdict;
            bool held;             /* the device is, or may be, still held */
            bool wrote;            /* at least one parameter write was sent */
            bool stored;           /* the device confirmed that it stored the values */
            bool restarted;        /* a restart was seen, by what only a restart does */
            bool stopped;          /* the machine was at work when this began, and stands now */
            bool at_work;          /* it was, when its state was last seen */
            bil_error cause;       /* why, where it isn't verified */
            uint16_t param, other; /* the parameters concerned, or BIL_NONE */
            uint32_t code;
        } end;
    } u;
} bil_action;

/* RESET has the device put its factory values in force, as its description says, and proves that they are. */
/* START sets a machine to work again that a write stopped, by the description's own procedure: only for a person who
 * asks for it now, never because of a record. */
typedef enum bil_job_kind { BIL_JOB_IDENTIFY, BIL_JOB_READ, BIL_JOB_WRITE, BIL_JOB_RESET, BIL_JOB_START } bil_job_kind;

/* When the restart comes that proves that values last. X(NAME, "name", "what it means") */
/* clang-format off */
#define BIL_RESTARTS(X) \
    X(NEVER, "never", "not at all: then nothing is proved to last") \
    X(NOW, "now", "at once, while the device is held") \
    X(IDLE, "idle", "when the machine stands by itself; it works with the new values until then") \
    X(AT, "at", "at a given time; it works with the new values until then") \
    X(BY_HAND, "by_hand", "a person switches the supply off and on, and says so")
/* clang-format on */
typedef enum bil_restart {
#define BIL_RESTART_ENUM(NAME, name, what) BIL_RESTART_##NAME,
    BIL_RESTARTS(BIL_RESTART_ENUM)
#undef BIL_RESTART_ENUM
        BIL_RESTART_COUNT
} bil_restart;

/* Checks that a person may set aside by giving a reason, which whoever runs the job records. */
/* X(NAME, "name", "what it looks at") */
/* clang-format off */
#define BIL_CHECKS(X) \
    X(FIRMWARE, "firmware", "the unit has the firmware that the copy is from, and that the description names") \
    X(HARDWARE, "hardware", "the unit has a hardware revision that the description names") \
    X(RULES, "rules", "the rules between values hold on the device afterwards")
/* clang-format on */
typedef enum bil_check {
#define BIL_CHECK_ENUM(NAME, name, what) BIL_CHECK_##NAME,
    BIL_CHECKS(BIL_CHECK_ENUM)
#undef BIL_CHECK_ENUM
        BIL_CHECK_COUNT
} bil_check;

/* What a job is told. Set struct_size to sizeof the struct: a shorter one of an older program counts as zero behind
 * its end, a longer one of a newer program is taken when it has zeros there. */
typedef struct bil_job_config {
    size_t struct_size;
    bil_job_kind kind;
    const bil_description *description;
    bil_image *have;    /* filled by the job: identity, then all values */
    uint8_t bank, copy; /* reading: of values that lie in this bank, those (as in bil_transfer) */
    /* write and reset only */
    const bil_image *want; /* the values of the saved copy; those as delivered, as far as they are known, for a reset */
    const bil_procedure *secrets; /* NULL: none. What comes with the values and can't be read back: a procedure of the
                                   * kind COMMIT, of repeatable steps BIL_STEP_SECRET from slots above BIL_SECRETS_MAX,
                                   * played once the values are there. Each is a named exception of the caller's; of
                                   * those that the device refuses bil_job_exception says so, and the rest goes on.
                                   * Where one needs hold or restart, the machine doesn't go on: see below */
    const char *serial;           /* the unit the copy was read from; "" where the copy doesn't know */
    const char *firmware;         /* and its firmware */
    bool purpose_given;           /* a person named the purpose; else only the same unit is taken */
    bil_purpose purpose;
    bool with_calibration;
    bil_restart restart;
    uint64_t restart_ms; /* on the clock of the results: when it comes (AT), or until when it waits (IDLE) */
    uint32_t unit;       /* BIL_UNIT by which the link reaches the device; 0: the link has none */
    bool numbered;       /* an earlier write that broke off knew the unit number to be that of the device's own value */
    bool has_password;   /* secret slot 1 can be filled, and others that the model has */
    bool
        held_before; /* an earlier write of this tool that broke off left the device held; it had found it in `found` */
    bool goes_back;  /* to what was there before: what the device refuses is a named exception, the rest goes on */
    bool serial_shared;     /* two units are known to have this serial number: it tells nothing */
    const uint8_t *by_name; /* one for each parameter, or NULL: 1: is written though there is no way back from it,
                             * since its present value can't be read */
    uint32_t found;         /* that; START: the state in which the machine was at work */
    bool trial;             /* the values are put in force and read back, but neither stored nor restarted */
    uint32_t despite;       /* checks set aside: 1 << BIL_CHECK_FIRMWARE and so on */
    bool goes_on; /* the machine goes on: it is held only where a value that is written, or the order to store, needs
                   * that, and restarted only where a value needs that; what comes to its end without a restart is
                   * IN_FORCE: stored, and read back twice */
    bool goes_on_at_work; /* the same, where it is found at work and nothing that is written needs hold: what stops it
                           * anyway has its proof */
} bil_job_config;

/* A job in the caller's memory. */
typedef struct bil_job bil_job;

/* Bytes that a job of this description needs, the images apart; aligned as for any type. */
size_t bil_job_size(const bil_description *description);

/* BIL_E_SPACE when `size` is too small; BIL_E_BAD_CALL when something is missing that this kind of job needs, or the
 * memory isn't aligned. `config` is copied; what it points to outlives the job. */
int bil_job_init(bil_job **job, void *memory, size_t size, const bil_job_config *config);

/* BIL_E_BAD_RESULT when the result doesn't quote the action last given; the job is then as before. */
int bil_job_step(bil_job *job, const bil_result *result, bil_action *action);

/* Ends the job as soon as that is safe. To be called between two steps, also while an action is performed (by the same
 * thread; a wait may then be cut short): the result of that action still counts, and the next step begins the end. A
 * write that hasn't sent a value lets the device go first, as it found it; one that has ends as if it were broken off,
 * held, to be gone on with or undone. What is let go, or over, already comes to its own end. The cause is
 * BIL_E_CANCELLED. */
void bil_job_cancel(bil_job *job);

/* For progress: values read or written so far and in all, and the value requests used by this job. */
typedef struct bil_job_progress {
    uint32_t done, total;
    uint32_t read_requests, write_requests; /* value transfers, repeated ones too */
    uint32_t identity_requests;             /* looks at who answers, and whether it restarted */
    uint32_t other_requests;                /* states, procedures */
    uint32_t written;                       /* parameters written */
} bil_job_progress;
void bil_job_progress_of(const bil_job *job, bil_job_progress *progress);

/* After identify: the purpose of a write, as far as the serial numbers tell it. */
bil_purpose bil_job_purpose(const bil_job *job);

/* Whether anything tells this unit from another one of its model: a serial number, a hardware address. Where nothing
 * does, a person's word is all there is. */
bool bil_job_unit_tells(const bil_job *job);

/* From the question BIL_ASK_WRITE on: what the job is about to do about a value, as far as the device is known now. */
bil_write_need bil_job_need(const bil_job *job, uint16_t index);

/* From the question BIL_ASK_WRITE on: does the job write it? Not every one that differs: see bil_job_exception. */
bool bil_job_plans(const bil_job *job, uint16_t index);

/* From the question BIL_ASK_WRITE on: isn't it held for this write? And does it end without a restart? */
bool bil_job_leaves_working(const bil_job *job);
bool bil_job_goes_on(const bil_job *job);

/* From the question BIL_ASK_WRITE on: why a value isn't, or won't be, exactly as wanted: BIL_E_ROUNDED, FIXED, LACKS,
 * REFUSED, UNREADABLE (now, so that there is no way back from it), DIFFERS (it is, or was, to be written). BIL_OK: it
 * is. */
bil_error bil_job_exception(const bil_job *job, uint16_t index);

/* From the question BIL_ASK_WRITE on: the BIL_UNIT at which the device answers when all is done; 0 where the values
 * have no say in that. */
uint32_t bil_job_unit_after(const bil_job *job);

#ifdef __cplusplus
}
#endif

#endif

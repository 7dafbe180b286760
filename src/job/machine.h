/* The inside of a job: small machines that call each other. Each has a `run` function that either gives an action
 * (FLOW_ACTION) or is over (FLOW_DONE, FLOW_FAILED with job->cause). After an action, the next run finds its result
 * in job->result. A machine that starts another sets it up and runs it; it never looks at the other's state. */
#ifndef BIL_JOB_MACHINE_H
#define BIL_JOB_MACHINE_H

#include "bilancia/job.h"
#include "bilancia/rule.h"

enum {
    LINK_TRIES = 3,       /* of a request that may be repeated, with a new connection between */
    CONNECT_MS = 4000,    /* how long the first connection is tried */
    RECONNECT_MS = 10000, /* and a new one in the middle: the device may have to start first */
    SLEPT_MS = 10000,   /* an action that took so much longer than it may: the computer slept, the connection is lost */
    ROUNDS = 3,         /* of writing until nothing differs */
    READS = 3,          /* of a device that changes while it is read */
    BY_HAND_MS = 60000, /* how long a device that was switched on by hand may take to answer */
    IDLE_MS = 5000,     /* how often a machine is looked at that is to stand by itself */
    STAGES = 10,
    LOOK_MAX = 21 /* identity with its signs, what else tells the unit (at most 4 and 4), and what is followed */
};

typedef enum flow { FLOW_ACTION, FLOW_DONE, FLOW_FAILED, FLOW_ON /* inside a machine: its next state */ } flow;

/* Numbers that are followed from look to look. */
typedef enum saw_kind { SAW_STARTS, SAW_UPTIME, SAW_CHANGES, SAW_STATE, SAW_COUNT } saw_kind;
typedef struct saw {
    uint32_t number;
    bool known;
} saw;

/* Where a request stands. */
enum { REQUEST_START, REQUEST_LOOK, REQUEST_SEND, REQUEST_ANSWER };

/* One request, with what has to be done when it isn't answered. */
typedef struct exchange {
    uint8_t *raw, *cause;  /* values that are read or sent, and of those read, which are there */
    const uint16_t *items; /* these, `touched` and `cost`: working memory, behind the struct */
    uint16_t count, one;   /* `one`: where it is a single one */
    uint8_t state;
    bool write, value;
    bool looks;      /* part of a look: a failure is repaired by that */
    bool repeatable; /* may be sent again when its fate is unknown; reads always may */
    bool sent;       /* it may have arrived, once at least */
    bool heard;      /* something came back that was no answer: somebody is there */
    uint8_t secret;
    uint8_t tries, busy;
    saw before;          /* state of operation as seen before it was first sent */
    bil_outcome outcome; /* of the failure */
} exchange;

/* Reads the parameters items[0..count) into an image, blocks as planned; splits blocks that are refused. Those that
 * tell who answers come first in a look, and last where values are read: then they tell it of all that was read before.
 */
typedef struct reader {
    bil_image *image;
    exchange *exchange;
    uint16_t *items, *next;
    uint16_t count, at, until;
    bool value, running, who;
    bool modes; /* what decides which others are there */
} reader;

/* Plays one procedure of the description. */
typedef struct player {
    const bil_procedure *procedure;
    const bil_procedure *then; /* what is played behind it, */
    uint16_t then_at;          /* from the step before this one on, where it was unlocked in the middle; else 0 */
    uint16_t at;
    uint8_t state;
    uint8_t relocks; /* how often it locked itself while it was being unlocked */
    bool doubt;      /* a command may not have arrived: a condition has to tell, and only one that didn't hold before */
    bool taken;      /* the device said that it has begun, so that only its end is to come */
    bool otherwise;  /* the condition that comes didn't hold before */
    uint64_t deadline;
} player;

/* Finds out who answers, over a new connection where the last one is in doubt. */
typedef struct look {
    uint8_t state, tries;
    bool brief; /* only who answers */
    bool was_held;
    bil_error happened;
    reader reader;
    exchange exchange;
    uint16_t items[LOOK_MAX], next[LOOK_MAX + 1];
} look;

typedef struct reason {
    bil_error cause;
    uint16_t param, other;
    uint32_t code;
} reason;

/* The small things come first, and what is asked for most: a Cortex-M0+ reaches a byte among the first 32 with one
 * instruction, a word among the first 128. The order was found by trying, and is worth 130 bytes of code. */
struct bil_job {
    bool away;        /* nothing has answered since the order to restart */
    uint8_t part;     /* of a write; see write.c */
    uint8_t step;     /* of that part, or of another kind of job */
    uint8_t inner;    /* of holding and letting go, which several parts do; in writing, the step behind a procedure */
    uint8_t round;    /* of writing */
    bool fresh;       /* nothing was sent since it was made sure who answers */
    uint8_t stage;    /* of writing */
    bool left_held;   /* by somebody else */
    uint8_t reads;    /* of the proof; of a read */
    uint8_t waits;    /* for a write that is still at work */
    bool moved;       /* the counter of changes did */
    bool dirty;       /* a reply may still be on its way: be silent, drain, connect anew */
    bool sure;        /* it was just made sure who answers; else the next request looks first */
    bool elsewhere;   /* somebody else is asked: who answers at another unit number? */
    bool reconnected; /* since values were last read back */
    bool stranger;    /* another unit answers, or it can't be told: nothing more goes there */
    bool let_go;      /* it was released; by whom, is looked at */
    bool restarted;   /* seen by what only a restart does */
    bool restarts;    /* it was told to: that is no surprise */
    bool unit_tells;  /* something of it tells it from others of its model */
    bool held;        /* it may be */
    bool is_held;     /* that is confirmed */
    bool ran;         /* the machine was at work when it was held */
    bool wrote;
    bool again;
    bool ours;         /* an earlier write of this tool left it held */
    bool at_work;      /* a write was acknowledged, but isn't done yet */
    bool between;      /* a restart between two stages, not the one of the proof */
    bool acknowledged; /* the order to restart */
    bool goes_on;      /* it isn't restarted */
    bool must_record;  /* what is about to happen has to be recorded first */
    bool proved_restart;
    bool excepted;
    bool over;
    bool unheld; /* nor held */
    bool cancelled;
    bool known;   /* `expect` says who it has to be */
    bool as_left; /* it is being held: that somebody else left it so is enough */
    bool recorded_writing;
    bool stored;
    uint16_t *next;
    uint32_t *cost;
    uint32_t number;      /* of the last action given, 0 before the first */
    bil_verdict fails_as; /* what a failure means where nothing was written */
    bool put;             /* what can't be read back went out */
    uint16_t write_count;
    const bil_result *result;
    uint8_t *touched;    /* one for each parameter: TOUCHED, GIVEN_UP, KNOWN */
    uint32_t unit_after; /* the one that the values bring; 0: they have no say in that */
    uint16_t *items;     /* these, `touched` and `cost`: working memory, behind the struct */
    uint32_t unit_next;  /* the one from its restart on */
    reason why;          /* it fails */
    uint64_t now;
    bil_purpose purpose;
    bil_verdict verdict;
    const bil_description *description;
    bil_job_config config;
    uint64_t due; /* by then the last action has to be over */
    saw saw[SAW_COUNT];
    player player;
    uint32_t found; /* state of operation before hold */
    exchange exchange;
    uint64_t gone;
    uint64_t back; /* with `gone`: moments between which nothing answered */
    look look;
    reader reader;
    uint16_t write_at;
    bil_image expect; /* what the device should hold, as far as this job knows */
    uint32_t unit;    /* unit number that is spoken to, 0: the one of the address */
    bil_job_progress progress;
    uint8_t unit_raw[4]; /* `unit` as a value, for the link */
    uint32_t unlocked;   /* the moment when it was, but for its lowest bit; 0: never */
    bool writable;       /* it was unlocked for writing */
    bool begun;          /* values came that are in force only after a commit */
    bool takes_long;     /* the last action was a file */
    bool locked;         /* it locked itself with the last connection */
};

/* Has it locked itself with the last connection, or will it with the next one? */
static inline bool bil_is_locked(const bil_job *job)
{
    return job->locked || (job->dirty && job->description->unlock_ends_with_link);
}

enum { CLOSING = 255 }; /* the last step of a job that isn't a write */

/* KNOWN: of a file, which isn't read again as long as nothing was done to it, nor a restart came between. */
enum { TOUCHED = 1, GIVEN_UP = 2, KNOWN = 4 };

bool bil_is_file(const bil_job *job, uint16_t index);

/* ---- giving actions ---- */

flow bil_give(bil_job *job, bil_action *action, bil_action_kind kind);
flow bil_give_until(bil_job *job, bil_action *action, bil_action_kind kind, uint64_t until_ms);
flow bil_give_wait(bil_job *job, bil_action *action, uint64_t until_ms);
flow bil_give_connect(bil_job *job, bil_action *action, uint32_t ms);
flow bil_give_record(bil_job *job, bil_action *action, bil_event event);
flow bil_failed(bil_job *job, bil_error cause, uint16_t param);

/* ---- how machines go on; flow.c ---- */

/* Goes on with another state of this machine. */
static inline flow on(bil_job *job, uint8_t step)
{
    job->step = step;
    return FLOW_ON;
}
/* The end of a job that isn't a write: what was unlocked for it is locked. */
flow bil_close(bil_job *job, bil_action *action, bil_verdict verdict);
/* The end of a job, by its verdict and why. */
flow bil_end(bil_job *job, bil_action *action);
/* Steps until there is an action, or the machine is over. */
flow bil_steps(bil_job *job, bil_action *action, flow (*step)(bil_job *job, bil_action *action));
/* It can't go on: FLOW_FAILED. `untouched` is what that means where nothing was written. */
flow bil_stop(bil_job *job, bil_verdict untouched);
flow bil_refuse(bil_job *job, bil_error cause, uint16_t param);
/* Goes on with the procedure begun, or with the read begun; when that fails, so does the machine. */
flow bil_play(bil_job *job, bil_action *action, bil_verdict untouched);
flow bil_read_on(bil_job *job, bil_action *action);
/* What happens next must be in the record before it happens: without that, nobody could put it right later. */
flow bil_announce(bil_job *job, bil_action *action, bil_event event);

/* ---- machines ---- */

/* Reads parameters of one space, by place; `items` stays as it is meanwhile. */
void bil_exchange_read(exchange *x, const uint16_t *items, uint16_t count, bool value);
void bil_exchange_read_param(bil_job *job, uint16_t param);
/* Sends job->exchange.raw: as values of these, or of this one, or the secret in that slot. */
void bil_exchange_write(bil_job *job, const uint16_t *items, uint16_t count);
void bil_exchange_write_param(bil_job *job, uint16_t param, bool repeatable, uint8_t secret);
/* Runs it as it is; FLOW_ON: it is to be sent again, once it is sure who answers. */
flow bil_request_run(bil_job *job, exchange *x, bil_action *action);
/* Makes sure who answers wherever that isn't sure, and runs it. */
flow bil_exchange_run(bil_job *job, exchange *x, bil_action *action);
typedef flow request_run(bil_job *job, exchange *x, bil_action *action);

/* Plans r->items[0..count); `cost` has one more element. */
void bil_reader_plan(bil_job *job, reader *r, uint16_t count, uint32_t *cost, bool value);
/* Unlocks what has to be unlocked to be read, and reads every value of a copy that the unit has in its mode. */
void bil_reader_values(bil_job *job, bil_image *image);
flow bil_reader_run(bil_job *job, bil_action *action);
/* Only the blocks that tell who answers, or only the others. */
flow bil_reader_run_half(bil_job *job, reader *r, bool who, request_run *run, bil_action *action);

/* Does nothing but succeed when `procedure` is NULL. */
void bil_player_start(bil_job *job, const bil_procedure *procedure);
flow bil_player_run(bil_job *job, bil_action *action);
enum { PLAYER_ENTER }; /* at the beginning of a step */
/* Goes on behind the step that failed. */
static inline void bil_player_skip(bil_job *job)
{
    job->player.at++;
    job->player.state = PLAYER_ENTER;
}

/* ---- watching ---- */

/* Is it looked at to tell who answers, or followed? */
bool bil_watched(const bil_job *job, uint16_t index);
/* A look; it ends with config.have's identity read and compared with that in `expect`, once that is known. */
void bil_look_start(bil_job *job);
flow bil_look_run(bil_job *job, bil_action *action);
/* The same, of values just read. BIL_OK, or why nothing may go on. */
bil_error bil_watch_judge(bil_job *job);
/* Its two halves: is it the unit that it has to be, and what happened meanwhile? */
bil_error bil_watch_who(bil_job *job);
bil_error bil_watch_happened(bil_job *job);
/* Did that end it: another unit, a restart that nobody ordered, somebody who let it go? */
bool bil_watch_ended(const bil_job *job);
/* From now on it has to be the unit in config.have. */
void bil_watch_know(bil_job *job);
/* Does it stand in this state? */
bool bil_stands(const bil_job *job, uint32_t state);
/* A value as a number; 0 where it isn't there. */
uint32_t bil_number_of(const bil_image *image, uint16_t param);

/* Does writing this parameter reset that one? */
bool bil_resets(const bil_param *param, uint16_t index);
/* The first value that changed without this job's doing. Counters of the unit may run. */
uint16_t bil_foreign_change(const bil_job *job);

/* ---- parts of a write ---- */

/* Who answers, and may this set go there? It ends with a person's yes. */
flow bil_gate_run(bil_job *job, bil_action *action);

/* When the write changes the unit number by which the device is reached, nobody may answer at the new one yet: true,
 * and a run looks there. `follow`: a unit number among the values just written that acts at once is spoken to from here
 * on. */
bool bil_move_start(bil_job *job);
flow bil_move_run(bil_job *job, bil_action *action);
void bil_move_follow(bil_job *job, uint16_t from, uint16_t to);

/* The procedure of this unit for the state in which it was found; NULL where there is none. */
const bil_procedure *bil_procedure_of(const bil_job *job, bil_proc_kind kind);
/* Begins a procedure; before its first request it is made sure who answers. What was unlocked too long ago is unlocked
 * again first; NULL does only that. */
void bil_begin(bil_job *job, const bil_procedure *how);
/* What lets it go so that it stands; and may it be held as it is? */
const bil_procedure *bil_release_of(const bil_job *job);
bool bil_may_be_held(const bil_job *job);
/* Unlocks and holds it. `as_left`: one that somebody else left held is held. */
void bil_hold_start(bil_job *job, bool as_left);
flow bil_hold_run(bil_job *job, bil_action *action);
/* The job ends here: where no command of holding ever went out, nothing holds it. */
void bil_hold_cancel(bil_job *job);
/* Leaves it as it was found, by this procedure: that never fails. */
flow bil_tidy_run(bil_job *job, bil_action *action, bil_proc_kind kind);
/* Locks what it has unlocked. */
flow bil_lock_run(bil_job *job, bil_action *action);
/* Lets it go, where this job holds it. It never fails: what is held in the end is told. */
flow bil_release_run(bil_job *job, bil_action *action);

/* Writes until nothing differs, or up to a stage after which the device has to restart (job->between). */
flow bil_converge_run(bil_job *job, bil_action *action);
/* Stores, and restarts; from the restart on, where there is nothing to store. */
void bil_restart_now(bil_job *job);
flow bil_restart_run(bil_job *job, bil_action *action);
flow bil_prove_run(bil_job *job, bil_action *action);

/* ---- kinds of jobs ---- */

/* The first states of a job: connect, and find out who answers. */
enum { MEET_CONNECT, MEET_CONNECTED, MEET_LOOK, MEET_END };
flow bil_meet_run(bil_job *job, bil_action *action);
/* Is what answers the model of the description? Both need the identity read. */
bil_error bil_check_model(const bil_job *job, const bil_image *image);
/* What it has to be unlocked with wasn't given. */
bool bil_lacks_password(const bil_job *job);
flow bil_read_run(bil_job *job, bil_action *action);
flow bil_write_run(bil_job *job, bil_action *action);
flow bil_start_run(bil_job *job, bil_action *action);
/* The action that was just given isn't performed: the job ends, as far as it isn't doing that already. */
void bil_read_cancel(bil_job *job, bil_action *action);
void bil_write_cancel(bil_job *job, bil_action *action);

#endif

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
    ROUNDS = 3,           /* of writing until nothing differs */
    BY_HAND_MS = 60000,   /* how long a device that was switched on by hand may take to answer */
    IDLE_MS = 5000,       /* how often a machine is looked at that is to stand by itself */
    STAGES = 10,
    CELLS_MAX = 125 /* Modbus Application Protocol 1.1b3, 6.3; larger than any block */
};

typedef enum flow { FLOW_ACTION, FLOW_DONE, FLOW_FAILED } flow;

/* One request, with what has to be done when it isn't answered. */
typedef struct exchange {
    uint8_t state;
    bool write, value;
    bool repeatable; /* may be sent again when its fate is unknown; reads always may */
    uint8_t space, secret;
    uint8_t tries, busy;
    uint16_t address, count, param;
    bil_outcome outcome; /* of the failure */
    uint32_t code;
} exchange;

/* Reads the parameters job->items[0..count) into an image, blocks as planned; splits blocks that are refused. */
typedef struct reader {
    bil_image *image;
    uint16_t count, at;
    bool value, running;
} reader;

/* Plays one procedure of the description. */
typedef struct player {
    const bil_procedure *procedure;
    uint16_t at;
    uint8_t state;
    uint64_t deadline;
} player;

struct bil_job {
    bil_job_config config;
    const bil_description *description;
    const bil_result *result;
    uint64_t now;
    uint32_t number; /* of the last action given, 0 before the first */
    uint8_t phase;   /* of the kind of job; see write.c and read.c */
    bool over;

    /* the link */
    bool must_record; /* what is about to happen has to be recorded first */
    bool dirty;       /* a reply may still be on its way: be silent, drain, connect anew */
    bool reconnected; /* since somebody last looked: who answers has to be checked again */
    exchange exchange;
    reader reader;
    player player;

    /* a write */
    bil_purpose purpose;
    bil_image expect; /* what the device should hold, as far as this job knows */
    uint8_t round, stage;
    uint16_t write_at, write_count;
    bool held, wrote, again, recorded_writing, rounded, restarted;
    uint8_t reads;  /* of the proof */
    uint32_t found; /* state of operation before hold */
    bool left_held;
    bool between;        /* a restart between two stages, not the one of the proof */
    uint32_t unit;       /* unit number that is spoken to, 0: the one of the address */
    uint32_t unit_next;  /* the one from its restart on */
    uint32_t unit_after; /* the one that the values bring; 0: they have no say in that */
    bil_verdict verdict;

    /* why it fails */
    bil_error cause;
    uint16_t param, other;
    uint32_t code;

    bil_job_progress progress;

    /* working memory, behind the struct */
    uint16_t *items, *next;
    uint32_t *cost;
    uint16_t *cells;
};

/* ---- giving actions ---- */

flow bil_give(bil_job *job, bil_action *action, bil_action_kind kind);
flow bil_give_wait(bil_job *job, bil_action *action, uint32_t ms);
flow bil_give_connect(bil_job *job, bil_action *action, uint32_t ms);
flow bil_give_record(bil_job *job, bil_action *action, bil_event event);
flow bil_failed(bil_job *job, bil_error cause, uint16_t param);

/* ---- machines ---- */

void bil_exchange_read(bil_job *job, uint8_t space, uint16_t address, uint16_t count, uint16_t param, bool value);
void bil_exchange_read_param(bil_job *job, uint16_t param);
/* Sends job->cells, or the secret in that slot. */
void bil_exchange_write(bil_job *job, uint16_t param, uint16_t count, bool value, bool repeatable, uint8_t secret);
flow bil_exchange_run(bil_job *job, bil_action *action);

void bil_reader_identity(bil_job *job, bil_image *image);
void bil_reader_values(bil_job *job, bil_image *image);
flow bil_reader_run(bil_job *job, bil_action *action);

/* Does nothing but succeed when `procedure` is NULL. */
void bil_player_start(bil_job *job, const bil_procedure *procedure);
flow bil_player_run(bil_job *job, bil_action *action);

/* The number in a parameter's cells just read, for conditions; false when they hold none. */
bool bil_cells_number(const bil_job *job, uint16_t param, uint32_t *number);

/* ---- kinds of jobs ---- */

/* Is what answers the model of the description? Both need the identity read. */
bil_error bil_check_model(const bil_job *job, const bil_image *image);
flow bil_read_run(bil_job *job, bil_action *action);
flow bil_write_run(bil_job *job, bil_action *action);

#endif

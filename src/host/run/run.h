/* Carries out the actions of a job. */
#ifndef BIL_HOST_RUN_RUN_H
#define BIL_HOST_RUN_RUN_H

#include "bilancia/job.h"

/* What the one who starts a job supplies; functions may be NULL where the job never asks. */
typedef struct runner {
    bil_link link;
    bil_clock clock;
    uint64_t until_ms;    /* on the clock: nothing is asked, and nothing waited for, any more after that; 0: no end */
    const char *password; /* secret slot 1, or NULL */
    bool (*ask)(void *ctx, const bil_action *action);                          /* yes? */
    bool (*record)(void *ctx, const bil_action *action);                       /* durable? */
    bool (*save)(void *ctx, const bil_image *have);                            /* durable? */
    void (*progress)(void *ctx, const bil_job *job, const bil_action *action); /* before each action */
    void *ctx;
} runner;

/* Runs to the end and returns the last action. */
bil_action run_job(bil_job *job, const runner *r);

/* Reads one parameter by itself, without a job. `raw` has BIL_TEXT_MAX bytes; done, the cause tells whether the value
 * is there. */
bil_outcome read_param(bil_link link, const bil_description *d, uint16_t param, uint8_t *raw, bil_result *result);

#endif

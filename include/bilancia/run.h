/* bilancia/run.h - the loop that carries out what a job asks for, in the thread that calls it.
 *
 * Whoever has a loop of its own, as a program that serves many devices with one thread, uses bil_job_step instead.
 *
 * Thread rules: job, link and clock belong to the thread that runs them; bil_job_cancel may be called from a hook. */
#ifndef BILANCIA_RUN_H
#define BILANCIA_RUN_H

#include "bilancia/job.h"

#ifdef __cplusplus
extern "C" {
#endif

/* A link that isn't open is tried again this often (milliseconds), as long as the job wants it. */
enum { BIL_CONNECT_EVERY_MS = 200 };

/* What the one who runs a job supplies. Zero but for struct_size (see bil_job_config) and what is wanted; each function
 * may be NULL. They are called one at a time, by the thread that runs, and may cancel the job, but neither step nor run
 * it. */
typedef struct bil_run_hooks {
    size_t struct_size;
    /* On the clock: then the job is cancelled, and nothing more is sent but what its safe end takes; 0: no end. */
    uint64_t until_ms;
    /* A question (BIL_ACT_ASK): is the answer yes? NULL: no. */
    bool (*ask)(void *ctx, const bil_action *action);
    /* Makes an event (BIL_ACT_RECORD) durable; true once it is. NULL: nothing is recorded, which suits jobs that only
     * read. */
    bool (*record)(void *ctx, const bil_action *action);
    /* Saves an image (BIL_ACT_SAVE) durably; true once it is. NULL: it isn't. */
    bool (*save)(void *ctx, const bil_image *have);
    /* Before each action, for a person who waits. */
    void (*progress)(void *ctx, const bil_job *job, const bil_action *action);
    /* Puts the secret of this slot into `raw`, which has the bytes of this format and is zeroed; it is wiped once it
     * was sent. What a person types is a text: bil_value_parse makes any value of it. False, or NULL: there is none
     * that fits. */
    bool (*secret)(void *ctx, uint8_t slot, const bil_format *format, uint8_t *raw);
    /* Before a file is moved, which `transfer` names: who takes its bytes, or has them (`raw` tells which are meant).
     * True, with `bytes` filled in; false, or NULL: there is nobody, and the file counts as refused. */
    bool (*bytes)(void *ctx, const bil_transfer *transfer, bil_bytes *bytes);
    /* It was read: its length and digest, as its value, or zeros where the link never began to move any. False: they
     * can't be told. */
    bool (*taken)(void *ctx, uint8_t raw[BIL_FILE_RAW]);
    void *ctx;
} bil_run_hooks;

/* Runs a job to its end; `end` becomes its last action, which tells how it ended. BIL_OK, also where the job itself
 * failed. BIL_E_BAD_CALL where job, link, clock or `end` is missing, or struct_size makes no sense; BIL_E_BAD_RESULT
 * where a hook went on with the job by itself: `end` is the action that this happened at. `hooks` NULL: none. */
int bil_run(bil_job *job, bil_link link, bil_clock clock, const bil_run_hooks *hooks, bil_action *end);

#ifdef __cplusplus
}
#endif

#endif

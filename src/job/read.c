/* Finding out who answers, and reading everything. */
#include <string.h>

#include "machine.h"

enum { CONNECT, CONNECTED, IDENTIFYING, READING, OVER };

bil_error bil_check_model(const bil_job *job, const bil_image *image)
{
    char text[BIL_VALUE_TEXT];
    const bil_description *description = job->description;
    bil_image_identity(image, BIL_ID_MODEL, text, sizeof text);
    if (strcmp(text, description->model) != 0)
        return BIL_E_OTHER_MODEL;
    bil_image_identity(image, BIL_ID_VENDOR, text, sizeof text);
    if (description->identity[BIL_ID_VENDOR] != BIL_NONE && strcmp(text, description->vendor) != 0)
        return BIL_E_OTHER_MODEL;
    return BIL_OK;
}

static flow end(bil_job *job, bil_action *action, bil_verdict verdict, bil_error cause)
{
    job->phase = OVER;
    job->over = true;
    action->u.end.verdict = verdict;
    action->u.end.held = false;
    action->u.end.wrote = false;
    action->u.end.cause = cause;
    action->u.end.param = cause ? job->why.param : BIL_NONE;
    action->u.end.other = BIL_NONE;
    action->u.end.code = cause ? job->why.code : 0;
    return bil_give(job, action, BIL_ACT_END);
}

static uint32_t unreadable(const bil_image *image)
{
    uint32_t count = 0;
    for (uint16_t i = 0; i < image->description->count; i++)
        count += image->state[i] == BIL_UNREADABLE;
    return count;
}

/* The identity is known and fits: now the values. */
static void read_values(bil_job *job)
{
    job->restarted = job->moved = false;
    job->restarts = true; /* a restart doesn't end it, but what was read before is of no account */
    bil_reader_values(job, job->config.have);
    job->phase = READING;
}

static flow over(bil_job *job, bil_action *action)
{
    uint32_t gone = unreadable(job->config.have);
    if (gone && gone == job->progress.total)
        return end(job, action, BIL_VERDICT_INCOMPLETE, BIL_E_NOTHING_READ);
    return end(job, action, gone ? BIL_VERDICT_WITH_EXCEPTIONS : BIL_VERDICT_VERIFIED, BIL_OK);
}

flow bil_read_run(bil_job *job, bil_action *action)
{
    flow f;
    for (;;)
        switch (job->phase) {
        case CONNECT:
            job->phase = CONNECTED;
            return bil_give_connect(job, action, CONNECT_MS);
        case CONNECTED:
            if (!bil_connected(job))
                return end(job, action, BIL_VERDICT_UNTOUCHED, job->why.cause);
            job->phase = IDENTIFYING;
            continue;
        case IDENTIFYING:
            f = bil_look_run(job, action);
            if (f == FLOW_ACTION)
                return f;
            if (f == FLOW_FAILED)
                return end(job, action, BIL_VERDICT_UNTOUCHED, job->why.cause);
            if (bil_check_model(job, job->config.have) != BIL_OK)
                return end(job, action, BIL_VERDICT_REFUSED, BIL_E_OTHER_MODEL);
            if (job->config.kind == BIL_JOB_IDENTIFY)
                return end(job, action, BIL_VERDICT_VERIFIED, BIL_OK);
            bil_watch_know(job);
            read_values(job);
            continue;
        case READING:
            f = bil_reader_run(job, action);
            if (f == FLOW_ACTION)
                return f;
            if (f == FLOW_FAILED)
                return end(job, action, BIL_VERDICT_INCOMPLETE, job->why.cause);
            if (!job->restarted && !job->moved)
                return over(job, action);
            if (++job->reads >= READS)
                return end(job, action, BIL_VERDICT_INCOMPLETE, BIL_E_CHANGING);
            read_values(job);
            continue;
        default:
            return FLOW_FAILED;
        }
}

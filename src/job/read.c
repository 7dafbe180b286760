/* Finding out who answers, and reading everything. */
#include <string.h>

#include "machine.h"

enum { READING = MEET_END };

static flow end(bil_job *job, bil_action *action, bil_verdict verdict, bil_error cause)
{
    if (cause != job->why.cause)
        bil_failed(job, cause, BIL_NONE);
    return bil_close(job, action, verdict);
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
    memset(job->touched, 0, job->description->count); /* files, too */
    job->restarted = job->moved = false;
    job->restarts = true; /* a restart doesn't end it, but what was read before is of no account */
    bil_reader_values(job, job->config.have);
    job->step = READING;
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
    if (job->step < MEET_END) {
        f = bil_meet_run(job, action);
        if (f == FLOW_ACTION)
            return f;
        if (f == FLOW_FAILED)
            return end(job, action, BIL_VERDICT_UNTOUCHED, job->why.cause);
        if (bil_check_model(job, job->config.have) != BIL_OK)
            return end(job, action, BIL_VERDICT_REFUSED, BIL_E_OTHER_MODEL);
        if (job->config.kind == BIL_JOB_IDENTIFY)
            return end(job, action, BIL_VERDICT_VERIFIED, BIL_OK);
        bil_watch_know(job);
        if (bil_lacks_password(job))
            return end(job, action, BIL_VERDICT_REFUSED, BIL_E_NO_PASSWORD);
        read_values(job);
    }
    for (;;) {
        f = bil_reader_run(job, action);
        if (f == FLOW_ACTION)
            return f;
        if (f == FLOW_FAILED)
            return end(job, action, job->player.procedure ? BIL_VERDICT_REFUSED : BIL_VERDICT_INCOMPLETE,
                       job->why.cause);
        if (!job->restarted && !job->moved)
            return over(job, action);
        if (++job->reads >= READS)
            return end(job, action, BIL_VERDICT_INCOMPLETE, BIL_E_CHANGING);
        read_values(job);
    }
}

void bil_read_cancel(bil_job *job, bil_action *action)
{
    if (job->step <= READING + 1) /* a machine that is being started is, or isn't: that comes to its end */
        end(job, action, BIL_VERDICT_UNTOUCHED, BIL_E_CANCELLED);
}

/* Everything is read back twice: what can't be proved is a named exception, or the end. */
#include "machine.h"

enum { READ, PROVING, PROVED };

static flow prove(bil_job *job)
{
    /* a file is read once more: where it was sent, and, behind a restart, any, as what was right before may be gone */
    for (uint16_t i = 0; job->reads == 0 && i < job->description->count; i++)
        if (job->touched[i] & TOUCHED || !job->goes_on)
            job->touched[i] &= (uint8_t)~KNOWN;
    if (job->reads > 0) {
        bil_watch_know(job);
        job->moved = false;
    }
    job->sure = job->sure && job->fresh; /* who answers stands on either side of each proof */
    bil_reader_values(job, job->config.have);
    return on(job, PROVING);
}

bil_error bil_job_exception(const bil_job *job, uint16_t index)
{
    static const uint8_t causes[] = {
        [BIL_NEED_WRITE] = BIL_E_DIFFERS, [BIL_NEED_READ] = BIL_E_UNREADABLE, [BIL_NEED_ROUNDED] = BIL_E_ROUNDED,
        [BIL_NEED_FIXED] = BIL_E_FIXED,   [BIL_NEED_LACKS] = BIL_E_LACKS,     [BIL_NEED_OUT] = BIL_OK};
    bil_write_need need = bil_job_need(job, index);
    bool refused = job->touched[index] & GIVEN_UP && need > BIL_NEED_ROUNDED;
    return refused ? BIL_E_REFUSED : (bil_error)causes[need];
}

/* Is this value as wanted, or an exception that can be named? What this job never touched, or the device refused, is
 * one; what it touched has to be right. */
static bool proved(bil_job *job, uint16_t index)
{
    bil_error exception = bil_job_exception(job, index);
    job->excepted = job->excepted || exception;
    bool touched = job->touched[index] & TOUCHED;
    if (exception != BIL_E_DIFFERS && (exception != BIL_E_UNREADABLE || !touched))
        return true;
    bil_refuse(job, exception, index);
    return false;
}

static flow proving(bil_job *job, bil_action *action)
{
    flow f = bil_read_on(job, action);
    if (f != FLOW_DONE)
        return f;
    const bil_description *d = job->description;
    job->excepted = job->put || (!job->unit_tells && job->config.kind != BIL_JOB_RESET);
    for (uint16_t i = 0; i < d->count; i++)
        if (!proved(job, i))
            return FLOW_FAILED;
    if (++job->reads < 2)
        return on(job, READ);
    for (uint16_t i = 0; i < d->count; i++)
        if (d->params[i].cls != BIL_CLASS_UNIT && job->expect.state[i] == BIL_PRESENT &&
            !bil_image_same(&job->expect, job->config.have, i))
            return bil_refuse(job, BIL_E_FOREIGN_CHANGE, i);
    if (job->moved) /* a value changed and changed back, or one that can't be seen */
        return bil_refuse(job, BIL_E_FOREIGN_CHANGE, d->changes);
    bool ordered = job->config.restart != BIL_RESTART_NEVER && d->stored_values == BIL_STORED_BY_RESTART;
    job->verdict = job->config.trial      ? BIL_VERDICT_ON_TRIAL
                   : job->goes_on         ? BIL_VERDICT_IN_FORCE
                   : !job->proved_restart ? BIL_VERDICT_NOT_PROVED
                   : job->excepted        ? BIL_VERDICT_WITH_EXCEPTIONS
                                          : BIL_VERDICT_VERIFIED;
    bil_failed(job, !job->config.trial && !job->proved_restart && ordered ? BIL_E_RESTART_UNSEEN : BIL_OK, BIL_NONE);
    job->step = PROVED;
    return bil_give_record(job, action, BIL_EV_PROVED);
}

static flow step(bil_job *job, bil_action *action)
{
    return job->step == READ ? prove(job) : job->step == PROVING ? proving(job, action) : FLOW_DONE;
}

flow bil_prove_run(bil_job *job, bil_action *action)
{
    return bil_steps(job, action, step);
}

/* Writing: intent, converge, prove. Each part is a machine of its own; here is their order, and only here it is decided
 * what it means that one fails: the device is let go, or stays held. */
#include "machine.h"

typedef enum part {
    GATE,
    INTENT,
    INTENT_DONE,
    SAFETY_DONE,
    HOLD,
    CONVERGE,
    RESTART,
    PROVE,
    RELEASE,
    LOCK,
    VERDICT,
    END,
    ABORT
} part;

/* Goes on with a part, from its beginning. */
static void go(bil_job *job, part next)
{
    job->part = (uint8_t)next;
    job->step = job->inner = 0;
}

/* The job can't go on; job->why says why. What has begun to come is forgotten. A device on which nothing was written is
 * as it was: it is let go. One that was written to, by this job or by the one before that left it held, stays held,
 * since it is neither as it was nor as wanted. To another unit nothing goes at all. */
static void failed(bil_job *job)
{
    bool proof_only = job->fails_as == BIL_VERDICT_NOT_PROVED; /* it works, with all that was wanted */
    job->verdict = job->wrote && !proof_only ? BIL_VERDICT_INCOMPLETE : job->fails_as;
    go(job, ABORT);
}

static flow intent(bil_job *job, bil_action *action)
{
    go(job, INTENT_DONE);
    job->why.code = job->found;
    return bil_announce(job, action, BIL_EV_INTENT);
}

static flow intent_done(bil_job *job, bil_action *action)
{
    job->why.code = 0;
    go(job, SAFETY_DONE);
    action->u.save.have = job->config.have;
    return bil_give(job, action, BIL_ACT_SAVE);
}

static flow safety_done(bil_job *job)
{
    if (job->result->outcome != BIL_DONE)
        return bil_refuse(job, BIL_E_SAFETY_COPY, BIL_NONE);
    bil_hold_start(job, true);
    return FLOW_DONE;
}

static flow verdict(bil_job *job, bil_action *action)
{
    go(job, END);
    return bil_give_record(job, action, BIL_EV_VERDICT);
}

static flow run_part(bil_job *job, bil_action *action)
{
    switch ((part)job->part) {
    case GATE:
        return bil_gate_run(job, action);
    case INTENT:
        return intent(job, action);
    case INTENT_DONE:
        return intent_done(job, action);
    case SAFETY_DONE:
        return safety_done(job);
    case HOLD:
        return bil_hold_run(job, action);
    case CONVERGE:
        return bil_converge_run(job, action);
    case RESTART:
        return bil_restart_run(job, action);
    case PROVE:
        return bil_prove_run(job, action);
    case RELEASE:
        return bil_release_run(job, action);
    case LOCK:
        return bil_lock_run(job, action);
    case VERDICT:
        return verdict(job, action);
    case ABORT:
        return job->begun ? bil_tidy_run(job, action, BIL_PROC_ABORT) : FLOW_DONE;
    default:
        return bil_end(job, action);
    }
}

/* The part after one that came to its end. */
static void next_part(bil_job *job)
{
    part done = (part)job->part;
    if (done == RESTART && job->between) { /* what the restart brought about is the new start of the next stage */
        go(job, CONVERGE);
    } else if (done == CONVERGE && job->config.kind == BIL_JOB_RESET) { /* there is nothing to store */
        go(job, RESTART);
        bil_restart_now(job);
    } else if (done == CONVERGE && job->config.trial) {
        go(job, PROVE);
    } else if (done == ABORT) {
        go(job, !job->wrote && job->held && !job->stranger && !job->ours ? RELEASE : LOCK);
    } else {
        go(job, (part)(done + 1));
    }
}

flow bil_write_run(bil_job *job, bil_action *action)
{
    bool unrecorded = job->must_record && job->result->outcome != BIL_DONE;
    flow f = FLOW_DONE;
    job->must_record = false;
    if (unrecorded) {
        bil_refuse(job, BIL_E_RECORD, BIL_NONE);
        failed(job);
    }
    while ((f = run_part(job, action)) != FLOW_ACTION)
        if (f == FLOW_FAILED)
            failed(job);
        else
            next_part(job);
    return f;
}

void bil_write_cancel(bil_job *job, bil_action *action)
{
    if (job->part >= RELEASE)
        return;
    if (job->part == HOLD)
        bil_hold_cancel(job);
    bil_refuse(job, BIL_E_CANCELLED, BIL_NONE);
    job->fails_as = BIL_VERDICT_UNTOUCHED;
    failed(job);
    job->must_record = false;
    bil_write_run(job, action);
}

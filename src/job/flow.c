/* How machines go on, and how they stop. */
#include "machine.h"

flow bil_steps(bil_job *job, bil_action *action, flow (*step)(bil_job *job, bil_action *action))
{
    flow f;
    do
        f = step(job, action);
    while (f == FLOW_ON);
    return f;
}

flow bil_stop(bil_job *job, bil_verdict untouched)
{
    job->fails_as = untouched;
    return FLOW_FAILED;
}

flow bil_refuse(bil_job *job, bil_error cause, uint16_t param)
{
    bil_failed(job, cause, param);
    return bil_stop(job, BIL_VERDICT_REFUSED);
}

flow bil_play(bil_job *job, bil_action *action, bil_verdict untouched)
{
    flow f = bil_player_run(job, action);
    return f == FLOW_FAILED ? bil_stop(job, untouched) : f;
}

flow bil_read_on(bil_job *job, bil_action *action)
{
    flow f = bil_reader_run(job, action);
    return f == FLOW_FAILED ? bil_stop(job, job->stranger ? BIL_VERDICT_REFUSED : BIL_VERDICT_UNTOUCHED) : f;
}

flow bil_announce(bil_job *job, bil_action *action, bil_event event)
{
    job->must_record = true;
    return bil_give_record(job, action, event);
}

/* Some are at work again as soon as they are on. */
static bool is_at_work(const bil_job *job)
{
    const saw *state = &job->saw[SAW_STATE];
    return state->known && state->number != job->description->state_held && !bil_stands(job, state->number);
}

flow bil_end(bil_job *job, bil_action *action)
{
    job->over = true;
    action->u.end.verdict = job->verdict;
    action->u.end.held = job->held;
    action->u.end.wrote = job->wrote && (job->progress.write_requests > 0 || job->config.kind == BIL_JOB_RESET);
    action->u.end.stored = job->stored;
    action->u.end.restarted = job->proved_restart;
    action->u.end.at_work = is_at_work(job);
    action->u.end.stopped = job->ran && !job->held && !action->u.end.at_work;
    action->u.end.cause = job->why.cause;
    action->u.end.param = job->why.param;
    action->u.end.other = job->why.other;
    action->u.end.code = job->why.code;
    return bil_give(job, action, BIL_ACT_END);
}

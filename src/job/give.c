/* Actions: what a job asks for next. */
#include <stddef.h>

#include "machine.h"

flow bil_give(bil_job *job, bil_action *action, bil_action_kind kind)
{
    action->kind = kind;
    action->number = ++job->number;
    job->due = kind == BIL_ACT_ASK ? UINT64_MAX : job->now + SLEPT_MS;
    if (kind == BIL_ACT_ASK || kind == BIL_ACT_WAIT) /* a person takes as long as it takes */
        job->fresh = false;
    return FLOW_ACTION;
}

flow bil_give_until(bil_job *job, bil_action *action, bil_action_kind kind, uint64_t until_ms)
{
    bil_give(job, action, kind);
    job->takes_long = false;
    job->due = until_ms + SLEPT_MS;
    return FLOW_ACTION;
}

flow bil_give_wait(bil_job *job, bil_action *action, uint64_t until_ms)
{
    action->u.wait.until_ms = until_ms;
    return bil_give_until(job, action, BIL_ACT_WAIT, until_ms);
}

flow bil_give_connect(bil_job *job, bil_action *action, uint32_t ms)
{
    const bil_description *d = job->description;
    bil_connect *to = &action->u.connect;
    to->until_ms = job->now + ms;
    to->description = d;
    to->at = d->link_unit;
    to->raw = NULL;
    if (job->unit) {
        to->raw = job->unit_raw;
        bil_value_put_number(job->unit_raw, d->params[d->link_unit].format->size, BIL_UNIT_NUMBER(job->unit));
    }
    job->sure = false;
    job->locked = d->unlock_ends_with_link;
    return bil_give_until(job, action, BIL_ACT_CONNECT, job->now + ms);
}

flow bil_give_record(bil_job *job, bil_action *action, bil_event event)
{
    action->u.record.event = event;
    action->u.record.cause = job->why.cause;
    action->u.record.param = job->why.param;
    action->u.record.code = job->why.code;
    action->u.record.have = job->config.have;
    return bil_give(job, action, BIL_ACT_RECORD);
}

flow bil_failed(bil_job *job, bil_error cause, uint16_t param)
{
    job->why.cause = cause;
    job->why.param = param;
    job->why.other = BIL_NONE;
    job->why.code = 0;
    return FLOW_FAILED;
}

bool bil_is_file(const bil_job *job, uint16_t index)
{
    return job->description->params[index].format->type == BIL_FILE;
}

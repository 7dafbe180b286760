/* One request on a link that may be slow, busy, late or gone. */
#include "machine.h"

enum { START, SILENCE, RECONNECT, SEND, ANSWER };

flow bil_give(bil_job *job, bil_action *action, bil_action_kind kind)
{
    action->kind = kind;
    action->number = ++job->number;
    return FLOW_ACTION;
}

flow bil_give_wait(bil_job *job, bil_action *action, uint32_t ms)
{
    action->u.wait.until_ms = job->now + ms;
    return bil_give(job, action, BIL_ACT_WAIT);
}

flow bil_give_connect(bil_job *job, bil_action *action, uint32_t ms)
{
    action->u.connect.until_ms = job->now + ms;
    action->u.connect.unit = job->unit;
    return bil_give(job, action, BIL_ACT_CONNECT);
}

flow bil_give_record(bil_job *job, bil_action *action, bil_event event)
{
    action->u.record.event = event;
    action->u.record.cause = job->cause;
    action->u.record.param = job->param;
    action->u.record.code = job->code;
    action->u.record.have = job->config.have;
    return bil_give(job, action, BIL_ACT_RECORD);
}

flow bil_failed(bil_job *job, bil_error cause, uint16_t param)
{
    job->cause = cause;
    job->param = param;
    job->other = BIL_NONE;
    job->code = 0;
    return FLOW_FAILED;
}

void bil_exchange_read(bil_job *job, uint8_t space, uint16_t address, uint16_t count, uint16_t param, bool value)
{
    job->exchange = (exchange){
        .space = space, .address = address, .count = count, .param = param, .value = value, .repeatable = true};
}

void bil_exchange_read_param(bil_job *job, uint16_t param)
{
    const bil_param *p = &job->description->params[param];
    bil_exchange_read(job, p->space, p->address, p->cells, param, false);
}

void bil_exchange_write(bil_job *job, uint16_t param, uint16_t count, bool value, bool repeatable, uint8_t secret)
{
    const bil_param *p = &job->description->params[param];
    job->exchange = (exchange){.write = true,
                               .space = p->space,
                               .address = p->address,
                               .count = count,
                               .param = param,
                               .value = value,
                               .repeatable = repeatable,
                               .secret = secret};
}

static flow send(bil_job *job, bil_action *action)
{
    const exchange *x = &job->exchange;
    action->u.transfer.write = x->write;
    action->u.transfer.value = x->value;
    action->u.transfer.space = x->space;
    action->u.transfer.secret = x->secret;
    action->u.transfer.format = x->secret ? &job->description->params[x->param].format : NULL;
    action->u.transfer.address = x->address;
    action->u.transfer.count = x->count;
    action->u.transfer.param = x->param;
    action->u.transfer.cells = job->cells;
    if (!x->value)
        job->progress.other_requests++;
    else if (x->write)
        job->progress.write_requests++;
    else
        job->progress.read_requests++;
    job->exchange.state = ANSWER;
    return bil_give(job, action, BIL_ACT_TRANSFER);
}

static flow give_up(bil_job *job, bil_outcome outcome, bil_error cause)
{
    exchange *x = &job->exchange;
    x->outcome = outcome;
    x->code = job->result->code;
    bil_failed(job, cause, x->param);
    job->code = x->code;
    return FLOW_FAILED;
}

static flow answered(bil_job *job, bil_action *action)
{
    exchange *x = &job->exchange;
    const bil_link_limits *link = &job->description->link;
    const bil_result *result = job->result;
    switch (result->outcome) {
    case BIL_DONE:
        return FLOW_DONE;
    case BIL_REFUSED:
        return give_up(job, BIL_REFUSED, BIL_E_REFUSED);
    case BIL_BUSY:
        if (x->busy++ >= link->busy_tries)
            return give_up(job, BIL_BUSY, BIL_E_BUSY);
        x->state = SEND;
        return bil_give_wait(job, action, link->busy_ms);
    default: /* not sent, or unknown */
        job->dirty = true;
        /* Unknown may have happened: whoever asked reads back, it is never sent again blindly. */
        if (result->outcome == BIL_UNKNOWN && !x->repeatable)
            return give_up(job, BIL_UNKNOWN, result->cause);
        if (++x->tries >= LINK_TRIES)
            return give_up(job, result->outcome, result->cause);
        x->state = START;
        return bil_exchange_run(job, action);
    }
}

flow bil_exchange_run(bil_job *job, bil_action *action)
{
    exchange *x = &job->exchange;
    switch (x->state) {
    case START:
        if (!job->dirty)
            return send(job, action);
        x->state = SILENCE;
        return bil_give_wait(job, action, job->description->link.late_ms);
    case SILENCE:
        x->state = RECONNECT;
        return bil_give_connect(job, action, RECONNECT_MS);
    case RECONNECT:
        if (job->result->outcome != BIL_DONE)
            return give_up(job, BIL_NOT_SENT, BIL_E_LOST);
        job->dirty = false;
        job->reconnected = true;
        return send(job, action);
    case SEND:
        return send(job, action);
    default:
        return answered(job, action);
    }
}

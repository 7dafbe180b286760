/* One request on a link that may be slow, busy, late or gone. */
#include "machine.h"

enum { START, LOOK, SEND, ANSWER };

flow bil_give(bil_job *job, bil_action *action, bil_action_kind kind)
{
    action->kind = kind;
    action->number = ++job->number;
    job->due = kind == BIL_ACT_ASK ? UINT64_MAX : job->now + SLEPT_MS;
    if (kind == BIL_ACT_ASK || kind == BIL_ACT_WAIT) /* a person takes as long as it takes */
        job->fresh = false;
    return FLOW_ACTION;
}

static flow give_until(bil_job *job, bil_action *action, bil_action_kind kind, uint64_t until_ms)
{
    bil_give(job, action, kind);
    job->due = until_ms + SLEPT_MS;
    return FLOW_ACTION;
}

flow bil_give_wait(bil_job *job, bil_action *action, uint64_t until_ms)
{
    action->u.wait.until_ms = until_ms;
    return give_until(job, action, BIL_ACT_WAIT, until_ms);
}

flow bil_give_connect(bil_job *job, bil_action *action, uint32_t ms)
{
    action->u.connect.until_ms = job->now + ms;
    action->u.connect.unit = job->unit;
    job->sure = false;
    return give_until(job, action, BIL_ACT_CONNECT, job->now + ms);
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

void bil_exchange_read(exchange *x, uint8_t space, uint16_t address, uint16_t count, uint16_t param, bool value)
{
    *x = (exchange){.cells = x->cells,
                    .looks = x->looks,
                    .space = space,
                    .address = address,
                    .count = count,
                    .param = param,
                    .value = value,
                    .repeatable = true};
}

void bil_exchange_read_param(bil_job *job, uint16_t param)
{
    const bil_param *p = &job->description->params[param];
    bil_exchange_read(&job->exchange, p->space, p->address, p->cells, param, false);
}

void bil_exchange_write(bil_job *job, uint16_t param, uint16_t count, bool value, bool repeatable, uint8_t secret)
{
    const bil_param *p = &job->description->params[param];
    job->exchange = (exchange){.cells = job->exchange.cells,
                               .write = true,
                               .space = p->space,
                               .address = p->address,
                               .count = count,
                               .param = param,
                               .value = value,
                               .repeatable = repeatable,
                               .secret = secret};
}

static flow send(bil_job *job, exchange *x, bil_action *action)
{
    action->u.transfer.write = x->write;
    action->u.transfer.value = x->value;
    action->u.transfer.space = x->space;
    action->u.transfer.secret = x->secret;
    action->u.transfer.format = x->secret ? &job->description->params[x->param].format : NULL;
    action->u.transfer.address = x->address;
    action->u.transfer.count = x->count;
    action->u.transfer.param = x->param;
    action->u.transfer.cells = x->cells;
    bil_job_progress *p = &job->progress;
    ++*(x->looks    ? &p->identity_requests
        : !x->value ? &p->other_requests
        : x->write  ? &p->write_requests
                    : &p->read_requests);
    x->state = ANSWER;
    if (x->tries == 0 && x->busy == 0)
        x->before = job->saw[SAW_STATE];
    job->fresh = false;
    return give_until(job, action, BIL_ACT_TRANSFER, job->now + job->description->link.late_ms);
}

static flow give_up(bil_job *job, exchange *x, bil_outcome outcome, bil_error cause)
{
    uint32_t code = job->result->code;
    x->outcome = outcome;
    bil_failed(job, cause, x->param);
    job->why.code = code;
    return FLOW_FAILED;
}

static flow answered(bil_job *job, exchange *x, bil_action *action)
{
    const bil_link_limits *link = &job->description->link;
    const bil_result *result = job->result;
    switch (result->outcome) {
    case BIL_DONE:
        return FLOW_DONE;
    case BIL_REFUSED:
        return give_up(job, x, BIL_REFUSED, BIL_E_REFUSED);
    case BIL_BUSY:
        x->heard = true;
        if (x->busy++ >= link->busy_tries)
            return give_up(job, x, BIL_BUSY, BIL_E_BUSY);
        x->state = SEND;
        return bil_give_wait(job, action, job->now + link->busy_ms);
    default:                                /* not sent, or unknown */
        if (result->cause == BIL_E_AT_WORK) /* it was taken, and its end is still to come: the link is sound */
            return give_up(job, x, BIL_UNKNOWN, BIL_E_AT_WORK);
        x->heard = x->heard || (result->cause != BIL_E_SILENT && result->cause != BIL_E_GATEWAY_SILENT);
        x->sent = x->sent || result->outcome == BIL_UNKNOWN;
        job->dirty = true;
        /* Unknown may have happened: whoever asked reads back, it is never sent again blindly. */
        if (x->looks || (result->outcome == BIL_UNKNOWN && !x->repeatable) || ++x->tries >= LINK_TRIES)
            return give_up(job, x, result->outcome, result->cause);
        x->state = START;
        return bil_exchange_run(job, x, action);
    }
}

/* The first thing on a new connection, and wherever the job has to be sure, is who answers. A look is that itself. */
flow bil_exchange_run(bil_job *job, exchange *x, bil_action *action)
{
    flow f;
    switch (x->state) {
    case START:
        if (x->looks || (!job->dirty && job->sure))
            return send(job, x, action);
        bil_look_start(job);
        x->state = LOOK;
        /* fall through */
    case LOOK:
        f = bil_look_run(job, action);
        if (f == FLOW_FAILED)
            x->outcome = x->sent ? BIL_UNKNOWN : BIL_NOT_SENT;
        return f == FLOW_DONE ? send(job, x, action) : f;
    case SEND:
        return send(job, x, action);
    default:
        return answered(job, x, action);
    }
}

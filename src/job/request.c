/* One request, repeated as far as that can do no harm. */
#include "machine.h"

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
    x->state = REQUEST_ANSWER;
    if (x->tries == 0 && x->busy == 0)
        x->before = job->saw[SAW_STATE];
    job->fresh = false;
    return bil_give_until(job, action, BIL_ACT_TRANSFER, job->now + job->description->link.late_ms);
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
        x->state = REQUEST_SEND;
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
        x->state = REQUEST_START;
        return FLOW_ON;
    }
}

flow bil_request_run(bil_job *job, exchange *x, bil_action *action)
{
    return x->state == REQUEST_ANSWER ? answered(job, x, action) : send(job, x, action);
}

/* One request, repeated as far as that can do no harm. */
#include <stddef.h>

#include "machine.h"

void bil_exchange_read(exchange *x, const uint16_t *items, uint16_t count, bool value)
{
    *x = (exchange){.raw = x->raw,
                    .cause = x->cause,
                    .looks = x->looks,
                    .items = items,
                    .count = count,
                    .value = value,
                    .repeatable = true};
}

/* A single one, whose index is kept here. */
static void alone(exchange *x, uint16_t param)
{
    x->one = param;
    x->items = &x->one;
}

void bil_exchange_read_param(bil_job *job, uint16_t param)
{
    bil_exchange_read(&job->exchange, NULL, 1, false);
    alone(&job->exchange, param);
}

void bil_exchange_write(bil_job *job, const uint16_t *items, uint16_t count)
{
    exchange *x = &job->exchange;
    *x = (exchange){.raw = x->raw, .cause = x->cause, .write = true, .items = items, .count = count, .value = true};
}

void bil_exchange_write_param(bil_job *job, uint16_t param, bool repeatable, uint8_t secret)
{
    exchange *x = &job->exchange;
    bil_exchange_write(job, NULL, 1);
    alone(x, param);
    x->value = false;
    x->repeatable = repeatable;
    x->secret = secret;
}

static uint32_t *counter_of(bil_job *job, const exchange *x)
{
    bil_job_progress *p = &job->progress;
    bool value = x->value || x->secret > BIL_SECRETS_MAX;
    return x->looks   ? &p->identity_requests
           : !value   ? &p->other_requests
           : x->write ? &p->write_requests
                      : &p->read_requests;
}

static flow send(bil_job *job, exchange *x, bil_action *action)
{
    bool in_bank = x->value && !x->write;
    action->u.transfer = (bil_transfer){.description = job->description,
                                        .items = x->items,
                                        .count = x->count,
                                        .write = x->write,
                                        .value = x->value,
                                        .bank = in_bank ? job->config.bank : 0,
                                        .copy = job->config.copy,
                                        .secret = x->secret,
                                        .raw = x->raw,
                                        .cause = x->cause};
    x->state = REQUEST_ANSWER;
    if (x->tries == 0 && x->busy == 0)
        x->before = job->saw[SAW_STATE];
    job->fresh = false;
    bil_give_until(job, action, BIL_ACT_TRANSFER, job->now + job->description->link.late_ms);
    job->takes_long = bil_is_file(job, x->items[0]);
    return FLOW_ACTION;
}

static flow give_up(bil_job *job, exchange *x, bil_outcome outcome, bil_error cause)
{
    uint32_t code = job->result->code;
    x->outcome = outcome;
    bil_failed(job, cause, x->items[0]);
    job->why.code = code;
    return FLOW_FAILED;
}

static flow answered(bil_job *job, exchange *x, bil_action *action)
{
    const bil_link_limits *link = &job->description->link;
    const bil_result *result = job->result;
    *counter_of(job, x) += 1 + result->more;
    switch (result->outcome) {
    case BIL_DONE:
        return FLOW_DONE;
    case BIL_REFUSED:
        return give_up(job, x, BIL_REFUSED, result->cause ? result->cause : BIL_E_REFUSED);
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
        /* Unknown may have happened: whoever asked reads back, it is never sent again blindly. And values that weren't
         * sent would be refused now, where what was unlocked is locked with the connection. */
        bool over = x->write && x->value && job->description->unlock_ends_with_link;
        if (over || x->looks || (result->outcome == BIL_UNKNOWN && !x->repeatable) || ++x->tries >= LINK_TRIES)
            return give_up(job, x, over ? BIL_UNKNOWN : result->outcome, result->cause);
        x->state = REQUEST_START;
        return FLOW_ON;
    }
}

flow bil_request_run(bil_job *job, exchange *x, bil_action *action)
{
    return x->state == REQUEST_ANSWER ? answered(job, x, action) : send(job, x, action);
}

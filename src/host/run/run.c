#include "host/run/run.h"

#include <string.h>

enum { CONNECT_EVERY_MS = 200 };

static uint64_t now(const runner *r)
{
    return r->clock.ops->now_ms(r->clock.ctx);
}

static bool late(const runner *r)
{
    return r->until_ms && now(r) >= r->until_ms;
}

static void sleep_until(const runner *r, uint64_t moment)
{
    r->clock.ops->sleep_until(r->clock.ctx, r->until_ms && moment > r->until_ms ? r->until_ms : moment);
}

static void connect_until(const runner *r, const bil_connect *to, bil_result *result)
{
    for (;;) {
        result->outcome = r->link.ops->connect(r->link.ctx, to, result);
        uint64_t next = now(r) + CONNECT_EVERY_MS;
        if (result->outcome == BIL_DONE || next > to->until_ms || late(r))
            return;
        sleep_until(r, next);
    }
}

/* False when it is longer than the device takes. */
static bool put_secret(const char *secret, const bil_transfer *t)
{
    size_t size = t->description->params[t->items[0]].format.size, length = secret ? strlen(secret) : 0;
    if (length == 0 || length > size)
        return false;
    memset(t->raw, 0, size);
    memcpy(t->raw, secret, length);
    return true;
}

static void transfer(const runner *r, const bil_transfer *t, bil_result *result)
{
    if (late(r)) {
        result->outcome = BIL_NOT_SENT;
        result->cause = BIL_E_SILENT;
        return;
    }
    if (t->secret && !put_secret(r->password, t)) {
        result->outcome = BIL_REFUSED;
        result->cause = BIL_E_REFUSED;
        return;
    }
    result->outcome = r->link.ops->transfer(r->link.ctx, t, result);
    if (t->secret)
        explicit_bzero(t->raw, t->description->params[t->items[0]].format.size);
}

bil_outcome read_param(bil_link link, const bil_description *d, uint16_t param, uint8_t *raw, bil_result *result)
{
    uint8_t cause = BIL_OK;
    bil_transfer t = {.description = d, .items = &param, .count = 1, .raw = raw, .cause = &cause};
    bil_outcome outcome = link.ops->transfer(link.ctx, &t, result);
    if (outcome == BIL_DONE)
        result->cause = (bil_error)cause;
    return outcome;
}

static bil_outcome yes(bool answer)
{
    return answer ? BIL_DONE : BIL_REFUSED;
}

bil_action run_job(bil_job *job, const runner *r)
{
    bil_action action;
    bil_result result = {.now_ms = now(r)};
    while (bil_job_step(job, &result, &action) == BIL_OK && action.kind != BIL_ACT_END) {
        result = (bil_result){.number = action.number};
        if (r->progress)
            r->progress(r->ctx, job, &action);
        switch (action.kind) {
        case BIL_ACT_CONNECT:
            connect_until(r, &action.u.connect, &result);
            break;
        case BIL_ACT_TRANSFER:
            transfer(r, &action.u.transfer, &result);
            break;
        case BIL_ACT_WAIT:
            sleep_until(r, action.u.wait.until_ms);
            break;
        case BIL_ACT_ASK:
            result.outcome = yes(r->ask && r->ask(r->ctx, &action));
            break;
        case BIL_ACT_RECORD:
            result.outcome = yes(!r->record || r->record(r->ctx, &action));
            break;
        default:
            result.outcome = yes(r->save && r->save(r->ctx, action.u.save.have));
            break;
        }
        result.now_ms = now(r);
    }
    return action;
}

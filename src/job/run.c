/* The loop that carries out what a job asks for. */
#include "bilancia/run.h"

#include <string.h>

#include "../core/bytes.h"

static void connect_until(bil_link link, bil_clock clock, const bil_connect *to, bil_result *result)
{
    while ((result->outcome = link.ops->connect(link.ctx, to, result)) != BIL_DONE) {
        uint64_t next = clock.ops->now_ms(clock.ctx) + BIL_CONNECT_EVERY_MS;
        if (next > to->until_ms)
            return;
        clock.ops->sleep_until(clock.ctx, next);
    }
}

static void transfer(const bil_run_hooks *h, bil_link link, const bil_transfer *t, bil_result *result)
{
    size_t size = t->description->params[t->items[0]].format.size;
    if (t->secret) {
        memset(t->raw, 0, size);
        if (!h->secret || !h->secret(h->ctx, t->secret, t->raw, size)) {
            result->outcome = BIL_REFUSED;
            return;
        }
    }
    result->outcome = link.ops->transfer(link.ctx, t, result);
    for (volatile uint8_t *secret = t->raw; t->secret && size > 0;) /* no compiler leaves that out */
        secret[--size] = 0;
}

static bool answer(const bil_run_hooks *h, const bil_action *action)
{
    if (action->kind == BIL_ACT_SAVE)
        return h->save && h->save(h->ctx, action->u.save.have);
    if (action->kind == BIL_ACT_ASK)
        return h->ask && h->ask(h->ctx, action);
    return !h->record || h->record(h->ctx, action);
}

int bil_run(bil_job *job, bil_link link, bil_clock clock, const bil_run_hooks *hooks, bil_action *end)
{
    bil_run_hooks h = {0};
    if (!job || !link.ops || !clock.ops || !end ||
        (hooks && bil_take_struct(&h, sizeof h, hooks, hooks->struct_size) != BIL_OK))
        return BIL_E_BAD_CALL;
    uint64_t until = h.until_ms ? h.until_ms : UINT64_MAX;
    bil_result result = {0};
    for (;;) {
        result.now_ms = clock.ops->now_ms(clock.ctx);
        int error = bil_job_step(job, &result, end);
        if (error || end->kind == BIL_ACT_END)
            return error;
        bool late = result.now_ms >= until;
        result = (bil_result){.number = end->number, .outcome = BIL_NOT_SENT};
        if (late) {
            bil_job_cancel(job);
            until = UINT64_MAX; /* its safe end takes what it takes */
        }
        if (h.progress)
            h.progress(h.ctx, job, end);
        if (end->kind == BIL_ACT_TRANSFER) {
            if (!late)
                transfer(&h, link, &end->u.transfer, &result);
        } else if (end->kind == BIL_ACT_CONNECT || end->kind == BIL_ACT_WAIT) {
            uint64_t *moment = &end->u.wait.until_ms; /* of a connection, too */
            *moment = *moment > until ? until : *moment;
            if (end->kind == BIL_ACT_WAIT)
                clock.ops->sleep_until(clock.ctx, *moment);
            else
                connect_until(link, clock, &end->u.connect, &result);
        } else {
            result.outcome = answer(&h, end) ? BIL_DONE : BIL_REFUSED;
        }
    }
}

bil_outcome bil_read_one(bil_link link, const bil_description *d, uint16_t index, uint8_t *raw, bil_result *result)
{
    uint8_t cause = BIL_OK;
    bil_transfer t = {.description = d, .items = &index, .count = 1, .raw = raw, .cause = &cause};
    bil_outcome outcome = link.ops->transfer(link.ctx, &t, result);
    if (outcome == BIL_DONE)
        result->cause = (bil_error)cause;
    return outcome;
}

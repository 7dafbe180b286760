/* The loop that carries out what a job asks for. */
#include "bilancia/run.h"

#include <string.h>

#include "../core/bytes.h"
#include "../core/text.h"

typedef struct running {
    bil_link link;
    bil_clock clock;
    bil_run_hooks hooks;
} running;

static void connect_until(const running *r, const bil_connect *to, bil_result *result)
{
    while ((result->outcome = r->link.ops->connect(r->link.ctx, to, result)) == BIL_NOT_SENT) {
        uint64_t next = r->clock.ops->now_ms(r->clock.ctx) + BIL_CONNECT_EVERY_MS;
        if (next > to->until_ms)
            return;
        r->clock.ops->sleep_until(r->clock.ctx, next);
    }
}

static void move_file(const running *r, bil_transfer *t, bil_result *result)
{
    const bil_run_hooks *h = &r->hooks;
    bil_bytes bytes = {0};
    result->outcome = BIL_REFUSED;
    if (!h->bytes || !h->bytes(h->ctx, t, &bytes))
        return;
    t->bytes = &bytes;
    t->cause[0] = BIL_OK;
    result->outcome = r->link.ops->transfer(r->link.ctx, t, result);
    t->bytes = NULL;
    if (result->outcome == BIL_DONE && !t->write && !(h->taken && h->taken(h->ctx, t->raw)))
        result->outcome = BIL_REFUSED;
}

static void transfer(const running *r, bil_transfer *t, bil_result *result)
{
    const bil_run_hooks *h = &r->hooks;
    const bil_format *format = t->description->params[t->items[0]].format;
    if (format->type == BIL_FILE) {
        move_file(r, t, result);
        return;
    }
    size_t size = t->secret ? format->size : 0;
    memset(t->raw, 0, size);
    result->outcome = BIL_REFUSED;
    if (!size || (h->secret && h->secret(h->ctx, t->secret, format, t->raw)))
        result->outcome = r->link.ops->transfer(r->link.ctx, t, result);
    bil_wipe(t->raw, size);
}

static bool answer(const bil_run_hooks *h, const bil_action *action)
{
    if (action->kind == BIL_ACT_SAVE)
        return h->save && h->save(h->ctx, action->u.save.have);
    if (action->kind == BIL_ACT_ASK)
        return h->ask && h->ask(h->ctx, action);
    return !h->record || h->record(h->ctx, action);
}

static void perform(const running *r, bil_action *action, bil_result *result)
{
    if (action->kind == BIL_ACT_TRANSFER) {
        transfer(r, &action->u.transfer, result);
    } else if (action->kind == BIL_ACT_CONNECT || action->kind == BIL_ACT_WAIT) {
        uint64_t *moment = &action->u.wait.until_ms; /* of a connection, too */
        if (r->hooks.until_ms && *moment > r->hooks.until_ms)
            *moment = r->hooks.until_ms;
        if (action->kind == BIL_ACT_CONNECT)
            connect_until(r, &action->u.connect, result);
        else
            r->clock.ops->sleep_until(r->clock.ctx, *moment);
    } else if (!answer(&r->hooks, action)) {
        result->outcome = BIL_REFUSED;
    }
}

int bil_run(bil_job *job, bil_link link, bil_clock clock, const bil_run_hooks *hooks, bil_action *end)
{
    running r = {.link = link, .clock = clock};
    if (!job || !link.ops || !clock.ops || !end ||
        (hooks && bil_take_struct(&r.hooks, sizeof r.hooks, hooks, hooks->struct_size) != BIL_OK))
        return BIL_E_BAD_CALL;
    bil_result result = {0};
    for (;;) {
        result.now_ms = clock.ops->now_ms(clock.ctx);
        int error = bil_job_step(job, &result, end);
        if (error || end->kind == BIL_ACT_END)
            return error;
        bool late = r.hooks.until_ms && result.now_ms >= r.hooks.until_ms;
        memset(&result, 0, sizeof result);
        result.number = end->number;
        if (r.hooks.progress)
            r.hooks.progress(r.hooks.ctx, job, end);
        if (late) {
            bil_job_cancel(job);
            r.hooks.until_ms = 0; /* its safe end takes what it takes */
        }
        if (late && end->kind == BIL_ACT_TRANSFER)
            result.outcome = BIL_NOT_SENT;
        else
            perform(&r, end, &result);
    }
}

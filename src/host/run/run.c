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

static void connect_until(const runner *r, uint64_t until, bil_result *result)
{
    for (;;) {
        result->outcome = r->link.ops->connect(r->link.ctx, result);
        uint64_t next = now(r) + CONNECT_EVERY_MS;
        if (result->outcome == BIL_DONE || next > until || late(r))
            return;
        sleep_until(r, next);
    }
}

/* False when it is longer than the device takes. */
static bool put_secret(const char *secret, const bil_format *format, uint16_t *cells)
{
    uint8_t raw[BIL_TEXT_MAX] = {0};
    size_t length = secret ? strlen(secret) : 0;
    if (length == 0 || length > format->size)
        return false;
    memcpy(raw, secret, length);
    bil_value_to_cells(format, raw, cells);
    explicit_bzero(raw, sizeof raw);
    return true;
}

static void transfer(const runner *r, const bil_action *action, bil_result *result)
{
    uint16_t *cells = action->u.transfer.cells, count = action->u.transfer.count;
    uint8_t space = action->u.transfer.space;
    uint16_t address = action->u.transfer.address;
    if (late(r)) {
        result->outcome = BIL_NOT_SENT;
        result->cause = BIL_E_SILENT;
        return;
    }
    if (!action->u.transfer.write) {
        result->outcome = r->link.ops->read(r->link.ctx, space, address, count, cells, result);
        return;
    }
    if (action->u.transfer.secret && !put_secret(r->password, action->u.transfer.format, cells)) {
        result->outcome = BIL_REFUSED;
        result->cause = BIL_E_REFUSED;
        return;
    }
    result->outcome = r->link.ops->write(r->link.ctx, space, address, count, cells, result);
    if (action->u.transfer.secret)
        explicit_bzero(cells, count * sizeof cells[0]);
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
            if (r->link.ops->speak_to)
                r->link.ops->speak_to(r->link.ctx, action.u.connect.unit);
            connect_until(r, action.u.connect.until_ms, &result);
            break;
        case BIL_ACT_TRANSFER:
            transfer(r, &action, &result);
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

/* Reading many values with the fewest requests. */
#include <string.h>

#include "machine.h"

void bil_reader_plan(bil_job *job, reader *r, uint16_t count, uint32_t *cost, bool value)
{
    const bil_link_limits *link = &job->description->link;
    const bil_request_rule rule = {.bank = value ? job->config.bank : 0,
                                   .copy = job->config.copy,
                                   .request_cost = link->request_cost,
                                   .cell_cost = link->cell_cost};
    bil_plan_requests(job->description, r->items, count, &rule, cost, r->next, NULL);
    r->count = count;
    r->value = value;
    r->who = false;
    r->running = false;
    r->at = r->until = 0;
}

static void take_block(bil_job *job, reader *r, uint16_t from, uint16_t to)
{
    const uint8_t *raw = r->exchange->raw;
    for (uint16_t i = from; i < to; i++) {
        uint16_t index = r->items[i];
        bil_error cause = (bil_error)r->exchange->cause[i - from];
        if (cause)
            bil_image_fail(r->image, index, cause);
        else
            bil_image_put(r->image, index, raw);
        if (!cause && bil_is_file(job, index))
            job->touched[index] |= KNOWN;
        raw += job->description->params[index].format->size;
    }
}

static bool block_tells_who(const bil_job *job, const reader *r)
{
    for (uint16_t i = r->at; i < r->next[r->at]; i++)
        if (bil_description_tells_who(job->description, r->items[i]))
            return true;
    return false;
}

/* Counts what of a block belongs to a copy, for progress. */
static void count_done(bil_job *job, const reader *r, uint16_t from, uint16_t to)
{
    for (uint16_t i = from; i < to && r->value && job->config.kind == BIL_JOB_READ; i++)
        job->progress.done += !bil_class_left_out((bil_class)job->description->params[r->items[i]].cls);
}

/* Reads the blocks that tell who answers (r->who), or all the others. */
static flow run_half(bil_job *job, reader *r, request_run *run, bil_action *action)
{
    for (;;) {
        if (!r->running) {
            while (r->at >= r->until && r->at < r->count && block_tells_who(job, r) != r->who)
                r->at = r->next[r->at];
            if (r->at >= r->count)
                return FLOW_DONE;
            bil_exchange_read(r->exchange, r->items + r->at, (uint16_t)(r->next[r->at] - r->at), r->value);
            r->running = true;
        }
        flow f = run(job, r->exchange, action);
        if (f == FLOW_ACTION)
            return f;
        r->running = false;
        uint16_t from = r->at, to = r->next[from];
        bil_outcome outcome = r->exchange->outcome;
        if (f == FLOW_DONE) {
            take_block(job, r, from, to);
        } else if (outcome == BIL_REFUSED && to - from > 1 && job->why.cause == BIL_E_REFUSED) {
            /* somewhere in it is a value that the device refuses: look for it in both halves */
            uint16_t middle = (uint16_t)((from + to) / 2);
            r->until = r->until > to ? r->until : to; /* both belong to this half, whichever tells who answers */
            r->next[from] = middle;
            r->next[middle] = to;
            continue;
        } else if (outcome == BIL_REFUSED || outcome == BIL_BUSY) {
            memset(r->exchange->cause, (int)job->why.cause, (size_t)(to - from));
            take_block(job, r, from, to);
        } else {
            return f;
        }
        count_done(job, r, from, to);
        r->at = to;
    }
}

flow bil_reader_run_half(bil_job *job, reader *r, bool who, request_run *run, bil_action *action)
{
    if (r->who != who && !r->running) {
        r->who = who;
        r->at = r->until = 0;
    }
    return run_half(job, r, run, action);
}

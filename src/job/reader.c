/* Reading many values with the fewest requests. */
#include <string.h>

#include "machine.h"

static void plan(bil_job *job, uint16_t count, bool value)
{
    const bil_link_limits *link = &job->description->link;
    bil_block_rule rule = {link->read_cells, link->request_cost, link->cell_cost, true};
    bil_plan_blocks(job->description, job->items, count, &rule, job->cost, job->next, NULL);
    job->reader.count = count;
    job->reader.at = 0;
    job->reader.value = value;
    job->reader.running = false;
}

static bool tells_identity(const bil_description *description, uint16_t index)
{
    for (int i = 0; i < BIL_ID_COUNT; i++)
        if (description->identity[i] == index)
            return true;
    return false;
}

void bil_reader_identity(bil_job *job, bil_image *image)
{
    const bil_description *description = job->description;
    uint16_t count = 0;
    for (uint16_t i = 0; i < description->count; i++)
        if (tells_identity(description, description->by_address[i]))
            job->items[count++] = description->by_address[i];
    job->reader.image = image;
    plan(job, count, false);
}

void bil_reader_values(bil_job *job, bil_image *image)
{
    memset(image->state, BIL_ABSENT, job->description->count);
    job->reader.image = image;
    uint16_t count = bil_plan_read(job->description, job->items);
    plan(job, count, true);
    if (job->config.kind == BIL_JOB_READ)
        job->progress.total = count;
}

static void take_block(bil_job *job, uint16_t from, uint16_t to)
{
    const bil_description *description = job->description;
    uint16_t base = description->params[job->items[from]].address;
    for (uint16_t i = from; i < to; i++) {
        uint16_t index = job->items[i];
        const bil_param *param = &description->params[index];
        uint8_t raw[BIL_TEXT_MAX];
        int error = bil_value_from_cells(&param->format, job->cells + (param->address - base), raw);
        if (error)
            bil_image_fail(job->reader.image, index, (bil_error)error);
        else
            bil_image_put(job->reader.image, index, raw);
    }
}

static void start_block(bil_job *job)
{
    reader *r = &job->reader;
    const bil_param *first = &job->description->params[job->items[r->at]];
    const bil_param *last = &job->description->params[job->items[job->next[r->at] - 1]];
    uint32_t end = last->address + (uint32_t)last->cells; /* values never overlap */
    bil_exchange_read(job, first->space, first->address, (uint16_t)(end - first->address), job->items[r->at], r->value);
    r->running = true;
}

flow bil_reader_run(bil_job *job, bil_action *action)
{
    reader *r = &job->reader;
    for (;;) {
        if (!r->running) {
            if (r->at >= r->count)
                return FLOW_DONE;
            start_block(job);
        }
        flow f = bil_exchange_run(job, action);
        if (f == FLOW_ACTION)
            return f;
        r->running = false;
        uint16_t from = r->at, to = job->next[from];
        if (f == FLOW_DONE) {
            take_block(job, from, to);
        } else if (job->exchange.outcome == BIL_REFUSED && to - from > 1) {
            /* somewhere in it is a value that the device refuses: look for it in both halves */
            uint16_t middle = (uint16_t)((from + to) / 2);
            job->next[from] = middle;
            job->next[middle] = to;
            continue;
        } else if (job->exchange.outcome == BIL_REFUSED || job->exchange.outcome == BIL_BUSY) {
            for (uint16_t i = from; i < to; i++)
                bil_image_fail(r->image, job->items[i], job->cause);
        } else {
            return f;
        }
        r->at = to;
        if (r->value && job->config.kind == BIL_JOB_READ)
            job->progress.done = to;
    }
}

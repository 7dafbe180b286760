/* What all jobs share: memory, stepping, names. */
#include <stdalign.h>
#include <string.h>

#include "../core/bytes.h"
#include "../core/require.h"
#include "machine.h"

/* struct, cost, next, items, image, touched, raw values and causes of requests and of looks, in falling order of
 * alignment. No request has a value twice, so none has more than all. */
static size_t head_size(void)
{
    size_t align = alignof(max_align_t);
    return (sizeof(bil_job) + align - 1) / align * align;
}

size_t bil_job_size(const bil_description *description)
{
    require(description);
    size_t items = (size_t)description->count + 1;
    return head_size() + items * (sizeof(uint32_t) + 2 * sizeof(uint16_t)) + bil_image_size(description) +
           3 * (size_t)description->count + 2 * description->raw_size;
}

/* What of a call stands for what: a program that was built with a shorter struct asks for nothing of the rest; one that
 * was built with a longer one has to ask for nothing there. */
static int take_config(bil_job_config *out, const bil_job_config *given)
{
    if (bil_take_struct(out, sizeof *out, given, given->struct_size) != BIL_OK)
        return BIL_E_BAD_CALL;
    bool writes = out->kind == BIL_JOB_WRITE || out->kind == BIL_JOB_RESET;
    bool whole =
        out->kind <= BIL_JOB_START && out->description && out->have && (out->kind < BIL_JOB_WRITE || out->serial);
    return whole && (!writes || (out->want && out->firmware)) ? BIL_OK : BIL_E_BAD_CALL;
}

int bil_job_init(bil_job **out, void *memory, size_t size, const bil_job_config *config)
{
    bil_job *job = memory;
    if (!out || !config || (uintptr_t)memory % alignof(max_align_t))
        return BIL_E_BAD_CALL;
    if (!memory || size < sizeof *job)
        return BIL_E_SPACE;
    memset(job, 0, size);
    int error = take_config(&job->config, config);
    if (error)
        return error;
    config = &job->config;
    const bil_description *description = config->description;
    uint32_t sum = 0; /* a table made by hand may ask for more than it says */
    for (uint16_t i = 0; i < description->count; i++)
        sum += description->params[i].format->size > BIL_TEXT_MAX ? UINT16_MAX : description->params[i].format->size;
    if (sum > description->raw_size)
        return BIL_E_TABLE;
    size_t image = bil_image_size(description);
    if (size < bil_job_size(description))
        return BIL_E_SPACE;
    size_t items = (size_t)description->count + 1;
    job->cost = (uint32_t *)(void *)((uint8_t *)memory + head_size());
    job->next = (uint16_t *)(job->cost + items);
    job->items = job->next + items;
    size_t values = description->count, bytes = description->raw_size;
    uint8_t *rest = (uint8_t *)(job->items + items);
    bil_image_init(&job->expect, description, rest, image);
    job->touched = rest + image;
    job->exchange.cause = job->touched + values;
    job->look.exchange.cause = job->exchange.cause + values;
    job->exchange.raw = job->look.exchange.cause + values;
    job->look.exchange.raw = job->exchange.raw + bytes;
    job->look.exchange.looks = true;
    job->reader.exchange = &job->exchange;
    job->reader.items = job->items;
    job->reader.next = job->next;
    job->look.reader.exchange = &job->look.exchange;
    job->look.reader.items = job->look.items;
    job->look.reader.next = job->look.next;
    job->due = UINT64_MAX;
    job->description = description;
    job->why.param = job->why.other = BIL_NONE;
    job->purpose = config->purpose;
    job->unit = config->kind == BIL_JOB_START ? config->unit : 0;
    *out = job;
    return BIL_OK;
}

int bil_job_step(bil_job *job, const bil_result *result, bil_action *action)
{
    require(job && result && action);
    if (result->number != job->number || job->over)
        return BIL_E_BAD_RESULT;
    job->result = result;
    if (result->now_ms > job->now)
        job->now = result->now_ms;
    if (job->now > job->due) { /* whoever runs it slept meanwhile: another unit may be there by now */
        job->dirty = job->dirty || !job->takes_long;
        job->sure = false;
    }
    bool writes = job->config.kind == BIL_JOB_WRITE || job->config.kind == BIL_JOB_RESET;
    if (writes)
        bil_write_run(job, action);
    else if (job->step == CLOSING)
        bil_close(job, action, job->verdict);
    else if (job->config.kind == BIL_JOB_START)
        bil_start_run(job, action);
    else
        bil_read_run(job, action);
    if (job->cancelled && !job->over) {
        job->cancelled = false;
        if (writes)
            bil_write_cancel(job, action);
        else
            bil_read_cancel(job, action);
    }
    return BIL_OK;
}

void bil_job_cancel(bil_job *job)
{
    require(job);
    job->cancelled = true;
}

void bil_job_progress_of(const bil_job *job, bil_job_progress *progress)
{
    require(job && progress);
    *progress = job->progress;
}

bil_purpose bil_job_purpose(const bil_job *job)
{
    require(job);
    return job->purpose;
}

bool bil_job_unit_tells(const bil_job *job)
{
    require(job);
    return job->unit_tells;
}

uint32_t bil_job_unit_after(const bil_job *job)
{
    require(job);
    return job->unit_after;
}

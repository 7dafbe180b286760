/* Who answers, and what happens by itself: another unit at this address, a restart, somebody who lets the device go, a
 * value that another hand changed. Computation only. */
#include <string.h>

#include "../core/bytes.h"
#include "machine.h"

/* Parameters whose numbers are followed from look to look, in the order of job->saw. */
static uint16_t followed(const bil_job *job, saw_kind kind)
{
    const bil_description *d = job->description;
    bool writes = job->config.kind >= BIL_JOB_WRITE;
    const uint16_t params[SAW_COUNT] = {d->starts, d->uptime, d->changes, writes ? d->state : BIL_NONE};
    return params[kind];
}

bool bil_watched(const bil_job *job, uint16_t index)
{
    for (int i = 0; i < SAW_COUNT; i++)
        if (followed(job, (saw_kind)i) == index)
            return true;
    return bil_description_tells_who(job->description, index);
}

uint32_t bil_number_of(const bil_image *image, uint16_t param)
{
    return param != BIL_NONE && image->state[param] == BIL_PRESENT
               ? (uint32_t)bil_value_number(bil_image_raw(image, param), image->description->params[param].format->size)
               : 0;
}

bool bil_stands(const bil_job *job, uint32_t state)
{
    return state < 32 && job->description->state_idle >> state & 1;
}

/* Is one of these another one than before? What can't be read any more leaves that open, and closes the way. */
static bil_error compare_unit(const bil_job *job, uint16_t index, bool grows)
{
    const bil_image *have = job->config.have;
    if (job->expect.state[index] != BIL_PRESENT)
        return BIL_OK;
    if (have->state[index] != BIL_PRESENT)
        return have->state[index] == BIL_UNREADABLE ? (bil_error)have->cause[index] : BIL_OK;
    uint8_t size = job->description->params[index].format->size;
    int order = memcmp(bil_image_raw(have, index), bil_image_raw(&job->expect, index), size); /* raw: high byte first */
    return order == 0 || (grows && order > 0) ? BIL_OK : BIL_E_OTHER_UNIT;
}

bil_error bil_watch_who(bil_job *job)
{
    const bil_description *d = job->description;
    bil_error error = BIL_OK;
    if (!job->known)
        return BIL_OK;
    for (uint16_t i = 0; i < d->count && !error; i++)
        if (bil_description_tells_who(d, i))
            error = compare_unit(job, i, bil_is_among(d->unit_grows, d->unit_grows_count, i));
    job->stranger = error != BIL_OK;
    return error;
}

/* Takes what was just read. Measured values go no further than this: they belong to no copy. */
static void take(bil_job *job)
{
    bil_image *have = job->config.have;
    for (int i = 0; i < SAW_COUNT; i++) {
        uint16_t param = followed(job, (saw_kind)i);
        saw *s = &job->saw[i];
        if (param == BIL_NONE)
            continue;
        bool present = have->state[param] == BIL_PRESENT;
        uint32_t number = bil_number_of(have, param);
        if (present && s->known &&
            ((i == SAW_STARTS && number != s->number) || (i == SAW_UPTIME && number < s->number)))
            job->restarted = true;
        if (present && s->known && i == SAW_CHANGES && number != s->number)
            job->moved = true;
        if (have->state[param] != BIL_ABSENT) /* absent: taken before */
            *s = (saw){number, present};
        if (bil_class_left_out((bil_class)job->description->params[param].cls))
            have->state[param] = BIL_ABSENT;
    }
    job->sure = job->fresh = true;
}

/* Who answered is known; now what happened meanwhile, as far as nobody waits for that. */
bil_error bil_watch_happened(bil_job *job)
{
    take(job);
    if (job->restarts)
        return BIL_OK;
    const saw *state = &job->saw[SAW_STATE];
    bool let_go = job->is_held && state->known && state->number != job->description->state_held;
    bool restarted = job->restarted;
    if (let_go)
        job->held = job->is_held = false;
    job->restarted = false;
    return restarted ? BIL_E_INTERRUPTED : let_go ? BIL_E_LET_GO : BIL_OK;
}

bil_error bil_watch_judge(bil_job *job)
{
    bil_error error = bil_watch_who(job);
    return error ? error : bil_watch_happened(job);
}

bool bil_watch_ended(const bil_job *job)
{
    return job->stranger || job->why.cause == BIL_E_INTERRUPTED || job->why.cause == BIL_E_LET_GO;
}

void bil_watch_know(bil_job *job)
{
    bil_image_copy(&job->expect, job->config.have);
    job->known = true;
}

bool bil_resets(const bil_param *param, uint16_t index)
{
    for (uint8_t k = 0; k < param->reset_count; k++)
        if (param->resets[k] == index)
            return true;
    return false;
}

static bool reset_by_written(const bil_job *job, uint16_t index)
{
    const bil_description *description = job->description;
    for (uint16_t i = 0; i < description->count; i++)
        if (bil_resets(&description->params[i], index) && !bil_image_same(&job->expect, job->config.have, i))
            return true;
    return false;
}

/* Was this value about to be written in the stage that has just been read back? */
static bool written(const bil_job *job, uint16_t index)
{
    if (!job->wrote || job->description->params[index].stage != job->stage)
        return false;
    bil_write_need need =
        bil_plan_need(&job->expect, job->config.want, index, job->purpose, job->config.with_calibration);
    return need == BIL_NEED_WRITE || need == BIL_NEED_READ;
}

/* The first value that changed without this job's doing. Counters of the unit may run. */
uint16_t bil_foreign_change(const bil_job *job)
{
    const bil_image *have = job->config.have;
    for (uint16_t i = 0; i < job->description->count; i++) {
        if (job->description->params[i].cls == BIL_CLASS_UNIT || have->state[i] != BIL_PRESENT ||
            job->expect.state[i] != BIL_PRESENT || bil_image_same(&job->expect, have, i))
            continue;
        if (!written(job, i) && !(job->wrote && reset_by_written(job, i)))
            return i;
    }
    return BIL_NONE;
}

bil_write_need bil_job_need(const bil_job *job, uint16_t index)
{
    const bil_job_config *config = &job->config;
    return bil_plan_need(config->have, config->want, index, job->purpose, config->with_calibration);
}

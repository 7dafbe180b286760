/* Every value of a copy, and who answers: that comes last, and tells it of all that was read before. */
#include "machine.h"

/* Is it to be asked for? First only what decides which others are there. */
static bool is_asked(const bil_job *job, uint16_t index, bool in_bank)
{
    const bil_param *param = &job->description->params[index];
    const reader *r = &job->reader;
    if (job->touched[index] & KNOWN)
        return false;
    if (r->modes ? !(param->flags & BIL_MODE) : param->only && !param->only->holds(param->only, &job->expect, r->image))
        return false;
    return in_bank || param->cls == BIL_CLASS_UNIT;
}

/* Every value of a saved copy, and what is watched: one look and one read in the fewest requests that both can have. */
static void plan(bil_job *job)
{
    const bil_description *description = job->description;
    const bil_job_config *config = &job->config;
    reader *r = &job->reader;
    uint16_t count = 0, values = 0;
    /* what lies where it always does, then each place of the bank that is asked for */
    for (uint16_t part = 0; part <= (config->bank ? description->bank_count : 0); part++) {
        const bil_bank *place = part ? &description->banks[part - 1] : NULL;
        for (uint16_t i = 0; i < description->count; i++) {
            uint16_t index = description->by_place[i];
            const bil_param *param = &description->params[index];
            if (bil_description_bank(description, param, config->bank, config->copy) != place)
                continue;
            bool saved = is_asked(job, index, !config->bank || place) && param->flags & BIL_READABLE &&
                         !bil_class_left_out((bil_class)param->cls);
            values = (uint16_t)(values + saved);
            if (saved || (!r->modes && bil_watched(job, index)))
                r->items[count++] = index;
        }
    }
    bil_reader_plan(job, r, count, job->cost, true);
    if (job->config.kind == BIL_JOB_READ) {
        job->progress.total = values;
        job->progress.done = 0;
    }
}

void bil_reader_values(bil_job *job, bil_image *image)
{
    const bil_procedure *how = bil_procedure_of(job, BIL_PROC_UNLOCK_TO_READ);
    for (uint16_t i = 0; i < job->description->count; i++)
        if (!(job->touched[i] & KNOWN))
            image->state[i] = BIL_ABSENT;
    job->reader.image = image;
    job->reader.modes = true;
    plan(job);
    bil_player_start(job, NULL);
    if (how) /* what is unlocked for writing can be read, and stays as it is */
        bil_begin(job, job->writable ? bil_procedure_of(job, BIL_PROC_UNLOCK) : how);
}

static flow read_on(bil_job *job, bil_action *action)
{
    reader *r = &job->reader;
    flow f = bil_player_run(job, action);
    if (f != FLOW_DONE)
        return f;
    job->player.procedure = NULL; /* it was played */
    if (!r->who)
        f = bil_reader_run_half(job, r, false, bil_exchange_run, action);
    return f == FLOW_DONE ? bil_reader_run_half(job, r, true, bil_exchange_run, action) : f;
}

flow bil_reader_run(bil_job *job, bil_action *action)
{
    flow f;
    while ((f = read_on(job, action)) == FLOW_DONE && job->reader.modes) {
        job->reader.modes = false;
        plan(job);
    }
    if (f != FLOW_DONE)
        return f;
    bil_error error = bil_watch_judge(job);
    return error ? bil_failed(job, error, BIL_NONE) : FLOW_DONE;
}

/* Every value of a copy, and who answers: that comes last, and tells it of all that was read before. */
#include <string.h>

#include "machine.h"

/* Every value of a saved copy, and what is watched: one look and one read in the fewest requests that both can have. */
void bil_reader_values(bil_job *job, bil_image *image)
{
    const bil_description *description = job->description;
    const bil_job_config *config = &job->config;
    reader *r = &job->reader;
    uint16_t count = 0, values = 0;
    memset(image->state, BIL_ABSENT, description->count);
    /* what lies where it always does, then each place of the bank that is asked for */
    for (uint16_t part = 0; part <= (config->bank ? description->bank_count : 0); part++) {
        const bil_bank *place = part ? &description->banks[part - 1] : NULL;
        for (uint16_t i = 0; i < description->count; i++) {
            uint16_t index = description->by_place[i];
            const bil_param *param = &description->params[index];
            if (bil_description_bank(description, param, config->bank, config->copy) != place)
                continue;
            bool asked = !config->bank || place || param->cls == BIL_CLASS_UNIT;
            asked = asked && (!param->only || param->only->holds(param->only, &job->expect));
            bool saved = asked && param->flags & BIL_READABLE && !bil_class_left_out((bil_class)param->cls);
            values = (uint16_t)(values + saved);
            if (saved || bil_watched(job, index))
                r->items[count++] = index;
        }
    }
    r->image = image;
    bil_reader_plan(job, r, count, job->cost, true);
    if (job->config.kind == BIL_JOB_READ) {
        job->progress.total = values;
        job->progress.done = 0;
    }
}

flow bil_reader_run(bil_job *job, bil_action *action)
{
    reader *r = &job->reader;
    if (!r->who) {
        flow f = bil_reader_run_half(job, r, false, bil_exchange_run, action);
        if (f != FLOW_DONE)
            return f;
    }
    flow f = bil_reader_run_half(job, r, true, bil_exchange_run, action);
    if (f != FLOW_DONE)
        return f;
    bil_error error = bil_watch_judge(job);
    return error ? bil_failed(job, error, BIL_NONE) : FLOW_DONE;
}

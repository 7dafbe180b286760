/* What a write is about to do, value by value, and what it did: as the job has it. */
#include <jansson.h>

#include "host/write/write.h"

bil_write_need write_need(const write_call *w, uint16_t i)
{
    return bil_job_need(w->job, i);
}

bool write_planned(const write_call *w, uint16_t i)
{
    return bil_job_plans(w->job, i);
}

bil_error write_exception(const write_call *w, uint16_t i)
{
    if (json_object_get(w->without, w->want.description->params[i].id))
        return BIL_OK; /* it is named apart */
    return bil_job_exception(w->job, i);
}

static bool resets(const bil_param *param, uint16_t index)
{
    for (uint8_t n = 0; n < param->reset_count; n++)
        if (param->resets[n] == index)
            return true;
    return false;
}

bool write_changed_since(const write_call *w, uint16_t i)
{
    const bil_description *d = w->want.description;
    const bil_image *before = &w->before.image;
    if (!before->state || write_need(w, i) != BIL_NEED_WRITE || before->state[i] != BIL_PRESENT ||
        bil_image_same(before, &w->dev.image, i))
        return false;
    for (uint16_t k = 0; k < d->count; k++) /* reset by what the story writes */
        if (resets(&d->params[k], i) && !bil_image_same(before, &w->want.image, k))
            return false;
    return true;
}

bool write_would_lose(const write_call *w, uint16_t i)
{
    const bil_description *d = w->want.description;
    if (write_need(w, i) != BIL_NEED_OUT || w->dev.image.state[i] != BIL_PRESENT)
        return false;
    for (uint16_t k = 0; k < d->count; k++)
        if (resets(&d->params[k], i) && write_need(w, k) == BIL_NEED_WRITE)
            return true;
    return false;
}

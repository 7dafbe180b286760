/* What a write is about to do, value by value, and what it did: as the job has it. */
#include <jansson.h>
#include <string.h>

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

/* "motor.*,limit.torque" */
static bool is_about(const char *list, const char *id)
{
    while (*list) {
        size_t length = strcspn(list, ",");
        bool group = length > 1 && list[length - 1] == '*';
        if (group ? strncmp(list, id, length - 1) == 0 : strlen(id) == length && memcmp(list, id, length) == 0)
            return true;
        list += length + (list[length] == ',');
    }
    return false;
}

bool write_concerns(const write_call *w, const bil_reminder *r)
{
    const bil_description *d = w->want.description;
    bool stops = !bil_job_leaves_working(w->job);
    /* what an unfinished story wrote before this isn't told here */
    if (!r->when || w->chain[0] || w->config.kind == BIL_JOB_RESET || !w->written)
        return stops;
    for (uint16_t i = 0; i < d->count; i++)
        if (w->written[i] && is_about(r->when, d->params[i].id))
            return true;
    return false;
}

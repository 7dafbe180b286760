/* What a write is about to do, value by value, and what it did: as the job has it. */
#include <jansson.h>
#include <string.h>

#include "bilancia/host_error.h"
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
    bil_error error = bil_job_exception(w->job, i);
    bool put = !error && w->over && w->end.u.end.wrote && write_is_sealed(w, i) == WRITE_PUTS;
    return put ? (bil_error)BIL_E_UNSHOWN : error;
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

static const char *person_step(const bil_procedure *how)
{
    for (uint16_t i = 0; how && i < how->step_count; i++)
        if (how->steps[i].kind == BIL_STEP_PERSON)
            return how->steps[i].text;
    return NULL;
}

const char *write_person_step(const write_call *w)
{
    const bil_description *d = w->want.description;
    bool resets = w->config.kind == BIL_JOB_RESET, holds = !bil_job_leaves_working(w->job);
    bool stores = !w->config.trial && !resets;
    bool restarts = stores && !bil_job_goes_on(w->job) && w->config.restart != BIL_RESTART_NEVER &&
                    w->config.restart != BIL_RESTART_BY_HAND;
    const struct {
        bil_proc_kind kind;
        bool played;
    } list[] = {{BIL_PROC_UNLOCK, true},   {BIL_PROC_HOLD, holds},       {BIL_PROC_FACTORY_RESET, resets},
                {BIL_PROC_STORE, stores},  {BIL_PROC_RESTART, restarts}, {BIL_PROC_RELEASE, holds && !resets},
                {BIL_PROC_BEGIN, !resets}, {BIL_PROC_COMMIT, !resets},   {BIL_PROC_LOCK, true},
                {BIL_PROC_ABORT, !resets}};
    char hardware[BIL_VALUE_TEXT];
    bil_image_identity(&w->dev.image, BIL_ID_HARDWARE, hardware, sizeof hardware);
    for (size_t i = 0; i < sizeof list / sizeof list[0]; i++) {
        const char *text =
            list[i].played ? person_step(bil_description_procedure(d, list[i].kind, hardware, w->found)) : NULL;
        if (text)
            return text;
    }
    return NULL;
}

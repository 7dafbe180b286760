/* What the device measured and the write would clear: saved beside the copy while it is held, before anything is
 * written. */
#include <string.h>

#include "host/base/json.h"
#include "host/describe/choice.h"
#include "host/run/collect.h"
#include "host/write/inside.h"

static int collect(write_call *w, uint16_t index)
{
    const char *id = w->want.description->params[index].id;
    char path[STORAGE_PATH];
    w->file = index;
    int error = collect_file(&w->dev, index, true, &w->keep, w->stem, path);
    if (!error && path[0])
        error = record_add(&w->rec, record_collected_line(id, path));
    if (!error)
        jn_put(w->collected, id, jn_string(path));
    if (!error && w->answers.collected)
        w->answers.collected(w->answers.ctx, w, id, path);
    return error;
}

bool write_collects(const write_call *w, uint16_t index)
{
    const bil_description *d = w->want.description;
    bool wanted = false;
    for (uint8_t i = 0; i < d->loses_count && w->collect; i++)
        wanted = wanted || (d->loses[i].file && strcmp(d->loses[i].file, d->params[index].id) == 0 &&
                            choice_is_measured(&d->params[index]) && write_concerns(w, &d->loses[i]));
    return wanted;
}

bool write_collect(write_call *w, bil_event event)
{
    bool begins = event == BIL_EV_WRITING || (event == BIL_EV_RESETTING && w->config.kind == BIL_JOB_RESET);
    if (!begins || w->collected)
        return true;
    w->collected = jn_object();
    int error = BIL_OK;
    for (uint16_t i = 0; i < w->want.description->count && !error; i++)
        if (write_collects(w, i) && (error = collect(w, i)) != BIL_OK)
            w->uncollected = w->want.description->params[i].id;
    w->collect_error = error;
    return error == BIL_OK;
}

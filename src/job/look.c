/* A look: who answers, over a new connection where the last one is in doubt. Nothing else goes out before it there. */
#include "machine.h"

enum { BEGIN, SILENCE, CONNECTING, WHO, MORE, STILL };

static void plan(bil_job *job)
{
    const bil_description *d = job->description;
    reader *r = &job->look.reader;
    uint32_t cost[LOOK_MAX + 1];
    uint16_t count = 0;
    for (uint16_t i = 0; i < d->count && count < LOOK_MAX; i++) {
        uint16_t index = d->by_place[i];
        bool name = job->config.kind == BIL_JOB_IDENTIFY && index == d->identity[BIL_ID_NAME];
        if (bil_watched(job, index) || name)
            r->items[count++] = index;
    }
    r->image = job->config.have;
    bil_reader_plan(job, r, count, cost, false);
}

void bil_look_start(bil_job *job)
{
    job->look.state = BEGIN;
    job->look.tries = 0;
    job->look.brief = false;
}

/* The link failed during a look: it begins again, on another connection. */
static bool again(bil_job *job)
{
    if (!job->dirty || ++job->look.tries >= LINK_TRIES)
        return false;
    job->look.state = BEGIN;
    return true;
}

flow bil_look_run(bil_job *job, bil_action *action)
{
    flow f;
    bil_error error;
    switch (job->look.state) {
    case BEGIN:
        if (job->dirty) {
            job->look.state = SILENCE;
            return bil_give_wait(job, action, job->now + job->description->link.late_ms);
        }
        break;
    case SILENCE:
        job->look.state = CONNECTING;
        return bil_give_connect(job, action, RECONNECT_MS);
    case CONNECTING:
        if (job->result->outcome != BIL_DONE)
            return bil_failed(job, job->result->cause ? job->result->cause : BIL_E_LOST, BIL_NONE);
        job->dirty = false;
        job->reconnected = true;
        break;
    default:
        break;
    }
    if (job->look.state < WHO) {
        if (job->elsewhere) /* somebody else is meant */
            return FLOW_DONE;
        plan(job);
        job->look.state = WHO;
    }
    if (job->look.state == WHO) {
        f = bil_reader_run_half(job, &job->look.reader, true, bil_request_run, action);
        if (f == FLOW_FAILED && again(job))
            return bil_look_run(job, action);
        if (f != FLOW_DONE)
            return f;
        error = bil_watch_who(job);
        if (error || job->look.brief)
            return error ? bil_failed(job, error, BIL_NONE) : FLOW_DONE;
        job->look.state = MORE;
    }
    look *l = &job->look;
    f = bil_reader_run_half(job, &l->reader, l->state == STILL, bil_request_run, action);
    if (f == FLOW_FAILED && again(job))
        return bil_look_run(job, action);
    if (f != FLOW_DONE)
        return f;
    if (l->state == MORE) {
        l->was_held = job->held;
        l->happened = bil_watch_happened(job);
        if (!l->happened)
            return FLOW_DONE;
        l->state = STILL; /* that was said by whoever is there now: is it still the same unit? */
        return bil_look_run(job, action);
    }
    error = bil_watch_who(job);
    if (error)
        job->held = l->was_held;
    return bil_failed(job, error ? error : l->happened, BIL_NONE);
}

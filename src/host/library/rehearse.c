/* The whole write, played on another unit. */
#include <string.h>

#include "host/library/writing.h"

int lib_rehearse(bil_writing *x, bil_ending *ending, bool *goes_on)
{
    bil_host *h = x->host;
    write_call *w = &x->w;
    bil_link link = {0};
    bil_clock clock = {0};
    bil_action end = {.u.end = {.param = BIL_NONE, .other = BIL_NONE}};
    bil_job_progress counts = {0};
    int error = write_rehearsal_reads(w);
    if (!error && !write_has_password(w)) /* what is played needs it, too */
        return trouble_of(&h->trouble, BIL_E_NO_PASSWORD, w->keep.address, NULL);
    if (error) {
        h->trouble = w->trouble;
        return error;
    }
    if (!x->wish.stage(x->wish.ctx, x, w->secrets.text[0], &link, &clock) || !link.ops || !clock.ops)
        return trouble_of(
            &h->trouble, BIL_E_CALL, w->dev.description->model,
            "there is no simulated unit of this model, with all values of its description, to rehearse on");
    bool well = write_rehearse(w, link, clock, &end, &counts) == BIL_OK;
    const bil_description *d = w->want.description;
    *ending = lib_nothing_done("");
    ending->verdict = end.u.end.verdict;
    ending->held = end.u.end.held;
    ending->cause = (int)end.u.end.cause;
    ending->param = end.u.end.param == BIL_NONE ? "" : d->params[end.u.end.param].id;
    ending->written = counts.written;
    if (x->wish.rehearsed)
        x->wish.rehearsed(x->wish.ctx, x, ending, &counts);
    *goes_on = well && !x->wish.only_rehearsed;
    return BIL_OK;
}

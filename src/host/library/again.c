/* After a write that broke off, or to go back to what was before it. */
#include "host/write/again.h"

#include <string.h>

#include "host/base/folders.h"
#include "host/library/writing.h"

typedef enum purpose { RESUME, UNDO, KEEP } purpose;

/* The record that is meant: a file, or the newest of a device of the site. */
static int find(again *a, bil_writing *x, const char *which)
{
    bil_host *h = x->host;
    write_call *w = &x->w;
    int error;
    if (storage_ends_with(which, ".brec")) {
        folder_of(which, a->folder);
        keeper_in_folder(&x->at, a->folder, "", h->site);
        w->keep = x->at.keep;
        error = again_of_record(a, w, which);
    } else {
        error = lib_keeper(h, &x->at, which, NULL);
        w->keep = x->at.keep;
        if (error)
            return error;
        if (!w->keep.in_site)
            return trouble_of(&h->trouble, BIL_E_NO_RECORD, which, NULL);
        error = again_of_device(a, w);
    }
    if (error)
        h->trouble = w->trouble;
    else if (x->wish.folder)
        w->keep.copies = w->keep.collected = w->keep.records = x->wish.folder;
    return error;
}

/* True: there is something to do. */
static bool is_open(const again *a, purpose why)
{
    return why != RESUME || !a->last.finished;
}

/* Somebody's record as the program sees it. */
static bil_story story_of(const again *a)
{
    const record_story *s = &a->first, *last = &a->last;
    bool back = a->undoes && !s->undoes;
    return (bil_story){.record = last->path,
                       .when = s->when,
                       .who = s->who,
                       .model = s->model,
                       .serial = s->serial,
                       .address = last->address,
                       .verdict = last->verdict,
                       .held = last->held,
                       .on_trial = last->on_trial,
                       .finished = last->finished,
                       .undoes = a->undoes,
                       .writes = back        ? s->safety
                                 : s->resets ? ""
                                             : s->copy,
                       .resets = s->resets && !a->undoes,
                       .groups = a->undoes ? "" : s->groups,
                       .without = s->without,
                       .purpose = a->undoes ? BIL_RESTORE : (bil_purpose)s->purpose,
                       .with_calibration = s->with_calibration,
                       .found = last->found,
                       .aside = again_aside(a),
                       .foreign = a->foreign,
                       .ours = a->ours_too ? a->ours : ""};
}

/* A person has heard what is gone on with, and agreed to it where it is another computer's. */
static int agree(again *a, bil_writing *x)
{
    bil_host *h = x->host;
    char typed[SET_TEXT] = "", why[300];
    bil_story story = story_of(a);
    bool goes_on = true;
    if (x->wish.serial)
        snprintf(typed, sizeof typed, "%s", x->wish.serial);
    if (x->wish.story)
        goes_on = x->wish.story(x->wish.ctx, &story, typed, sizeof typed);
    typed[sizeof typed - 1] = '\0'; /* whatever the program did */
    if (a->foreign && (!goes_on || (!x->wish.story && !x->wish.serial))) {
        snprintf(why, sizeof why, "it isn't of this computer, and counts once a person gives the %s of the unit",
                 story.serial[0] ? "serial number" : "address");
        return trouble_of(&h->trouble, BIL_E_FOREIGN, a->last.path, why);
    }
    if (!goes_on)
        return trouble_of(&h->trouble, BIL_E_DECLINED, a->last.path, NULL);
    if (!a->foreign)
        return BIL_OK;
    int error = again_agree(a, &x->w, typed);
    if (error)
        h->trouble = x->w.trouble;
    return error;
}

static int choose(again *a, bil_writing *x, purpose why, const char *which)
{
    bil_host *h = x->host;
    write_call *w = &x->w;
    int error;
    if (why == KEEP && !a->last.on_trial)
        return trouble_of(&h->trouble, BIL_E_NO_RECORD, which, "nothing is on trial there");
    error = agree(a, x);
    if (error)
        return error;
    error = again_choose(a, w);
    if (x->wish.restart_given) /* what is said now counts, not what was said then */
        w->config.restart = x->wish.restart;
    if (!error && x->wish.device) { /* it is where the program says */
        w->keep.address = x->wish.device->address;
        w->recorded_address = NULL;
    }
    if (!error)
        error = again_take_description(a, w, &x->known);
    if (error)
        h->trouble = w->trouble;
    return error;
}

static int run(bil_host *h, const char *which, purpose why, const bil_write_wish *wish, bil_ending *out)
{
    bil_writing *x = NULL;
    bil_device *dev = NULL;
    bil_ending ending = lib_nothing_done("");
    int error = lib_begin(h);
    if (error)
        return error;
    error = !which || (out && !out->struct_size) ? BIL_E_BAD_CALL : lib_writing_begin(h, wish, BIL_JOB_WRITE, &x);
    again *a = error ? NULL : mem_new(1, sizeof *a);
    if (!error && !a)
        error = BIL_E_MEMORY;
    if (a) {
        x->again = a;
        dev = x->wish.device;
        if (dev && dev->own_link) {
            x->w.link = dev->device.link;
            x->w.clock = dev->device.clock;
        }
        again_open(a, why == UNDO);
        error = find(a, x, which);
        if (!error && !is_open(a, why))
            ending.before = lib_told(&h->told, a->last.verdict);
        if (!error && is_open(a, why)) {
            error = choose(a, x, why, which);
            if (!error && x->wish.device)
                lib_let_line_go(x->wish.device);
            if (!error)
                error = lib_writing_run(x, &ending);
        }
        again_close(a);
    }
    return lib_writing_over(h, x, dev, error, &ending, out);
}

int bil_resume(bil_host *h, const char *which, const bil_write_wish *wish, bil_ending *out)
{
    return run(h, which, RESUME, wish, out);
}

int bil_undo(bil_host *h, const char *which, const bil_write_wish *wish, bil_ending *out)
{
    return run(h, which, UNDO, wish, out);
}

int bil_keep(bil_host *h, const char *which, const bil_write_wish *wish, bil_ending *out)
{
    return run(h, which, KEEP, wish, out);
}

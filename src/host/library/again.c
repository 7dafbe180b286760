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
        w->keep.copies = w->keep.records = x->wish.folder;
    return error;
}

/* True: there is something to do. */
static bool is_open(const again *a, purpose why)
{
    return why != RESUME || !a->last.finished;
}

static int choose(again *a, bil_writing *x, purpose why, const char *which)
{
    bil_host *h = x->host;
    write_call *w = &x->w;
    int error = BIL_OK;
    if (why == KEEP && !a->last.on_trial)
        return trouble_of(&h->trouble, BIL_E_NO_RECORD, which, "nothing is on trial there");
    if (a->foreign && !x->wish.serial)
        return trouble_of(&h->trouble, BIL_E_FOREIGN, a->last.path,
                          "what it asks for counts once a person says which unit it is about");
    if (a->foreign)
        error = again_agree(a, w, x->wish.serial);
    if (!error)
        error = again_choose(a, w);
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
    bil_ending ending = {.param = "", .other = "", .safety = "", .record = "", .present = "", .address = ""};
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

/* Single values: what is there is read and saved, and the copy that is wanted made of it. */
#include <string.h>

#include "host/library/writing.h"

/* The device as it is, as a copy: the changed one comes from it. `before` takes STORAGE_PATH bytes. */
static int save_now(bil_writing *x, bil_device *dev, char *before)
{
    bil_host *h = x->host;
    lib_doing(x, BIL_PHASE_CONNECTING);
    int error = lib_device_meet(dev);
    if (error)
        return error;
    lib_doing(x, BIL_PHASE_READING);
    x->w.answers = lib_answers(x);
    error = device_read_all(&dev->device, (read_watch){.secrets = write_secrets(&x->w)}, &dev->counts, NULL);
    if (lib_is_silence(error) && x->w.keep.in_site)
        keep_reached(&x->w.keep, h->who, bil_host_error_text(error));
    if (error)
        return trouble_of(&h->trouble, error, dev->address, NULL);
    dev->was_read = true;
    error = write_save_now(&x->w, &dev->device, before);
    return error ? trouble_of(&h->trouble, error, x->w.keep.copies, NULL) : BIL_OK;
}

static int assign(bil_host *h, edited *work, const char *const *assignments, size_t count)
{
    int error = BIL_OK;
    for (size_t i = 0; i < count && !error; i++)
        error = assignments[i] ? edit_assign(work, assignments[i]) : BIL_E_BAD_CALL;
    return error ? trouble_of(&h->trouble, error, "", work->why) : BIL_OK;
}

/* The copy that is wanted: `path` is "" where the device has these values already. */
static int make_wanted(bil_writing *x, const char *before, const char *const *assignments, size_t count, char *path)
{
    bil_host *h = x->host;
    edited *work = mem_new(1, sizeof *work);
    path[0] = '\0';
    if (!work)
        return BIL_E_MEMORY;
    int error = edit_open(work, before, &x->known);
    if (error)
        trouble_of(&h->trouble, error, "", work->why);
    if (!error)
        error = assign(h, work, assignments, count);
    if (!error && work->changed) {
        error = edit_keep(work, &x->w.keep, h->who, x->wish.why ? x->wish.why : "set on the device", "set", path);
        if (error)
            trouble_of(&h->trouble, error, "", work->why);
    }
    edit_close(work);
    mem_free(work);
    return error;
}

int bil_set(bil_device *dev, const char *const *assignments, size_t count, const bil_write_wish *wish, bil_ending *out)
{
    bil_host *h = dev->part.host;
    bil_writing *x = NULL;
    char before[STORAGE_PATH];
    bil_ending ending = lib_nothing_done(dev->address);
    int error = lib_begin(h);
    if (error)
        return error;
    error = lib_is_ending(out) && assignments && count ? lib_writing_begin(h, wish, BIL_JOB_WRITE, &x) : BIL_E_BAD_CALL;
    if (!error)
        error = lib_writing_keep(x, dev);
    if (!error && (error = write_allowed(&x->w)))
        h->trouble = x->w.trouble;
    if (!error)
        error = save_now(x, dev, before);
    if (!error)
        error = make_wanted(x, before, assignments, count, x->copy);
    ending.already = !error && !x->copy[0];
    if (!error && x->copy[0]) {
        x->w.copy = x->copy;
        x->w.sets = true;
        lib_let_line_go(dev);
        error = lib_writing_run(x, &ending);
    }
    return lib_writing_over(h, x, dev, error, &ending, out);
}

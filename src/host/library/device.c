/* Devices. */
#include <string.h>

#include "host/base/float_text.h"
#include "host/base/time.h"
#include "host/library/inside.h"
#include "host/look/misfit.h"
#include "host/run/collect.h"
#include "host/site/standing.h"
#include "port/clock.h"

static void end(part *p)
{
    bil_device *dev = (bil_device *)p;
    device_close(&dev->device);
}

void lib_device_says(bil_device *dev)
{
    for (int i = 0; i < BIL_ID_COUNT; i++)
        bil_image_identity(&dev->device.image, (bil_identity)i, dev->says[i], sizeof dev->says[i]);
}

bool lib_is_silence(int error)
{
    static const int silent[] = {BIL_E_NOT_REACHABLE, BIL_E_SILENT,       BIL_E_LOST,
                                 BIL_E_GARBLED,       BIL_E_GATEWAY_PATH, BIL_E_GATEWAY_SILENT};
    bool is_silent = false;
    for (size_t i = 0; i < sizeof silent / sizeof silent[0]; i++)
        is_silent = is_silent || error == silent[i];
    return is_silent;
}

/* That a device of a site doesn't answer is noted there, where it is news. */
static void note_silence(bil_host *h, const char *name, int error)
{
    keeper *at = lib_is_silence(error) && !h->nowhere ? mem_new(1, sizeof *at) : NULL;
    trouble kept = h->trouble;
    if (at && lib_keeper(h, at, name, NULL) == BIL_OK) {
        if (at->keep.in_site)
            keep_reached(&at->keep, h->who, bil_host_error_text(error));
        keeper_close(at);
    }
    mem_free(at);
    h->trouble = kept;
}

/* What is open in `dev->device`, or the error. */
static int begun(bil_host *h, bil_device *dev, int error, const char *why, bil_device **out)
{
    if (error) {
        trouble_of(&h->trouble, error, dev->address, why);
        dev->part.end = lib_nothing;
        lib_drop(&dev->part);
        return error;
    }
    lib_device_says(dev);
    *out = dev;
    return BIL_OK;
}

static int no_place(bil_host *h, const char *where)
{
    char why[SITE_NAME + 200];
    if (h->sited)
        snprintf(why, sizeof why, "no device of the site is called so, and it is no address%s%s%s",
                 h->like[0] ? "; did you mean " : "", h->like, h->like[0] ? "?" : "");
    else
        snprintf(why, sizeof why, "this is no address, and there is no site here whose device could be called so");
    return trouble_of(&h->trouble, BIL_E_ADDRESS, where, why);
}

static int name(bil_host *h, const char *where, bil_device **out)
{
    char digest[65], place[STORAGE_PATH];
    int error = lib_place(h, where, place, digest);
    if (!error && !address_is_device(place))
        error = no_place(h, where);
    if (!error && strlen(place) >= ADDRESS_TEXT)
        error = trouble_of(&h->trouble, BIL_E_ADDRESS, where, "it is too long");
    bil_device *dev = error ? NULL : lib_part(h, sizeof *dev, lib_nothing);
    if (!dev)
        return error ? error : BIL_E_MEMORY;
    snprintf(dev->name, sizeof dev->name, "%s", where);
    snprintf(dev->address, sizeof dev->address, "%s", place);
    *out = dev;
    return BIL_OK;
}

int lib_device_meet(bil_device *dev)
{
    bil_host *h = dev->part.host;
    char why[500] = "";
    if (dev->device.description)
        return BIL_OK;
    const secret_source from = lib_secrets(h);
    int error = device_open(&dev->device, dev->address, &h->known, &from, why, sizeof why);
    if (error) {
        dev->device = (device){0};
        trouble_of(&h->trouble, error, dev->address, why);
        note_silence(h, dev->name, error);
        return error;
    }
    dev->part.end = end;
    lib_device_says(dev);
    return BIL_OK;
}

static int open(bil_host *h, const char *where, bil_device **out)
{
    bil_device *dev;
    int error = name(h, where, &dev);
    if (error)
        return error;
    error = lib_device_meet(dev);
    if (error)
        lib_drop(&dev->part);
    else
        *out = dev;
    return error;
}

int bil_device_open(bil_host *h, const char *where, bil_device **out)
{
    *out = NULL;
    int error = lib_begin(h);
    if (error)
        return error;
    return lib_end_of(h, where ? open(h, where, out) : BIL_E_BAD_CALL);
}

int bil_device_named(bil_host *h, const char *where, bil_device **out)
{
    *out = NULL;
    int error = lib_begin(h);
    if (error)
        return error;
    return lib_end_of(h, where ? name(h, where, out) : BIL_E_BAD_CALL);
}

int bil_device_open_link(bil_host *h, const char *name, bil_link link, bil_clock clock, bil_device **out)
{
    char why[500] = "";
    *out = NULL;
    int error = lib_begin(h);
    if (error)
        return error;
    if (!name || !link.ops || strlen(name) >= ADDRESS_TEXT)
        return lib_end_of(h, BIL_E_BAD_CALL);
    bil_device *dev = lib_part(h, sizeof *dev, end);
    if (!dev)
        return lib_end_of(h, BIL_E_MEMORY);
    dev->own_link = true;
    snprintf(dev->name, sizeof dev->name, "%s", name);
    snprintf(dev->address, sizeof dev->address, "%s", name);
    error = device_open_over(&dev->device, dev->address, link, clock.ops ? clock : clock_monotonic(), &h->known, why,
                             sizeof why);
    return lib_end_of(h, begun(h, dev, error, why, out));
}

void bil_device_close(bil_device *dev)
{
    if (!dev || lib_begin(dev->part.host) != BIL_OK)
        return;
    bil_host *h = dev->part.host;
    lib_drop(&dev->part);
    lib_end_of(h, BIL_OK);
}

const bil_description *bil_device_description(const bil_device *dev)
{
    return dev->device.description;
}

const char *bil_device_address(const bil_device *dev)
{
    return dev->address;
}

const char *bil_device_says(const bil_device *dev, bil_identity what)
{
    return what < BIL_ID_COUNT ? dev->says[what] : "";
}

const bil_image *bil_device_image(const bil_device *dev)
{
    return &dev->device.image;
}

void bil_device_counts(const bil_device *dev, bil_job_progress *counts)
{
    *counts = dev->counts;
}

static bool progress(void *ctx, const bil_job_progress *p)
{
    const bil_read_wish *wish = ctx;
    return wish->progress && wish->progress(wish->ctx, p);
}

static void moving(void *ctx, const char *id, uint64_t done, uint64_t all)
{
    const bil_read_wish *own = ctx;
    if (own->moving)
        own->moving(own->ctx, id, done, all);
}

/* Did a job leave this device of the site held, as far as is known? */
static bool is_said_held(bil_host *h, const char *name)
{
    ledger known;
    standing left = {0};
    keeper *at = mem_new(1, sizeof *at);
    if (at && lib_keeper(h, at, name, NULL) == BIL_OK && at->keep.in_site) {
        ledger_open(&known);
        standing_of(&at->site->index, &at->owner, &known, &left);
        ledger_close(&known);
    }
    if (at)
        keeper_close(at);
    mem_free(at);
    return left.held;
}

/* The place of a copy that it keeps; NULL, with what it keeps in the host's trouble. */
static const bil_bank *kept_by(bil_device *dev, unsigned copy)
{
    const bil_description *d = dev->device.description;
    char why[300] = "";
    for (uint8_t i = 0; i < d->bank_count; i++)
        if (d->banks[i].kind == BIL_BANK_KEPT && d->banks[i].copy == copy)
            return &d->banks[i];
    device_keeps_no(d, copy, why, sizeof why);
    trouble_of(&dev->part.host->trouble, BIL_E_NO_COPY, dev->name, why);
    return NULL;
}

/* Has the model files, of which none lies there? */
static bool keeps_no_files(const bil_description *d, const bil_bank *bank)
{
    bool any = false, kept = false;
    for (uint16_t i = 0; i < d->count; i++) {
        bool file = d->params[i].format->type == BIL_FILE;
        any = any || file;
        kept = kept || (file && bil_description_bank(d, &d->params[i], (uint8_t)(bank->kind + 1), bank->copy));
    }
    return any && !kept;
}

/* What is in force, or a copy that is kept (from 1). */
static int read_values(bil_device *dev, unsigned copy, const bil_read_wish *wish)
{
    bil_host *h = dev->part.host;
    bil_read_wish own;
    if (!lib_take(&own, sizeof own, wish))
        return lib_end_of(h, BIL_E_BAD_CALL);
    int error = lib_device_meet(dev);
    if (error)
        return lib_end_of(h, error);
    const read_watch by = {progress, &own, lib_secrets(h), moving};
    const bil_bank *bank = copy ? kept_by(dev, copy) : NULL;
    if (copy && !bank)
        return lib_end_of(h, BIL_E_NO_COPY);
    char why[300];
    choice_of(own.groups, own.without_files, dev->choice, sizeof dev->choice);
    if (!choice_is_known(dev->device.description, dev->choice, why, sizeof why))
        return lib_end(h, BIL_E_CALL, dev->name, why);
    bool all = strcmp(dev->choice, CHOICE_ALL) == 0;
    if (bank && !all)
        return lib_end(h, BIL_E_CALL, dev->name, "a copy that the device keeps is read as a whole");
    if (bank && keeps_no_files(dev->device.description, bank))
        choice_of(NULL, true, dev->choice, sizeof dev->choice);
    error = bank  ? device_read_bank(&dev->device, bank, by, &dev->counts)
            : all ? device_read_all(&dev->device, by, &dev->counts, NULL)
                  : device_read_chosen(&dev->device, dev->choice, by, &dev->counts);
    dev->was_read = dev->was_read || !error;
    dev->kept = copy;
    dev->let_go = !error && is_said_held(h, dev->name) && device_says_let_go(&dev->device);
    lib_device_says(dev);
    if (error && !dev->own_link)
        note_silence(h, dev->name, error);
    return lib_end(h, error, dev->address, NULL);
}

int bil_device_read(bil_device *dev, const bil_read_wish *wish)
{
    int error = lib_begin(dev->part.host);
    return error ? error : read_values(dev, 0, wish);
}

int bil_device_read_kept(bil_device *dev, unsigned copy, const bil_read_wish *wish)
{
    int error = lib_begin(dev->part.host);
    if (!error && !copy)
        return lib_end_of(dev->part.host, BIL_E_BAD_CALL);
    return error ? error : read_values(dev, copy, wish);
}

/* ---- what it measured ---- */

typedef struct collecting {
    bil_read_wish wish;
    bil_device *dev;
    const char *id;
} collecting;

static bool stops_collecting(void *ctx)
{
    collecting *c = ctx;
    const bil_job_progress none = {0};
    moving(&c->wish, c->id, c->dev->device.files.done, 0);
    return progress(&c->wish, &none);
}

static int collect(bil_device *dev, uint16_t index, const char *folder, char *path)
{
    bil_host *h = dev->part.host;
    char stem[200], saved[STORAGE_PATH];
    set_origin o;
    set_origin_of(&o, &dev->device.image);
    time_now(o.when, sizeof o.when);
    set_file_stem(&o, stem, sizeof stem);
    keep k = keep_in_folder(folder ? folder : ".", dev->address);
    keeper *at = folder || dev->own_link ? NULL : mem_new(1, sizeof *at);
    if (at && lib_keeper(h, at, dev->name, NULL) == BIL_OK && at->keep.in_site)
        k = at->keep;
    int error = collect_file(&dev->device, index, false, &k, stem, saved);
    if (at)
        keeper_close(at);
    mem_free(at);
    snprintf(path, STORAGE_PATH, "%s", error ? "" : saved);
    return error;
}

bool bil_device_collects(const bil_device *dev, uint16_t index)
{
    const bil_description *d = dev->device.description;
    return d && index < d->count && choice_is_measured(&d->params[index]);
}

int bil_device_collect(bil_device *dev, const char *id, const char *folder, const bil_read_wish *wish, char *path,
                       size_t size)
{
    bil_host *h = dev->part.host;
    char saved[STORAGE_PATH];
    collecting c = {.dev = dev, .id = id};
    int error = lib_begin(h);
    if (!error && (!id || !path || !size || !lib_take(&c.wish, sizeof c.wish, wish)))
        return lib_end_of(h, BIL_E_BAD_CALL);
    if (!error)
        error = lib_device_meet(dev);
    if (error)
        return lib_end_of(h, error);
    const bil_description *d = dev->device.description;
    int32_t index = bil_description_find(d, id, strlen(id));
    if (index < 0 || !choice_is_measured(&d->params[index]))
        return lib_end(h, BIL_E_UNKNOWN_PARAMETER, id, "no file of what the device measured is called so");
    dev->device.files.stop = stops_collecting;
    dev->device.files.stop_ctx = &c;
    error = collect(dev, (uint16_t)index, folder, saved);
    dev->device.files.stop = NULL;
    snprintf(path, size, "%s", saved);
    return lib_end(h, error ? error : strlen(saved) < size ? BIL_OK : BIL_E_SPACE, dev->address, NULL);
}

int lib_value(const bil_image *image, const char *id, char *text, size_t size)
{
    const bil_description *d = image->description;
    int32_t index = bil_description_find(d, id, strlen(id));
    if (index < 0)
        return BIL_E_UNKNOWN_PARAMETER;
    if (image->state[index] != BIL_PRESENT)
        return image->state[index] == BIL_UNREADABLE ? image->cause[index] : BIL_E_UNREADABLE;
    const bil_param *p = &d->params[index];
    int error = bil_value_text(p->format, bil_image_raw(image, (uint16_t)index), &host_floats, text, size);
    size_t used = error ? 0 : strlen(text);
    if (!error && p->unit[0] && used + strlen(p->unit) + 1 >= size)
        return BIL_E_SPACE;
    if (!error && p->unit[0])
        snprintf(text + used, size - used, " %s", p->unit);
    return error;
}

int bil_device_value(bil_device *dev, const char *id, char *text, size_t size)
{
    bil_host *h = dev->part.host;
    int error = lib_begin(h);
    if (error)
        return error;
    error = lib_device_meet(dev);
    return error ? lib_end_of(h, error) : lib_end(h, lib_value(&dev->device.image, id, text, size), id, NULL);
}

bool bil_device_misfit(bil_device *dev, bil_misfit *one)
{
    bil_misfit whole = {0};
    size_t size = one ? one->struct_size : 0;
    if (size < offsetof(bil_misfit, value) || size > sizeof whole || lib_begin(dev->part.host) != BIL_OK)
        return false;
    memcpy(&whole, one, size);
    bool found = dev->was_read && misfit_next(&dev->device.image, &whole);
    whole.struct_size = size;
    memcpy(one, &whole, size);
    lib_end_of(dev->part.host, BIL_OK);
    return found;
}

bool bil_device_unstored(bil_device *dev)
{
    bil_host *h = dev->part.host;
    if (lib_begin(h) != BIL_OK)
        return false;
    dev->unstored = lib_device_meet(dev) == BIL_OK && device_says_unstored(&dev->device);
    lib_end_of(h, BIL_OK);
    return dev->unstored;
}

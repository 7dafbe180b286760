#include "host/run/device.h"

#include <stdio.h>
#include <stdlib.h>
#include <string.h>

#include "bilancia/cells.h"
#include "bilancia/host_error.h"
#include "host/describe/choice.h"
#include "port/clock.h"
#include "port/memory.h"

bil_job *device_job(device *dev, bil_job_kind kind, bil_job_config config)
{
    config.struct_size = sizeof config;
    config.kind = kind;
    config.description = dev->description;
    config.have = &dev->image;
    size_t size = bil_job_size(dev->description);
    void *memory = mem_new(1, size);
    bil_job *job = NULL;
    if (memory && bil_job_init(&job, memory, size, &config) != BIL_OK) {
        mem_free(memory);
        job = NULL;
    }
    return job;
}

typedef struct watching {
    bil_job *job;
    device *dev;
    read_watch by;
    secrets secrets;
    uint16_t file; /* that comes just now */
} watching;

static void watch(void *ctx, const bil_job *job, const bil_action *action)
{
    watching *w = ctx;
    bil_job_progress p;
    (void)action;
    bil_job_progress_of(job, &p);
    if (w->by.stop(w->by.ctx, &p))
        bil_job_cancel(w->job);
}

bool device_bytes(device *dev, file_store *given, const bil_transfer *t, bil_bytes *bytes)
{
    if (t->write)
        return given && files_to_give(given, t->raw, bytes);
    *bytes = files_to_take(&dev->files, dev->description->params[t->items[0]].format->high);
    return true;
}

static bool bytes_of_read(void *ctx, const bil_transfer *t, bil_bytes *bytes)
{
    watching *w = ctx;
    w->file = t->items[0];
    return device_bytes(w->dev, NULL, t, bytes);
}

static bool taken_by_read(void *ctx, uint8_t raw[BIL_FILE_RAW])
{
    return files_taken(&((watching *)ctx)->dev->files, raw);
}

/* A file may take long: whoever waits is asked meanwhile, too. */
static bool stops_file(void *ctx)
{
    const watching *w = ctx;
    bil_job_progress p;
    bil_job_progress_of(w->job, &p);
    if (w->by.moving)
        w->by.moving(w->by.ctx, w->dev->description->params[w->file].id, w->dev->files.done, 0);
    return w->by.stop && w->by.stop(w->by.ctx, &p);
}

static bool put_secret(void *ctx, uint8_t slot, const bil_format *format, uint8_t *raw)
{
    const watching *w = ctx;
    return secrets_put(&w->secrets, slot, format, raw);
}

/* They are asked for before a word is said to the device: who answers is looked at behind that. */
static void take_secrets(watching *w, const device *dev, bil_job_config *config)
{
    char hardware[BIL_VALUE_TEXT];
    bil_image_identity(&dev->image, BIL_ID_HARDWARE, hardware, sizeof hardware);
    unsigned slots = secrets_to_read(dev->description, hardware);
    if (slots)
        config->has_password = secrets_take(&w->secrets, dev->description, slots, &w->by.secrets, dev->text);
}

static int read_values(device *dev, bil_job_config config, read_watch by, bil_job_progress *counts,
                       bil_verdict *verdict)
{
    watching w = {.dev = dev, .by = by};
    take_secrets(&w, dev, &config);
    w.job = device_job(dev, BIL_JOB_READ, config);
    bil_run_hooks hooks = {.struct_size = sizeof hooks,
                           .progress = by.stop ? watch : NULL,
                           .secret = put_secret,
                           .bytes = bytes_of_read,
                           .taken = taken_by_read,
                           .ctx = &w};
    dev->files.error = BIL_OK;
    dev->files.stop = stops_file;
    dev->files.stop_ctx = &w;
    bil_action end;
    if (verdict)
        *verdict = BIL_VERDICT_UNTOUCHED;
    int error = w.job ? bil_run(w.job, dev->link, dev->clock, &hooks, &end) : BIL_E_MEMORY;
    secret_wipe(&w.secrets, sizeof w.secrets);
    dev->files.stop = NULL;
    if (!error && dev->files.error)
        error = dev->files.error; /* this computer couldn't keep them */
    if (!w.job)
        return error;
    if (counts)
        bil_job_progress_of(w.job, counts);
    mem_free(w.job);
    if (error)
        return error;
    if (verdict)
        *verdict = end.u.end.verdict;
    return (int)end.u.end.cause;
}

int device_read_all(device *dev, read_watch by, bil_job_progress *counts, bil_verdict *verdict)
{
    return read_values(dev, (bil_job_config){0}, by, counts, verdict);
}

/* The same model, of which what isn't chosen can't be read. */
static bil_description *only_chosen(const bil_description *d, const char *choice, bil_param **params)
{
    bil_description *some = mem_new(1, sizeof *some);
    *params = mem_new(d->count, sizeof **params);
    if (!some || !*params) {
        mem_free(some);
        mem_free(*params);
        return NULL;
    }
    *some = *d;
    some->params = *params;
    memcpy(*params, d->params, d->count * sizeof **params);
    for (uint16_t i = 0; i < d->count; i++) {
        bil_param *p = &(*params)[i];
        if (i == d->identity[BIL_ID_NAME])
            continue; /* so that people know which one it is */
        if (p->cls != BIL_CLASS_UNIT && !(p->flags & BIL_MODE) && !bil_description_tells_who(d, i) &&
            !choice_has(choice, p))
            p->flags &= (uint8_t)~BIL_READABLE;
    }
    return some;
}

int device_read_chosen(device *dev, const char *choice, read_watch by, bil_job_progress *counts)
{
    const bil_description *whole = dev->description;
    bil_param *params;
    bil_description *some = only_chosen(whole, choice, &params);
    if (!some)
        return BIL_E_MEMORY;
    dev->description = dev->image.description = some; /* for the job: the values lie as they do */
    int error = device_read_all(dev, by, counts, NULL);
    dev->description = dev->image.description = whole;
    mem_free(params);
    mem_free(some);
    return error;
}

int device_read_bank(device *dev, const bil_bank *bank, read_watch by, bil_job_progress *counts)
{
    const bil_description *d = dev->description;
    bil_job_config config = {.bank = (uint8_t)(bank->kind + 1), .copy = bank->copy};
    int error = read_values(dev, config, by, counts, NULL);
    for (uint16_t i = 0; i < d->count; i++) /* what was watched meanwhile */
        if (d->params[i].cls != BIL_CLASS_UNIT && !bil_description_bank(d, &d->params[i], config.bank, config.copy))
            dev->image.state[i] = BIL_ABSENT;
    return error;
}

void device_keeps_no(const bil_description *d, unsigned copy, char *why, size_t size)
{
    size_t used = (size_t)snprintf(why, size, "%s keeps no copy %u; it keeps", d->model, copy);
    unsigned last = 0; /* those of one copy follow each other */
    for (uint8_t i = 0; i < d->bank_count && used < size; i++)
        if (d->banks[i].kind == BIL_BANK_KEPT && d->banks[i].copy != last) {
            used += (size_t)snprintf(why + used, size - used, "%s #kept%u", last ? "," : "", d->banks[i].copy);
            last = d->banks[i].copy;
        }
    if (!last && used < size)
        snprintf(why + used, size - used, " none by itself");
}

static bool use(device *dev, const bil_description *description)
{
    dev->login.description = description;
    mem_free(dev->memory);
    size_t size = bil_image_size(description);
    dev->memory = mem_new(1, size);
    if (!dev->memory)
        return false;
    dev->description = description;
    bil_image_init(&dev->image, description, dev->memory, size);
    if (dev->below.kind)
        dev->below.kind->wait_at_most(dev->below.memory, description->link.reply_ms * 2u + 100);
    return true;
}

static int identify_once(device *dev)
{
    bil_job *job = device_job(dev, BIL_JOB_IDENTIFY, (bil_job_config){0});
    bil_run_hooks hooks = {.struct_size = sizeof hooks, .until_ms = dev->until_ms};
    bil_action end;
    if (!job)
        return BIL_E_MEMORY;
    int error = bil_run(job, dev->link, dev->clock, &hooks, &end);
    mem_free(job);
    if (!error)
        error = (int)end.u.end.cause;
    return error == BIL_E_CANCELLED ? BIL_E_SILENT : error; /* its time was over */
}

static int identify(device *dev)
{
    int error;
    do
        error = identify_once(dev);
    while (error && login_helps(&dev->login, error));
    return error;
}

/* What it calls itself, when some description could at least read that. */
static void remember(const device *dev, char *seen, size_t size)
{
    char vendor[BIL_VALUE_TEXT], model[BIL_VALUE_TEXT];
    bil_image_identity(&dev->image, BIL_ID_VENDOR, vendor, sizeof vendor);
    bil_image_identity(&dev->image, BIL_ID_MODEL, model, sizeof model);
    if (model[0] && vendor[0])
        snprintf(seen, size, "; it says \"%s %s\"", vendor, model);
}

/* The number that it shows in this parameter, asked now; false where it can't tell. Its values stay as they were read:
 * one that belongs to none of its copies isn't among them. */
static bool number_in(device *dev, uint16_t param, uint64_t *value)
{
    if (param == BIL_NONE)
        return false;
    bool was_absent = dev->image.state[param] == BIL_ABSENT;
    bool can = device_look(dev, param) == BIL_OK;
    if (can)
        *value = bil_value_number(bil_image_raw(&dev->image, param), dev->description->params[param].format->size);
    if (was_absent)
        dev->image.state[param] = BIL_ABSENT;
    return can;
}

bool device_says_unstored(device *dev)
{
    uint64_t value;
    return number_in(dev, dev->description->unstored, &value) && value == dev->description->unstored_value;
}

/* It stands by itself, or is at work: what is neither may be about to be held. */
bool device_says_let_go(device *dev)
{
    const bil_description *d = dev->description;
    uint64_t value;
    if (!number_in(dev, d->state, &value) || value == d->state_held)
        return false;
    bool let_go = value < 32 && d->state_idle >> value & 1;
    for (uint16_t i = 0; i < d->procedure_count && !let_go; i++)
        let_go =
            d->procedures[i].kind == BIL_PROC_START && d->procedures[i].for_state && d->procedures[i].found == value;
    return let_go;
}

/* What is neither "not stored" nor what storing ends with is on its way: the procedure knows the one, the description's
 * `unstored` the other. */
bool device_says_stored(device *dev)
{
    const bil_description *d = dev->description;
    char hardware[BIL_VALUE_TEXT];
    uint64_t value;
    bil_image_identity(&dev->image, BIL_ID_HARDWARE, hardware, sizeof hardware);
    const bil_procedure *store = bil_description_procedure(d, BIL_PROC_STORE, hardware, 0);
    for (int i = 0; store && i < store->step_count; i++)
        if (store->steps[i].kind == BIL_STEP_UNTIL && store->steps[i].param == d->unstored)
            return number_in(dev, d->unstored, &value) && (value & store->steps[i].mask) == store->steps[i].value;
    return false;
}

int device_open(device *dev, const char *text, const catalogue *known, const secret_source *from, char *why,
                size_t size)
{
    return device_open_as(dev, text, NULL, known, from, why, size);
}

int device_open_as(device *dev, const char *text, const char *model, const catalogue *known, const secret_source *from,
                   char *why, size_t size)
{
    return device_open_within(dev, text, model, 0, known, from, why, size);
}

int device_look(device *dev, uint16_t index)
{
    uint8_t raw[BIL_TEXT_MAX];
    bil_result result = {0};
    if (link_read_one(dev->link, dev->description, index, raw, &result) == BIL_DONE && !result.cause)
        bil_image_put(&dev->image, index, raw);
    return (int)result.cause;
}

/* Is what this one shows of its model shown by models of the other, too: the same value in the same place? */
static bool is_shown_by(const bil_description *a, const bil_sign *sign, const bil_description *b)
{
    const bil_param *p = &a->params[sign->param];
    if (link_way_of(a) != link_way_of(b))
        return false;
    for (uint8_t i = 0; i < b->sign_count; i++) {
        const bil_param *q = &b->params[b->signs[i].param];
        const bil_space *s = &a->spaces[p->space], *t = &b->spaces[q->space];
        if (s->keys) {
            if (sign->value == b->signs[i].value && strcmp(s->ask, t->ask) == 0 && strcmp(p->at.key, q->at.key) == 0)
                return true;
            continue;
        }
        if (sign->value == b->signs[i].value && s->table == t->table && s->unit == t->unit &&
            p->at.number == q->at.number && p->format->type == q->format->type &&
            p->format->order == q->format->order && p->format->bit == q->format->bit &&
            p->format->width == q->format->width && p->format->form == q->format->form)
            return true;
    }
    return false;
}

/* Does every unit of the model `b` look like one of `a`? */
static bool looks_like(const bil_description *a, const bil_description *b)
{
    bool all = a->sign_count > 0 && strcmp(a->model, b->model) != 0;
    for (uint8_t i = 0; i < a->sign_count && all; i++)
        all = is_shown_by(a, &a->signs[i], b);
    return all;
}

/* Of models that look alike the one that says more of itself is tried, too; where two say the same a person has to say
 * which of them it is. BIL_OK, with the description in use. */
static int tell_apart(device *dev, const catalogue *known, char *why, size_t size)
{
    const bil_description *found = dev->description;
    for (size_t i = 0; i < known->count; i++) {
        const bil_description *other = known->list[i];
        if (other == found || !looks_like(found, other))
            continue;
        if (other->sign_count == found->sign_count) {
            if (known->given && strcmp(known->given, found->model) == 0)
                continue;
            snprintf(why, size,
                     "it may be a %s or a %s: their descriptions tell both by the same values; say which "
                     "with --description FILE",
                     found->model, other->model);
            return BIL_E_UNKNOWN_MODEL;
        }
        int error = use(dev, other) ? identify(dev) : BIL_E_MEMORY;
        if (error == BIL_OK)
            return tell_apart(dev, known, why, size);
        error = error == BIL_E_OTHER_MODEL ? use(dev, found) ? identify(dev) : BIL_E_MEMORY : error;
        if (error) {
            snprintf(why, size, "%s", bil_host_error_text(error));
            return error;
        }
    }
    return BIL_OK;
}

/* Does it ask for the device identification? Some devices leave that without an answer, as they do with all that they
 * don't know. */
static bool asks_objects(const bil_description *d)
{
    bool asks = false;
    for (int i = 0; i < BIL_ID_COUNT; i++)
        asks = asks || (d->identity[i] != BIL_NONE && d->spaces[d->params[d->identity[i]].space].table == BIL_OBJECTS);
    return asks;
}

/* The descriptions for this kind of link in the order in which they are tried: the one expected comes first, and last
 * those that a device may leave without an answer. Returns how many there are. */
static size_t in_order(const catalogue *known, const link_kind *kind, const char *model,
                       const bil_description *out[CATALOGUE_MAX])
{
    const bil_description *expected = NULL;
    size_t used = 0;
    for (size_t i = known->count; model && i-- > 0;)
        expected =
            strcmp(known->list[i]->model, model) == 0 && link_fits(kind, known->list[i]) ? known->list[i] : expected;
    if (expected)
        out[used++] = expected;
    for (int last = 0; last < 2; last++)
        for (size_t i = 0; i < known->count; i++)
            if (known->list[i] != expected && link_fits(kind, known->list[i]) && asks_objects(known->list[i]) == last)
                out[used++] = known->list[i];
    return used;
}

/* Is what was heard the name of somebody, rather than an answer? */
static bool says_who(int error)
{
    return error == BIL_E_SESSION_TAKEN || error == BIL_E_NOT_TRUSTED || error == BIL_E_SENT_ELSEWHERE;
}

/* Tries the descriptions until one fits who answers. */
static int find_description(device *dev, const char *model, const catalogue *known, char *why, size_t size)
{
    const bil_description *list[CATALOGUE_MAX];
    char seen[2 * BIL_VALUE_TEXT + 20] = "";
    int error = BIL_E_UNKNOWN_MODEL;
    bool heard = false;
    size_t count = in_order(known, dev->below.kind, model, list);
    for (size_t i = 0; i < count; i++) {
        int its = use(dev, list[i]) ? identify(dev) : BIL_E_MEMORY;
        if (its == BIL_OK) {
            error = tell_apart(dev, known, why, size);
            if (error)
                device_close(dev);
            return error;
        }
        const char *said = link_heard(&dev->below);
        if (said[0])
            snprintf(seen, sizeof seen, says_who(its) ? ": %s" : "; it says \"%s\"", said);
        bool other = its == BIL_E_OTHER_MODEL ||
                     (link_way_of(list[i]) != LINK_CELLS && its == BIL_E_GARBLED && said[0]); /* it speaks otherwise */
        if (!other && !(its == BIL_E_SILENT && heard && asks_objects(list[i]))) {
            error = its;
            break;
        }
        heard = heard || its == BIL_E_OTHER_MODEL;
        remember(dev, seen, sizeof seen);
    }
    int told = login_error(&dev->login, error, seen, sizeof seen);
    snprintf(why, size, "%s%s%s", bil_host_error_text(told), told == error ? "" : "; ", seen);
    device_close(dev);
    return told;
}

int device_open_within(device *dev, const char *text, const char *model, uint32_t within_ms, const catalogue *known,
                       const secret_source *from, char *why, size_t size)
{
    memset(dev, 0, sizeof *dev);
    dev->text = text;
    address where;
    int error = address_parse(text, &where, why, size);
    if (error)
        return error;
    if (!link_open(&dev->below, &where)) {
        if (mem_is_short())
            return BIL_E_MEMORY;
        snprintf(why, size, where.serial ? "the line can't be opened like this" : "host and port make no sense");
        return BIL_E_ADDRESS;
    }
    dev->link = dev->below.link;
    login_begin(&dev->login, text, &where, from);
    if (where.kind->let_in)
        where.kind->let_in(dev->below.memory, login_doorman(&dev->login));
    dev->clock = clock_monotonic();
    dev->until_ms = within_ms ? dev->clock.ops->now_ms(dev->clock.ctx) + within_ms : 0;
    return find_description(dev, model, known, why, size);
}

int device_open_over(device *dev, const char *text, bil_link link, bil_clock clock, const catalogue *known, char *why,
                     size_t size)
{
    *dev = (device){.text = text, .link = link, .clock = clock};
    return find_description(dev, NULL, known, why, size);
}

void device_close(device *dev)
{
    if (dev->below.kind)
        dev->connect_errno = dev->below.kind->connect_errno(dev->below.memory);
    else if (dev->link.ops)
        dev->link.ops->close(dev->link.ctx);
    link_end(&dev->below);
    login_end(&dev->login);
    files_close(&dev->files);
    mem_free(dev->memory);
    dev->memory = NULL;
}

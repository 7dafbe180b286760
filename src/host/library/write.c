/* Writing: a wish of the program's becomes a call of the engine, and its end an ending. */
#include <stdatomic.h>
#include <stdlib.h>
#include <string.h>

#include "host/base/folders.h"
#include "host/base/person.h"
#include "host/library/writing.h"

/* ---- hooks ---- */

static write_answer ask(void *ctx, const write_call *w, write_question question, const char *text)
{
    const bil_writing *x = ctx;
    (void)w;
    _Static_assert((int)BIL_MAY_ACT == (int)WRITE_MAY_ACT && (int)BIL_IS_IT_DONE == (int)WRITE_IS_IT_DONE &&
                       (int)BIL_ANSWER_NOBODY == (int)WRITE_NOBODY,
                   "");
    return x->wish.ask ? (write_answer)x->wish.ask(x->wish.ctx, x, (bil_write_question)question, text) : WRITE_NOBODY;
}

static bool password(void *ctx, const char *which, bool may_ask, char *out, size_t size)
{
    const bil_writing *x = ctx;
    const bil_host_config *host = &x->host->config;
    const char *where = x->w.keep.address ? x->w.keep.address : "";
    if (x->wish.password ? !x->wish.password(x->wish.ctx, which, may_ask, out, size)
                         : !host->password || !host->password(host->ctx, where, which, may_ask, out, size))
        return false;
    out[size - 1] = '\0'; /* whatever the program did */
    return out[0] != '\0';
}

static bool trust(void *ctx, const char *where, const char *says, const char *before)
{
    const secret_source of = lib_secrets(((const bil_writing *)ctx)->host);
    return of.trust(of.ctx, where, says, before);
}

static bool passphrase(void *ctx, bool wrong, char *out, size_t size)
{
    const bil_writing *x = ctx;
    return x->wish.passphrase && x->wish.passphrase(x->wish.ctx, x, wrong, out, size) && out[0];
}

static void moving(void *ctx, const char *id, uint64_t done, uint64_t all)
{
    const bil_writing *x = ctx;
    if (x->wish.moving)
        x->wish.moving(x->wish.ctx, x, id, done, all);
}

static void preview(void *ctx, const write_call *w)
{
    const bil_writing *x = ctx;
    (void)w;
    if (x->wish.preview)
        x->wish.preview(x->wish.ctx, x);
}

static void event(void *ctx, const write_call *w, const bil_action *action)
{
    const bil_writing *x = ctx;
    (void)w;
    if (x->wish.event)
        x->wish.event(x->wish.ctx, x, action->u.record.event, action->u.record.param);
}

static void saved(void *ctx, const write_call *w)
{
    const bil_writing *x = ctx;
    (void)w;
    if (x->wish.saved)
        x->wish.saved(x->wish.ctx, x);
}

static void collected(void *ctx, const write_call *w, const char *id, const char *path)
{
    const bil_writing *x = ctx;
    (void)w;
    if (x->wish.collected)
        x->wish.collected(x->wish.ctx, x, id, path);
}

static void doing(void *ctx, write_phase phase, const bil_job_progress *p)
{
    const bil_writing *x = ctx;
    _Static_assert((int)BIL_PHASE_WAITING == (int)WRITE_WAITING, "one list of phases");
    if (x->wish.doing)
        x->wish.doing(x->wish.ctx, x, (bil_write_phase)phase, p);
}

void lib_doing(bil_writing *x, bil_write_phase phase)
{
    static const bil_job_progress none;
    if (x->wish.doing)
        x->wish.doing(x->wish.ctx, x, phase, &none);
}

static void doubt(void *ctx, const char *what, int error, const char *why)
{
    const bil_writing *x = ctx;
    if (x->host->config.log)
        x->host->config.log(x->host->config.ctx, error, what, why ? why : "");
}

static bool stop(void *ctx)
{
    return atomic_load(&((bil_host *)ctx)->cancelled);
}

void bil_cancel(bil_host *h)
{
    atomic_store(&h->cancelled, 1);
}

/* ---- the wish ---- */

int lib_writing_begin(bil_host *h, const bil_write_wish *given, bil_job_kind kind, bil_writing **out)
{
    *out = NULL;
    bil_writing *x = mem_new(1, sizeof *x);
    if (!x)
        return BIL_E_MEMORY;
    x->host = h;
    x->known = h->known;
    x->w = (write_call){.copy = "", .place.fd = -1, .unit.fd = -1, .stop = stop, .stop_ctx = h};
    x->w.config.kind = kind;
    *out = x;
    if (!lib_take(&x->wish, sizeof x->wish, given))
        return BIL_E_BAD_CALL;
    const bil_write_wish *wish = &x->wish;
    if (wish->restart_given && (unsigned)wish->restart >= BIL_RESTART_COUNT)
        return BIL_E_BAD_CALL;
    write_call *w = &x->w;
    w->who = h->who;
    w->why = wish->why;
    w->yes = wish->yes;
    w->groups = wish->groups;
    w->unseen = wish->unseen;
    w->start_again = wish->start_again;
    w->restart_in_ms = wish->restart_in_ms;
    w->restart_asked = wish->restart_given;
    w->prove = wish->prove;
    w->collect = wish->collect;
    w->config.restart = wish->restart_given ? wish->restart : BIL_RESTART_NOW;
    w->config.trial = wish->trial;
    w->config.with_calibration = wish->with_calibration;
    w->config.purpose_given = wish->purpose_given;
    w->config.purpose = wish->purpose;
    if (kind == BIL_JOB_RESET)
        w->config.despite = UINT32_C(1) << BIL_CHECK_RULES; /* the maker's own values */
    atomic_store(&h->cancelled, 0);
    return lib_note(h, wish->why);
}

static int take_reason(bil_writing *x, const bil_reason *r,
                       bool (*take)(write_call *, const char *, size_t, const char *), const char *wanted)
{
    if (r->what && r->why && take(&x->w, r->what, strlen(r->what), r->why))
        return BIL_OK;
    return trouble_of(&x->host->trouble, BIL_E_CALL, r->what ? r->what : "", wanted);
}

static int take_reasons(bil_writing *x)
{
    int error = BIL_OK;
    const bil_write_wish *wish = &x->wish;
    if ((wish->despite_count && !wish->despite) || (wish->without_count && !wish->without))
        return BIL_E_BAD_CALL;
    x->w.despite = jn_object();
    x->w.without = jn_object();
    for (size_t i = 0; i < wish->despite_count && !error; i++)
        error = take_reason(
            x, &wish->despite[i], write_set_aside,
            "firmware, hardware, rules, changed, card, turn, at-work or signature is wanted, with a reason");
    for (size_t i = 0; i < wish->without_count && !error; i++)
        error = take_reason(x, &wish->without[i], write_leave_value, "the id of a value is wanted, with a reason");
    return error;
}

/* Where record and copies of this device go. One over the program's own link may be a device of the site by its name.
 */
int lib_writing_keep(bil_writing *x, const bil_device *dev)
{
    bil_host *h = x->host;
    int error = lib_keeper(h, &x->at, dev->name, x->wish.folder);
    if (error == BIL_E_NO_DEVICE && dev->own_link) {
        keeper_in_folder(&x->at, ".", dev->name, h->site);
        error = BIL_OK;
    }
    x->w.keep = x->at.keep;
    if (dev->own_link) {
        x->w.keep.address = dev->address;
        x->w.link = dev->device.link;
        x->w.clock = dev->device.clock;
    }
    return error;
}

/* ---- afterwards ---- */

static void try_all(bil_writing *x, bool test, const bil_reminder *what, uint8_t count, unsigned *failed,
                    unsigned *open)
{
    static const record_result results[] = {RECORD_FAILED, RECORD_PASSED};
    for (uint8_t i = 0; i < count; i++) {
        if (!write_concerns(&x->w, &what[i]))
            continue;
        bil_write_answer answer = x->wish.tried ? x->wish.tried(x->wish.ctx, x, test, what[i].text) : BIL_ANSWER_NOBODY;
        if ((unsigned)answer > BIL_ANSWER_NOBODY) /* nonsense is no answer */
            answer = BIL_ANSWER_NOBODY;
        *failed += answer == BIL_ANSWER_NO;
        *open += test && answer == BIL_ANSWER_NOBODY;
        if (answer != BIL_ANSWER_NOBODY)
            write_told(&x->w, !test, what[i].text, results[answer]);
    }
}

/* The state in which it was found, in words; "" where its model doesn't tell. */
static void state_found(const write_call *w, char *text, size_t size)
{
    const bil_description *d = w->want.description;
    uint8_t raw[8];
    text[0] = '\0';
    if (d->state == BIL_NONE)
        return;
    const bil_format *format = d->params[d->state].format;
    bil_value_put_number(raw, format->size, w->found);
    bil_value_text(format, raw, NULL, text, size);
}

/* A machine that this write stopped is set to work again only because a person says so now. */
static void start(bil_writing *x, bil_ending *e)
{
    write_call *w = &x->w;
    bool agreed = w->start_again;
    if (!e->stopped || !write_stopped(w) || !e->can_start || e->tests_failed)
        return;
    if (!agreed && x->wish.ask)
        agreed = x->wish.ask(x->wish.ctx, x, BIL_MAY_START, e->was) == BIL_ANSWER_YES;
    e->start_error = agreed ? write_start(w) : BIL_OK;
    e->started = agreed && !e->start_error;
}

/* What is there and in no copy, where no site takes care of that by itself. */
static void save_present(bil_writing *x, bil_ending *e)
{
    write_call *w = &x->w;
    if (w->keep.in_site || !write_wants_tests(w))
        return;
    e->beside = write_beside_the_copy(w);
    if (!e->beside || !x->wish.save_present || !x->wish.save_present(x->wish.ctx, x, e->beside))
        return;
    int error = write_save(w, "after a write");
    if (error)
        doubt(x, w->keep.copies, error, NULL);
    else
        e->present = lib_told(&x->host->told, w->present);
}

static void tell_ending(bil_writing *x, bil_ending *out)
{
    bil_host *h = x->host;
    const write_call *w = &x->w;
    const bil_description *d = w->want.description;
    const bil_action *end = &w->end;
    char was[BIL_VALUE_TEXT];
    bil_job_progress p;
    bil_job_progress_of(w->job, &p);
    state_found(w, was, sizeof was);
    *out = (bil_ending){.struct_size = sizeof *out,
                        .verdict = w->already ? BIL_VERDICT_VERIFIED : end->u.end.verdict,
                        .held = end->u.end.held,
                        .wrote = end->u.end.wrote,
                        .stored = end->u.end.stored,
                        .restarted = end->u.end.restarted,
                        .stopped = end->u.end.stopped,
                        .moved = w->moved,
                        .cause = w->file_error ? w->file_error
                                 : w->already  ? BIL_OK
                                               : (int)end->u.end.cause,
                        .param = w->uncollected                 ? w->uncollected
                                 : end->u.end.param == BIL_NONE ? ""
                                                                : d->params[end->u.end.param].id,
                        .other = end->u.end.other == BIL_NONE ? "" : d->params[end->u.end.other].id,
                        .code = end->u.end.code,
                        .planned = w->planned,
                        .written = p.written,
                        .safety = lib_told(&h->told, w->safety),
                        .record = lib_told(&h->told, w->rec.path),
                        .went_on = w->job && bil_job_leaves_working(w->job) && write_is_at_work(w),
                        .already = w->already,
                        .present = lib_told(&h->told, w->present),
                        .address = lib_told(&h->told, w->moved ? w->moved_address : w->keep.address),
                        .file_error = w->file_error,
                        .copy = lib_told(&h->told, w->copy),
                        .called = lib_told(&h->told, w->keep.name ? w->keep.name : w->rec.path),
                        .in_site = w->keep.in_site,
                        .was = lib_told(&h->told, was),
                        .can_start = write_can_start(w),
                        .before = ""};
}

/* ---- all of it ---- */

write_answers lib_answers(bil_writing *x)
{
    return (write_answers){.ask = ask,
                           .password = password,
                           .trust = trust,
                           .passphrase = passphrase,
                           .moving = moving,
                           .preview = preview,
                           .event = event,
                           .saved = saved,
                           .collected = collected,
                           .doing = doing,
                           .doubt = doubt,
                           .person_there = x->wish.person_there,
                           .ctx = x};
}

int lib_writing_run(bil_writing *x, bil_ending *ending)
{
    bil_host *h = x->host;
    write_call *w = &x->w;
    write_answers answers = lib_answers(x);
    int error = take_reasons(x);
    if (error)
        return error;
    error = write_begin(w, &x->known, &answers);
    bool goes_on = true;
    if (!error && x->wish.stage) {
        error = lib_rehearse(x, ending, &goes_on);
        if (error || !goes_on)
            return error;
    }
    if (!error)
        error = write_run(w);
    if (error) {
        h->trouble = w->trouble;
        return error;
    }
    arena_free(&h->told);
    tell_ending(x, ending);
    if (x->wish.ended)
        x->wish.ended(x->wish.ctx, x, ending);
    if (write_wants_tests(w)) {
        const bil_description *d = w->want.description;
        unsigned *failed = &ending->tests_failed, *open = &ending->tests_open;
        try_all(x, false, d->expect, d->expect_count, failed, open);
        try_all(x, true, d->tests, d->test_count, failed, open);
    }
    start(x, ending);
    save_present(x, ending);
    return BIL_OK;
}

/* What the device holds now is what was read back. */
static void take_back(bil_writing *x, bil_device *dev, const bil_ending *ending)
{
    const write_call *w = &x->w;
    if (!w->opened || w->dev.description != dev->device.description)
        return;
    bil_image_copy(&dev->device.image, &w->dev.image);
    dev->was_read = files_share_all(&dev->device.files, &w->dev.files, &w->dev.image);
    if (w->moved && !dev->own_link) { /* the next question goes where it answers now */
        char why[200];
        address where;
        snprintf(dev->address, sizeof dev->address, "%s", ending->address);
        link_end(&dev->device.below);
        dev->device.link = (bil_link){0};
        if (address_parse(dev->address, &where, why, sizeof why) == BIL_OK && link_open(&dev->device.below, &where))
            dev->device.link = dev->device.below.link;
    }
    lib_device_says(dev);
}

void lib_writing_end(bil_writing *x)
{
    if (!x)
        return;
    write_end(&x->w);
    keeper_close(&x->at);
    mem_free(x->again);
    mem_free(x);
}

/* The ending as far as the caller's struct goes. */
static void give(bil_ending *out, const bil_ending *ending)
{
    size_t size = out ? out->struct_size : 0, known = sizeof *ending;
    if (!out)
        return;
    memcpy(out, ending, size < known ? size : known);
    out->struct_size = size;
}

int lib_writing_over(bil_host *h, bil_writing *x, bil_device *dev, int error, const bil_ending *ending, bil_ending *out)
{
    if (x && dev)
        take_back(x, dev, ending);
    lib_writing_end(x);
    error = lib_end_of(h, error);
    if (!error)
        give(out, ending);
    return error;
}

void lib_let_line_go(bil_device *dev)
{
    if (dev->device.link.ops)
        dev->device.link.ops->close(dev->device.link.ctx);
}

bool lib_is_ending(const bil_ending *out)
{
    return !out || out->struct_size >= sizeof out->struct_size;
}

int bil_write(bil_device *dev, const bil_copy *copy, const bil_write_wish *wish, bil_ending *out)
{
    bil_host *h = dev->part.host;
    bil_writing *x = NULL;
    bil_ending ending = {0};
    int error = lib_begin(h);
    if (error)
        return error;
    if (!copy || copy->part.host != h || !lib_is_ending(out))
        return lib_end_of(h, BIL_E_BAD_CALL);
    if (!copy->path[0] || copy->work.changed)
        return lib_end(h, BIL_E_CALL, copy->path, "it was changed since it was opened: save it first");
    error = lib_writing_begin(h, wish, BIL_JOB_WRITE, &x);
    if (!error)
        error = lib_writing_keep(x, dev);
    if (!error) {
        x->w.copy = copy->path;
        x->w.called = copy->called[0] ? copy->called : NULL;
        snprintf(x->w.expected_digest, sizeof x->w.expected_digest, "%s", copy->digest);
        lib_let_line_go(dev);
        error = lib_writing_run(x, &ending);
    }
    return lib_writing_over(h, x, dev, error, &ending, out);
}

int bil_reset(bil_device *dev, const bil_write_wish *wish, bil_ending *out)
{
    bil_host *h = dev->part.host;
    bil_writing *x = NULL;
    bil_ending ending = {0};
    int error = lib_begin(h);
    if (error)
        return error;
    error = lib_is_ending(out) ? lib_writing_begin(h, wish, BIL_JOB_RESET, &x) : BIL_E_BAD_CALL;
    if (!error)
        error = lib_writing_keep(x, dev);
    if (!error) {
        lib_let_line_go(dev);
        error = lib_writing_run(x, &ending);
    }
    return lib_writing_over(h, x, dev, error, &ending, out);
}

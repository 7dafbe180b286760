/* The whole write: prepared, carried out, closed. */
#include "host/write/write.h"

#include <stdlib.h>
#include <string.h>

#include "host/base/json.h"
#include "host/base/person.h"
#include "host/base/time.h"
#include "host/write/inside.h"
#include "port/memory.h"

/* ---- what the job asks and tells ---- */

static bool agreed(write_call *w, write_question question, const char *text)
{
    write_answer answer = w->answers.ask ? w->answers.ask(w->answers.ctx, w, question, text) : WRITE_NOBODY;
    w->nobody_asked = answer == WRITE_NOBODY;
    return answer == WRITE_YES;
}

/* Are the values in force still those that last? The device counts its changes and none came since they were proved to;
 * or it says itself that all are stored. */
static bool nothing_unstored_since(write_call *w)
{
    uint16_t changes = w->want.description->changes;
    const bil_image *have = &w->dev.image;
    if (w->good_counted && changes != BIL_NONE && have->state[changes] == BIL_PRESENT)
        return bil_value_number(bil_image_raw(have, changes), have->description->params[changes].format->size) ==
               w->good_changes;
    return device_says_stored(&w->dev);
}

/* Nothing differs, and the last proof of this unit had these very values, which are still what is stored. */
static bool is_already_so(write_call *w)
{
    if (w->planned || w->put_count || w->changed || w->prove || w->restart_asked || w->config.trial || !w->known_good ||
        w->chain[0] || json_object_size(w->despite) || w->config.kind != BIL_JOB_WRITE)
        return false;
    char values[2 * BIL_SHA256 + 1];
    return set_values_digest(&w->dev.image, values) && strcmp(values, w->good_values) == 0 && nothing_unstored_since(w);
}

bool write_state_is_work(const bil_description *d, uint32_t state)
{
    return d->state != BIL_NONE && state != d->state_held && !(state < 32 && d->state_idle >> state & 1);
}

bool write_is_at_work(const write_call *w)
{
    return write_state_is_work(w->want.description, w->found);
}

/* Safety-relevant values that nobody named, on a machine that works on while they change. Their ids into `out`. */
static bool acts_at_once(const write_call *w, char *out, size_t size)
{
    const bil_description *d = w->want.description;
    size_t used = 0;
    out[0] = '\0';
    for (uint16_t i = 0; i < d->count && used < size; i++)
        if (d->params[i].flags & BIL_SAFETY && write_planned(w, i))
            used += (size_t)snprintf(out + used, size - used, "%s%s", used ? ", " : "", d->params[i].id);
    return out[0] && !w->sets && bil_job_leaves_working(w->job) && write_is_at_work(w);
}

static bool is_agreed(write_call *w, const bil_action *action)
{
    w->found = action->u.ask.found;
    w->planned = w->changed = 0;
    if (!w->written)
        w->written = mem_new(w->want.description->count, 1);
    for (uint16_t i = 0; i < w->want.description->count; i++) {
        w->planned += write_planned(w, i);
        if (w->written)
            w->written[i] = write_planned(w, i);
        w->changed += write_changed_since(w, i);
    }
    w->already = is_already_so(w);
    if (w->answers.preview)
        w->answers.preview(w->answers.ctx, w);
    if (w->already)
        return false;
    if (!w->answers.person_there && write_person_step(w)) { /* it would stop in the middle, and wait for nobody */
        w->lacks_person = true;
        return false;
    }
    if (w->changed && !json_object_get(w->despite, "changed")) /* nobody could agree to that beforehand */
        return agreed(w, WRITE_MAY_TAKE_CHANGED, "");
    char acts[600];
    if (acts_at_once(w, acts, sizeof acts) && !json_object_get(w->despite, "at-work")) /* nor to that */
        return (w->acts = true) && agreed(w, WRITE_MAY_ACT, acts);
    return w->yes || agreed(w, WRITE_MAY_GO_ON, "");
}

static bool ask(void *ctx, const bil_action *action)
{
    write_call *w = ctx;
    if (action->u.ask.question == BIL_ASK_PERSON)
        return agreed(w, WRITE_IS_IT_DONE, action->u.ask.text);
    return is_agreed(w, action) && write_has_password(w);
}

static void progress(void *ctx, const bil_job *job, const bil_action *action)
{
    write_call *w = ctx;
    bil_job_progress p;
    if (w->stop && w->stop(w->stop_ctx))
        bil_job_cancel(w->job);
    bil_job_progress_of(job, &p);
    write_phase phase = action->kind == BIL_ACT_TRANSFER && action->u.transfer.value && action->u.transfer.write
                            ? WRITE_WRITING
                        : w->waits    ? WRITE_WAITING
                        : w->rec.file ? WRITE_WORKING
                                      : WRITE_READING;
    write_doing(w, phase, &p);
}

/* ---- before ---- */

/* The story that this write goes on with, or follows: what the records of this unit say, and whose they are. */
static void find_story(write_call *w, const set_origin *o)
{
    record_story before;
    ledger known;
    int error = ledger_open(&known);
    if (error || known.broken)
        write_doubt(w, "the ledger of this computer", error ? error : BIL_E_RECORD_FORM,
                    "it can't be read as a whole: an unfinished write that was recorded elsewhere may go unnoticed");
    w->after = story_heads(w->keep.records, &known, o->model, o->serial);
    if (story_newest(w->keep.records, &known, o->model, o->serial, false, &before)) {
        /* What another computer says is told, and nothing is let go, or taken for the way back, because of it; unless
         * a person has just said so. */
        bool ours = !before.foreign || (w->foreign_agreed && strcmp(before.intent, w->foreign_agreed) == 0);
        if (ours) {
            record_go_on(&before, &w->config);
            w->found_first = before.found_first;
            w->still_held = before.held;
        } else if (!before.settled) {
            snprintf(w->others, sizeof w->others, "%s", before.path);
        }
        w->known_good = ours && before.settled && before.proved && before.values[0];
        w->good_counted = before.has_changes;
        snprintf(w->good_values, sizeof w->good_values, "%s", before.values);
        w->good_changes = before.changes;
        if (!before.settled && ours) /* what was begun and not finished: the way back is the one from its beginning */
            snprintf(w->chain, sizeof w->chain, "%s", before.chain);
    }
    ledger_close(&known);
}

static int load(write_call *w, const catalogue *m)
{
    if (w->config.kind == BIL_JOB_RESET)
        return BIL_OK;
    int error = write_load_copy(w, m);
    if (!error && w->before_path[0])
        write_load_before(w, m);
    if (!error)
        error = write_keep_groups(w);
    return error ? error : write_leave_out(w);
}

int write_begin(write_call *w, const catalogue *m, const write_answers *answers)
{
    char where[ADDRESS_TEXT];
    w->place.fd = w->unit.fd = -1;
    w->answers = *answers;
    int error = write_check_call(w);
    if (!error) {
        write_give_reasons(w);
        write_take_pace(w);
        error = load(w, m);
    }
    if (!error)
        error = write_allowed(w);
    if (!error)
        error = write_open_seals(w);
    if (!error)
        error = write_take_turn(w, &w->place, address_place(w->keep.address, where) ? where : w->keep.address);
    if (!error) {
        write_take_password(w);
        error = write_open_unit(w, m);
    }
    if (!error)
        error = write_take_unit_turn(w);
    if (!error)
        error = write_ask_keep(w);
    if (error)
        return error;
    error = write_expect_password(w);
    return error ? error : write_take_restart(w);
}

/* ---- the job, and what became of it ---- */

bool write_proved(const write_call *w)
{
    bil_verdict verdict = w->end.u.end.verdict;
    return w->over && (verdict == BIL_VERDICT_VERIFIED || verdict == BIL_VERDICT_WITH_EXCEPTIONS);
}

bool write_lasts(const write_call *w)
{
    return write_proved(w) || (w->over && w->end.u.end.verdict == BIL_VERDICT_IN_FORCE);
}

static void note_well(write_call *w, int error)
{
    if (error)
        write_doubt(w, w->keep.name ? w->keep.name : "", error, NULL);
}

/* What was read back twice is what the device has now: from here on its newest copy says so, unless that has the same
 * values already. In a plain folder nobody looks for the newest, and a person is asked whether one is wanted. */
static void keep_present(write_call *w)
{
    bool read_back = write_lasts(w) || w->end.u.end.verdict == BIL_VERDICT_NOT_PROVED;
    if (read_back && !set_values_digest(&w->dev.image, w->present_values))
        w->present_values[0] = '\0';
    if (!w->keep.in_site || !read_back)
        return;
    note_well(w, keep_reached(&w->keep, person(w->who), NULL));
    note_well(w, write_save_unless(w, "after a write", w->safety_values));
}

/* Whoever keeps what belongs to the device is told. */
static void tell_keep(write_call *w)
{
    char digest[2 * BIL_SHA256 + 1];
    set_origin o;
    keep_present(w);
    if (!write_lasts(w))
        return;
    set_origin_of(&o, &w->dev.image);
    set_digest_hex(w->want.totals.digest, digest);
    if (w->config.kind != BIL_JOB_RESET && !(w->groups && w->groups[0]))
        note_well(w, keep_sent(&w->keep, person(w->who), digest, o.serial));
    uint32_t after = bil_job_unit_after(w->job);
    if (after && after != w->config.unit)
        write_other_number(w->keep.address, after, w->moved_address);
    w->moved = w->moved_address[0] != '\0';
    if (w->moved)
        note_well(w, keep_moved(&w->keep, person(w->who), w->moved_address));
}

/* A long wait ends soon when it is to stop. */
static uint64_t now_ms(void *ctx)
{
    const write_call *w = ctx;
    return w->dev.clock.ops->now_ms(w->dev.clock.ctx);
}

static void sleep_until(void *ctx, uint64_t ms)
{
    enum { SLICE_MS = 250 };
    const write_call *w = ctx;
    for (uint64_t now; (now = now_ms(ctx)) < ms;) {
        bool long_one = ms - now > 2 * SLICE_MS;
        if (long_one && w->stop && w->stop(w->stop_ctx))
            return;
        w->dev.clock.ops->sleep_until(w->dev.clock.ctx, long_one && w->stop ? now + SLICE_MS : ms);
    }
}

/* Until somebody has answered: whoever goes away, or is sent away by a power cut, leaves them open. */
static void leave_tests_open(write_call *w)
{
    const bil_description *d = w->want.description;
    if (!write_wants_tests(w))
        return;
    for (uint8_t i = 0; i < d->expect_count; i++)
        if (write_concerns(w, &d->expect[i]))
            write_told(w, true, d->expect[i].text, RECORD_OPEN);
    for (uint8_t i = 0; i < d->test_count; i++)
        if (write_concerns(w, &d->tests[i]))
            write_told(w, false, d->tests[i].text, RECORD_OPEN);
}

static bool bytes_of_write(void *ctx, const bil_transfer *t, bil_bytes *bytes)
{
    write_call *w = ctx;
    w->file = t->items[0];
    return device_bytes(&w->dev, &w->want.files, t, bytes);
}

/* A file may take long: whoever waits is told and asked meanwhile, too. */
static bool stops_file(void *ctx, const file_store *s, uint64_t all)
{
    const write_call *w = ctx;
    if (w->answers.moving)
        w->answers.moving(w->answers.ctx, w->want.description->params[w->file].id, s->done, all);
    if (!w->stop || !w->stop(w->stop_ctx))
        return false;
    bil_job_cancel(w->job);
    return true;
}

static bool stops_coming(void *ctx)
{
    const write_call *w = ctx;
    return stops_file(ctx, &w->dev.files, 0);
}

static bool stops_going(void *ctx)
{
    const write_call *w = ctx;
    return stops_file(ctx, &w->want.files, bil_file_size(w->want.files.giving.raw));
}

static bool taken_by_write(void *ctx, uint8_t raw[BIL_FILE_RAW])
{
    return files_taken(&((write_call *)ctx)->dev.files, raw);
}

/* What would be cleared is collected while the device is held, and before anything is written. */
static bool record_event(void *ctx, const bil_action *action)
{
    write_call *w = ctx;
    return write_collect(w, (bil_event)action->u.record.event) && write_keep_record(w, action);
}

static const bil_clock_ops stoppable = {now_ms, sleep_until};

int write_run(write_call *w)
{
    set_origin o = {0};
    set_origin_of(&o, &w->dev.image);
    time_now(o.when, sizeof o.when);
    set_file_stem(&o, w->stem, sizeof w->stem);
    find_story(w, &o);
    w->config.serial_shared = keep_serial_shared(&w->keep, o.model, o.serial);
    w->config.want = &w->want.image;
    w->config.serial = w->want.origin.serial;
    w->config.firmware = w->want.origin.firmware;
    w->job = mem_is_short() ? NULL : device_job(&w->dev, w->config.kind, w->config);
    if (!w->job)
        return write_fail(w, w->keep.address, BIL_E_MEMORY, NULL);
    bil_run_hooks hooks = {.struct_size = sizeof hooks,
                           .ask = ask,
                           .record = record_event,
                           .save = write_save_safety_copy,
                           .progress = progress,
                           .secret = write_put_password,
                           .bytes = bytes_of_write,
                           .taken = taken_by_write,
                           .ctx = w};
    w->dev.files.stop = stops_coming;
    w->want.files.stop = stops_going;
    w->dev.files.stop_ctx = w->want.files.stop_ctx = w;
    int error = bil_run(w->job, w->dev.link, (bil_clock){&stoppable, w}, &hooks, &w->end);
    w->dev.files.stop = w->want.files.stop = NULL;
    if (error)
        return write_fail(w, w->keep.address, error, NULL);
    w->over = true;
    if (w->no_password || w->lacks_person)
        w->end.u.end.cause = w->no_password ? BIL_E_NO_PASSWORD : BIL_E_PERSON;
    if (w->uncollected)
        w->end.u.end.cause = (bil_error)w->collect_error;
    tell_keep(w);
    if (w->rec.file) {
        bil_job_progress p;
        bil_job_progress_of(w->job, &p);
        record_add(&w->rec, record_outcome_line(&w->end, p.written, w->present_values, &w->dev.image));
        leave_tests_open(w);
    }
    return BIL_OK;
}

/* ---- what a person does afterwards ---- */

bool write_wants_tests(const write_call *w)
{
    /* an unfinished story may have written all of it before: nobody tried the machine then */
    return w->rec.file && write_lasts(w) && (w->end.u.end.wrote || w->chain[0]);
}

int write_told(write_call *w, bool warning, const char *what, record_result result)
{
    char when[48];
    time_moment(when);
    return record_add(&w->rec, record_test_line(warning, what, record_result_name(result), person(w->who), when));
}

bool write_stopped(const write_call *w)
{
    return w->rec.file && w->end.u.end.stopped && w->end.u.end.verdict != BIL_VERDICT_INCOMPLETE;
}

bool write_can_start(const write_call *w)
{
    char hardware[BIL_VALUE_TEXT];
    bil_image_identity(&w->dev.image, BIL_ID_HARDWARE, hardware, sizeof hardware);
    return bil_description_procedure(w->want.description, BIL_PROC_START, hardware, w->found) != NULL;
}

static bool keep_start(void *ctx, const bil_action *action)
{
    write_call *w = ctx;
    char when[48];
    time_moment(when);
    return record_add(&w->rec, record_event_line(w->want.description, action, when)) == BIL_OK;
}

int write_start(write_call *w)
{
    char serial[BIL_VALUE_TEXT];
    bil_image_identity(&w->dev.image, BIL_ID_SERIAL, serial, sizeof serial);
    bil_job_config config = {.serial = serial, .found = w->found, .has_password = w->config.has_password};
    config.unit = bil_job_unit_after(w->job);
    bil_job *job = device_job(&w->dev, BIL_JOB_START, config);
    bil_run_hooks hooks = {.struct_size = sizeof hooks, .record = keep_start, .secret = write_put_password, .ctx = w};
    bil_action end;
    if (!job)
        return write_fail(w, w->keep.address, BIL_E_MEMORY, NULL);
    int error = bil_run(job, w->dev.link, w->dev.clock, &hooks, &end);
    mem_free(job);
    if (!error && end.u.end.verdict == BIL_VERDICT_VERIFIED)
        return BIL_OK;
    return write_fail(w, w->keep.address, error ? error : (int)end.u.end.cause, NULL);
}

unsigned write_beside_the_copy(const write_call *w)
{
    const bil_description *d = w->want.description;
    const bil_image *want = &w->want.image;
    unsigned count = 0;
    for (uint16_t i = 0; i < d->count; i++) {
        bil_class cls = (bil_class)d->params[i].cls;
        bool kept = cls == BIL_CLASS_SETUP || cls == BIL_CLASS_PLACE || cls == BIL_CLASS_CALIBRATION;
        bool has = (w->in_copy ? w->in_copy : want->state)[i] == BIL_PRESENT; /* also what isn't among those written */
        bool same =
            has && memcmp(bil_image_raw(&w->dev.image, i), bil_image_raw(want, i), d->params[i].format->size) == 0;
        count += kept && w->dev.image.state[i] == BIL_PRESENT && !same;
    }
    return count;
}

void write_end(write_call *w)
{
    if (w->over && w->rec.file) {
        record_end(&w->rec);
        ledger_end(w->rec.intent, w->rec.last);
    }
    if (w->opened)
        device_close(&w->dev);
    turn_give(&w->unit);
    turn_give(&w->place);
    secret_wipe(&w->secrets, sizeof w->secrets);
    json_decref(w->despite);
    json_decref(w->without);
    json_decref(w->after);
    json_decref(w->collected);
    write_forget_seals(w);
    mem_free(w->job);
    mem_free(w->by_name);
    mem_free(w->written);
    copy_unload(&w->want);
    copy_unload(&w->before);
    mem_free(w->in_copy);
    *w = (write_call){.place.fd = -1, .unit.fd = -1};
}

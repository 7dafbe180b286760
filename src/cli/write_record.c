/* The record of a write, its pages, and the copies that it saves. */
#include <jansson.h>
#include <stdlib.h>
#include <string.h>
#include <unistd.h>

#include "cli/writing_inside.h"
#include "host/base/arena.h"
#include "host/base/time.h"
#include "host/copy/keep.h"
#include "host/site/share.h"

static json_t *intent_line(write_call *w, const char *when)
{
    char digest[2 * BIL_SHA256 + 1] = "", description[65] = "", *whole = realpath(w->copy, NULL);
    models_digest(w->want.description, description);
    bool resets = w->config.kind == BIL_JOB_RESET;
    if (!resets)
        set_digest_hex(w->totals.digest, digest);
    record_intent in = {.who = person(w->who),
                        .why = w->why ? w->why : "",
                        .address = w->address,
                        .have = &w->dev.image,
                        .config = &w->config,
                        .purpose = bil_job_purpose(w->job),
                        .copy = resets  ? ""
                                : whole ? whole
                                        : w->copy,
                        .digest = digest,
                        .groups = w->groups ? w->groups : "",
                        .chain = w->chain,
                        .still_held = w->still_held,
                        .undoes = w->undoes,
                        .found = w->found,
                        .found_first = w->found_first,
                        .unit_after = bil_job_unit_after(w->job),
                        .planned = w->planned,
                        .description = description,
                        .despite = w->despite,
                        .without = w->without,
                        .after = w->after};
    json_t *line = record_intent_line(&in, when);
    free(whole);
    return line;
}

static void say_event(write_call *w, const bil_action *action)
{
    if (action->u.record.event == BIL_EV_RELEASED || action->u.record.event == BIL_EV_WAITING)
        w->waits = true; /* where the job isn't over with that */
    else if (action->u.record.event != BIL_EV_VERDICT)
        w->waits = false;
    if (w->json || action->u.record.event == BIL_EV_INTENT || action->u.record.event == BIL_EV_VERDICT)
        return;
    progress_clear();
    bil_job_progress p;
    bil_job_progress_of(w->job, &p);
    say("  · %s", bil_event_text(action->u.record.event));
    if (action->u.record.param != BIL_NONE)
        say(": %s", w->want.description->params[action->u.record.param].id);
    putchar('\n');
    fflush(stdout);
}

/* A copy beside the ledger, so that the way on and the way back don't hang on what becomes of the site. */
static void keep_page(write_call *w, const char *copy, ledger_part part, const uint8_t digest[BIL_SHA256],
                      char path[STORAGE_PATH])
{
    char folder[STORAGE_PATH], why[500];
    bool was_there = false, same = false;
    set_origin *o = need(1, sizeof *o);
    bil_set_totals totals;
    if (!w->rec.own)
        return;
    int error = ledger_make_pages(w->rec.intent, folder);
    if (!error && !ledger_page(w->rec.intent, part, path))
        error = BIL_E_FILE_WRITE;
    if (!error)
        error = file_bring(copy, folder, strrchr(path, '/') + 1, &was_there, &same);
    if (!error)
        error = set_file_check(path, o, &totals, why, sizeof why);
    if (!error && memcmp(totals.digest, digest, BIL_SHA256) != 0)
        error = BIL_E_SET_ALTERED;
    free(o);
    if (error) { /* then what lies in the folder of the record counts */
        say_error("the ledger of this computer", error, NULL);
        record_forget_page(&w->rec);
    }
}

bool write_keep_record(void *ctx, const bil_action *action)
{
    write_call *w = ctx;
    char when[48];
    time_moment(when);
    say_event(w, action);
    if (action->u.record.event != BIL_EV_INTENT && !w->rec.file)
        return true; /* refused before anything was meant: there is nothing to record */
    if (action->u.record.event == BIL_EV_INTENT) {
        char name[220], page[STORAGE_PATH];
        if (w->h) /* a name that no other place of the site gives */
            snprintf(name, sizeof name, "%s-%c.brec", w->stem, STORAGE_DIGEST);
        else
            snprintf(name, sizeof name, "%s.brec", w->stem);
        w->found = action->u.record.code;
        w->file_error = record_begin(&w->rec, w->folder, name, intent_line(w, when), true);
        if (!w->file_error && w->copy[0])
            keep_page(w, w->copy, LEDGER_WANTED, w->totals.digest, page);
        set_origin o;
        set_origin_of(&o, &w->dev.image);
        int error = w->file_error ? BIL_OK : ledger_begin(o.model, o.serial, w->rec.path, w->rec.intent);
        if (error == BIL_E_DISK_FULL) { /* what isn't in the ledger would be another computer's */
            record_close(&w->rec);
            storage_remove(w->rec.path);
            ledger_drop_pages(w->rec.intent);
            w->file_error = error;
        } else if (error) {
            say_error("the ledger of this computer", error,
                      "it can't be written: going on after a break will want the serial number of the unit");
        }
    } else {
        int error = record_add(&w->rec, record_event_line(w->want.description, action, when));
        if (error)
            w->file_error = error;
        return error == BIL_OK;
    }
    return w->file_error == BIL_OK;
}

/* The values in `have`, as a copy. */
static int save_values(write_call *w, const bil_image *have, const char *why, const char *ending, char *path,
                       bil_set_totals *totals)
{
    set_origin o;
    char name[300];
    keep_origin(&o, have, person(w->who), why, w->address, w->h && w->owner.copies ? w->owner.last.digest : "");
    if (w->h)
        keep_name(&o, true, ending, name, sizeof name);
    else /* called as the record is, which began with the write */
        snprintf(name, sizeof name, "%s_%s.bset", w->stem, ending);
    return set_file_save(have, &o, w->safety_folder, name, path, totals);
}

int save_from_device(write_call *w, const char *why, char *path)
{
    bil_set_totals totals;
    return save_values(w, &w->dev.image, why, "after-write", path, &totals);
}

bool write_save_safety_copy(void *ctx, const bil_image *have)
{
    write_call *w = ctx;
    bil_set_totals totals;
    w->file_error = save_values(w, have, "safety copy before a write", "before-write", w->safety, &totals);
    if (w->file_error)
        return false;
    progress_clear();
    if (!w->json)
        say("Safety copy  %s\nRecord       %s\n", w->safety, w->rec.path);
    char digest[2 * BIL_SHA256 + 1], page[STORAGE_PATH];
    set_digest_hex(totals.digest, digest);
    keep_page(w, w->safety, LEDGER_BEFORE, totals.digest, page);
    w->file_error = record_add(&w->rec, record_safety_line(w->safety, digest));
    return w->file_error == BIL_OK;
}

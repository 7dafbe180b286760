/* The record of a write, its pages, and the copies that it saves. */
#include <jansson.h>
#include <stdlib.h>
#include <string.h>
#include <unistd.h>

#include "host/base/person.h"
#include "host/base/time.h"
#include "host/copy/bring.h"
#include "host/write/inside.h"
#include "port/memory.h"

static json_t *intent_line(write_call *w, const char *when)
{
    char digest[2 * BIL_SHA256 + 1] = "", description[65] = "", *whole = realpath(w->copy, NULL);
    catalogue_digest(w->want.description, description);
    bool resets = w->config.kind == BIL_JOB_RESET;
    json_t *put = write_names_of_secrets(w);
    if (!resets)
        set_digest_hex(w->want.totals.digest, digest);
    record_intent in = {.who = person(w->who),
                        .why = w->why ? w->why : "",
                        .address = w->keep.address,
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
                        .goes_on = bil_job_goes_on(w->job),
                        .restart_asked = w->restart_asked || w->prove,
                        .description = description,
                        .despite = w->despite,
                        .without = w->without,
                        .secrets = put,
                        .after = w->after};
    json_t *line = record_intent_line(&in, when);
    json_decref(put);
    free(whole);
    return line;
}

static void tell_event(write_call *w, const bil_action *action)
{
    if (action->u.record.event == BIL_EV_VALUE_REFUSED && action->u.record.param != BIL_NONE)
        write_sealed_refused(w, action->u.record.param);
    if (action->u.record.event == BIL_EV_RELEASED || action->u.record.event == BIL_EV_WAITING)
        w->waits = true; /* where the job isn't over with that */
    else if (action->u.record.event != BIL_EV_VERDICT)
        w->waits = false;
    if (w->answers.event)
        w->answers.event(w->answers.ctx, w, action);
}

/* A copy beside the ledger, so that the way on and the way back don't hang on what becomes of the site. */
static void keep_page(write_call *w, const char *copy, ledger_part part, const uint8_t digest[BIL_SHA256],
                      char path[STORAGE_PATH])
{
    char folder[STORAGE_PATH], why[500];
    bool was_there = false, same = false;
    bil_set_totals totals;
    if (!w->rec.own)
        return;
    set_origin *o = mem_new(1, sizeof *o);
    int error = o ? BIL_OK : BIL_E_MEMORY;
    if (!error)
        error = ledger_make_pages(w->rec.intent, folder);
    if (!error && !ledger_page(w->rec.intent, part, path))
        error = BIL_E_FILE_WRITE;
    if (!error)
        error = file_bring(copy, folder, strrchr(path, '/') + 1, &was_there, &same);
    if (!error)
        error = set_file_check(path, o, &totals, why, sizeof why);
    if (!error && memcmp(totals.digest, digest, BIL_SHA256) != 0)
        error = BIL_E_SET_ALTERED;
    mem_free(o);
    if (error) { /* then what lies in the folder of the record counts */
        write_doubt(w, "the ledger of this computer", error, NULL);
        record_forget_page(&w->rec);
    }
}

bool write_keep_record(void *ctx, const bil_action *action)
{
    write_call *w = ctx;
    char when[48];
    time_moment(when);
    tell_event(w, action);
    if (action->u.record.event != BIL_EV_INTENT && !w->rec.file)
        return true; /* refused before anything was meant: there is nothing to record */
    if (action->u.record.event == BIL_EV_INTENT) {
        char name[220], page[STORAGE_PATH];
        keep_name(&w->keep, w->stem, "", ".brec", name, sizeof name); /* one that no other place of a site gives */
        w->found = action->u.record.code;
        w->file_error = record_begin(&w->rec, w->keep.records, name, intent_line(w, when), true);
        if (!w->file_error && w->copy[0])
            keep_page(w, w->copy, LEDGER_WANTED, w->want.totals.digest, page);
        set_origin o;
        set_origin_of(&o, &w->dev.image);
        int error = w->file_error ? BIL_OK : ledger_begin(o.model, o.serial, w->rec.path, w->rec.intent);
        if (error == BIL_E_DISK_FULL) { /* what isn't in the ledger would be another computer's */
            record_close(&w->rec);
            storage_remove(w->rec.path);
            ledger_drop_pages(w->rec.intent);
            w->file_error = error;
        } else if (error) {
            write_doubt(w, "the ledger of this computer", error,
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

int write_save_now(write_call *w, device *now, char path[STORAGE_PATH])
{
    set_origin o;
    bil_set_totals totals;
    int error = keep_values(&w->keep, &now->image, &now->files, person(w->who), "before single values are set", NULL,
                            "", "", &o, path, &totals);
    if (error)
        return error;
    set_digest_hex(totals.digest, w->now_digest);
    w->keep.last = w->now_digest; /* what is saved from here on comes after it */
    return BIL_OK;
}

int write_save(write_call *w, const char *why)
{
    return write_save_unless(w, why, "");
}

int write_save_unless(write_call *w, const char *why, const char *values)
{
    set_origin o;
    bil_set_totals totals;
    keep k = w->keep;
    if (w->safety_digest[0])
        k.last = w->safety_digest; /* the copy before this one */
    return keep_values(&k, &w->dev.image, &w->dev.files, person(w->who), why, w->stem, "after-write", values, &o,
                       w->present, &totals);
}

bool write_save_safety_copy(void *ctx, const bil_image *have)
{
    write_call *w = ctx;
    set_origin o;
    bil_set_totals totals;
    w->file_error = keep_values(&w->keep, have, &w->dev.files, person(w->who), "safety copy before a write", w->stem,
                                "before-write", "", &o, w->safety, &totals);
    if (w->file_error)
        return false;
    if (w->answers.saved)
        w->answers.saved(w->answers.ctx, w);
    char page[STORAGE_PATH];
    set_digest_hex(totals.digest, w->safety_digest);
    if (totals.unreadable == 0)
        set_digest_hex(totals.values_digest, w->safety_values);
    keep_page(w, w->safety, LEDGER_BEFORE, totals.digest, page);
    w->file_error = record_add(&w->rec, record_safety_line(w->safety, w->safety_digest));
    return w->file_error == BIL_OK;
}

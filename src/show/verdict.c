/* How a write ended, what is left to do, and what can be done now. */
#include <jansson.h>

#include "bilancia/host_error.h"
#include "bilancia/words.h"
#include "host/describe/rule_text.h"
#include "host/library/seen.h"
#include "show/next.h"
#include "show/screen.h"
#include "show/writing.h"

enum { SITE_WORD = 300 };

const char *write_name(const write_call *w)
{
    return w->keep.name ? w->keep.name : w->rec.path;
}

/* The list has a heading where it has anything. */
static void begin_list(bool *first)
{
    if (*first)
        say("Still to do by a person:\n");
    *first = false;
}

static void put_still_to_do(const write_call *w)
{
    const bil_description *d = w->want.description;
    bool first = true, rebuilt = w->config.kind == BIL_JOB_RESET || bil_job_purpose(w->job) != BIL_RESTORE;
    for (uint16_t i = 0; i < d->count; i++) {
        write_sealed sealed = write_is_sealed(w, i);
        bool secret = d->params[i].cls == BIL_CLASS_SECRET && sealed == WRITE_NOT_SEALED && rebuilt;
        if (!secret && sealed != WRITE_LEAVES_SEALED)
            continue;
        begin_list(&first);
        say(secret ? "  - check %s (%s): it isn't in the copy, and a reset brings back the one from the manual\n"
                   : "  - enter %s (%s), unless it is there: it is sealed in the copy, and wasn't put in\n",
            d->params[i].name, d->params[i].id);
    }
    for (uint8_t i = 0; i < d->by_hand_count; i++)
        if (write_concerns(w, &d->by_hand[i])) {
            begin_list(&first);
            say("  - %s\n", d->by_hand[i].text);
        }
}

static void put_exceptions(const write_call *w)
{
    const bil_description *d = w->want.description;
    for (uint16_t i = 0; i < d->count; i++) {
        char now[2 * BIL_VALUE_TEXT], then[2 * BIL_VALUE_TEXT];
        bil_error exception = write_exception(w, i);
        if (!exception)
            continue;
        param_text(&w->dev.image, i, now, sizeof now);
        param_text(&w->want.image, i, then, sizeof then);
        say("  ~ %s (%s): %s", d->params[i].id, d->params[i].name, bil_host_error_text((int)exception));
        bool secret = d->params[i].cls == BIL_CLASS_SECRET;
        if (!secret && (exception == BIL_E_ROUNDED || exception == BIL_E_FIXED || exception == BIL_E_REFUSED))
            say("; the copy says %s, the device %s", then, now);
        say("\n");
    }
    const char *id;
    json_t *why;
    json_object_foreach(w->without, id, why) say("  ~ %s: left out, since %s\n", id, json_string_value(why));
    if (!bil_job_unit_tells(w->job) && w->config.kind != BIL_JOB_RESET)
        say("  ~ %s\n", bil_host_error_text(BIL_E_NO_IDENTITY));
}

static void put_reason(const write_call *w, char *out, size_t size)
{
    const bil_description *d = w->want.description;
    size_t used = 0;
    if (w->end.u.end.cause == BIL_E_RULE) {
        bil_outlook outlook = {&w->dev.image, &w->want.image, bil_job_purpose(w->job), w->config.with_calibration};
        const uint16_t params[2] = {w->end.u.end.param, w->end.u.end.other};
        rule_text(d, (uint16_t)w->end.u.end.code, params, bil_outlook_values(&outlook), out, size);
        return;
    }
    if (w->end.u.end.param != BIL_NONE) {
        used += (size_t)snprintf(out, size, "%s (%s): ", d->params[w->end.u.end.param].id,
                                 d->params[w->end.u.end.param].name);
        if (w->end.u.end.cause == BIL_E_DIFFERS) {
            char now[2 * BIL_VALUE_TEXT], then[2 * BIL_VALUE_TEXT];
            param_text(&w->dev.image, w->end.u.end.param, now, sizeof now);
            param_text(&w->want.image, w->end.u.end.param, then, sizeof then);
            used += (size_t)snprintf(out + used, size - used, "wanted %s, read back %s: ", then, now);
        }
    }
    if (w->end.u.end.other != BIL_NONE)
        used += (size_t)snprintf(out + used, size - used, "with %s: ", d->params[w->end.u.end.other].id);
    used += (size_t)snprintf(out + used, size - used, "%s", bil_host_error_text((int)w->end.u.end.cause));
    char its[BIL_VALUE_TEXT];
    if (w->end.u.end.cause == BIL_E_OTHER_FIRMWARE || w->end.u.end.cause == BIL_E_UNKNOWN_FIRMWARE) {
        bil_image_identity(&w->dev.image, BIL_ID_FIRMWARE, its, sizeof its);
        snprintf(out + used, size - used, ": the copy is from %s, the unit has %s", w->want.origin.firmware, its);
    } else if (w->end.u.end.cause == BIL_E_OTHER_UNIT) {
        bil_image_identity(&w->dev.image, BIL_ID_SERIAL, its, sizeof its);
        snprintf(out + used, size - used, ": the copy is from serial number %s, this is %s", w->want.origin.serial,
                 its);
    } else if (w->end.u.end.code && w->end.u.end.cause == BIL_E_REFUSED) {
        const char *says = w->dev.below.kind->reason(w->end.u.end.code);
        snprintf(out + used, size - used, " (its reason: %u%s%s)", w->end.u.end.code, says ? ", " : "",
                 says ? says : "");
    }
}

static void put_how_to_go_on(const write_call *w)
{
    if (w->end.u.end.held)
        tell(stderr, "  %sThe device is, or may be, still held%s: it doesn't work until it is released.\n", bad(),
             plain());
    else if (w->end.u.end.wrote && w->end.u.end.verdict == BIL_VERDICT_INCOMPLETE)
        tell(stderr, "  %sThe device isn't held, and neither as it was nor as wanted%s: don't let it work like this.\n",
             bad(), plain());
    if (!w->safety[0])
        return;
    char word[4 * STORAGE_PATH + 3];
    const char *what = pasted(write_name(w), word, sizeof word);
    tell(stderr, "  To finish:   bilancia resume %s%s\n", what, next_job());
    tell(stderr, "  To go back:  bilancia undo %s%s\n", what, next_job());
}

static void put_way_to_proof(const write_call *w)
{
    char last[SITE_WORD], copy[4 * SITE_WORD + 3], name[4 * SITE_WORD + 3];
    if (!write_may_last(w) || json_object_get(w->despite, "signature")) /* nobody signed what the device has now */
        return;
    snprintf(last, sizeof last, "%.280s#last", w->keep.name);
    say("  To have the proof now:  bilancia write %s %s --prove%s\n", pasted(last, copy, sizeof copy),
        pasted(w->keep.name, name, sizeof name), next_job());
}

/* It came to its end: what was written, and how far that is proved. */
static void put_done(const write_call *w, const bil_job_progress *p, bool done)
{
    bool resets = w->config.kind == BIL_JOB_RESET;
    bool in_force = w->end.u.end.verdict == BIL_VERDICT_IN_FORCE;
    const char *how = in_force                  ? write_is_at_work(w) && bil_job_leaves_working(w->job)
                                                      ? "read back twice; it went on working, and wasn't seen after a restart yet."
                                                      : "read back twice; not restarted, so not seen to last yet."
                      : !w->end.u.end.restarted ? "read back twice, but no restart was seen: no proof that it lasts."
                      : w->config.restart == BIL_RESTART_BY_HAND ? "switched off and on, read back twice."
                                                                 : "restarted, read back twice.";
    say("%s%s %s%s: ", done ? good() : warn(), done ? "✓" : "!", bil_verdict_text(w->end.u.end.verdict), plain());
    if (resets)
        say("the factory values are in force; read back twice.\n");
    else
        say("%u value%s written with %u request%s; %s%s\n", p->written, p->written == 1 ? "" : "s", p->write_requests,
            p->write_requests == 1 ? "" : "s", w->end.u.end.stored ? "stored, " : "", how);
    if (in_force && w->keep.name)
        put_way_to_proof(w);
    say("  Requests: %u for values read, %u written, %u for who answers, %u for states and procedures.\n",
        p->read_requests, p->write_requests, p->identity_requests, p->other_requests);
    if (w->end.u.end.cause == BIL_E_NOT_IDLE || w->end.u.end.cause == BIL_E_RESTART_UNSEEN)
        tell_trouble(false, "", (int)w->end.u.end.cause, NULL);
    put_exceptions(w);
    char state[BIL_VALUE_TEXT];
    if (!w->end.u.end.held && !bil_job_leaves_working(w->job))
        say("%s. Safe to disconnect.\n", w->end.u.end.at_work   ? "It is at work"
                                         : resets               ? "It stands, as after switching it on"
                                         : w->end.u.end.stopped ? "It stands; it was at work when this began"
                                                                : "The device isn't held");
    if (!w->end.u.end.held && !w->end.u.end.stopped && !w->end.u.end.at_work && w->chain[0] &&
        write_state_is_work(w->want.description, w->found_first) &&
        state_text(w->want.description, w->found_first, state))
        say("%s!%s When the write was first begun it was %s; it isn't started by itself: start it at the "
            "machine.\n",
            warn(), plain(), state);
    put_still_to_do(w);
    uint16_t about = w->end.u.end.param;
    bool unlocked = !w->end.u.end.held && w->end.u.end.cause == BIL_E_RELEASE; /* it was to be locked at the end */
    if (w->end.u.end.held || unlocked)
        tell_trouble(false, unlocked && about != BIL_NONE ? w->want.description->params[about].id : w->keep.address,
                     (int)w->end.u.end.cause, NULL);
    if (w->end.u.end.held && w->end.u.end.cause != BIL_E_LEFT_HELD)
        put_how_to_go_on(w);
}

/* It didn't: why, and what now. */
static void put_failed(const write_call *w, const bil_job_progress *p)
{
    char reason[1200];
    put_reason(w, reason, sizeof reason);
    int error = (int)w->end.u.end.cause;
    if (w->nobody_asked) {
        error = BIL_E_PERSON;
        snprintf(reason, sizeof reason,
                 w->changed ? "values were changed since, and nobody can be asked here; say --despite changed=REASON "
                              "to agree beforehand"
                 : w->acts  ? "the machine is at work, and safety-relevant values would act at once; say --despite "
                              "at-work=REASON to agree beforehand"
                            : "nobody can be asked here; say --yes to agree beforehand");
    } else if (w->lacks_person) {
        snprintf(reason, sizeof reason, "nobody is here for a step that only a person at the device can do: %s",
                 write_person_step(w));
    } else if (w->uncollected) {
        snprintf(reason, sizeof reason, "%s wasn't collected: %s", w->uncollected,
                 bil_host_error_text(w->collect_error));
    } else if (w->file_error && !w->end.u.end.wrote) {
        snprintf(reason, sizeof reason, "%s: %s", w->keep.records, bil_host_error_text(w->file_error));
        error = w->file_error;
    }
    tell_trouble(true, bil_verdict_text(w->end.u.end.verdict), error, reason);
    if (w->end.u.end.wrote && w->config.kind == BIL_JOB_RESET)
        tell(stderr, "  The reset had begun.\n");
    else if (w->end.u.end.wrote)
        tell(stderr, "  %u value%s had been written.\n", p->written, p->written == 1 ? "" : "s");
    else
        tell(stderr, "  No value was written.\n");
    if (w->end.u.end.wrote || w->end.u.end.held)
        put_how_to_go_on(w);
}

void put_verdict(const bil_writing *writing)
{
    const write_call *w = lib_writing_call(writing);
    bil_job_progress p;
    bil_job_progress_of(w->job, &p);
    bool done = write_lasts(w);
    progress_clear();
    if (w->already) {
        say("%s✓ already so%s: nothing differs, and the values are known to be stored. Nothing was done.\n", good(),
            plain());
        return;
    }
    bool tried = w->end.u.end.verdict == BIL_VERDICT_ON_TRIAL;
    if (tried && !w->end.u.end.held) {
        char word[4 * STORAGE_PATH + 3];
        const char *what = pasted(write_name(w), word, sizeof word);
        say("%s! %s%s: %u value%s written, read back twice. The next restart or power cut ends the trial.\n", warn(),
            bil_verdict_text(w->end.u.end.verdict), plain(), p.written, p.written == 1 ? "" : "s");
        if (write_may_last(w))
            say("  To make them last:  bilancia keep %s%s\n", what, next_job());
        say("  To go back:         bilancia undo %s%s\n", what, next_job());
        return;
    }
    if (done || w->end.u.end.verdict == BIL_VERDICT_NOT_PROVED)
        put_done(w, &p, done);
    else
        put_failed(w, &p);
}

void put_write_json(const bil_writing *writing, int code)
{
    const write_call *w = lib_writing_call(writing);
    bil_job_progress p;
    bil_job_progress_of(w->job, &p);
    const bil_description *d = w->want.description;
    json_t *out =
        json_pack("{s:s,s:i,s:s,s:s,s:b,s:i,s:i,s:i,s:s,s:s}", "verdict",
                  w->already ? "already_so" : bil_verdict_name(w->end.u.end.verdict), "exit", code, "cause",
                  bil_host_error_name((int)w->end.u.end.cause), "purpose", bil_purpose_name(bil_job_purpose(w->job)),
                  "held", (int)w->end.u.end.held, "planned", (int)w->planned, "values_written", (int)p.written,
                  "write_requests", (int)p.write_requests, "record", w->rec.path, "safety_copy", w->safety);
    if (w->present[0])
        json_object_set_new(out, "present_copy", json_string(w->present));
    if (w->collect && w->collected)
        json_object_set(out, "collected", w->collected);
    json_object_set_new(out, "stored", json_boolean(w->end.u.end.stored));
    json_object_set_new(out, "restart_seen", json_boolean(w->end.u.end.restarted));
    json_object_set_new(out, "went_on", json_boolean(bil_job_leaves_working(w->job) && write_is_at_work(w)));
    json_object_set_new(out, "stopped", json_boolean(w->end.u.end.stopped));
    json_object_set_new(out, "requests",
                        json_pack("{s:i,s:i,s:i,s:i}", "values_read", (int)p.read_requests, "values_written",
                                  (int)p.write_requests, "identity", (int)p.identity_requests, "other",
                                  (int)p.other_requests));
    json_t *exceptions = json_object();
    for (uint16_t i = 0; i < d->count; i++)
        if (write_exception(w, i))
            json_object_set_new(exceptions, d->params[i].id,
                                json_string(bil_host_error_name((int)write_exception(w, i))));
    json_object_set_new(out, "exceptions", exceptions);
    if (w->end.u.end.param != BIL_NONE)
        json_object_set_new(out, "parameter", json_string(d->params[w->end.u.end.param].id));
    tell_json(stdout, out, JSON_INDENT(2));
    putchar('\n');
}

/* How a write ended, what is left to do, and what can be done now. */
#include <stdlib.h>
#include <string.h>
#include <unistd.h>

#include "cli/writing.h"
#include "host/base/time.h"
#include "host/describe/rule_text.h"
#include "port/modbus_exception.h"

/* ---- the end ---- */

static void put_still_to_do(const write_call *w)
{
    const bil_description *d = w->want.description;
    bool first = true;
    for (uint16_t i = 0; i < d->count; i++)
        if (d->params[i].cls == BIL_CLASS_SECRET) {
            if (first)
                say("Still to do by a person:\n");
            say("  - check %s (%s): secrets are not in the copy, and a reset brings back the one from the manual\n",
                d->params[i].name, d->params[i].id);
            first = false;
        }
    for (uint8_t i = 0; i < d->by_hand_count; i++) {
        if (first)
            say("Still to do by a person:\n");
        say("  - %s\n", d->by_hand[i]);
        first = false;
    }
}

static void put_exceptions(const write_call *w)
{
    const bil_description *d = w->want.description;
    for (uint16_t i = 0; i < d->count; i++) {
        char now[2 * BIL_VALUE_TEXT], then[2 * BIL_VALUE_TEXT];
        bil_error exception = exception_of(w, i);
        if (!exception)
            continue;
        param_text(&w->dev.image, i, now, sizeof now);
        param_text(&w->want, i, then, sizeof then);
        say("  ~ %s (%s): %s", d->params[i].id, d->params[i].name, bil_host_error_text((int)exception));
        if (exception == BIL_E_ROUNDED || exception == BIL_E_FIXED || exception == BIL_E_REFUSED)
            say("; the copy says %s, the device %s", then, now);
        say("\n");
    }
    const char *id;
    json_t *why;
    json_object_foreach(w->without, id, why) say("  ~ %s: left out, since %s\n", id, json_string_value(why));
    if (!bil_job_unit_tells(w->job) && w->config.kind != BIL_JOB_RESET)
        say("  ~ %s\n", bil_host_error_text(BIL_E_NO_IDENTITY));
}

static void put_reason(const write_call *w, const bil_action *end, char *out, size_t size)
{
    const bil_description *d = w->want.description;
    size_t used = 0;
    if (end->u.end.cause == BIL_E_RULE) {
        bil_outlook outlook = {&w->dev.image, &w->want, bil_job_purpose(w->job), w->config.with_calibration};
        const uint16_t params[2] = {end->u.end.param, end->u.end.other};
        rule_text(d, (uint16_t)end->u.end.code, params, bil_outlook_values(&outlook), out, size);
        return;
    }
    if (end->u.end.param != BIL_NONE) {
        used +=
            (size_t)snprintf(out, size, "%s (%s): ", d->params[end->u.end.param].id, d->params[end->u.end.param].name);
        if (end->u.end.cause == BIL_E_DIFFERS) {
            char now[2 * BIL_VALUE_TEXT], then[2 * BIL_VALUE_TEXT];
            param_text(&w->dev.image, end->u.end.param, now, sizeof now);
            param_text(&w->want, end->u.end.param, then, sizeof then);
            used += (size_t)snprintf(out + used, size - used, "wanted %s, read back %s: ", then, now);
        }
    }
    if (end->u.end.other != BIL_NONE)
        used += (size_t)snprintf(out + used, size - used, "with %s: ", d->params[end->u.end.other].id);
    used += (size_t)snprintf(out + used, size - used, "%s", bil_host_error_text((int)end->u.end.cause));
    char its[BIL_VALUE_TEXT];
    if (end->u.end.cause == BIL_E_OTHER_FIRMWARE || end->u.end.cause == BIL_E_UNKNOWN_FIRMWARE) {
        bil_image_identity(&w->dev.image, BIL_ID_FIRMWARE, its, sizeof its);
        snprintf(out + used, size - used, ": the copy is from %s, the unit has %s", w->origin.firmware, its);
    } else if (end->u.end.cause == BIL_E_OTHER_UNIT) {
        bil_image_identity(&w->dev.image, BIL_ID_SERIAL, its, sizeof its);
        snprintf(out + used, size - used, ": the copy is from serial number %s, this is %s", w->origin.serial, its);
    } else if (end->u.end.code && end->u.end.cause == BIL_E_REFUSED) {
        snprintf(out + used, size - used, " (its reason: %u, %s)", end->u.end.code,
                 modbus_exception_of(end->u.end.code)->text);
    }
}

static void put_how_to_go_on(const write_call *w, const bil_action *end)
{
    if (end->u.end.held)
        tell(stderr, "  %sThe device is, or may be, still held%s: it doesn't work until it is released.\n", bad(),
             plain());
    else if (end->u.end.wrote && end->u.end.verdict == BIL_VERDICT_INCOMPLETE)
        tell(stderr, "  %sThe device isn't held, and neither as it was nor as wanted%s: don't let it work like this.\n",
             bad(), plain());
    if (!w->safety[0])
        return;
    const char *what = w->h ? w->owner.name : w->rec.path;
    tell(stderr, "  To finish:   bilancia resume %s\n", what);
    tell(stderr, "  To go back:  bilancia undo %s\n", what);
}

/* It came to its end: what was written, and how far that is proved. */
static void put_done(const write_call *w, const bil_action *end, const bil_job_progress *p, bool done)
{
    bool resets = w->config.kind == BIL_JOB_RESET;
    say("%s%s %s%s: ", done ? good() : warn(), done ? "✓" : "!", bil_verdict_text(end->u.end.verdict), plain());
    if (resets)
        say("the factory values are in force; read back twice.\n");
    else
        say("%u value%s written with %u request%s; %s%s\n", p->written, p->written == 1 ? "" : "s", p->write_requests,
            p->write_requests == 1 ? "" : "s", end->u.end.stored ? "stored, " : "",
            !end->u.end.restarted ? "read back twice, but no restart was seen: no proof that it lasts."
            : w->config.restart == BIL_RESTART_BY_HAND ? "switched off and on, read back twice."
                                                       : "restarted, read back twice.");
    say("  Requests: %u for values read, %u written, %u for who answers, %u for states and procedures.\n",
        p->read_requests, p->write_requests, p->identity_requests, p->other_requests);
    if (end->u.end.cause == BIL_E_NOT_IDLE || end->u.end.cause == BIL_E_RESTART_UNSEEN)
        say_error("", (int)end->u.end.cause, NULL);
    put_exceptions(w);
    char state[BIL_VALUE_TEXT];
    if (!end->u.end.held)
        say("%s. Safe to disconnect.\n", resets               ? "It stands, as after switching it on"
                                         : end->u.end.stopped ? "It stands; it was at work when this began"
                                                              : "The device isn't held");
    if (!end->u.end.held && !end->u.end.stopped && w->chain[0] && at_work(w->want.description, w->found_first) &&
        state_text(w->want.description, w->found_first, state))
        say("%s!%s When the write was first begun it was %s; it isn't started by itself: start it at the "
            "machine.\n",
            warn(), plain(), state);
    put_still_to_do(w);
    if (end->u.end.held)
        say_error(w->address, (int)end->u.end.cause, NULL);
    if (end->u.end.held && end->u.end.cause != BIL_E_LEFT_HELD)
        put_how_to_go_on(w, end);
}

/* It didn't: why, and what now. */
static void put_failed(const write_call *w, const bil_action *end, const bil_job_progress *p)
{
    char reason[1200];
    put_reason(w, end, reason, sizeof reason);
    int error = (int)end->u.end.cause;
    if (w->declined_without_asking) {
        error = BIL_E_PERSON;
        snprintf(reason, sizeof reason,
                 w->changed ? "values were changed since, and nobody can be asked here; say --despite changed=REASON "
                              "to agree beforehand"
                            : "nobody can be asked here; say --yes to agree beforehand");
    } else if (w->file_error && !end->u.end.wrote) {
        snprintf(reason, sizeof reason, "%s: %s", w->folder, bil_host_error_text(w->file_error));
        error = w->file_error;
    }
    say_verdict(bil_verdict_text(end->u.end.verdict), error, reason);
    if (end->u.end.wrote && w->config.kind == BIL_JOB_RESET)
        tell(stderr, "  The reset had begun.\n");
    else if (end->u.end.wrote)
        tell(stderr, "  %u value%s had been written.\n", p->written, p->written == 1 ? "" : "s");
    else
        tell(stderr, "  No value was written.\n");
    if (end->u.end.wrote || end->u.end.held)
        put_how_to_go_on(w, end);
}

void put_verdict(const write_call *w, const bil_action *end)
{
    bil_job_progress p;
    bil_job_progress_of(w->job, &p);
    bool done = end->u.end.verdict == BIL_VERDICT_VERIFIED || end->u.end.verdict == BIL_VERDICT_WITH_EXCEPTIONS;
    progress_clear();
    bool tried = end->u.end.verdict == BIL_VERDICT_ON_TRIAL;
    if (tried && !end->u.end.held) {
        const char *what = w->h ? w->owner.name : w->rec.path;
        say("%s! %s%s: %u value%s written, read back twice. The next restart or power cut ends the trial.\n", warn(),
            bil_verdict_text(end->u.end.verdict), plain(), p.written, p.written == 1 ? "" : "s");
        say("  To make them last:  bilancia keep %s\n  To go back:         bilancia undo %s\n", what, what);
        return;
    }
    if (done || end->u.end.verdict == BIL_VERDICT_NOT_PROVED)
        put_done(w, end, &p, done);
    else
        put_failed(w, end, &p);
}

void put_json(const write_call *w, const bil_action *end, int code)
{
    bil_job_progress p;
    bil_job_progress_of(w->job, &p);
    const bil_description *d = w->want.description;
    json_t *out = json_pack(
        "{s:s,s:i,s:s,s:s,s:b,s:i,s:i,s:i,s:s,s:s}", "verdict", bil_verdict_name(end->u.end.verdict), "exit", code,
        "cause", bil_host_error_name((int)end->u.end.cause), "purpose", bil_purpose_name(bil_job_purpose(w->job)),
        "held", (int)end->u.end.held, "planned", (int)w->planned, "values_written", (int)p.written, "write_requests",
        (int)p.write_requests, "record", w->rec.path, "safety_copy", w->safety);
    json_object_set_new(out, "stored", json_boolean(end->u.end.stored));
    json_object_set_new(out, "restart_seen", json_boolean(end->u.end.restarted));
    json_object_set_new(out, "stopped", json_boolean(end->u.end.stopped));
    json_object_set_new(out, "requests",
                        json_pack("{s:i,s:i,s:i,s:i}", "values_read", (int)p.read_requests, "values_written",
                                  (int)p.write_requests, "identity", (int)p.identity_requests, "other",
                                  (int)p.other_requests));
    json_t *exceptions = json_object();
    for (uint16_t i = 0; i < d->count; i++)
        if (exception_of(w, i))
            json_object_set_new(exceptions, d->params[i].id, json_string(bil_host_error_name((int)exception_of(w, i))));
    json_object_set_new(out, "exceptions", exceptions);
    if (end->u.end.param != BIL_NONE)
        json_object_set_new(out, "parameter", json_string(d->params[end->u.end.param].id));
    say_json(out);
}

/* One question, its answer recorded. False when it was no. */
static bool confirm(write_call *w, const char *event, const char *what, const char *question, bool *person_there)
{
    char answer[16] = "", when[48];
    const char *result = "open";
    if (!w->json)
        say("  - %s\n", what);
    if (*person_there) {
        tell(stderr, "    %s [yes/no/later] ", question);
        fflush(stderr);
        *person_there = fgets(answer, sizeof answer, stdin) != NULL;
        result = strcmp(answer, "yes\n") == 0 ? "passed" : strcmp(answer, "no\n") == 0 ? "failed" : "open";
    }
    time_moment(when);
    record_add(&w->rec, json_pack("{s:s,s:s,s:s,s:s,s:s}", "event", event, "when", when, "what", what, "result", result,
                                  "who", person(w->who)));
    return strcmp(result, "failed") != 0;
}

bool ask_for_tests(write_call *w)
{
    const bil_description *d = w->want.description;
    bool person_there = isatty(STDIN_FILENO) && !w->json, well = true;
    if (!w->json && d->expect_count)
        say("To be expected meanwhile, and to be over now:\n");
    for (uint8_t i = 0; i < d->expect_count; i++)
        well = confirm(w, "warning", d->expect[i], "Is that over?", &person_there) && well;
    if (!w->json && d->test_count)
        say("Before the machine goes back to work:\n");
    for (uint8_t i = 0; i < d->test_count; i++)
        well = confirm(w, "test", d->tests[i], "Is it so?", &person_there) && well;
    if (!well)
        tell(stderr,
             "  %s✗ a test failed%s: the machine must not go back to work like this. To go back: bilancia undo %s\n",
             bad(), plain(), w->h ? w->owner.name : w->rec.path);
    return well;
}

static bool keep_start(void *ctx, const bil_action *action)
{
    write_call *w = ctx;
    char when[48];
    time_moment(when);
    return record_add(&w->rec, record_event_line(w->want.description, action, when)) == BIL_OK;
}

bool start_again(write_call *w, bool tests_passed)
{
    const bil_description *d = w->want.description;
    char state[BIL_VALUE_TEXT], hardware[BIL_VALUE_TEXT], serial[BIL_VALUE_TEXT];
    bil_image_identity(&w->dev.image, BIL_ID_HARDWARE, hardware, sizeof hardware);
    bil_image_identity(&w->dev.image, BIL_ID_SERIAL, serial, sizeof serial);
    bool can = bil_description_procedure(d, BIL_PROC_START, hardware, w->found) != NULL;
    bool agreed = w->start_again && tests_passed;
    if (!state_text(d, w->found, state))
        return true;
    if (can && tests_passed && !agreed && !w->json && isatty(STDIN_FILENO)) {
        tell(stderr, "%s!%s It was %s when this began; it stands now, and may move when it starts.\n", bad(), plain(),
             state);
        agreed = ask_at_terminal("Is everybody clear of it: set it to work again now?");
    }
    if (!agreed || !can) {
        if (!w->json)
            say("%s!%s It was %s when this began, and isn't started by itself: start it at the machine.\n", warn(),
                plain(), state);
        return true;
    }
    bil_job_config config = {.serial = serial, .found = w->found, .has_password = w->config.has_password};
    config.unit = bil_job_unit_after(w->job);
    bil_job *job = device_job(&w->dev, BIL_JOB_START, config);
    runner r = {.link = w->dev.link, .clock = w->dev.clock, .password = w->password, .record = keep_start, .ctx = w};
    bil_action end = run_job(job, &r);
    free(job);
    bool well = end.u.end.verdict == BIL_VERDICT_VERIFIED;
    if (well && !w->json)
        say("%s✓%s It is %s again.\n", good(), plain(), state);
    if (!well)
        say_error(w->address, (int)end.u.end.cause, NULL);
    return well;
}

/* What the device holds now, beside what belongs to the unit, and the copy doesn't. */
static unsigned beside_the_copy(const write_call *w)
{
    const bil_description *d = w->want.description;
    unsigned count = 0;
    for (uint16_t i = 0; i < d->count; i++) {
        bil_class cls = (bil_class)d->params[i].cls;
        bool kept = cls == BIL_CLASS_SETUP || cls == BIL_CLASS_PLACE || cls == BIL_CLASS_CALIBRATION;
        count += kept && w->dev.image.state[i] == BIL_PRESENT &&
                 ((w->in_copy ? w->in_copy : w->want.state)[i] != BIL_PRESENT ||
                  !bil_image_same(&w->dev.image, &w->want, i));
    }
    return count;
}

void offer_copy(write_call *w)
{
    unsigned count = beside_the_copy(w);
    if (count == 0 || w->json)
        return;
    const char *what = w->h ? w->owner.name : w->address;
    say("No saved copy is up to date with the device now (%u value%s).", count, count == 1 ? "" : "s");
    if (!isatty(STDIN_FILENO) || w->yes) {
        say(" To take one: bilancia read %s\n", what);
        return;
    }
    putchar('\n');
    fflush(stdout);
    char path[STORAGE_PATH];
    if (!ask_at_terminal("Save one from what was just read back?"))
        return;
    int error = save_from_device(w, "after a write", path);
    if (error)
        say_error(w->safety_folder, error, NULL);
    else
        say("Saved  %s\n", path);
}

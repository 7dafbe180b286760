#include "writing.h"

#include <jansson.h>
#include <stdlib.h>
#include <string.h>
#include <time.h>
#include <unistd.h>

#include "../host/arena.h"
#include "../host/rule_text.h"
#include "../host/seal.h"
#include "../host/turn.h"

static bil_write_need need_of(const write_call *w, uint16_t i)
{
    return bil_plan_need(&w->dev.image, &w->want, i, bil_job_purpose(w->job), w->config.with_calibration);
}

/* ---- before ---- */

/* What the device is doing, and that it has to stop for the write. */
static bool state_text(const bil_description *d, uint32_t state, char text[BIL_VALUE_TEXT])
{
    if (d->state == BIL_NONE)
        return false;
    const bil_param *param = &d->params[d->state];
    uint8_t raw[BIL_TEXT_MAX] = {0};
    for (size_t i = param->format.size; i-- > 0; state >>= 8)
        raw[i] = (uint8_t)state;
    return bil_value_text(&param->format, raw, NULL, text, BIL_VALUE_TEXT) == BIL_OK;
}

static void put_state(const write_call *w, uint32_t found)
{
    char text[BIL_VALUE_TEXT];
    if (state_text(w->want.description, found, text))
        printf("%sState%s    %s; it is held for the write%s and goes back to %s afterwards\n", bold(), plain(), text,
               w->config.may_restart ? ", restarts," : "", text);
}

/* Is it the copy that one would expect, and is any check set aside? */
static void put_warnings(const write_call *w)
{
    char digest[2 * BIL_SHA256 + 1];
    const char *check;
    json_t *why;
    set_digest_hex(w->totals.digest, digest);
    if (w->h && !w->undoes && !w->sets) {
        bool is_baseline = strcmp(digest, w->owner.baseline) == 0;
        bool is_last = w->owner.copies && strcmp(digest, w->owner.last.digest) == 0;
        if (w->owner.baseline[0] && !is_baseline)
            printf("%s!%s        this copy isn't the baseline of %s\n", warn(), plain(), w->owner.name);
        if (!is_last && !is_baseline && w->owner.copies)
            printf("%s!%s        nor is it the newest copy: that was read %s\n", warn(), plain(), w->owner.last.when);
    }
    json_object_foreach(w->despite, check, why)
        printf("%s!%s        the check of the %s is set aside: %s\n", bad(), plain(), check, json_string_value(why));
}

static void put_who(const write_call *w, uint32_t found)
{
    char age[64], id[BIL_ID_COUNT][BIL_VALUE_TEXT];
    for (int i = 0; i < BIL_ID_COUNT; i++)
        bil_image_identity(&w->dev.image, (bil_identity)i, id[i], sizeof id[i]);
    age_text(w->origin.when, age, sizeof age);
    printf("%sCopy%s     %s\n", bold(), plain(), w->copy);
    printf("         of %s, %s %s, firmware %s, serial number %s; read %s%s%s\n",
           w->origin.device[0] ? w->origin.device : "a device without a name", w->origin.vendor, w->origin.model,
           w->origin.firmware, w->origin.serial, age, w->origin.why[0] ? ": " : "", w->origin.why);
    printf("%sDevice%s   %s\n", bold(), plain(), w->address);
    printf("         %s, %s %s, hardware %s, firmware %s, serial number %s\n",
           id[BIL_ID_NAME][0] ? id[BIL_ID_NAME] : "without a name", id[BIL_ID_VENDOR], id[BIL_ID_MODEL],
           id[BIL_ID_HARDWARE], id[BIL_ID_FIRMWARE], id[BIL_ID_SERIAL]);
    static const char *const meaning[] = {"the same unit", "another unit, in the same place",
                                          "another unit, in another place"};
    put_state(w, found);
    put_warnings(w);
    bil_purpose purpose = bil_job_purpose(w->job);
    printf("%sPurpose%s  %s: %s\n\n", bold(), plain(), bil_purpose_name(purpose), meaning[purpose]);
}

static void put_change(const write_call *w, uint16_t i)
{
    const bil_param *param = &w->want.description->params[i];
    char now[2 * BIL_VALUE_TEXT], then[2 * BIL_VALUE_TEXT];
    param_text(&w->dev.image, i, now, sizeof now);
    param_text(&w->want, i, then, sizeof then);
    const char *mark = param->flags & BIL_SAFETY ? "!" : "→";
    look l = screen();
    put_value_row(&l, &(value_row){mark, param->id, param->name, 2, (const char *const[]){"device now", "copy"},
                                   (const char *const[]){now, then}, 0});
}

/* What a written parameter resets on the device and the copy doesn't bring back. */
static unsigned lost_by_reset(const write_call *w)
{
    const bil_description *d = w->want.description;
    unsigned lost = 0;
    for (uint16_t i = 0; i < d->count; i++) {
        bool reset = false;
        for (uint16_t k = 0; k < d->count && !reset; k++)
            for (uint8_t n = 0; n < d->params[k].reset_count && !reset; n++)
                reset = d->params[k].resets[n] == i && need_of(w, k) == BIL_NEED_WRITE;
        if (reset && need_of(w, i) == BIL_NEED_OUT && w->dev.image.state[i] == BIL_PRESENT) {
            char now[2 * BIL_VALUE_TEXT];
            param_text(&w->dev.image, i, now, sizeof now);
            printf("  %s!%s %s = %s would be lost: it isn't in the copy, and another value resets it\n", bad(), plain(),
                   d->params[i].id, now);
            lost++;
        }
    }
    return lost;
}

static void put_kept(const unsigned kept[BIL_CLASS_COUNT], unsigned missing)
{
    const char *between = "Stays as it is on the device: ";
    for (int cls = 0; cls < BIL_CLASS_COUNT; cls++)
        if (kept[cls] && cls != BIL_CLASS_SETUP) {
            printf("%s%u %s", between, kept[cls], bil_class_name((bil_class)cls));
            between = ", ";
        }
    if (missing) {
        printf("%s%u setup that the copy doesn't have", between, missing);
        between = ", ";
    }
    if (between[0] == ',')
        printf("\n");
}

static void put_list(const char *title, const char *const *list, size_t count)
{
    if (count)
        printf("%s:\n", title);
    for (size_t i = 0; i < count; i++)
        printf("  - %s\n", list[i]);
}

static void put_plan(write_call *w)
{
    const bil_description *d = w->want.description;
    unsigned safety = 0, missing = 0, kept[BIL_CLASS_COUNT] = {0};
    w->planned = 0;
    for (uint16_t i = 0; i < d->count; i++) {
        bil_write_need need = need_of(w, i);
        bool differs = need == BIL_NEED_WRITE || need == BIL_NEED_READ;
        w->planned += differs;
        safety += differs && d->params[i].flags & BIL_SAFETY;
        if (need == BIL_NEED_OUT && !bil_class_left_out((bil_class)d->params[i].cls)) {
            kept[d->params[i].cls]++;
            missing += d->params[i].cls == BIL_CLASS_SETUP && w->dev.image.state[i] == BIL_PRESENT;
        }
    }
    if (w->planned) {
        printf("Will be written to the %sdevice%s: %u value%s", bold(), plain(), w->planned,
               w->planned == 1 ? "" : "s");
        if (safety)
            printf(", %u of them safety-relevant (%s!%s)", safety, warn(), plain());
        look l = screen();
        int width = (int)value_width(&l, 2);
        if (width)
            printf("\n  %-*s %-*s copy", (int)id_width(&l, 2), "parameter", width, "device now");
        putchar('\n');
    } else {
        printf("Nothing differs: no value will be written.\n");
    }
    for (uint16_t i = 0; i < d->count; i++) {
        bil_write_need need = need_of(w, i);
        if (need == BIL_NEED_WRITE || need == BIL_NEED_READ)
            put_change(w, i);
    }
    put_kept(kept, missing);
    if (lost_by_reset(w) == 0)
        printf("Would be lost: nothing; the values overwritten are saved first\n");
    char hardware[BIL_VALUE_TEXT];
    bil_image_identity(&w->dev.image, BIL_ID_HARDWARE, hardware, sizeof hardware);
    bool hold = bil_description_procedure(d, BIL_PROC_HOLD, hardware, 0), restart = w->config.may_restart;
    put_list("Expect meanwhile", d->expect, d->expect_count);
    put_list("By hand afterwards", d->by_hand, d->by_hand_count);
    put_list("To be tried before the machine goes back to work", d->tests, d->test_count);
    if (w->config.trial) {
        printf("Then: safety copy%s%s, read back twice%s; a trial: nothing is stored, the next restart or power cut "
               "ends it\n",
               hold ? ", hold" : "", w->planned ? ", write" : "", hold ? ", release" : "");
        return;
    }
    printf("Then: safety copy%s%s, store%s, read back twice, compare%s\n", hold ? ", hold" : "",
           w->planned ? ", write" : "", restart ? ", restart" : "", hold ? ", release" : "");
}

static bool ask_at_terminal(const char *question)
{
    fprintf(stderr, "%s [yes/no] ", question);
    fflush(stderr);
    char answer[16];
    return fgets(answer, sizeof answer, stdin) && (strcmp(answer, "yes\n") == 0 || strcmp(answer, "y\n") == 0);
}

static bool ask(void *ctx, const bil_action *action)
{
    write_call *w = ctx;
    progress_clear();
    bool terminal = isatty(STDIN_FILENO);
    if (action->u.ask.question == BIL_ASK_PERSON) {
        if (terminal)
            return ask_at_terminal(action->u.ask.text);
        w->declined_without_asking = true;
        return false;
    }
    if (w->json) {
        for (uint16_t i = 0; i < w->want.description->count; i++)
            w->planned += need_of(w, i) == BIL_NEED_WRITE || need_of(w, i) == BIL_NEED_READ;
    } else {
        put_who(w, action->u.ask.found);
        put_plan(w);
    }
    fflush(stdout);
    if (w->yes)
        return true;
    w->declined_without_asking = !terminal;
    return terminal && ask_at_terminal(w->planned ? "Write these values to the device?" : "Go on?");
}

/* ---- while it runs ---- */

static void moment(char *out, size_t size)
{
    struct timespec now;
    clock_gettime(CLOCK_REALTIME, &now);
    struct tm utc;
    gmtime_r(&now.tv_sec, &utc);
    char second[32];
    strftime(second, sizeof second, "%Y-%m-%dT%H:%M:%S", &utc);
    snprintf(out, size, "%s.%03ldZ", second, now.tv_nsec / 1000000);
}

static json_t *intent_line(const write_call *w, const bil_action *action, const char *when)
{
    char digest[2 * BIL_SHA256 + 1], serial[BIL_VALUE_TEXT], firmware[BIL_VALUE_TEXT];
    set_digest_hex(w->totals.digest, digest);
    bil_image_identity(&w->dev.image, BIL_ID_SERIAL, serial, sizeof serial);
    bil_image_identity(&w->dev.image, BIL_ID_FIRMWARE, firmware, sizeof firmware);
    char *whole = realpath(w->copy, NULL);
    const char *path = whole ? whole : w->copy;
    if (!bil_text_is_printable(path, strlen(path)))
        path = "(a path that isn't UTF-8)";
    json_t *line = json_pack(
        "{s:i,s:s,s:s,s:s,s:s,s:s,s:s,s:s,s:s,s:s,s:s,s:s,s:b,s:b,s:b,s:b,s:s,s:i,s:i}", "bilancia_record", 0, "event",
        "intent", "when", when, "who", person(w->who), "why", w->why ? w->why : "", "address", w->address, "model",
        w->want.description->model, "serial", serial, "firmware", firmware, "copy", path, "copy_digest", digest,
        "purpose", bil_purpose_name(bil_job_purpose(w->job)), "with_calibration", (int)w->config.with_calibration,
        "restart", (int)w->config.may_restart, "undoes", (int)w->undoes, "trial", (int)w->config.trial, "chain",
        w->chain, "found", (int)action->u.record.code, "planned", (int)w->planned);
    free(whole);
    json_object_set(line, "despite", w->despite);
    if (w->chain[0]) {
        json_object_set_new(line, "still_held", json_boolean(w->still_held));
        json_object_set_new(line, "found_first", json_integer(w->found_first));
    }
    return line;
}

static void say_event(const write_call *w, const bil_action *action)
{
    if (w->json || action->u.record.event == BIL_EV_INTENT || action->u.record.event == BIL_EV_VERDICT)
        return;
    progress_clear();
    bil_job_progress p;
    bil_job_progress_of(w->job, &p);
    printf("  · %s", bil_event_text(action->u.record.event));
    if (action->u.record.param != BIL_NONE)
        printf(": %s", w->want.description->params[action->u.record.param].id);
    putchar('\n');
    fflush(stdout);
}

static bool keep_record(void *ctx, const bil_action *action)
{
    write_call *w = ctx;
    char when[48];
    moment(when, sizeof when);
    say_event(w, action);
    if (action->u.record.event != BIL_EV_INTENT && !w->rec.file)
        return true; /* refused before anything was meant: there is nothing to record */
    if (action->u.record.event == BIL_EV_INTENT) {
        char name[220];
        if (w->h) /* a name that no other place of the site gives */
            snprintf(name, sizeof name, "%s-%c.brec", w->stem, STORAGE_DIGEST);
        else
            snprintf(name, sizeof name, "%s.brec", w->stem);
        w->found = action->u.record.code;
        w->file_error = record_begin(&w->rec, w->folder, name, intent_line(w, action, when));
    } else {
        json_t *line = json_pack("{s:s,s:s}", "event", bil_event_name(action->u.record.event), "when", when);
        if (action->u.record.param != BIL_NONE)
            json_object_set_new(line, "parameter", json_string(w->want.description->params[action->u.record.param].id));
        if (action->u.record.cause)
            json_object_set_new(line, "cause", json_string(bil_error_name(action->u.record.cause)));
        if (action->u.record.code)
            json_object_set_new(line, "code", json_integer(action->u.record.code));
        int error = record_add(&w->rec, line);
        if (error)
            w->file_error = error;
        return error == BIL_OK;
    }
    return w->file_error == BIL_OK;
}

static bool save_safety_copy(void *ctx, const bil_image *have)
{
    write_call *w = ctx;
    set_origin o = {.scope = "all"};
    set_origin_of(&o, have);
    set_time_now(o.when, sizeof o.when);
    snprintf(o.who, SET_TEXT, "%s", person(w->who));
    snprintf(o.why, SET_TEXT, "safety copy before a write");
    snprintf(o.from, SET_TEXT, "%s", w->address);
    char name[300];
    snprintf(name, sizeof name, "%s_before-write.bset", w->stem);
    if (w->h) {
        site_copy_name(&o, name, sizeof name);
        snprintf(o.parent, SET_TEXT, "%s", w->owner.copies ? w->owner.last.digest : "");
    }
    bil_set_totals totals;
    w->file_error = set_file_save(have, &o, w->safety_folder, name, w->safety, &totals);
    if (w->file_error)
        return false;
    progress_clear();
    if (!w->json)
        printf("Safety copy  %s\nRecord       %s\n", w->safety, w->rec.path);
    char digest[2 * BIL_SHA256 + 1];
    set_digest_hex(totals.digest, digest);
    json_t *line = json_pack("{s:s,s:s,s:s}", "event", "safety_copy", "path", w->safety, "digest", digest);
    w->file_error = record_add(&w->rec, line);
    return w->file_error == BIL_OK;
}

static void show_progress(void *ctx, const bil_job *job, const bil_action *action)
{
    const write_call *w = ctx;
    bil_job_progress p;
    bil_job_progress_of(job, &p);
    if (action->kind == BIL_ACT_TRANSFER && action->u.transfer.value && action->u.transfer.write)
        progress_line("Writing, don't disconnect", p.done, p.total, p.write_requests);
    else if (w->rec.file)
        progress_line("Working, don't disconnect", 0, 0, 0);
    else
        progress_line("Reading", 0, 0, 0);
}

/* ---- the end ---- */

static void put_still_to_do(const write_call *w)
{
    const bil_description *d = w->want.description;
    bool first = true;
    for (uint16_t i = 0; i < d->count; i++)
        if (d->params[i].cls == BIL_CLASS_SECRET) {
            printf("%s", first ? "Still to do by a person:\n" : "");
            printf("  - check %s (%s): secrets are not in the copy, and a reset brings back the one from the manual\n",
                   d->params[i].name, d->params[i].id);
            first = false;
        }
    for (uint8_t i = 0; i < d->by_hand_count; i++) {
        printf("%s  - %s\n", first ? "Still to do by a person:\n" : "", d->by_hand[i]);
        first = false;
    }
}

static void put_exceptions(const write_call *w)
{
    for (uint16_t i = 0; i < w->want.description->count; i++)
        if (need_of(w, i) == BIL_NEED_ROUNDED) {
            char now[2 * BIL_VALUE_TEXT], then[2 * BIL_VALUE_TEXT];
            param_text(&w->dev.image, i, now, sizeof now);
            param_text(&w->want, i, then, sizeof then);
            printf("  ~ %s: the copy says %s, the device rounds it to %s\n", w->want.description->params[i].id, then,
                   now);
        }
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
    used += (size_t)snprintf(out + used, size - used, "%s", bil_error_text((int)end->u.end.cause));
    char its[BIL_VALUE_TEXT];
    if (end->u.end.cause == BIL_E_OTHER_FIRMWARE || end->u.end.cause == BIL_E_UNKNOWN_FIRMWARE) {
        bil_image_identity(&w->dev.image, BIL_ID_FIRMWARE, its, sizeof its);
        snprintf(out + used, size - used, ": the copy is from %s, the unit has %s", w->origin.firmware, its);
    } else if (end->u.end.cause == BIL_E_OTHER_UNIT) {
        bil_image_identity(&w->dev.image, BIL_ID_SERIAL, its, sizeof its);
        snprintf(out + used, size - used, ": the copy is from serial number %s, this is %s", w->origin.serial, its);
    } else if (end->u.end.code && end->u.end.cause == BIL_E_REFUSED) {
        snprintf(out + used, size - used, " (its reason: %u)", end->u.end.code);
    }
}

static int exit_of(const bil_action *end, const write_call *w)
{
    if (end->u.end.held)
        return EXIT_HELD;
    switch (end->u.end.verdict) {
    case BIL_VERDICT_VERIFIED:
    case BIL_VERDICT_WITH_EXCEPTIONS:
    case BIL_VERDICT_ON_TRIAL:
        return EXIT_DONE;
    case BIL_VERDICT_NOT_PROVED:
    case BIL_VERDICT_INCOMPLETE:
        return EXIT_INCOMPLETE;
    default:
        return w->file_error ? EXIT_FILE : exit_code_of((int)end->u.end.cause);
    }
}

static void put_how_to_go_on(const write_call *w, const bil_action *end)
{
    if (end->u.end.held)
        fprintf(stderr, "  %sThe device is, or may be, still held%s: it doesn't work until it is released.\n", bad(),
                plain());
    if (!w->safety[0])
        return;
    const char *what = w->h ? w->owner.name : w->rec.path;
    fprintf(stderr, "  To finish:   bilancia resume %s\n", what);
    fprintf(stderr, "  To go back:  bilancia undo %s\n", what);
}

static void put_verdict(const write_call *w, const bil_action *end)
{
    bil_job_progress p;
    bil_job_progress_of(w->job, &p);
    bool done = end->u.end.verdict == BIL_VERDICT_VERIFIED || end->u.end.verdict == BIL_VERDICT_WITH_EXCEPTIONS;
    progress_clear();
    bool tried = end->u.end.verdict == BIL_VERDICT_ON_TRIAL;
    if (tried && !end->u.end.held) {
        const char *what = w->h ? w->owner.name : w->rec.path;
        printf("%s! %s%s: %u value%s written, read back twice. The next restart or power cut ends the trial.\n", warn(),
               bil_verdict_text(end->u.end.verdict), plain(), p.written, p.written == 1 ? "" : "s");
        printf("  To make them last:  bilancia keep %s\n  To go back:         bilancia undo %s\n", what, what);
        return;
    }
    if (done || end->u.end.verdict == BIL_VERDICT_NOT_PROVED) {
        printf("%s%s %s%s: %u value%s written with %u request%s", done ? good() : warn(), done ? "✓" : "!",
               bil_verdict_text(end->u.end.verdict), plain(), p.written, p.written == 1 ? "" : "s", p.write_requests,
               p.write_requests == 1 ? "" : "s");
        printf(done ? "; stored, restarted, read back twice.\n"
                    : "; stored, but not restarted: no proof that it lasts.\n");
        put_exceptions(w);
        char state[BIL_VALUE_TEXT];
        if (!end->u.end.held)
            printf("The device does what it did before. Safe to disconnect.\n");
        if (!end->u.end.held && w->chain[0] && w->found_first != w->found &&
            state_text(w->want.description, w->found_first, state))
            printf("%s!%s When the write was first begun it was %s; it isn't put back to that by itself.\n", warn(),
                   plain(), state);
        put_still_to_do(w);
        if (end->u.end.held)
            say_error(w->address, (int)end->u.end.cause, NULL);
        if (end->u.end.held && end->u.end.cause != BIL_E_LEFT_HELD)
            put_how_to_go_on(w, end);
        return;
    }
    char reason[1200];
    put_reason(w, end, reason, sizeof reason);
    int error = (int)end->u.end.cause;
    if (w->declined_without_asking) {
        error = BIL_E_PERSON;
        snprintf(reason, sizeof reason, "nobody can be asked here; say --yes to agree beforehand");
    } else if (w->file_error && !end->u.end.wrote) {
        snprintf(reason, sizeof reason, "%s: %s", w->folder, bil_error_text(w->file_error));
        error = w->file_error;
    }
    char what[40];
    snprintf(what, sizeof what, "%s%s%s", bad(), bil_verdict_text(end->u.end.verdict), plain());
    say_error(what, error, reason);
    if (end->u.end.wrote)
        fprintf(stderr, "  %u value%s had been written.\n", p.written, p.written == 1 ? "" : "s");
    else
        fprintf(stderr, "  No value was written.\n");
    if (end->u.end.wrote || end->u.end.held)
        put_how_to_go_on(w, end);
}

static void put_json(const write_call *w, const bil_action *end, int code)
{
    bil_job_progress p;
    bil_job_progress_of(w->job, &p);
    const bil_description *d = w->want.description;
    json_t *out = json_pack("{s:s,s:i,s:s,s:s,s:b,s:i,s:i,s:i,s:s,s:s}", "verdict",
                            bil_verdict_name(end->u.end.verdict), "exit", code, "cause",
                            bil_error_name((int)end->u.end.cause), "purpose", bil_purpose_name(bil_job_purpose(w->job)),
                            "held", (int)end->u.end.held, "planned", (int)w->planned, "values_written", (int)p.written,
                            "write_requests", (int)p.write_requests, "record", w->rec.path, "safety_copy", w->safety);
    if (end->u.end.param != BIL_NONE)
        json_object_set_new(out, "parameter", json_string(d->params[end->u.end.param].id));
    json_dumpf(out, stdout, JSON_INDENT(2));
    putchar('\n');
    json_decref(out);
}

/* ---- the whole ---- */

static bool wants_password(const bil_description *d)
{
    for (uint16_t i = 0; i < d->procedure_count; i++)
        for (uint16_t k = 0; k < d->procedures[i].step_count; k++)
            if (d->procedures[i].steps[k].kind == BIL_STEP_SECRET)
                return true;
    return false;
}

/* What was handed over is taken at once; the prompt waits until the unit is known to be the right one. */
static void take_password(write_call *w, int fd)
{
    w->config.has_password = secret_from_environment("BILANCIA_PASSWORD", w->password, sizeof w->password);
    if (fd >= 0)
        w->config.has_password = secret_from_fd(fd, w->password, sizeof w->password);
}

static void ask_password(write_call *w)
{
    if (!w->config.has_password && wants_password(w->want.description) && isatty(STDIN_FILENO)) {
        progress_clear();
        w->config.has_password = secret_from_prompt("Password of the device: ", w->password, sizeof w->password);
    }
}

static int load_copy(write_call *w, const models *m)
{
    char why[500];
    int error = set_file_check(w->copy, &w->origin, &w->totals, why, sizeof why);
    if (error)
        return say_error("", error, why);
    const bil_description *same_model, *d = models_find(m, w->origin.model, w->origin.layout, &same_model);
    if (!d)
        return say_error(w->copy, same_model ? BIL_E_OTHER_LAYOUT : BIL_E_UNKNOWN_MODEL,
                         same_model ? NULL : "there is no description of the model that this copy is from");
    size_t size = bil_image_size(d);
    bil_image_init(&w->want, d, need(1, size), size);
    error = set_file_load(w->copy, &w->want, &w->origin, &w->totals, why, sizeof why);
    return error ? say_error("", error, why) : -1;
}

static int open_unit(write_call *w, const models *m)
{
    char why[500];
    progress_line("Connecting", 0, 0, 0);
    int error = device_open(&w->dev, w->address, m, why, sizeof why);
    if (error)
        return say_error(w->address, error, why);
    if (w->dev.description == w->want.description)
        return -1;
    snprintf(why, sizeof why, "the copy is from model %s, this is model %s", w->want.description->model,
             w->dev.description->model);
    device_close(&w->dev);
    return say_error(w->address, BIL_E_OTHER_MODEL, why);
}

/* A site knows of each copy whether it was ever brought to a device. */
static void note_sent(const write_call *w, const bil_action *end)
{
    char digest[2 * BIL_SHA256 + 1];
    if (!w->h || (end->u.end.verdict != BIL_VERDICT_VERIFIED && end->u.end.verdict != BIL_VERDICT_WITH_EXCEPTIONS))
        return;
    set_digest_hex(w->totals.digest, digest);
    set_origin o;
    set_origin_of(&o, &w->dev.image);
    json_t *body = json_pack("{s:s,s:s}", "about", digest, "serial", o.serial);
    int error = note_add(&w->h->place, w->owner.folder, "sent", person(w->who), body, NULL);
    if (error)
        say_error(w->h->place.path, error, NULL);
}

/* The machine goes back to work when a person has tried it. Each answer is recorded; true unless one failed. */
static bool ask_for_tests(write_call *w)
{
    const bil_description *d = w->want.description;
    bool person_there = isatty(STDIN_FILENO) && !w->json, good_so_far = true;
    if (!w->json && d->test_count)
        printf("Before the machine goes back to work:\n");
    for (uint8_t i = 0; i < d->test_count; i++) {
        char answer[16] = "";
        const char *result = "open";
        if (!w->json)
            printf("  - %s\n", d->tests[i]);
        if (person_there) {
            fprintf(stderr, "    Is it so? [yes/no/later] ");
            fflush(stderr);
            if (!fgets(answer, sizeof answer, stdin))
                person_there = false;
            result = strcmp(answer, "yes\n") == 0 ? "passed" : strcmp(answer, "no\n") == 0 ? "failed" : "open";
        }
        good_so_far = good_so_far && strcmp(result, "failed") != 0;
        char when[48];
        moment(when, sizeof when);
        record_add(&w->rec, json_pack("{s:s,s:s,s:s,s:s,s:s}", "event", "test", "when", when, "what", d->tests[i],
                                      "result", result, "who", person(w->who)));
    }
    if (!good_so_far)
        fprintf(stderr,
                "  %s✗ a test failed%s: the machine must not go back to work like this. To go back: bilancia undo %s\n",
                bad(), plain(), w->h ? w->owner.name : w->rec.path);
    return good_so_far;
}

static int carry_out(write_call *w)
{
    set_origin o = {0};
    set_origin_of(&o, &w->dev.image);
    set_time_now(o.when, sizeof o.when);
    set_file_stem(&o, w->stem, sizeof w->stem);
    record_story before;
    if (record_newest(w->folder, o.model, o.serial, false, &before)) {
        w->config.found_known = before.held;
        w->config.found = before.found;
        w->found_first = before.found_first;
        w->still_held = before.held;
        if (!before.settled) /* what was begun and not finished: the way back is the one from its beginning */
            snprintf(w->chain, sizeof w->chain, "%s", before.chain);
    }
    w->config.want = &w->want;
    w->config.serial = w->origin.serial;
    w->config.firmware = w->origin.firmware;
    w->job = device_job(&w->dev, BIL_JOB_WRITE, w->config);
    runner r = {.link = w->dev.link,
                .clock = w->dev.clock,
                .password = w->password,
                .ask = ask,
                .record = keep_record,
                .save = save_safety_copy,
                .progress = show_progress,
                .ctx = w};
    bil_action end = run_job(w->job, &r);
    secret_wipe(w->password, sizeof w->password);
    int code = exit_of(&end, w);
    if (w->json)
        put_json(w, &end, code);
    else
        put_verdict(w, &end);
    note_sent(w, &end);
    if (w->rec.file) {
        record_add(&w->rec, json_pack("{s:s,s:s,s:b,s:i}", "event", "end", "verdict",
                                      bil_verdict_name(end.u.end.verdict), "held", (int)end.u.end.held, "exit", code));
        bool proved = end.u.end.verdict == BIL_VERDICT_VERIFIED || end.u.end.verdict == BIL_VERDICT_WITH_EXCEPTIONS;
        if (proved && end.u.end.wrote && !ask_for_tests(w)) /* the write itself has ended, whatever becomes of these */
            code = EXIT_INCOMPLETE;
        record_end(&w->rec);
    }
    free(w->job);
    return code;
}

/* ---- in a site ---- */

int writing_allowed(const write_call *w)
{
    char why[600];
    if (!w->h)
        return -1;
    const json_t *writers = json_object_get(w->owner.card, "writers");
    bool named = json_array_size(writers) == 0;
    size_t i;
    json_t *writer;
    json_array_foreach(writers, i, writer) named =
        named || (json_is_string(writer) && strcmp(json_string_value(writer), person(w->who)) == 0);
    bool trials = strcmp(card_text(&w->owner, "limit"), "trials") == 0 && !w->config.trial && !w->undoes;
    if (trials)
        snprintf(why, sizeof why,
                 "on %s values may only be tried (--trial); bilancia device change --limit none lifts that",
                 w->owner.name);
    else if (strcmp(card_text(&w->owner, "limit"), "reading") == 0)
        snprintf(why, sizeof why, "%s may only be read; bilancia device change --limit none lifts that", w->owner.name);
    else if (!named)
        snprintf(why, sizeof why, "%s may not write to %s", person(w->who), w->owner.name);
    else
        return -1;
    return say_error("", BIL_E_NOT_ALLOWED, why);
}

/* May it be written, and is the copy signed as the device demands? -1, or the exit code. */
static int check_site_rules(write_call *w)
{
    const char *key = card_text(&w->owner, "signed_by");
    char why[600], digest[65];
    int code = writing_allowed(w);
    if (code >= 0)
        return code;
    if (!key[0])
        return -1;
    set_digest_hex(w->totals.digest, digest);
    seal_state seal = seal_check(&w->h->index, w->owner.folder, digest, key);
    if (seal == SEAL_GOOD)
        return -1;
    snprintf(why, sizeof why, "%s takes only copies signed by \"%s\"; this one %s", w->owner.name, key,
             seal == SEAL_BAD ? "has a signature that doesn't fit: it was altered, or somebody else signed it"
                              : "isn't signed by it");
    return say_error(w->copy, BIL_E_SIGNATURE, why);
}

/* The device of the site that is meant, and where its records and copies go. -1, or the exit code. */
int writing_find(write_call *w, const char *device_name, const char *site_given)
{
    char why[STORAGE_PATH + 300];
    w->address = device_name;
    static here h;
    if (site_find(&h.place, site_given, why, sizeof why) != BIL_OK)
        return site_given ? say_error("", BIL_E_NO_SITE, why) : -1;
    int error = here_open(&h, site_given);
    if (error)
        return exit_code_of(error);
    if (!index_device(&h.index, device_name, &w->owner)) {
        here_close(&h);
        return address_is_device(device_name) ? -1 : say_error(device_name, BIL_E_NO_DEVICE, NULL);
    }
    w->h = &h;
    snprintf(w->places[0], STORAGE_PATH, "%s", card_text(&w->owner, "address"));
    w->address = w->places[0];
    error = site_path_made(&h.place, w->owner.folder, "records", w->places[1]);
    if (!error)
        error = site_path_made(&h.place, w->owner.folder, "copies", w->places[2]);
    if (error)
        return say_error(w->places[1], error, NULL);
    w->folder = w->places[1];
    w->safety_folder = w->places[2];
    return -1;
}

static int check_call(const write_call *w)
{
    if (address_is_device(w->copy) || !address_is_device(w->address))
        return say_error("", BIL_E_CALL, "write takes a saved copy and then one device address");
    if (!note_is_good(w->who) || !note_is_good(w->why))
        return say_error("--why, --who", BIL_E_CALL, NOTE_WANTED);
    if (access(w->folder, W_OK | X_OK) != 0)
        return say_error(w->folder, BIL_E_FILE_WRITE, NULL);
    return -1;
}

/* "CHECK=REASON" each. -1, or the exit code. */
static int set_aside(write_call *w)
{
    static const char *const names[] = {
#define CHECK_NAME(NAME, name, what) name,
        BIL_CHECKS(CHECK_NAME)
#undef CHECK_NAME
    };
    w->despite = json_object();
    for (int i = 0; i < BIL_CHECK_COUNT; i++) /* those of the story that this goes on with */
        if (w->config.despite >> i & 1)
            json_object_set_new(w->despite, names[i],
                                json_string(w->undoes ? "going back to what was there before"
                                                      : "as in the first record of this story"));
    for (char **word = w->despite_words; word && *word; word++) {
        int check = BIL_CHECK_COUNT - 1;
        size_t length = strcspn(*word, "=");
        while (check >= 0 && (strlen(names[check]) != length || strncmp(names[check], *word, length) != 0))
            check--;
        if (check < 0 || (*word)[length] != '=' || strlen(*word + length + 1) < 3 || !note_is_good(*word + length + 1))
            return say_error(*word, BIL_E_CALL, "firmware=REASON, hardware=REASON or rules=REASON is wanted");
        w->config.despite |= UINT32_C(1) << check;
        json_object_set_new(w->despite, names[check], json_string(*word + length + 1));
    }
    return -1;
}

int writing_run(write_call *w, const models *m, int password_fd)
{
    turn ours = {.fd = -1};
    char who[300];
    int code = check_call(w);
    if (code < 0)
        code = set_aside(w);
    if (code < 0)
        code = load_copy(w, m);
    if (code < 0 && w->h)
        code = check_site_rules(w);
    if (code < 0 && !turn_take(&ours, w->address, person(w->who), who, sizeof who))
        code = say_error(w->address, BIL_E_TURN, who);
    if (code < 0) {
        take_password(w, password_fd);
        code = open_unit(w, m);
        if (code < 0) {
            ask_password(w);
            code = carry_out(w);
            device_close(&w->dev);
        }
    }
    turn_give(&ours);
    secret_wipe(w->password, sizeof w->password);
    return code;
}

void writing_end(write_call *w)
{
    if (w->h) {
        device_row_free(&w->owner);
        here_close(w->h);
    }
    json_decref(w->despite);
    free(w->want.state);
    free(w);
}

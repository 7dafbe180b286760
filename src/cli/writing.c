#include "cli/writing.h"

#include <jansson.h>
#include <stdlib.h>
#include <string.h>
#include <time.h>
#include <unistd.h>

#include "host/base/arena.h"
#include "host/base/person.h"
#include "host/base/time.h"
#include "host/run/turn.h"
#include "host/site/card.h"
#include "host/site/share.h"
#include "host/site/signing.h"

bil_write_need need_of(const write_call *w, uint16_t i)
{
    return bil_plan_need(&w->dev.image, &w->want, i, bil_job_purpose(w->job), w->config.with_calibration);
}

bil_error exception_of(const write_call *w, uint16_t i)
{
    if (json_object_get(w->without, w->want.description->params[i].id))
        return BIL_OK; /* it is named apart */
    return bil_job_exception(w->job, i);
}

bool ask_at_terminal(const char *question)
{
    tell(stderr, "%s [yes/no] ", question);
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
        preview_count(w);
    } else {
        preview(w, action->u.ask.found);
    }
    fflush(stdout);
    w->changed = story_changes(w, NULL);
    if (w->changed && !json_object_get(w->despite, "changed")) { /* nobody could agree to that beforehand */
        w->declined_without_asking = !terminal;
        return terminal && ask_at_terminal("Overwrite what was changed since, too?");
    }
    if (w->yes)
        return true;
    w->declined_without_asking = !terminal;
    return terminal && ask_at_terminal(w->config.kind == BIL_JOB_RESET ? "Reset the device to its factory values?"
                                       : w->planned                    ? "Write these values to the device?"
                                                                       : "Go on?");
}

/* ---- while it runs ---- */

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

static bool keep_record(void *ctx, const bil_action *action)
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
    set_origin o = {.scope = "all"};
    set_origin_of(&o, have);
    time_now(o.when, sizeof o.when);
    snprintf(o.who, SET_TEXT, "%s", person(w->who));
    snprintf(o.why, SET_TEXT, "%s", why);
    snprintf(o.from, SET_TEXT, "%s", w->address);
    char name[300];
    snprintf(name, sizeof name, "%s_%s.bset", w->stem, ending);
    if (w->h) {
        site_copy_name(&o, name, sizeof name);
        snprintf(o.parent, SET_TEXT, "%s", w->owner.copies ? w->owner.last.digest : "");
    }
    return set_file_save(have, &o, w->safety_folder, name, path, totals);
}

int save_from_device(write_call *w, const char *why, char *path)
{
    bil_set_totals totals;
    return save_values(w, &w->dev.image, why, "after-write", path, &totals);
}

static bool save_safety_copy(void *ctx, const bil_image *have)
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

static void show_progress(void *ctx, const bil_job *job, const bil_action *action)
{
    const write_call *w = ctx;
    bil_job_progress p;
    bil_job_progress_of(job, &p);
    if (action->kind == BIL_ACT_TRANSFER && action->u.transfer.value && action->u.transfer.write)
        progress_line("Writing, don't disconnect", p.done, p.total, p.write_requests);
    else if (w->waits)
        progress_line("Waiting for the restart; the device works meanwhile", 0, 0, 0);
    else if (w->rec.file)
        progress_line("Working, don't disconnect", 0, 0, 0);
    else
        progress_line("Reading", 0, 0, 0);
}

int exit_of(const bil_action *end, const write_call *w)
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
    secret_lock(w->password, sizeof w->password);
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

/* The values before the story that is gone on with, to tell what was changed since by other hands. */
static int load_before(write_call *w)
{
    char why[500];
    set_origin *o = need(1, sizeof *o);
    bil_set_totals totals;
    size_t size = bil_image_size(w->want.description);
    bil_image_init(&w->before, w->want.description, need(1, size), size);
    int error = set_file_load(w->before_path, true, &w->before, o, &totals, why, sizeof why);
    free(o);
    if (error) { /* nobody is kept from putting it right because of that */
        say_error("what was changed meanwhile can't be told", error, why);
        free(w->before.state);
        w->before = (bil_image){0};
        w->before_path[0] = '\0';
    }
    return -1;
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
    error = set_file_load(w->copy, w->undoes, &w->want, &w->origin, &w->totals, why, sizeof why);
    if (error)
        return say_error("", error, why);
    char digest[2 * BIL_SHA256 + 1]; /* of what was loaded, whatever was looked at before */
    set_digest_hex(w->totals.digest, digest);
    if (w->expected_digest[0] && strcmp(digest, w->expected_digest) != 0)
        return say_error(w->copy, BIL_E_SET_ALTERED, "another copy has taken the place of the one that was meant");
    for (uint16_t i = 0; i < d->count; i++) { /* what a whole copy should have and hasn't */
        bool kept = d->params[i].flags & BIL_READABLE && !bil_class_left_out((bil_class)d->params[i].cls);
        if (kept && w->want.state[i] == BIL_ABSENT && strcmp(w->origin.scope, "all") == 0)
            w->want.state[i] = BIL_UNREADABLE;
    }
    return -1;
}

/* What a reset brings, as far as the description knows it. */
static void want_factory_values(write_call *w)
{
    const bil_description *d = w->dev.description;
    size_t size = bil_image_size(d);
    bil_image_init(&w->want, d, need(1, size), size);
    bil_image_copy(&w->want, &w->dev.image);
    for (uint16_t i = 0; i < d->count; i++)
        if (d->factory && d->factory_known[i])
            bil_image_put(&w->want, i, d->factory + d->params[i].raw_at);
        else
            w->want.state[i] = BIL_ABSENT;
    set_origin_of(&w->origin, &w->dev.image);
}

/* Only the groups named are written; the others are as if the copy didn't have them. -1, or the exit code. */
static int keep_groups(write_call *w)
{
    const bil_description *d = w->want.description;
    if (!w->groups || !w->groups[0])
        return -1;
    for (const char *name = w->groups; *name;) {
        size_t length = strcspn(name, ",");
        bool known = false;
        for (uint16_t i = 0; i < d->count && !known; i++)
            known = strncmp(d->params[i].id, name, length) == 0 && d->params[i].id[length] == '.';
        if (!known || length == 0) {
            char why[200];
            snprintf(why, sizeof why, "%s has no group \"%.*s\": a group is the part of an id before its first dot",
                     d->model, (int)(length < 100 ? length : 100), name);
            return say_error("--group", BIL_E_CALL, why);
        }
        name += length + (name[length] == ',');
    }
    w->in_copy = need(d->count, 1);
    memcpy(w->in_copy, w->want.state, d->count);
    for (uint16_t i = 0; i < d->count; i++) {
        bool in = false;
        for (const char *name = w->groups; *name && !in;) {
            size_t length = strcspn(name, ",");
            in = strncmp(d->params[i].id, name, length) == 0 && d->params[i].id[length] == '.';
            name += length + (name[length] == ',');
        }
        if (!in)
            w->want.state[i] = BIL_ABSENT;
    }
    return -1;
}

static uint8_t *named(const write_call *w, const char *ids, const char **unknown)
{
    const bil_description *d = w->want.description;
    uint8_t *list = need(d->count, 1);
    *unknown = NULL;
    for (const char *id = ids; *id && !*unknown;) {
        size_t length = strcspn(id, ",");
        int32_t index = bil_description_find(d, id, length);
        if (index < 0)
            *unknown = id;
        else
            list[index] = 1;
        id += length + (id[length] == ',');
    }
    return list;
}

/* Values left out, each with its reason, and those of which only the name is known. -1, or the exit code. */
static int leave_out(write_call *w)
{
    const bil_description *d = w->want.description;
    const char *unknown;
    w->without = json_object();
    for (const char *id = w->without_before ? w->without_before : ""; *id;) {
        size_t length = strcspn(id, ",");
        char name[BIL_ID_MAX + 1];
        snprintf(name, sizeof name, "%.*s", (int)length, id);
        json_object_set_new(w->without, name, json_string("it was left out before in this story"));
        id += length + (id[length] == ',');
    }
    for (char **word = w->without_words; word && *word; word++) {
        size_t length = strcspn(*word, "=");
        char name[BIL_ID_MAX + 1];
        if (!(*word)[length] || length > BIL_ID_MAX || strlen(*word + length + 1) < 3 ||
            !note_is_good(*word + length + 1))
            return say_error(*word, BIL_E_CALL, "--without ID=REASON is wanted");
        snprintf(name, sizeof name, "%.*s", (int)length, *word);
        json_object_set_new(w->without, name, json_string(*word + length + 1));
    }
    const char *id;
    json_t *why;
    json_object_foreach(w->without, id, why)
    {
        int32_t index = bil_description_find(d, id, strlen(id));
        if (index < 0)
            return say_error(id, BIL_E_UNKNOWN_PARAMETER, NULL);
        w->want.state[index] = BIL_UNREADABLE;
    }
    w->by_name = named(w, w->unseen ? w->unseen : "", &unknown);
    w->config.by_name = w->by_name;
    return unknown ? say_error(unknown, BIL_E_UNKNOWN_PARAMETER, NULL) : -1;
}

/* "now", "idle", "by-hand", "never", or a time of day. -1, or the exit code. */
static int take_restart(write_call *w)
{
    enum { IDLE_HOURS = 12 };
    static const char *const words[] = {"never", "now", "idle", NULL, "by-hand"};
    const char *word = w->restart_word;
    uint64_t now = w->dev.clock.ops->now_ms(w->dev.clock.ctx);
    if (!word)
        return -1;
    w->config.restart_ms = now + (uint64_t)IDLE_HOURS * 3600000;
    for (int i = 0; i < BIL_RESTART_COUNT; i++)
        if (words[i] && strcmp(word, words[i]) == 0) {
            w->config.restart = (bil_restart)i;
            if (i == BIL_RESTART_IDLE && w->dev.description->state_idle == 0)
                return say_error("--restart idle", BIL_E_CALL,
                                 "the description doesn't say in which states the machine stands by itself");
            if (i == BIL_RESTART_BY_HAND && !isatty(STDIN_FILENO))
                return say_error("--restart by-hand", BIL_E_PERSON, NULL);
            return -1;
        }
    unsigned hour, minute;
    int used = 0;
    if (sscanf(word, "%2u:%2u%n", &hour, &minute, &used) != 2 || word[used] || hour > 23 || minute > 59)
        return say_error(word, BIL_E_CALL, "a restart comes now, idle, by-hand, never, or at a time like 22:30");
    time_t today = time(NULL);
    struct tm at;
    localtime_r(&today, &at);
    at.tm_hour = (int)hour;
    at.tm_min = (int)minute;
    at.tm_sec = 0;
    at.tm_isdst = -1;
    if (mktime(&at) <= today) {
        at.tm_mday++;
        at.tm_isdst = -1;
    }
    w->config.restart = BIL_RESTART_AT;
    w->config.restart_ms = now + (uint64_t)(mktime(&at) - today) * 1000;
    return -1;
}

/* The address with another unit number. */
static bool other_number(const char *text, uint32_t unit, char out[ADDRESS_TEXT])
{
    char why[200];
    address where;
    if (address_parse(text, &where, why, sizeof why) != BIL_OK)
        return false;
    where.unit = (int)BIL_UNIT_NUMBER(unit);
    address_text(&where, out);
    return true;
}

static int open_at(write_call *w, const char *where, const models *m, char *why, size_t size)
{
    char serial[BIL_VALUE_TEXT];
    progress_line("Connecting", 0, 0, 0);
    int error = device_open(&w->dev, where, m, why, size);
    if (error || !w->expected_serial)
        return error;
    bil_image_identity(&w->dev.image, BIL_ID_SERIAL, serial, sizeof serial);
    if (strcmp(serial, w->expected_serial) == 0)
        return BIL_OK;
    snprintf(why, size, "serial number %s answers there, not %s", serial, w->expected_serial);
    device_close(&w->dev);
    return BIL_E_OTHER_UNIT;
}

/* Finds the unit: at its address, or, after a write that changed that and broke off, where it may be by now. */
static int open_unit(write_call *w, const models *m)
{
    char why[500], there[ADDRESS_TEXT], other[500];
    int error = open_at(w, w->address, m, why, sizeof why);
    if (error && w->recorded_address && address_is_device(w->recorded_address) &&
        strcmp(w->recorded_address, w->address) != 0 &&
        open_at(w, w->recorded_address, m, other, sizeof other) == BIL_OK) {
        w->address = w->recorded_address;
        error = BIL_OK;
    }
    for (size_t i = 0; error && i < sizeof w->numbers / sizeof w->numbers[0]; i++)
        if (w->numbers[i] && other_number(w->address, w->numbers[i], there) && strcmp(there, w->address) != 0 &&
            open_at(w, there, m, other, sizeof other) == BIL_OK) {
            snprintf(w->moved_address, sizeof w->moved_address, "%s", there);
            w->address = w->moved_address;
            error = BIL_OK;
        }
    progress_clear();
    if (error)
        return say_error(w->address, error, why);
    address where;
    if (address_parse(w->address, &where, why, sizeof why) == BIL_OK)
        w->config.unit = BIL_UNIT(where.unit);
    if (w->config.kind == BIL_JOB_RESET) {
        want_factory_values(w);
    }
    if (models_is_disputed(m, w->want.description) && !w->goes_on && !w->rehearse) {
        device_close(&w->dev);
        return say_error(
            w->want.description->model, BIL_E_DISPUTED,
            "there are two descriptions of this model that differ, and nobody has decided which one counts");
    }
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
    if (!w->h || w->config.kind == BIL_JOB_RESET || (w->groups && w->groups[0]) ||
        (end->u.end.verdict != BIL_VERDICT_VERIFIED && end->u.end.verdict != BIL_VERDICT_WITH_EXCEPTIONS))
        return;
    set_digest_hex(w->totals.digest, digest);
    set_origin o;
    set_origin_of(&o, &w->dev.image);
    json_t *body = json_pack("{s:s,s:s}", "about", digest, "serial", o.serial);
    int error = note_add(&w->h->place, w->owner.folder, "sent", person(w->who), body, NULL);
    if (error)
        say_error(w->h->place.path, error, NULL);
}

/* The device answers elsewhere now: the site has to know. */
static void note_address(write_call *w, const bil_action *end)
{
    bool moved = end->u.end.verdict == BIL_VERDICT_VERIFIED || end->u.end.verdict == BIL_VERDICT_WITH_EXCEPTIONS;
    if (bil_job_unit_after(w->job) && bil_job_unit_after(w->job) != w->config.unit && moved)
        other_number(w->address, bil_job_unit_after(w->job), w->moved_address);
    if (!w->moved_address[0] || !moved)
        return;
    if (!w->json)
        say("It answers at %s now.\n", w->moved_address);
    if (!w->h || strcmp(card_text(&w->owner, "address"), w->moved_address) == 0)
        return;
    json_t *card = w->owner.card ? json_deep_copy(w->owner.card) : json_object();
    json_object_set_new(card, "address", json_string(w->moved_address));
    json_object_set_new(card, "after", index_heads(&w->h->index, w->owner.folder, "device"));
    int error = note_add(&w->h->place, w->owner.folder, "device", person(w->who), card, NULL);
    if (error)
        say_error(w->h->place.path, error, NULL);
}

static int carry_out(write_call *w)
{
    set_origin o = {0};
    set_origin_of(&o, &w->dev.image);
    time_now(o.when, sizeof o.when);
    set_file_stem(&o, w->stem, sizeof w->stem);
    record_story before;
    ledger known;
    int error = ledger_open(&known);
    if (error || known.broken)
        say_error("the ledger of this computer", error ? error : BIL_E_RECORD_FORM,
                  "it can't be read as a whole: an unfinished write that was recorded elsewhere may go unnoticed");
    w->after = story_heads(w->folder, &known, o.model, o.serial);
    if (story_newest(w->folder, &known, o.model, o.serial, false, &before)) {
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
        if (!before.settled && ours) /* what was begun and not finished: the way back is the one from its beginning */
            snprintf(w->chain, sizeof w->chain, "%s", before.chain);
    }
    ledger_close(&known);
    w->config.serial_shared = w->h && index_serial_shared(&w->h->index, o.model, o.serial, w->owner.folder);
    w->config.want = &w->want;
    w->config.serial = w->origin.serial;
    w->config.firmware = w->origin.firmware;
    w->job = device_job(&w->dev, w->config.kind, w->config);
    runner r = {.link = w->dev.link,
                .clock = w->dev.clock,
                .password = w->password,
                .ask = ask,
                .record = keep_record,
                .save = save_safety_copy,
                .progress = show_progress,
                .ctx = w};
    bil_action end = run_job(w->job, &r);
    int code = exit_of(&end, w);
    if (w->json)
        put_json(w, &end, code);
    else
        put_verdict(w, &end);
    note_sent(w, &end);
    note_address(w, &end);
    if (w->rec.file) {
        record_add(&w->rec, record_outcome_line(&end, code));
        bool proved = end.u.end.verdict == BIL_VERDICT_VERIFIED || end.u.end.verdict == BIL_VERDICT_WITH_EXCEPTIONS;
        /* an unfinished story may have written all of it before: nobody tried the machine then */
        bool changed = proved && (end.u.end.wrote || w->chain[0]);
        bool passed = !changed || ask_for_tests(w);
        if (!passed) /* the write itself has ended, whatever becomes of these */
            code = EXIT_INCOMPLETE;
        if (end.u.end.stopped && end.u.end.verdict != BIL_VERDICT_INCOMPLETE && !start_again(w, passed))
            code = EXIT_INCOMPLETE;
        if (changed)
            offer_copy(w);
        record_end(&w->rec);
        ledger_end(w->rec.intent, w->rec.last);
    }
    free(w->job);
    return code;
}

/* ---- in a site ---- */

int writing_allowed(const write_call *w)
{
    char why[600], from[STORAGE_PATH];
    bool tries = w->config.trial || w->undoes;
    person_limit limit = limit_of_person(from, sizeof from);
    if (limit == LIMIT_READING || (limit == LIMIT_TRIALS && !tries)) {
        snprintf(why, sizeof why, "%.300s limits you to %s", from, limit == LIMIT_READING ? "reading" : "trials");
        return say_error("", BIL_E_NOT_ALLOWED, why);
    }
    return -1;
}

/* Does one device of a site, at this place or with this unit, let it be? What this computer began is finished and
 * undone whatever the cards say by now: they may have been changed to stand in the way. */
typedef struct cards {
    const write_call *w;
    site_index *index;
    int code;
} cards;

static bool ask_card(void *ctx, const device_row *row)
{
    cards *c = ctx;
    const write_call *w = c->w;
    char unclear[400], why[700], digest[65];
    card_wish wish = {.person = person(w->who),
                      .tries = w->config.trial || w->undoes,
                      .despite = json_object_get(w->despite, "card") != NULL};
    index_unclear(c->index, row, unclear, sizeof unclear);
    int error = card_allows(row->card, row->name, unclear, &wish, why, sizeof why);
    const char *key = card_text(row, "signed_by");
    if (!error && key[0] && !unclear[0] && w->config.kind != BIL_JOB_RESET) {
        set_digest_hex(w->totals.digest, digest);
        seal_state seal = seal_check(c->index, row->folder, digest, key);
        snprintf(why, sizeof why, "%.200s takes only copies signed by \"%.100s\"; this one %s", row->name, key,
                 seal == SEAL_BAD ? "has a signature that doesn't fit: it was altered, or somebody else signed it"
                                  : "isn't signed by it");
        error = seal == SEAL_GOOD ? BIL_OK : BIL_E_SIGNATURE;
    }
    if (error)
        c->code = say_error(error == BIL_E_SIGNATURE ? w->copy : "", error, why);
    return !error;
}

/* What one site says of this place and unit; its files are read for that, not what the index remembers. */
static int ask_site(const write_call *w, here *h, const char *at)
{
    char model[BIL_VALUE_TEXT], serial[BIL_VALUE_TEXT];
    cards c = {w, &h->index, -1};
    bil_image_identity(&w->dev.image, BIL_ID_MODEL, model, sizeof model);
    bil_image_identity(&w->dev.image, BIL_ID_SERIAL, serial, sizeof serial);
    if (!index_reread(&h->index, NULL, false))
        return say_error(h->place.path, BIL_E_CARD, "the site can't be read now");
    index_each_at(&h->index, at, w->dev.description->model, serial, ask_card, &c);
    if (c.code < 0 && w->h == h) { /* and the one that was named, wherever it answers */
        device_row *row = need(1, sizeof *row);
        if (index_folder(&h->index, w->owner.folder, row)) {
            ask_card(&c, row);
            device_row_free(row);
        } else {
            c.code = say_error(w->owner.name, BIL_E_NO_DEVICE, "it was taken out of the site a moment ago");
        }
        free(row);
    }
    return c.code;
}

/* Every site that has a say: the one given or that we are in, and those of the copy and of the record. */
static int ask_sites(write_call *w)
{
    enum { COPY = 1, RECORD, SITES };
    char seen[SITES][STORAGE_PATH] = {""}, folder[STORAGE_PATH], why[STORAGE_PATH + 300];
    int code = -1;
    for (size_t i = 0; i < SITES && code < 0 && !w->goes_on; i++) {
        here *its = need(1, sizeof *its);
        bool mine = i == 0 && w->h;
        int found = mine ? BIL_OK : BIL_E_NO_SITE;
        if (i == 0 && !mine)
            found = site_find(&its->place, w->site_given, why, sizeof why);
        if (i == COPY && w->copy[0]) {
            folder_of(w->copy, folder);
            found = site_around(&its->place, folder, why, sizeof why);
        }
        if (i == RECORD && w->record_folder)
            found = site_around(&its->place, w->record_folder, why, sizeof why);
        bool has = found == BIL_OK;
        snprintf(seen[i], STORAGE_PATH, "%s", !has ? "" : mine ? w->h->place.path : its->place.path);
        for (size_t k = 0; k < i; k++)
            has = has && strcmp(seen[k], seen[i]) != 0;
        if (has && mine) {
            code = ask_site(w, w->h, w->address);
        } else if (has && here_open(its, seen[i]) != BIL_OK) {
            code = EXIT_FILE;
        } else if (has) {
            code = ask_site(w, its, w->address);
            here_close(its);
        } else if (found != BIL_OK && found != BIL_E_NO_SITE) {
            code = say_error("", BIL_E_CARD, why); /* there is one, and what it says can't be read */
        }
        free(its);
    }
    return code;
}

int writing_copy(write_call *w, const char *text, const char *site_given, char place[STORAGE_PATH])
{
    int error = place_of_copy(text, site_given, place, w->expected_digest);
    w->copy = place;
    return error ? exit_code_of(error) : -1;
}

/* The device of the site that is meant, and where its records and copies go. -1, or the exit code. */
int writing_find(write_call *w, const char *device_name, const char *site_given)
{
    char why[STORAGE_PATH + 300];
    w->address = device_name;
    w->site_given = site_given;
    static here h;
    if (site_find(&h.place, site_given, why, sizeof why) != BIL_OK)
        return site_given ? say_error("", BIL_E_NO_SITE, why) : -1;
    int error = here_open(&h, site_given);
    if (error)
        return exit_code_of(error);
    error = index_find(&h.index, device_name, &w->owner, why, sizeof why);
    if (error) {
        here_close(&h);
        return address_is_device(device_name) ? -1
                                              : say_error(device_name, error, error == BIL_E_DISPUTED ? why : NULL);
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
    if (w->config.kind == BIL_JOB_RESET && !address_is_device(w->address))
        return say_error(w->address, BIL_E_CALL, "a device address, or the name of a device of the site, is wanted");
    if (w->config.kind != BIL_JOB_RESET && (address_is_device(w->copy) || !address_is_device(w->address)))
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
                                json_string(w->config.kind == BIL_JOB_RESET ? "a reset brings what the maker chose"
                                            : w->undoes                     ? "going back to what was there before"
                                                                            : "as in the first record of this story"));
    for (char **word = w->despite_words; word && *word; word++) {
        int check = BIL_CHECK_COUNT - 1;
        size_t length = strcspn(*word, "=");
        static const char *const others[] = {"changed=", "card=", "turn="};
        size_t other = 0;
        while (other < 3 && strncmp(*word, others[other], strlen(others[other])) != 0)
            other++;
        const char *reason = *word + (other < 3 ? strlen(others[other]) : 0);
        if (other < 3 && strlen(reason) > 2 && note_is_good(reason)) {
            json_object_set_new(w->despite, (const char *[]){"changed", "card", "turn"}[other], json_string(reason));
            continue;
        }
        while (check >= 0 && (strlen(names[check]) != length || strncmp(names[check], *word, length) != 0))
            check--;
        if (check < 0 || (*word)[length] != '=' || strlen(*word + length + 1) < 3 || !note_is_good(*word + length + 1))
            return say_error(*word, BIL_E_CALL,
                             "firmware=REASON is wanted, or so with hardware, rules, changed, card or turn");
        w->config.despite |= UINT32_C(1) << check;
        json_object_set_new(w->despite, names[check], json_string(*word + length + 1));
    }
    return -1;
}

/* One turn for the place and one for the unit, so that it is the same however either is written. A stuck one is set
 * aside by name. -1, or the exit code. */
static int take_turn(write_call *w, turn *ours, const char *what)
{
    char who[400];
    if (turn_take(ours, what, person(w->who), who, sizeof who) || json_object_get(w->despite, "turn"))
        return -1;
    return say_error(w->address, BIL_E_TURN, who);
}

static int take_unit_turn(write_call *w, turn *ours)
{
    char serial[BIL_VALUE_TEXT], what[2 * BIL_VALUE_TEXT + 10];
    bil_image_identity(&w->dev.image, BIL_ID_SERIAL, serial, sizeof serial);
    snprintf(what, sizeof what, "unit %s %s", w->dev.description->model, serial);
    return serial[0] ? take_turn(w, ours, what) : -1;
}

int writing_run(write_call *w, const models *m, int password_fd)
{
    turn place = {.fd = -1}, unit = {.fd = -1};
    char where[ADDRESS_TEXT];
    int code = check_call(w);
    if (code < 0)
        code = set_aside(w);
    bool resets = w->config.kind == BIL_JOB_RESET;
    if (code < 0 && !resets)
        code = load_copy(w, m);
    if (code < 0 && !resets && w->before_path[0])
        code = load_before(w);
    if (code < 0 && !resets)
        code = keep_groups(w);
    if (code < 0 && !resets)
        code = leave_out(w);
    if (code < 0)
        code = writing_allowed(w);
    if (code < 0)
        code = take_turn(w, &place, address_place(w->address, where) ? where : w->address);
    if (code < 0) {
        take_password(w, password_fd);
        code = open_unit(w, m);
        if (code < 0) {
            code = take_unit_turn(w, &unit);
            if (code < 0)
                code = ask_sites(w);
            if (code < 0)
                ask_password(w);
            if (code < 0)
                code = take_restart(w);
            if (code < 0 && w->rehearse)
                code = rehearse(w);
            if (code < 0 && w->rehearse != REHEARSE_ONLY)
                code = carry_out(w);
            device_close(&w->dev);
            code = code < 0 ? EXIT_DONE : code;
        }
    }
    turn_give(&unit);
    turn_give(&place);
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
    json_decref(w->without);
    json_decref(w->after);
    free(w->by_name);
    free(w->want.state);
    free(w->before.state);
    free(w->in_copy);
    free(w);
}

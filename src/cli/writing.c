/* The whole write: prepared, carried out, told. */
#include <jansson.h>
#include <stdlib.h>
#include <string.h>
#include <unistd.h>

#include "cli/writing_inside.h"
#include "host/base/time.h"
#include "host/run/turn.h"
#include "host/site/card.h"

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

/* The story that this write goes on with, or follows: what the records of this unit say, and whose they are. */
static void find_story(write_call *w, const set_origin *o)
{
    record_story before;
    ledger known;
    int error = ledger_open(&known);
    if (error || known.broken)
        say_error("the ledger of this computer", error ? error : BIL_E_RECORD_FORM,
                  "it can't be read as a whole: an unfinished write that was recorded elsewhere may go unnoticed");
    w->after = story_heads(w->folder, &known, o->model, o->serial);
    if (story_newest(w->folder, &known, o->model, o->serial, false, &before)) {
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
}

/* The outcome is recorded, then what a person tries. The exit code. */
static int close_record(write_call *w, const bil_action *end, int code)
{
    record_add(&w->rec, record_outcome_line(end, code));
    bool proved = end->u.end.verdict == BIL_VERDICT_VERIFIED || end->u.end.verdict == BIL_VERDICT_WITH_EXCEPTIONS;
    /* an unfinished story may have written all of it before: nobody tried the machine then */
    bool changed = proved && (end->u.end.wrote || w->chain[0]);
    bool passed = !changed || ask_for_tests(w);
    if (!passed) /* the write itself has ended, whatever becomes of these */
        code = EXIT_INCOMPLETE;
    if (end->u.end.stopped && end->u.end.verdict != BIL_VERDICT_INCOMPLETE && !start_again(w, passed))
        code = EXIT_INCOMPLETE;
    if (changed)
        offer_copy(w);
    record_end(&w->rec);
    ledger_end(w->rec.intent, w->rec.last);
    return code;
}

static int carry_out(write_call *w)
{
    set_origin o = {0};
    set_origin_of(&o, &w->dev.image);
    time_now(o.when, sizeof o.when);
    set_file_stem(&o, w->stem, sizeof w->stem);
    find_story(w, &o);
    w->config.serial_shared = w->h && index_serial_shared(&w->h->index, o.model, o.serial, w->owner.folder);
    w->config.want = &w->want;
    w->config.serial = w->origin.serial;
    w->config.firmware = w->origin.firmware;
    w->job = device_job(&w->dev, w->config.kind, w->config);
    runner r = {.link = w->dev.link,
                .clock = w->dev.clock,
                .password = w->password,
                .ask = ask,
                .record = write_keep_record,
                .save = write_save_safety_copy,
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
    if (w->rec.file)
        code = close_record(w, &end, code);
    free(w->job);
    return code;
}

int writing_run(write_call *w, const models *m, int password_fd)
{
    turn place = {.fd = -1}, unit = {.fd = -1};
    char where[ADDRESS_TEXT];
    int code = write_check_call(w);
    if (code < 0)
        code = write_set_aside(w);
    bool resets = w->config.kind == BIL_JOB_RESET;
    if (code < 0 && !resets)
        code = write_load_copy(w, m);
    if (code < 0 && !resets && w->before_path[0])
        code = write_load_before(w);
    if (code < 0 && !resets)
        code = write_keep_groups(w);
    if (code < 0 && !resets)
        code = write_leave_out(w);
    if (code < 0)
        code = writing_allowed(w);
    if (code < 0)
        code = write_take_turn(w, &place, address_place(w->address, where) ? where : w->address);
    if (code < 0) {
        write_take_password(w, password_fd);
        code = write_open_unit(w, m);
        if (code < 0) {
            code = write_take_unit_turn(w, &unit);
            if (code < 0)
                code = write_ask_sites(w);
            if (code < 0)
                write_ask_password(w);
            if (code < 0)
                code = write_take_restart(w);
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

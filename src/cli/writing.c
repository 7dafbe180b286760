#include "cli/writing.h"
#include "cli/asking.h"
#include "cli/interrupt.h"

#include <string.h>
#include <unistd.h>

#include "show/need.h"

/* ---- a call ---- */

writing *writing_new(bil_job_kind kind)
{
    writing *x = need(1, sizeof *x);
    x->fd = -1;
    x->w.copy = "";
    x->w.place.fd = x->w.unit.fd = -1;
    x->w.config.kind = kind;
    x->w.config.restart = BIL_RESTART_NOW;
    return x;
}

int writing_begin(writing *x, call *c, const command *self, int argc, const char **argv, struct poptOption *options,
                  int least, int most)
{
    int code = call_begin(c, self, argc, argv, options, least, most);
    if (code >= 0) {
        free(x);
        return code;
    }
    x->w.who = x->who;
    x->w.why = x->why;
    x->w.yes = x->yes;
    return -1;
}

int writing_find(writing *x, const char *name)
{
    trouble t;
    int error = BIL_OK;
    if (x->folder)
        keeper_in_folder(&x->at, x->folder, name, x->given);
    else
        error = keeper_find(&x->at, name, x->given, &t);
    x->w.keep = x->at.keep;
    return error ? say_trouble(&t) : -1;
}

int writing_copy(writing *x, const char *text)
{
    x->w.copy = text;
    if (x->folder)
        return -1;
    int error = place_of_copy(text, x->given, x->copy, x->w.expected_digest);
    x->w.copy = x->copy;
    return error ? exit_code_of(error) : -1;
}

int writing_models(writing *x)
{
    return catalogue_at_hand(&x->m, x->description, x->given) == BIL_OK ? -1 : EXIT_FILE;
}

int writing_end(writing *x, call *c, int code)
{
    code = call_end(c, code); /* the options point into the call */
    write_end(&x->w);
    leave_keeper(&x->at);
    free(x);
    return code;
}

/* ---- what the write asks and tells ---- */

static write_answer ask(void *ctx, const write_call *w, write_question question, const char *text)
{
    (void)ctx;
    progress_clear();
    fflush(stdout);
    if (!isatty(STDIN_FILENO))
        return WRITE_NOBODY;
    char acts[700];
    snprintf(acts, sizeof acts, "The machine is at work, and these act at once: %s. May they?", text);
    const char *words = question == WRITE_IS_IT_DONE         ? text
                        : question == WRITE_MAY_ACT          ? acts
                        : question == WRITE_MAY_TAKE_CHANGED ? "Overwrite what was changed since, too?"
                        : w->config.kind == BIL_JOB_RESET    ? "Reset the device to its factory values?"
                        : w->planned                         ? "Write these values to the device?"
                                                             : "Go on?";
    return ask_at_terminal(words) ? WRITE_YES : WRITE_NO;
}

static bool password(void *ctx, bool may_ask, char *out, size_t size)
{
    const writing *x = ctx;
    if (!may_ask) {
        bool has = secret_from_environment("BILANCIA_PASSWORD", out, size); /* which takes it out there in any case */
        return x->fd >= 0 ? secret_from_fd(x->fd, out, size) : has;
    }
    if (!isatty(STDIN_FILENO))
        return false;
    progress_clear();
    return secret_from_prompt("Password of the device: ", out, size);
}

static void preview(void *ctx, const write_call *w)
{
    const writing *x = ctx;
    progress_clear();
    if (!x->json)
        put_preview(w);
    fflush(stdout);
}

static void event(void *ctx, const write_call *w, const bil_action *action)
{
    const writing *x = ctx;
    if (x->json || action->u.record.event == BIL_EV_INTENT || action->u.record.event == BIL_EV_VERDICT)
        return;
    progress_clear();
    say("  · %s", bil_event_text(action->u.record.event));
    if (action->u.record.param != BIL_NONE)
        say(": %s", w->want.description->params[action->u.record.param].id);
    putchar('\n');
    fflush(stdout);
}

static void saved(void *ctx, const write_call *w)
{
    const writing *x = ctx;
    progress_clear();
    if (!x->json)
        say("Safety copy  %s\nRecord       %s\n", w->safety, w->rec.path);
}

static void doing(void *ctx, write_phase phase, const bil_job_progress *p)
{
    static const char *const words[] = {"Connecting", "Reading", "Working, don't disconnect",
                                        "Writing, don't disconnect",
                                        "Waiting for the restart; the device works meanwhile"};
    (void)ctx;
    progress_line(words[phase], p->done, phase == WRITE_WRITING ? p->total : 0, p->write_requests);
}

static void doubt(void *ctx, const char *what, int error, const char *why)
{
    (void)ctx;
    say_error(what, error, why);
}

/* ---- afterwards ---- */

/* One question, its answer recorded. */
static void confirm(writing *x, bool warning, const char *what, bool *person_there, unsigned counts[3])
{
    static const record_result results[] = {RECORD_FAILED, RECORD_PASSED, RECORD_OPEN};
    record_result result = results[ask_of_test(what, warning, person_there)];
    counts[result]++;
    if (result != RECORD_OPEN)
        write_told(&x->w, warning, what, result);
}

static void confirm_all(writing *x, bool warning, const bil_reminder *list, uint8_t count, bool *person_there,
                        unsigned counts[3])
{
    bool any = false;
    for (uint8_t i = 0; i < count; i++) {
        if (!write_concerns(&x->w, &list[i]))
            continue;
        if (!any)
            say(warning ? "To be expected meanwhile, and to be over now:\n"
                        : "Before the machine goes back to work:\n");
        any = true;
        confirm(x, warning, list[i].text, person_there, counts);
    }
}

/* The machine goes back to work when a person has tried it. True unless something failed. */
static bool ask_for_tests(writing *x)
{
    const bil_description *d = x->w.want.description;
    bool person_there = isatty(STDIN_FILENO);
    unsigned counts[3] = {0};
    char name[4 * STORAGE_PATH + 3];
    if (x->json) /* nobody is asked, and they stay open */
        return true;
    confirm_all(x, true, d->expect, d->expect_count, &person_there, counts);
    confirm_all(x, false, d->tests, d->test_count, &person_there, counts);
    pasted(write_name(&x->w), name, sizeof name);
    if (counts[RECORD_FAILED])
        tell(stderr,
             "  %s✗ a test failed%s: the machine must not go back to work like this. To go back: bilancia undo %s\n",
             bad(), plain(), name);
    if (counts[RECORD_OPEN] && x->w.keep.name)
        say("%s!%s %u of these %s open. To answer later: bilancia tried %s\n", warn(), plain(), counts[RECORD_OPEN],
            counts[RECORD_OPEN] == 1 ? "is" : "are", name);
    return counts[RECORD_FAILED] == 0;
}

/* The machine was at work when this began and stands now: a question of its own decides whether it is set to work
 * again. True unless it was to and didn't. */
static bool start_again(writing *x, bool tests_passed)
{
    write_call *w = &x->w;
    char state[BIL_VALUE_TEXT];
    bool can = write_can_start(w), agreed = w->start_again && tests_passed;
    if (!state_text(w->want.description, w->found, state))
        return true;
    if (can && tests_passed && !agreed && !x->json && isatty(STDIN_FILENO)) {
        tell(stderr, "%s!%s It was %s when this began; it stands now, and may move when it starts.\n", bad(), plain(),
             state);
        agreed = ask_at_terminal("Is everybody clear of it: set it to work again now?");
    }
    if (!agreed || !can) {
        if (!x->json)
            say("%s!%s It was %s when this began, and isn't started by itself: start it at the machine.\n", warn(),
                plain(), state);
        return true;
    }
    if (write_start(w) != BIL_OK) {
        say_trouble(&w->trouble);
        return false;
    }
    if (!x->json)
        say("%s✓%s It is %s again.\n", good(), plain(), state);
    return true;
}

/* Values that are on the device now and in no copy: a fresh one is offered. */
static void offer_copy(writing *x)
{
    write_call *w = &x->w;
    unsigned count = write_beside_the_copy(w);
    if (w->keep.in_site || count == 0 || x->json)
        return;
    say("No saved copy is up to date with the device now (%u value%s).", count, count == 1 ? "" : "s");
    if (!isatty(STDIN_FILENO) || w->yes) {
        say(" To take one: bilancia read %s\n", w->keep.address);
        return;
    }
    putchar('\n');
    fflush(stdout);
    if (!ask_at_terminal("Save one from what was just read back?"))
        return;
    int error = write_save(w, "after a write");
    if (error)
        say_error(w->keep.copies, error, NULL);
    else
        say("Saved  %s\n", w->present);
}

/* ---- all of it ---- */

static int carry_out(writing *x)
{
    write_call *w = &x->w;
    write_run(w);
    progress_clear();
    int code = w->already ? EXIT_DONE : exit_code_of_end(&w->end, w->file_error);
    if (x->json)
        put_write_json(w, code);
    else
        put_verdict(w);
    if (w->moved && !x->json)
        say("It answers at %s now.\n", w->moved_address);
    if (w->present[0] && !x->json)
        say("Copy after   %s\n", w->present);
    bool tests = write_wants_tests(w), passed = !tests || ask_for_tests(x);
    if (!passed) /* the write itself has ended, whatever becomes of these */
        code = EXIT_INCOMPLETE;
    if (write_stopped(w) && !start_again(x, passed))
        code = EXIT_INCOMPLETE;
    if (tests)
        offer_copy(x);
    return code;
}

int writing_run(writing *x)
{
    write_call *w = &x->w;
    write_answers answers = {.ask = ask,
                             .password = password,
                             .preview = preview,
                             .event = event,
                             .saved = saved,
                             .doing = doing,
                             .doubt = doubt,
                             .person_there = isatty(STDIN_FILENO),
                             .ctx = x};
    int code = writing_words(x);
    if (code >= 0)
        return code;
    interrupt_begin();
    w->stop = interrupted;
    int error = write_begin(w, &x->m, &answers);
    progress_clear();
    if (error)
        code = say_trouble(&w->trouble);
    else if (w->rehearse)
        code = writing_rehearse(x);
    if (code < 0 && w->rehearse != REHEARSE_ONLY)
        code = carry_out(x);
    interrupt_end();
    return code < 0 ? EXIT_DONE : code;
}

#include "cli/writing.h"

#include <jansson.h>
#include <stdlib.h>
#include <string.h>
#include <unistd.h>

#include "bilancia/words.h"
#include "cli/asking.h"
#include "cli/interrupt.h"
#include "cli/password.h"
#include "show/need.h"
#include "show/writing.h"

/* ---- what the write asks and tells ---- */

static bil_write_answer ask(void *ctx, const bil_writing *w, bil_write_question question, const char *text)
{
    const writing *x = ctx;
    progress_clear();
    fflush(stdout);
    if (!isatty(STDIN_FILENO) || (x->json && question == BIL_MAY_START))
        return BIL_ANSWER_NOBODY;
    if (question == BIL_MAY_START)
        tell(stderr, "%s!%s It was %s when this began; it stands now, and may move when it starts.\n", bad(), plain(),
             text);
    char acts[700];
    snprintf(acts, sizeof acts, "The machine is at work, and these act at once: %s. May they?", text);
    const char *words = question == BIL_IS_IT_DONE         ? text
                        : question == BIL_MAY_START        ? "Is everybody clear of it: set it to work again now?"
                        : question == BIL_MAY_ACT          ? acts
                        : question == BIL_MAY_TAKE_CHANGED ? "Overwrite what was changed since, too?"
                        : x->resets                        ? "Reset the device to its factory values?"
                        : bil_writing_planned(w)           ? "Write these values to the device?"
                                                           : "Go on?";
    return ask_at_terminal(words) ? BIL_ANSWER_YES : BIL_ANSWER_NO;
}

static bool password(void *ctx, const char *which, bool may_ask, char *out, size_t size)
{
    writing *x = ctx;
    bool has = library_password(&x->l, "", which, may_ask, out, size);
    return !may_ask && x->fd >= 0 ? password_from_fd(x->fd, out, size) : has;
}

/* One that was given beforehand isn't asked for again: that it is wrong ends the write. */
static bool passphrase(void *ctx, const bil_writing *w, bool wrong, char *out, size_t size)
{
    writing *x = ctx;
    (void)w;
    if (!wrong && x->passphrase_fd >= 0)
        return password_from_fd(x->passphrase_fd, out, size);
    if (!wrong && password_from_environment("BILANCIA_PASSPHRASE", out, size))
        return x->given = true;
    if (!isatty(STDIN_FILENO) || x->given || x->passphrase_fd >= 0)
        return false;
    progress_clear();
    return password_from_prompt(wrong ? "That isn't it. Passphrase of the secrets sealed in the copy: "
                                      : "Passphrase of the secrets sealed in the copy (Enter leaves them out): ",
                                out, size);
}

static void preview(void *ctx, const bil_writing *w)
{
    const writing *x = ctx;
    progress_clear();
    if (!x->json)
        put_preview(w);
    fflush(stdout);
}

static void event(void *ctx, const bil_writing *w, bil_event what, uint16_t index)
{
    const writing *x = ctx;
    if (x->json || what == BIL_EV_INTENT || what == BIL_EV_VERDICT)
        return;
    progress_clear();
    say("  · %s", bil_event_text(what));
    if (index != BIL_NONE && what == BIL_EV_VALUE_REFUSED) /* what comes after it is about the device */
        say(": %s", bil_writing_description(w)->params[index].id);
    putchar('\n');
    fflush(stdout);
}

static void saved(void *ctx, const bil_writing *w)
{
    const writing *x = ctx;
    progress_clear();
    if (!x->json)
        say("Safety copy  %s\nRecord       %s\n", bil_writing_safety(w), bil_writing_record(w));
}

static void collected(void *ctx, const bil_writing *w, const char *id, const char *path)
{
    const writing *x = ctx;
    (void)w;
    progress_clear();
    if (!x->json)
        put_collected(id, path, 11);
}

static void doing(void *ctx, const bil_writing *w, bil_write_phase phase, const bil_job_progress *p)
{
    static const char *const words[] = {"Connecting", "Reading", "Working, don't disconnect",
                                        "Writing, don't disconnect",
                                        "Waiting for the restart; the device works meanwhile"};
    const writing *x = ctx;
    (void)w;
    if (interrupted(NULL)) /* a signal may have come before there was anything to cancel */
        bil_cancel(x->l.host);
    progress_line(words[phase], "values", p->done, phase == BIL_PHASE_WRITING ? p->total : 0, p->write_requests);
}

static void moving(void *ctx, const bil_writing *w, const char *id, uint64_t done, uint64_t all)
{
    (void)ctx;
    (void)w;
    progress_file(all ? "Writing, don't disconnect:" : "Reading", id, done, all);
}

static void ended(void *ctx, const bil_writing *w, const bil_ending *e)
{
    writing *x = ctx;
    progress_clear();
    x->told = true;
    if (x->json) {
        put_write_json(w, exit_code_of_ending(e));
        return;
    }
    put_verdict(w);
    if (e->moved)
        say("It answers at %s now.\n", e->address);
    if (e->present[0])
        say("Copy after   %s\n", e->present);
}

static bil_write_answer tried(void *ctx, const bil_writing *w, bool test, const char *what)
{
    writing *x = ctx;
    (void)w;
    if (x->json) /* nobody is asked, and they stay open */
        return BIL_ANSWER_NOBODY;
    if (!x->asked[test])
        say(test ? "Before the machine goes back to work:\n" : "To be expected meanwhile, and to be over now:\n");
    x->asked[test] = true;
    bil_write_answer answer = ask_of_test(what, !test, &x->person);
    x->failed += answer == BIL_ANSWER_NO;
    x->open += answer == BIL_ANSWER_NOBODY;
    return answer;
}

/* Values that are on the device now and in no copy: a fresh one is offered. */
static bool save_present(void *ctx, const bil_writing *w, unsigned count)
{
    const writing *x = ctx;
    (void)w;
    if (x->json)
        return false;
    say("No saved copy is up to date with the device now (%u value%s).", count, count == 1 ? "" : "s");
    if (!isatty(STDIN_FILENO) || x->yes)
        return false;
    putchar('\n');
    fflush(stdout);
    return ask_at_terminal("Save one from what was just read back?");
}

/* ---- a call ---- */

writing *writing_new(void)
{
    writing *x = need(1, sizeof *x);
    x->fd = x->passphrase_fd = -1;
    return x;
}

static void take_options(writing *x)
{
    bil_write_wish *wish = &x->wish;
    x->person = isatty(STDIN_FILENO);
    wish->struct_size = sizeof *wish;
    wish->why = x->why;
    wish->folder = x->folder;
    wish->yes = x->yes;
    wish->person_there = x->person;
    wish->start_again = x->start_again;
    wish->with_calibration = x->calibration;
    wish->trial = x->trial;
    wish->groups = x->groups;
    wish->unseen = x->unseen;
    wish->serial = x->serial;
    wish->prove = x->prove;
    wish->ask = ask;
    wish->password = password;
    wish->passphrase = passphrase;
    wish->preview = preview;
    wish->event = event;
    wish->saved = saved;
    wish->collect = x->collect;
    wish->collected = collected;
    wish->doing = doing;
    wish->moving = moving;
    wish->tried = tried;
    wish->ended = ended;
    wish->save_present = save_present;
    wish->ctx = x;
}

int writing_begin(writing *x, const command *self, int argc, const char **argv, struct poptOption *options, int least,
                  int most)
{
    int code = library_begin(&x->l, self, argc, argv, options, least, most, false);
    if (code >= 0) {
        free(x);
        return code;
    }
    take_options(x);
    code = library_takes(&x->l, "--why", x->why);
    if (code < 0)
        code = writing_words(x);
    return code < 0 ? -1 : writing_end(x, code);
}

int writing_device(writing *x, const char *where, bil_device **dev)
{
    int error = bil_device_named(x->l.host, where, dev);
    return error ? library_failed(&x->l, error) : -1;
}

int writing_end(writing *x, int code)
{
    code = library_end(&x->l, code); /* the options point into the call */
    writing_stage_free(x);
    free(x->reasons);
    free(x);
    return code;
}

/* ---- afterwards ---- */

void writing_starts(writing *x)
{
    interrupt_begin(x->l.host);
}

static void tell_tests(const writing *x, const bil_ending *e)
{
    char name[4 * 4200 + 3];
    pasted(e->called, name, sizeof name);
    if (x->failed)
        tell(stderr,
             "  %s✗ a test failed%s: the machine must not go back to work like this. To go back: bilancia undo %s%s\n",
             bad(), plain(), name, next_job());
    if (x->open && e->in_site)
        say("%s!%s %u of these %s open. To answer later: bilancia tried %s%s\n", warn(), plain(), x->open,
            x->open == 1 ? "is" : "are", name, next_site());
}

/* The machine was at work when this began: does it work again? False where it was to and didn't. */
static bool tell_start(const writing *x, const bil_ending *e)
{
    if (!e->stopped || !e->record[0] || e->verdict == BIL_VERDICT_INCOMPLETE || !e->was[0])
        return true;
    if (e->start_error)
        say_error(e->address, e->start_error, NULL);
    else if (!x->json && e->started)
        say("%s✓%s It is %s again.\n", good(), plain(), e->was);
    else if (!x->json)
        say("%s!%s It was %s when this began, and isn't started by itself: start it at the machine.\n", warn(), plain(),
            e->was);
    return !e->start_error;
}

static void tell_copy(const writing *x, const bil_ending *e)
{
    char word[1200];
    if (x->json || !e->beside)
        return;
    if (e->present[0])
        say("Saved  %s\n", e->present);
    else if (!isatty(STDIN_FILENO) || x->yes)
        say(" To take one: bilancia read %s%s\n", pasted(e->address, word, sizeof word), next_job());
}

int writing_over(writing *x, int error, const bil_ending *e)
{
    progress_clear();
    interrupt_end();
    if (error)
        return library_failed(&x->l, error);
    int code = exit_code_of_ending(e);
    if (!x->told)
        return code;
    tell_tests(x, e);
    if (x->failed) /* the write itself has ended, whatever becomes of these */
        code = EXIT_INCOMPLETE;
    if (!tell_start(x, e))
        code = EXIT_INCOMPLETE;
    tell_copy(x, e);
    return code;
}

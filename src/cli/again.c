/* What resume, keep and undo share: after a write that broke off, or to go back to what was before it. */
#include <stdlib.h>
#include <string.h>
#include <unistd.h>

#include "cli/again.h"
#include "cli/interrupt.h"
#include "host/write/again.h"
#include "show/age.h"
#include "show/need.h"

/* The record that is meant: a file, or the newest of a device of the site. */
static int find_record(again *a, writing *x, const char *which)
{
    write_call *w = &x->w;
    int error;
    if (storage_ends_with(which, ".brec")) {
        folder_of(which, a->folder);
        keeper_in_folder(&x->at, a->folder, "", x->given);
        w->keep = x->at.keep;
        error = again_of_record(a, w, which);
    } else {
        trouble t;
        error = keeper_find(&x->at, which, x->given, &t);
        w->keep = x->at.keep;
        if (error)
            return say_trouble(&t);
        if (!w->keep.in_site)
            return say_error(which, BIL_E_NO_RECORD, NULL);
        error = again_of_device(a, w);
    }
    if (!error && x->folder)
        w->keep.copies = w->keep.records = x->folder;
    return error ? say_trouble(&w->trouble) : -1;
}

/* What somebody else's record asks for, whole; then it takes the serial number from a person's own hand, which no file
 * can give. -1, or the exit code. */
static int agree_to_foreign(again *a, writing *x, const char *verb, const char *serial)
{
    const record_story *s = &a->first;
    static const char *const checks[] = {
#define CHECK_NAME(NAME, name, what) name,
        BIL_CHECKS(CHECK_NAME)
#undef CHECK_NAME
    };
    bool undoes = a->undoes;
    const char *what = s->serial[0] ? "serial number" : "address";
    char typed[SET_TEXT] = "", why[2 * STORAGE_PATH];
    tell(stderr, "%sThis record isn't of this computer:%s what it says is shown, and counts once you agree.\n", bold(),
         plain());
    tell(stderr, "  Record          %s\n  Written         %s by %s, as it says\n", a->last.path, s->when,
         s->who[0] ? s->who : "nobody named");
    tell(stderr, "  Unit            %s, serial number %s, at %s\n", s->model, s->serial[0] ? s->serial : "none",
         a->last.address);
    tell(stderr, "  Would write     %s%s\n",
         undoes && !s->undoes   ? s->safety[0] ? s->safety : "nothing: there is no copy of what was before"
         : s->resets && !undoes ? "the factory values"
                                : s->copy,
         s->groups[0] && !undoes ? ", some groups" : "");
    tell(stderr, "  As              %s%s%s\n", bil_purpose_name(undoes ? BIL_RESTORE : (bil_purpose)s->purpose),
         s->with_calibration ? ", with calibration" : "", s->without[0] ? ", with values left out: " : "");
    if (s->without[0])
        tell(stderr, "                  %s\n", s->without);
    tell(stderr, "  Found in state  %u%s\n  Checks it set aside, which hold again now:", (unsigned)a->last.found,
         a->last.held ? ", and left held" : "");
    uint32_t aside = again_aside(a);
    for (int i = 0; i < BIL_CHECK_COUNT; i++)
        if (aside >> i & 1)
            tell(stderr, " %s", checks[i]);
    tell(stderr, "%s\n", aside ? "" : " none");
    if (a->ours_too)
        tell(stderr, "  What this computer began here itself: bilancia %s %s\n", verb, a->ours);
    if (serial) {
        snprintf(typed, sizeof typed, "%s", serial);
    } else if (isatty(STDIN_FILENO)) {
        tell(stderr, "To agree, type the %s of the unit in front of you: ", what);
        line_typed(typed, sizeof typed);
    } else {
        snprintf(why, sizeof why,
                 "it isn't of this computer, and nobody can be asked here; to agree say --serial and the %s", what);
        return say_error(a->last.path, BIL_E_FOREIGN, why);
    }
    return again_agree(a, &x->w, typed) == BIL_OK ? -1 : say_trouble(&x->w.trouble);
}

static void say_story(const again *a)
{
    const record_story *s = &a->first;
    char age[64];
    age_text(s->when, age, sizeof age);
    say("%sRecord%s   %s\n", bold(), plain(), a->last.path);
    say("         begun %s by %s; %s\n", age, s->who[0] ? s->who : "nobody named",
        !a->last.verdict[0]                     ? "it was broken off"
        : a->last.held                          ? "it ended with the device still held"
        : a->last.on_trial                      ? "its values are on trial"
        : strcmp(a->last.verdict, "incomplete") ? "it came to its end"
                                                : "it ended incomplete");
    say("         %s\n\n", a->undoes ? "going back to what was there before" : "going on from what is there now");
}

/* Goes on with the record found. The exit code. */
static int go_on(again *a, writing *x, const command *self, again_what what, const char *which, const char *serial)
{
    write_call *w = &x->w;
    int code = -1;
    if (what == AGAIN_KEEP && !a->last.on_trial)
        code = say_error(which, BIL_E_NO_RECORD, "nothing is on trial there");
    if (code < 0 && !a->undoes && a->last.finished) {
        say("Nothing is left to finish: the last write ended \"%s\".\n", a->last.verdict);
        code = EXIT_DONE;
    }
    if (code < 0 && a->foreign)
        code = agree_to_foreign(a, x, self->name, serial);
    if (code < 0 && again_choose(a, w) != BIL_OK)
        code = say_trouble(&w->trouble);
    if (code < 0)
        code = writing_models(x);
    if (code < 0 && again_take_description(a, w, &x->m) != BIL_OK)
        code = say_trouble(&w->trouble);
    if (code >= 0)
        return code;
    if (!x->json)
        say_story(a);
    return writing_run(x);
}

int again_run(const command *self, int argc, const char **argv, again_what what)
{
    char *serial = NULL;
    writing *x = writing_new(BIL_JOB_WRITE);
    struct poptOption options[] = {{"serial", 0, POPT_ARG_STRING, &serial, 0,
                                    "the serial number of the unit: to agree to a record of another computer",
                                    "NUMBER"},
                                   HOW_OPTIONS(x),
                                   WRITING_OPTIONS(x),
                                   POPT_TABLEEND};
    call c;
    int code = writing_begin(x, &c, self, argc, argv, options, 1, 1);
    if (code >= 0)
        return code;
    again *a = need(1, sizeof *a);
    again_open(a, what == AGAIN_UNDO);
    code = find_record(a, x, c.arguments[0]);
    if (code < 0)
        code = go_on(a, x, self, what, c.arguments[0], serial);
    code = writing_end(x, &c, code);
    again_close(a);
    free(a);
    return code;
}

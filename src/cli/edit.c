/* bilancia edit: changes values in a saved copy, with no device there. */
#include <stdlib.h>
#include <string.h>

#include "cli/new_copy.h"
#include "show/need.h"

typedef struct edit_call {
    char *of, *values, *folder, *why, *who, *given;
    filter_words words;
} edit_call;

/* What passes the filter of another copy or device; what can't be taken over is named. */
static int take_over(new_copy *n, side *other, const finding_filter *filter)
{
    finding one;
    findings *f = calloc(1, sizeof *f);
    if (!f)
        no_memory();
    unsigned taken = 0, kept = 0;
    int code = -1;
    findings_begin(f, other, 1, filter, false);
    while (code < 0 && findings_next(f, &one) == 1) {
        int error = one.item->cls == BIL_CLASS_UNIT ? BIL_E_NOT_YOURS : edit_take(&n->work, one.item);
        if (error == BIL_E_NOT_YOURS || error == BIL_E_UNREADABLE)
            kept++;
        else if (error)
            code = say_error(other->text, error, n->work.why);
        else
            taken++;
    }
    if (code < 0 && f->damaged >= 0)
        code = say_error("", f->error, side_why(other));
    if (code < 0 && !taken)
        code = say_error(filter->group   ? filter->group
                         : filter->match ? filter->match
                                         : other->text,
                         BIL_E_CALL,
                         f->like.best[0] ? "nothing there to take over; did you mean another group or id?"
                                         : "nothing there to take over");
    if (code < 0)
        say("Taken from %s: %u value%s%s\n", other->text, taken, taken == 1 ? "" : "s",
            kept ? "; what belongs to the unit or couldn't be read stays" : "");
    free(f);
    return code;
}

static int take_from(new_copy *n, const edit_call *e, const catalogue *m)
{
    finding_filter filter;
    const char *text = e->of;
    int error = filter_of(&e->words, &filter);
    if (error)
        return exit_code_of(error);
    side *sides = calloc(2, sizeof *sides);
    if (!sides)
        no_memory();
    int code = sides_open(sides, &text, 1, m, e->given);
    if (code < 0) {
        snprintf(sides[1].origin.model, SET_TEXT, "%s", n->work.from.origin.model);
        code = sides_fit(sides, 2);
        if (code < 0)
            code = take_over(n, sides, &filter);
        side_close(&sides[0]);
    }
    free(sides);
    return code;
}

static int change(new_copy *n, const edit_call *e, const catalogue *m, const char **assignments)
{
    int code = -1, error = BIL_OK;
    if (e->of)
        code = take_from(n, e, m);
    if (code < 0 && e->values)
        error = edit_import(&n->work, e->values);
    for (; code < 0 && !error && *assignments; assignments++) {
        char id[BIL_ID_MAX + 1];
        const char *equals = strchr(*assignments, '=');
        if (!equals || (size_t)(equals - *assignments) >= sizeof id)
            return say_error(*assignments, BIL_E_CALL, "ID=VALUE is wanted");
        snprintf(id, sizeof id, "%.*s", (int)(equals - *assignments), *assignments);
        error = edit_set(&n->work, id, equals + 1);
    }
    return error ? say_error("", error, n->work.why) : code;
}

/* What the new copy has in another way than the one it comes from. */
static int show_changes(new_copy *n, const catalogue *m)
{
    if (!n->path[0])
        return EXIT_DONE;
    side *sides = calloc(2, sizeof *sides);
    if (!sides)
        no_memory();
    const char *texts[] = {n->source, n->path};
    showing s = {0};
    int code = sides_open(sides, texts, 2, m, NULL);
    if (code < 0) {
        code = show_findings(&s, sides, 2, &(finding_filter){0});
        sides_close(sides, 2);
    }
    free(sides);
    return code == EXIT_DIFFERENT ? EXIT_DONE : code;
}

static int run(const command *self, int argc, const char **argv)
{
    edit_call e = {0};
    char *description = NULL;
    struct poptOption options[] = {
        {"take-from", 't', POPT_ARG_STRING, &e.of, 0, "take values over from another copy or device", "COPY"},
        FILTER_OPTIONS(e.words),
        {"values", 'v', POPT_ARG_STRING, &e.values, 0, "values from a table with the columns id and value", "FILE.csv"},
        NEW_COPY_OPTIONS(e.folder, e.why, e.who),
        {"description", 'd', POPT_ARG_STRING, &description, 0, "a description to try first", "FILE"},
        SITE_OPTION(e.given),
        HELP_OPTION,
        POPT_TABLEEND};
    call c;
    int code = call_begin(&c, self, argc, argv, options, 1, 1000);
    if (code >= 0)
        return code;
    const finding_filter none = {e.words.group, e.words.match, e.words.cls, e.words.safety};
    if (!note_is_good(e.who) || !note_is_good(e.why))
        return call_end(&c, say_error("--why, --who", BIL_E_CALL, NOTE_WANTED));
    if (filter_is_set(&none) && !e.of)
        return call_end(&c, say_error("--group, --match, --class, --safety", BIL_E_CALL,
                                      "they say what to take over: --take-from COPY is missing"));
    if (c.count == 1 && !e.of && !e.values)
        return call_end(&c, say_error(c.arguments[0], BIL_E_CALL,
                                      "say what changes: ID=VALUE, --values FILE.csv, or --take-from COPY"));
    catalogue m;
    int error = catalogue_at_hand(&m, description, e.given);
    if (error)
        return call_end(&c, exit_code_of(error));
    new_copy *n = malloc(sizeof *n);
    if (!n)
        no_memory();
    code = new_copy_open(n, c.arguments[0], &m, e.given, e.folder);
    if (code < 0) {
        code = change(n, &e, &m, c.arguments + 1);
        if (code < 0)
            code = new_copy_save(n, person(e.who), e.why ? e.why : "changed offline");
        if (code < 0)
            code = show_changes(n, &m);
        new_copy_close(n);
    }
    free(n);
    return call_end(&c, code);
}

const command command_edit = {
    "edit",
    "[options] COPY [ID=VALUE...]",
    "changes values in a saved copy, with no device there; the result is a new copy",
    "  bilancia edit crusher#last limit.torque=120 ramp.up='3.5 s' --why 'softer start'\n"
    "  bilancia edit crusher#last --take-from kneader-1#baseline --group regulator\n"
    "  bilancia edit crusher#last --values season.csv           columns id and value, as a report has them\n"
    "The old copy stays as it is. Nothing is sent to a device.\n",
    run,
    210};

/* bilancia edit: changes values in a saved copy, with no device there. */
#include <stdlib.h>
#include <string.h>

#include "cli/new_copy.h"
#include "show/need.h"

typedef struct edit_call {
    library l;
    char *of, *values, *side, *folder, *why;
    filter_words words;
} edit_call;

/* What passes the filter of another copy or device. */
static int take_from(bil_copy *copy, const edit_call *e)
{
    bil_look_wish wish;
    unsigned taken, stay;
    int code = look_wish_of(&e->words, &wish);
    if (code >= 0)
        return code;
    int error = bil_copy_take_from(copy, e->of, &wish, &taken, &stay);
    progress_clear();
    if (error)
        return library_failed(&e->l, error);
    say("Taken from %s: %u value%s%s\n", e->of, taken, taken == 1 ? "" : "s",
        stay ? "; what belongs to the unit or couldn't be read stays" : "");
    return -1;
}

static int change(bil_copy *copy, const edit_call *e, const char **assignments)
{
    int code = e->of ? take_from(copy, e) : -1, error = BIL_OK;
    if (code < 0 && e->values)
        error = bil_copy_import(copy, e->values, e->side);
    for (; code < 0 && !error && *assignments; assignments++)
        error = bil_copy_assign(copy, *assignments);
    return error ? library_failed(&e->l, error) : code;
}

/* What the new copy has in another way than the one it comes from. */
static int show_changes(edit_call *e, const new_copy *n)
{
    const char *const sides[] = {n->source, n->path};
    showing s = {0};
    bil_look_wish wish = {.struct_size = sizeof wish};
    int code = n->path[0] ? look_at(&e->l, &s, sides, 2, &wish) : EXIT_DONE;
    return code == EXIT_DIFFERENT ? EXIT_DONE : code;
}

static int edit(edit_call *e, const char **arguments, int count)
{
    if (filter_is_given(&e->words) && !e->of)
        return say_error("--group, --match, --class, --safety", BIL_E_CALL,
                         "they say what to take over: --take-from COPY is missing");
    if (count == 1 && !e->of && !e->values)
        return say_error(arguments[0], BIL_E_CALL,
                         "say what changes: ID=VALUE, --values FILE.csv, or --take-from COPY");
    new_copy *n = need(1, sizeof *n);
    bil_copy *copy;
    int code = library_takes(&e->l, "--why", e->why);
    if (code < 0)
        code = new_copy_open(n, &e->l, arguments[0], &copy);
    if (code < 0) {
        code = change(copy, e, arguments + 1);
        if (code < 0)
            code = new_copy_save(n, &e->l, copy, e->folder, e->why ? e->why : "changed offline");
        bil_copy_close(copy);
        if (code < 0)
            code = show_changes(e, n);
    }
    free(n);
    return code;
}

static int run(const command *self, int argc, const char **argv)
{
    edit_call e = {0};
    struct poptOption options[] = {
        {"take-from", 't', POPT_ARG_STRING, &e.of, 0, "take values over from another copy or device", "COPY"},
        FILTER_OPTIONS(e.words),
        {"values", 'v', POPT_ARG_STRING, &e.values, 0,
         "values from a table: a settings sheet, or one with the columns id and value", "FILE.csv"},
        {"side", 0, POPT_ARG_STRING, &e.side, 0, "of the table of a comparison: which side's values", "Left|Right|A|B"},
        NEW_COPY_OPTIONS(e.folder, e.why, e.l.who),
        {"description", 'd', POPT_ARG_STRING, &e.l.description, 0, "a description to try first", "FILE"},
        SITE_OPTION(e.l.given),
        HELP_OPTION,
        POPT_TABLEEND};
    int code = library_begin(&e.l, self, argc, argv, options, 1, 1000, false);
    return code >= 0 ? code : library_end(&e.l, edit(&e, e.l.c.arguments, e.l.c.count));
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

/* bilancia check: are copies and descriptions whole and sound? Needs no device. */
#include <string.h>

#include "bilancia/look.h"
#include "cli/library.h"

/* By itself: what else is at hand has no say in it. */
static int check_description(const char *path)
{
    bil_host_config config = {.struct_size = sizeof config, .site = "", .description = path};
    library own = {0};
    int error = bil_host_open(&own.host, &config);
    if (error) {
        int code = library_failed(&own, error);
        bil_host_close(own.host);
        return code;
    }
    const bil_description *d = bil_host_description(own.host, 0);
    say("%s✓ sound%s  %s: %s %s, revision %u, %u parameters, %u rules, %u procedures\n", good(), plain(), path,
        d->vendor, d->model, d->revision, d->count, d->rule_count, d->procedure_count);
    char digest[65], doubt[300];
    if (bil_host_digest(own.host, d, digest) == BIL_OK)
        say("  digest %s\n", digest);
    for (unsigned i = 0; bil_host_doubt(own.host, d, i, doubt, sizeof doubt) == BIL_OK && doubt[0]; i++)
        say("  %s!%s %s\n", warn(), plain(), doubt);
    bil_host_close(own.host);
    return EXIT_DONE;
}

static int check_rules(const char *path, bil_copy *copy)
{
    char why[500];
    int code = EXIT_DONE;
    for (int rule = -1; (rule = bil_copy_rule(copy, (unsigned)(rule + 1), why, sizeof why)) >= 0;)
        code = say_error(path, BIL_E_RULE, why);
    return code;
}

static void say_whole(const char *path, const char *vendor, const char *model, const char *serial, unsigned values)
{
    say("%s✓ whole and unaltered%s  %s: %s %s, serial number %s, %u values", good(), plain(), path, vendor, model,
        serial, values);
}

/* Without its description: whole and unaltered is all that can be told. */
static int check_without(library *l, const char *path, int why)
{
    bil_look *look;
    bil_finding one;
    unsigned values = 0;
    int got, error = bil_look_open(l->host, &path, 1, NULL, &look);
    if (error)
        return library_failed(l, error);
    while ((got = bil_look_next(look, &one)) == 1)
        values += one.relation != BIL_REL_UNREADABLE;
    if (got == 0) {
        say_whole(path, bil_look_says(look, 0, BIL_ID_VENDOR), bil_look_says(look, 0, BIL_ID_MODEL),
                  bil_look_says(look, 0, BIL_ID_SERIAL), values);
        say("\n  ! types and limits were not checked: %s\n", why == BIL_E_OTHER_LAYOUT
                                                                 ? "the description of this model has another layout"
                                                                 : "there is no description of this model");
    }
    int code = got < 0 ? library_failed(l, -got) : EXIT_DONE;
    bil_look_close(look);
    return code;
}

static int check_set(library *l, const char *path)
{
    bil_copy *copy;
    int error = bil_copy_open(l->host, path, &copy);
    if (error == BIL_E_UNKNOWN_MODEL || error == BIL_E_OTHER_LAYOUT)
        return check_without(l, path, error);
    if (error)
        return library_failed(l, error);
    int code = check_rules(path, copy);
    const bil_copy_info *o = bil_copy_tells(copy);
    if (code == EXIT_DONE) {
        say_whole(path, o->vendor, o->model, o->serial, o->values);
        say("; each within its limits, and the rules between them hold\n");
    }
    bil_copy_close(copy);
    return code;
}

/* This description counts for its model, for the person at this computer. */
static int decide(library *l, const char *digits)
{
    const bil_description *d;
    char digest[65] = "";
    int error = bil_host_decide(l->host, digits, &d);
    if (error)
        return library_failed(l, error);
    bil_host_digest(l->host, d, digest);
    say("%s✓ decided%s  for you at this computer: of %s the description %.12s counts in this site\n", good(), plain(),
        d->model, digest);
    return EXIT_DONE;
}

static bool is_yaml(const char *path)
{
    const char *ending = strrchr(path, '.');
    return ending && (strcmp(ending, ".yaml") == 0 || strcmp(ending, ".yml") == 0);
}

static int run(const command *self, int argc, const char **argv)
{
    char *digits = NULL;
    library l = {0};
    struct poptOption options[] = {
        {"description", 'd', POPT_ARG_STRING, &l.description, 0, "a description to use", "FILE"},
        {"decide", 0, POPT_ARG_STRING, &digits, 0,
         "of two descriptions of one model the one with this digest counts, for you at this computer", "DIGEST"},
        SITE_OPTION(l.given),
        HELP_OPTION,
        POPT_TABLEEND};
    int code = library_begin(&l, self, argc, argv, options, 0, 10000, false);
    if (code >= 0)
        return code;
    if (digits)
        return library_end(&l, decide(&l, digits));
    if (l.c.count == 0)
        return library_end(&l, say_error("", BIL_E_CALL, "say which file"));
    code = EXIT_DONE;
    for (int i = 0; i < l.c.count; i++) {
        const char *path = l.c.arguments[i];
        int one = is_yaml(path) ? check_description(path) : check_set(&l, path);
        code = one > code ? one : code;
    }
    return library_end(&l, code);
}

const command command_check = {"check",
                               "[options] FILE...",
                               "checks saved copies (.bset) and descriptions (.yaml), no device needed",
                               "  bilancia check *.bset my-model.yaml\n",
                               run,
                               230};

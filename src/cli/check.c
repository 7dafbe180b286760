/* bilancia check: are copies and descriptions whole and sound? Needs no device. */
#include <stdlib.h>
#include <string.h>

#include "cli/site_cli.h"
#include "host/base/decided.h"
#include "host/copy/load.h"
#include "host/describe/doubt.h"
#include "host/describe/load.h"
#include "host/describe/rule_text.h"
#include "show/need.h"

static int check_description(const char *path)
{
    loaded_description loaded;
    char why[500];
    int error = description_load(&loaded, path, why, sizeof why);
    if (error)
        return say_error("", error, why);
    const bil_description *d = &loaded.table;
    say("%s✓ sound%s  %s: %s %s, revision %u, %u parameters, %u rules, %u procedures\n", good(), plain(), path,
        d->vendor, d->model, d->revision, d->count, d->rule_count, d->procedure_count);
    char doubt[300];
    char digest[65];
    if (catalogue_digest(d, digest))
        say("  digest %s\n", digest);
    for (unsigned i = 0; description_doubt(d, i, doubt, sizeof doubt); i++)
        say("  %s!%s %s\n", warn(), plain(), doubt);
    description_free(&loaded);
    return EXIT_DONE;
}

static int check_rules(const char *path, const loaded_copy *copy)
{
    const bil_description *d = copy->description;
    uint16_t params[2];
    char why[500];
    int code = EXIT_DONE;
    bil_values values = bil_image_values(&copy->image);
    for (int32_t rule = -1; (rule = bil_rule_broken(d, values, (uint16_t)(rule + 1), params)) >= 0;) {
        rule_text(d, (uint16_t)rule, params, values, why, sizeof why);
        code = say_error(path, BIL_E_RULE, why);
    }
    return code;
}

static int check_set(const char *path, const catalogue *m)
{
    loaded_copy *copy = need(1, sizeof *copy);
    int error = copy_load(copy, path, m, false), code;
    bool whole = !error || error == BIL_E_UNKNOWN_MODEL || error == BIL_E_OTHER_LAYOUT;
    const set_origin *o = &copy->origin;
    code = !whole ? say_error("", error, copy->why) : error ? EXIT_DONE : check_rules(path, copy);
    if (whole && code == EXIT_DONE) {
        say("%s✓ whole and unaltered%s  %s: %s %s, serial number %s, %u values", good(), plain(), path, o->vendor,
            o->model, o->serial, copy->totals.values);
        if (!error)
            say("; each within its limits, and the rules between them hold\n");
        else
            say("\n  ! types and limits were not checked: %s\n",
                error == BIL_E_OTHER_LAYOUT ? "the description of this model has another layout"
                                            : "there is no description of this model");
    }
    copy_unload(copy);
    free(copy);
    return code;
}

/* This description counts for its model, for the person at this computer. */
static int decide(const char *digits, const char *site_given)
{
    open_site *h = need(1, sizeof *h);
    catalogue m;
    char why[STORAGE_PATH + 300], digest[65], found[65] = "";
    const bil_description *d = NULL;
    int error = site_find(&h->place, site_given, why, sizeof why);
    if (error)
        say_error("", error, why);
    if (!error)
        error = catalogue_open(&m, NULL);
    if (!error)
        error = take_models(h, &m);
    bool several = false;
    for (size_t i = 0; !error && strlen(digits) >= 6 && i < m.count; i++)
        if (catalogue_digest(m.list[i], digest) && strncmp(digest, digits, strlen(digits)) == 0) {
            several = d && strcmp(digest, found) != 0;
            d = m.list[i];
            strcpy(found, digest);
        }
    int code = error ? exit_code_of(error) : EXIT_DONE;
    if (!error && (!d || several))
        code = say_error(digits, BIL_E_CALL,
                         "no description at hand has this digest; at least six of its digits are wanted");
    else if (!error && (error = decided_add(DECIDED_DESCRIPTION, h->place.id, d->model, found)))
        code = say_error("", error, NULL);
    else if (!error)
        say("%s✓ decided%s  for you at this computer: of %s the description %.12s counts in this site\n", good(),
            plain(), d->model, found);
    free(h);
    return code;
}

static bool is_yaml(const char *path)
{
    const char *ending = strrchr(path, '.');
    return ending && (strcmp(ending, ".yaml") == 0 || strcmp(ending, ".yml") == 0);
}

static int run(const command *self, int argc, const char **argv)
{
    char *description = NULL, *digits = NULL, *given = NULL;
    struct poptOption options[] = {
        {"description", 'd', POPT_ARG_STRING, &description, 0, "a description to use", "FILE"},
        {"decide", 0, POPT_ARG_STRING, &digits, 0,
         "of two descriptions of one model the one with this digest counts, for you at this computer", "DIGEST"},
        SITE_OPTION(given),
        {"help", 'h', POPT_ARG_NONE, NULL, 'h', "this text", NULL},
        POPT_TABLEEND};
    call c;
    int code = call_begin(&c, self, argc, argv, options, 0, 10000);
    if (code >= 0)
        return code;
    if (digits)
        return call_end(&c, decide(digits, given));
    if (c.count == 0)
        return call_end(&c, say_error("", BIL_E_CALL, "say which file"));
    catalogue m;
    int error = catalogue_open(&m, description);
    if (error)
        return call_end(&c, exit_code_of(error));
    code = EXIT_DONE;
    for (int i = 0; i < c.count; i++) {
        int one = is_yaml(c.arguments[i]) ? check_description(c.arguments[i]) : check_set(c.arguments[i], &m);
        if (one > code)
            code = one;
    }
    return call_end(&c, code);
}

const command command_check = {"check",
                               "[options] FILE...",
                               "checks saved copies (.bset) and descriptions (.yaml), no device needed",
                               "  bilancia check *.bset my-model.yaml\n",
                               run,
                               230};

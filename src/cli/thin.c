/* bilancia thin: deletes old copies by a rule, after showing which. */
#include "cli/library.h"

static void put_copy(void *ctx, const bil_site_device *owner, const bil_site_copy *copy)
{
    const bil_thinning *t = ctx;
    char word[CALLED];
    say("  %s %s#%s  %s  %s\n", t->deletes ? "deleted" : "would go:", owner->name, called(copy, word), copy->when,
        copy->why);
}

static int run(const command *self, int argc, const char **argv)
{
    library l = {0};
    bil_thinning t = {.struct_size = sizeof t, .days = 30, .weeks = 26, .months = 60, .each = put_copy, .ctx = &t};
    int yes = 0;
    struct poptOption options[] = {
        {"days", 0, POPT_ARG_INT, &t.days, 0, "all copies of so many days stay (30)", "N"},
        {"weeks", 0, POPT_ARG_INT, &t.weeks, 0, "of so many weeks before, the newest of each (26)", "N"},
        {"months", 0, POPT_ARG_INT, &t.months, 0, "of so many months before, the newest of each (60)", "N"},
        {"yes", 'y', POPT_ARG_NONE, &yes, 0, "delete them; without it they are only shown", NULL},
        WHO_OPTION(l.who),
        SITE_OPTION(l.given),
        HELP_OPTION,
        POPT_TABLEEND};
    int code = library_begin(&l, self, argc, argv, options, 0, 1, true);
    if (code >= 0)
        return code;
    t.only = l.c.count ? l.c.arguments[0] : NULL;
    t.deletes = yes;
    code = library_code(&l, bil_site_thin(l.site, &t));
    if (code == EXIT_DONE) {
        say("%u %s, %u stay (the first, the newest, baselines, and what somebody noted something on always do)\n",
            t.gone, yes ? "deleted" : "would go", t.stay);
        if (!yes && t.gone)
            say("To delete them: the same with --yes\n");
    }
    return library_end(&l, code);
}

const command command_thin = {"thin",
                              "[options] [DEVICE or GROUP]",
                              "deletes old copies by a rule, after showing which",
                              "  bilancia thin --days 30 --weeks 26 --months 60\n"
                              "  bilancia thin --yes\n",
                              run,
                              480};

/* bilancia thin: deletes old copies by a rule, after showing which. */
#include <time.h>

#include "cli/site_cli.h"
#include "host/site/keeping.h"

static void put_copy(void *ctx, const device_row *owner, const copy_row *copy)
{
    const keeping *k = ctx;
    say("  %s %s#%d  %s  %s\n", k->deletes ? "deleted" : "would go:", owner->name, copy->place, copy->when, copy->why);
}

static int run(const command *self, int argc, const char **argv)
{
    char *given = NULL, *who = NULL;
    keeping_rule r = {30, 26, 60};
    int yes = 0;
    struct poptOption options[] = {
        {"days", 0, POPT_ARG_INT, &r.days, 0, "all copies of so many days stay (30)", "N"},
        {"weeks", 0, POPT_ARG_INT, &r.weeks, 0, "of so many weeks before, the newest of each (26)", "N"},
        {"months", 0, POPT_ARG_INT, &r.months, 0, "of so many months before, the newest of each (60)", "N"},
        {"yes", 'y', POPT_ARG_NONE, &yes, 0, "delete them; without it they are only shown", NULL},
        WHO_OPTION(who),
        SITE_OPTION(given),
        HELP_OPTION,
        POPT_TABLEEND};
    call c;
    int code = call_begin(&c, self, argc, argv, options, 0, 1);
    if (code >= 0)
        return code;
    if (r.days < 1 || r.weeks < 0 || r.months < 0 || r.days > 36500 || r.weeks > 5200 || r.months > 1200)
        return call_end(&c, say_error("", BIL_E_CALL, "at least one day, and not more than a hundred years"));
    if (!note_is_good(who))
        return call_end(&c, say_error("--who", BIL_E_CALL, NOTE_WANTED));
    open_site h;
    int error = enter_site(&h, given);
    if (error)
        return call_end(&c, exit_code_of(error));
    keeping k = {.rule = r,
                 .only = c.count ? c.arguments[0] : NULL,
                 .who = person(who),
                 .now = time(NULL),
                 .deletes = yes,
                 .each = put_copy,
                 .ctx = &k};
    error = keeping_thin(&h.index, &k);
    leave_site(&h);
    if (error)
        return call_end(&c, say_error(h.place.path, error, NULL));
    say("%u %s, %u stay (the first, the newest, baselines, and what somebody noted something on always do)\n", k.gone,
        yes ? "deleted" : "would go", k.stay);
    if (!yes && k.gone)
        say("To delete them: the same with --yes\n");
    return call_end(&c, EXIT_DONE);
}

const command command_thin = {"thin",
                              "[options] [DEVICE or GROUP]",
                              "deletes old copies by a rule, after showing which",
                              "  bilancia thin --days 30 --weeks 26 --months 60\n"
                              "  bilancia thin --yes\n",
                              run,
                              480};

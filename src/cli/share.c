/* bilancia share: a second place for all of a site. */
#include <stdlib.h>

#include "cli/site_cli.h"
#include "host/site/share.h"

static int share(open_site *h, const char *path, const char *who)
{
    char why[STORAGE_PATH + 300];
    share_count count;
    int error = site_share(&h->place, path, person(who), &count, why, sizeof why);
    if (error)
        return say_error(why[0] ? "" : path, error, why[0] ? why : NULL);
    char *whole = realpath(path, NULL);
    say("%s✓ both have everything%s  %s: %u file%s added there, %u here\n", good(), plain(), whole ? whole : path,
        count.there, count.there == 1 ? "" : "s", count.here);
    free(whole);
    if (count.passed_over) {
        snprintf(why, sizeof why, "%u file%s couldn't be read and stayed where %s, such as %.3000s", count.passed_over,
                 count.passed_over == 1 ? "" : "s", count.passed_over == 1 ? "it is" : "they are", count.clash);
        return say_error("", BIL_E_SITE_BROKEN, why);
    }
    if (count.clashes == 0)
        return EXIT_DONE;
    snprintf(
        why, sizeof why,
        "%u file%s with another content in the other place, such as %.3000s; bilancia site check names the damaged one",
        count.clashes, count.clashes == 1 ? " has its name" : "s have their names", count.clash);
    return say_error("", BIL_E_SITE_BROKEN, why);
}

static int run(const command *self, int argc, const char **argv)
{
    char *given = NULL, *who = NULL;
    struct poptOption options[] = {SITE_OPTION(given), WHO_OPTION(who), HELP_OPTION, POPT_TABLEEND};
    call c;
    open_site h;
    int code = call_begin(&c, self, argc, argv, options, 1, 1);
    if (code >= 0)
        return code;
    if (!note_is_good(who))
        return call_end(&c, say_error("", BIL_E_CALL, NOTE_WANTED));
    int error = enter_site(&h, given);
    if (error)
        return call_end(&c, exit_code_of(error));
    code = share(&h, c.arguments[0], who);
    leave_site(&h);
    return call_end(&c, code);
}

const command command_share = {
    "share",
    "[options] FOLDER",
    "brings the site and a second place of it together",
    "  bilancia share /media/stick/poggio-finto\n"
    "What either has, both have afterwards; nothing is ever replaced. An empty folder becomes a second place.\n",
    run,
    620};

/* bilancia share: a second place for all of a site. */
#include <stdlib.h>

#include "cli/library.h"

static int share(library *l, const char *path)
{
    char why[4600];
    bil_share_counts count;
    int error = bil_site_share(l->site, path, &count);
    if (error)
        return library_failed(l, error);
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
    snprintf(why, sizeof why, "%u file%s with another content in the other place, such as %.3000s", count.clashes,
             count.clashes == 1 ? " has its name" : "s have their names", count.clash);
    return say_error("", BIL_E_SITE_BROKEN, why);
}

static int run(const command *self, int argc, const char **argv)
{
    library l = {0};
    struct poptOption options[] = {SITE_OPTION(l.given), WHO_OPTION(l.who), HELP_OPTION, POPT_TABLEEND};
    int code = library_begin(&l, self, argc, argv, options, 1, 1, true);
    return code >= 0 ? code : library_end(&l, share(&l, l.c.arguments[0]));
}

const command command_share = {
    "share",
    "[options] FOLDER",
    "brings the site and a second place of it together",
    "  bilancia share /media/stick/poggio-finto\n"
    "What either has, both have afterwards; nothing is ever replaced. An empty folder becomes a second place.\n",
    run,
    620};

/* bilancia note: words for a device, or for one of its copies. */
#include <string.h>

#include "cli/library.h"

static int run(const command *self, int argc, const char **argv)
{
    library l = {0};
    char name[DEVICE_NAME];
    struct poptOption options[] = {SITE_OPTION(l.given), WHO_OPTION(l.who), HELP_OPTION, POPT_TABLEEND};
    int code = library_begin(&l, self, argc, argv, options, 2, 2, true);
    if (code >= 0)
        return code;
    const char *which = l.c.arguments[0];
    code = library_owner(&l, which, name);
    if (code < 0)
        code = library_code(&l, bil_site_note(l.site, which, l.c.arguments[1]));
    if (code == EXIT_DONE)
        say("%s✓ noted%s  on %s%s\n", good(), plain(), strchr(which, '#') ? "a copy of " : "", name);
    return library_end(&l, code);
}

const command command_note = {"note",
                              "[options] DEVICE[#COPY] TEXT",
                              "adds a note to a device or to one of its copies",
                              "  bilancia note kneader-2#last \"after the gear box was changed\"\n",
                              run,
                              460};

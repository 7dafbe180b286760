/* bilancia hand-out: a copy that goes elsewhere. */
#include <string.h>

#include "cli/library.h"

static int hand_out(library *l, const char *which, const char *to)
{
    const bil_site_copy *copy;
    int code = library_code(l, bil_site_hand_out(l->site, which, to));
    if (code == EXIT_DONE && bil_site_copy_of(l->site, which, &copy) == BIL_OK)
        say("%s✓ handed out%s  %s/%s\n", good(), plain(), to, strrchr(copy->path, '/') + 1);
    return code;
}

static int run(const command *self, int argc, const char **argv)
{
    library l = {0};
    struct poptOption options[] = {SITE_OPTION(l.given), HELP_OPTION, POPT_TABLEEND};
    int code = library_begin(&l, self, argc, argv, options, 2, 2, true);
    return code >= 0 ? code : library_end(&l, hand_out(&l, l.c.arguments[0], l.c.arguments[1]));
}

const command command_hand_out = {"hand-out",
                                  "[options] DEVICE[#COPY] FOLDER",
                                  "puts a copy of the site into another folder, whole",
                                  "  bilancia hand-out crusher#baseline /media/stick\n",
                                  run,
                                  610};

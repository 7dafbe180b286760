/* bilancia delete: one copy, for good. */
#include <string.h>
#include <unistd.h>

#include "cli/library.h"

static int agreed(const char *where)
{
    char answer[16] = "";
    if (!isatty(STDIN_FILENO))
        return say_error(where, BIL_E_PERSON, "nobody can be asked here; say --yes to agree beforehand");
    tell(stderr, "Delete this copy for good? It can't be brought back. [yes/no] ");
    if (!fgets(answer, sizeof answer, stdin) || strcmp(answer, "yes\n") != 0)
        return say_error(where, BIL_E_DECLINED, "nothing was deleted");
    return EXIT_DONE;
}

static int run(const command *self, int argc, const char **argv)
{
    library l = {0};
    char *why = NULL, name[DEVICE_NAME];
    int yes = 0;
    const bil_site_copy *copy;
    char word[CALLED];
    struct poptOption options[] = {SITE_OPTION(l.given),
                                   WHO_OPTION(l.who),
                                   {"why", 0, POPT_ARG_STRING, &why, 0, "a note on why", "TEXT"},
                                   {"yes", 'y', POPT_ARG_NONE, &yes, 0, "agree beforehand; nothing is asked", NULL},
                                   HELP_OPTION,
                                   POPT_TABLEEND};
    int code = library_begin(&l, self, argc, argv, options, 1, 1, true);
    if (code >= 0)
        return code;
    const char *which = l.c.arguments[0];
    code = library_wants_copy(which);
    if (code < 0)
        code = library_owner(&l, which, name);
    int error = code < 0 ? bil_site_copy_of(l.site, which, &copy) : BIL_OK;
    if (error)
        code = library_failed(&l, error);
    if (code >= 0)
        return library_end(&l, code);
    say("Copy %s of %s, read %s by %s%s%s\n", called(copy, word), name, copy->when,
        copy->who[0] ? copy->who : "nobody named", copy->why[0] ? ": " : "", copy->why);
    code = yes ? EXIT_DONE : agreed(which);
    if (code == EXIT_DONE)
        code = library_code(&l, bil_site_delete(l.site, which, why));
    if (code == EXIT_DONE)
        say("%s✓ deleted%s for good; a note says that, when, and by whom\n", good(), plain());
    return library_end(&l, code);
}

const command command_delete = {"delete",
                                "[options] DEVICE#COPY",
                                "deletes a copy for good",
                                "  bilancia delete kneader-2#7 --why \"read during a test\"\n"
                                "The first copy, the baseline and proved copies are kept.\n",
                                run,
                                470};

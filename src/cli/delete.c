/* bilancia delete: one copy, for good. */
#include <string.h>
#include <unistd.h>

#include "cli/marking.h"
#include "host/site/keeping.h"

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
    marking m = {0};
    int yes = 0;
    struct poptOption options[] = {MARKING_OPTIONS(&m),
                                   WHY_OPTION(&m),
                                   {"yes", 'y', POPT_ARG_NONE, &yes, 0, "agree beforehand; nothing is asked", NULL},
                                   POPT_TABLEEND};
    int code = marking_begin(&m, self, argc, argv, options, 1, MARK_NAMED_COPY);
    if (code >= 0)
        return code;
    const copy_row *copy = &m.copy;
    say("Copy %d of %s, read %s by %s%s%s\n", copy->place, m.owner.name, copy->when,
        copy->who[0] ? copy->who : "nobody named", copy->why[0] ? ": " : "", copy->why);
    code = yes ? EXIT_DONE : agreed(m.c.arguments[0]);
    if (code != EXIT_DONE)
        return marking_end(&m, code);
    int error = keeping_delete(&m.h.index, &m.owner, copy, m.why, person(m.who));
    if (error)
        return marking_end(&m, say_error(m.c.arguments[0], error, NULL));
    say("%s✓ deleted%s for good; a note says that, when, and by whom\n", good(), plain());
    return marking_end(&m, EXIT_DONE);
}

const command command_delete = {"delete",
                                "[options] DEVICE#COPY",
                                "deletes a copy for good",
                                "  bilancia delete kneader-2#7 --why \"read during a test\"\n"
                                "The first copy, the baseline and proved copies are kept.\n",
                                run,
                                470};

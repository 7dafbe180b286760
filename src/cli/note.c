/* bilancia note: words for a device, or for one of its copies. */
#include "cli/marking.h"

static int run(const command *self, int argc, const char **argv)
{
    marking m = {0};
    struct poptOption options[] = {MARKING_OPTIONS(&m), POPT_TABLEEND};
    int code = marking_begin(&m, self, argc, argv, options, 2, MARK_EITHER);
    if (code >= 0)
        return code;
    int error = mark_note(&m.h.index, &m.owner, m.of_copy ? &m.copy : NULL, m.c.arguments[1], person(m.who));
    if (error)
        return marking_end(&m, marking_failed(&m, error));
    say("%s✓ noted%s  on %s%s\n", good(), plain(), m.of_copy ? "a copy of " : "", m.owner.name);
    return marking_end(&m, EXIT_DONE);
}

const command command_note = {"note",
                              "[options] DEVICE[#COPY] TEXT",
                              "adds a note to a device or to one of its copies",
                              "  bilancia note kneader-2#last \"after the gear box was changed\"\n",
                              run,
                              460};

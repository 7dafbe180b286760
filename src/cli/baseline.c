/* bilancia baseline: the copy that counts as right for a device. */
#include "cli/marking.h"

static int run(const command *self, int argc, const char **argv)
{
    marking m = {0};
    struct poptOption options[] = {MARKING_OPTIONS(&m), WHY_OPTION(&m), POPT_TABLEEND};
    int code = marking_begin(&m, self, argc, argv, options, 1, MARK_COPY);
    if (code >= 0)
        return code;
    int error = mark_baseline(&m.h.index, &m.owner, &m.copy, m.why, person(m.who));
    if (error == BIL_E_SET_ALTERED)
        return marking_end(&m, say_error(m.c.arguments[0], error, NULL));
    if (error)
        return marking_end(&m, marking_failed(&m, error));
    say("%s★ baseline%s  of %s: copy %d of %s\n", good(), plain(), m.owner.name, m.copy.place, m.copy.when);
    return marking_end(&m, EXIT_DONE);
}

const command command_baseline = {"baseline",
                                  "[options] DEVICE[#COPY]",
                                  "marks the copy that counts as right for a device",
                                  "  bilancia baseline kneader-2#last --why \"accepted by the plant\"\n",
                                  run,
                                  440};

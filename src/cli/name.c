/* bilancia name: a name for a copy, for a product or a season. */
#include "cli/marking.h"

static int run(const command *self, int argc, const char **argv)
{
    marking m = {0};
    struct poptOption options[] = {MARKING_OPTIONS(&m), POPT_TABLEEND};
    int code = marking_begin(&m, self, argc, argv, options, 2, MARK_COPY);
    if (code >= 0)
        return code;
    const char *name = m.c.arguments[1];
    int error = mark_name(&m.h.index, &m.owner, &m.copy, name, person(m.who));
    if (error == BIL_E_CALL)
        return marking_end(
            &m, say_error(name, error,
                          "a name begins with a small letter and has small letters, digits, - and _; last, first, "
                          "baseline, stored, factory, kept and what looks like a digest are taken"));
    if (error)
        return marking_end(&m, marking_failed(&m, error));
    say("%s✓ named%s  copy %d of %s is %s#%s\n", good(), plain(), m.copy.place, m.owner.name, m.owner.name, name);
    return marking_end(&m, EXIT_DONE);
}

const command command_name = {"name",
                              "[options] DEVICE[#COPY] NAME",
                              "gives a copy a name of its own, for a product or a season",
                              "  bilancia name kneader-2#last summer      from now on it is kneader-2#summer\n"
                              "The same name given to another copy of the device goes over to that.\n",
                              run,
                              450};

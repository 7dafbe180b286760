/* bilancia set: changes single values on a device, through the same gate, record and proof as every write. */
#include <string.h>
#include <unistd.h>

#include "cli/writing.h"

static int set_values(writing *x, const char *where, const char *const *assignments, size_t count)
{
    bil_device *dev;
    bil_ending e = {.struct_size = sizeof e};
    bil_named kind;
    int error = bil_host_named(x->l.host, where, &kind, NULL);
    if (error)
        return library_failed(&x->l, error);
    if (kind == BIL_NAMED_FILE && (access(where, F_OK) == 0 || strchr(where, '#')))
        return say_error(where, BIL_E_CALL, "set changes a device; a saved copy is changed with edit");
    int code = writing_device(x, where, &dev);
    if (code >= 0)
        return code;
    if (!x->json)
        say("%sThis changes the device, not a copy.%s\n", bold(), plain());
    writing_starts(x);
    code = writing_over(x, bil_set(dev, assignments, count, &x->wish, &e), &e);
    if (code == EXIT_DONE && !x->told)
        say(x->json ? "{\"verdict\": \"already_so\", \"exit\": 0}\n" : "The device has these values already.\n");
    else if (code == EXIT_DONE && !x->json && !x->trial && !e.in_site) /* a site has it as its newest */
        say("The copy is up to date with it: %s\n", e.copy);
    return code;
}

static int run(const command *self, int argc, const char **argv)
{
    writing *x = writing_new();
    struct poptOption options[] = {TRIAL_OPTION(x), COLLECT_OPTION(x), HOW_OPTIONS(x), WRITING_OPTIONS(x),
                                   POPT_TABLEEND};
    int code = writing_begin(x, self, argc, argv, options, 2, 1000);
    if (code >= 0)
        return code;
    const char **words = x->l.c.arguments;
    return writing_end(x, set_values(x, words[0], words + 1, (size_t)x->l.c.count - 1));
}

const command command_set = {"set",
                             "[options] DEVICE ID=VALUE...",
                             "changes single values on a device: checked, recorded, stored and proved like every write",
                             "  bilancia set crusher limit.torque=120 --why 'less noise'\n"
                             "The values before are saved first; bilancia undo goes back to them.\n",
                             run,
                             310};

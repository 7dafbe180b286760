/* bilancia reset: the factory values, on purpose, through the same gate, record and proof as every write. */
#include "cli/writing.h"

static int run(const command *self, int argc, const char **argv)
{
    writing *x = writing_new();
    x->resets = true;
    struct poptOption options[] = {START_OPTION(x), COLLECT_OPTION(x), DESPITE_OPTION(x), WRITING_OPTIONS(x),
                                   POPT_TABLEEND};
    int code = writing_begin(x, self, argc, argv, options, 1, 1);
    if (code >= 0)
        return code;
    bil_device *dev;
    bil_ending ending = {.struct_size = sizeof ending};
    code = writing_device(x, x->l.c.arguments[0], &dev);
    if (code < 0) {
        writing_starts(x);
        code = writing_over(x, bil_reset(dev, &x->wish, &ending), &ending);
    }
    return writing_end(x, code);
}

const command command_reset = {"reset",
                               "[options] DEVICE",
                               "puts the factory values into a device, on purpose",
                               "  bilancia reset crusher --why 'rebuilt from the start'\n"
                               "The values before are saved first; bilancia undo goes back to them.\n",
                               run,
                               320};

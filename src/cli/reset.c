/* bilancia reset: the factory values, on purpose, through the same gate, record and proof as every write. */
#include "cli/writing.h"

static int run(const command *self, int argc, const char **argv)
{
    writing *x = writing_new(BIL_JOB_RESET);
    struct poptOption options[] = {START_OPTION(x), DESPITE_OPTION(x), WRITING_OPTIONS(x), POPT_TABLEEND};
    call c;
    int code = writing_begin(x, &c, self, argc, argv, options, 1, 1);
    if (code >= 0)
        return code;
    x->w.config.despite = UINT32_C(1) << BIL_CHECK_RULES; /* the maker's own values */
    code = writing_find(x, c.arguments[0]);
    if (code < 0)
        code = writing_models(x);
    if (code < 0)
        code = writing_run(x);
    return writing_end(x, &c, code);
}

const command command_reset = {"reset",
                               "[options] DEVICE",
                               "puts the factory values into a device, on purpose",
                               "  bilancia reset crusher --why 'rebuilt from the start'\n"
                               "The values before are saved first; bilancia undo goes back to them.\n",
                               run,
                               320};

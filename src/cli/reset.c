/* bilancia reset: the factory values, on purpose, through the same gate, record and proof as every write. */
#include "cli/writing.h"
#include "host/base/arena.h"

static int run(const command *self, int argc, const char **argv)
{
    char *folder = NULL, *who = NULL, *why = NULL, *description = NULL, *given = NULL, **despite = NULL;
    int yes = 0, json = 0, fd = -1;
    write_call *w = need(1, sizeof *w);
    struct poptOption options[] = {
        START_OPTION(w),
        DESPITE_OPTION(despite),
        WRITING_OPTIONS(yes, json, fd, folder, who, why),
        {"description", 'd', POPT_ARG_STRING, &description, 0, "a description to try first", "FILE"},
        SITE_OPTION(given),
        HELP_OPTION,
        POPT_TABLEEND};
    call c;
    int code = call_begin(&c, self, argc, argv, options, 1, 1);
    if (code >= 0) {
        writing_end(w);
        return code;
    }
    *w = (write_call){.start_again = w->start_again,
                      .copy = "",
                      .address = c.arguments[0],
                      .site_given = given,
                      .folder = folder ? folder : ".",
                      .safety_folder = folder ? folder : ".",
                      .who = who,
                      .why = why,
                      .yes = yes,
                      .json = json,
                      .despite_words = despite};
    w->config.kind = BIL_JOB_RESET;
    w->config.restart = BIL_RESTART_NOW;
    w->config.despite = UINT32_C(1) << BIL_CHECK_RULES; /* the maker's own values */
    if (!folder)
        code = writing_find(w, c.arguments[0], given);
    models m;
    if (code < 0 && models_at_hand(&m, description, given) != BIL_OK)
        code = EXIT_FILE;
    if (code < 0)
        code = writing_run(w, &m, fd);
    code = call_end(&c, code); /* the options point into the call */
    writing_end(w);
    return code;
}

const command command_reset = {"reset",
                               "[options] DEVICE",
                               "puts the factory values into a device, on purpose",
                               "  bilancia reset crusher --why 'rebuilt from the start'\n"
                               "The values before are saved first; bilancia undo goes back to them.\n",
                               run,
                               80};

/* bilancia write: a saved copy to a device, with proof at the end. */
#include "cli/writing.h"
#include "host/base/arena.h"

extern const command command_rehearse;

static int run(const command *self, int argc, const char **argv)
{
    write_call *w = need(1, sizeof *w);
    char *folder = NULL, *who = NULL, *why = NULL, *purpose = NULL, *description = NULL, *given = NULL, *groups = NULL,
         *restart = NULL;
    char **despite = NULL;
    static char copy[STORAGE_PATH];
    int yes = 0, json = 0, calibration = 0, rehearse_first = 0, trial = 0, fd = -1;
    struct poptOption options[] = {
        {"as", 0, POPT_ARG_STRING, &purpose, 0, "for another unit: replacement (same place) or clone", "PURPOSE"},
        {"with-calibration", 0, POPT_ARG_NONE, &calibration, 0, "calibration too, as far as it may go to this unit",
         NULL},
        {"group", 'g', POPT_ARG_STRING, &groups, 0, "only these groups of parameters", "NAME,NAME"},
        {"rehearse", 0, POPT_ARG_NONE, &rehearse_first, 0,
         "play it on a simulated unit with the values of the device first; go on when that ends well", NULL},
        HOW_OPTIONS(trial, restart, despite),
        CALL_OPTIONS(w),
        WRITING_OPTIONS(yes, json, fd, folder, who, why),
        {"description", 'd', POPT_ARG_STRING, &description, 0, "a description to try first", "FILE"},
        SITE_OPTION(given),
        HELP_OPTION,
        POPT_TABLEEND};
    call c;
    int code = call_begin(&c, self, argc, argv, options, 2, 2);
    if (code >= 0) {
        writing_end(w);
        return code;
    }
    w->copy = c.arguments[0];
    w->site_given = given;
    w->address = c.arguments[1];
    w->folder = w->safety_folder = folder ? folder : ".";
    w->who = who;
    w->why = why;
    w->yes = yes;
    w->json = json;
    w->groups = groups;
    w->restart_word = restart;
    w->rehearse = self == &command_rehearse ? REHEARSE_ONLY : rehearse_first ? REHEARSE_FIRST : REHEARSE_NOT;
    w->despite_words = despite;
    int as = purpose ? bil_purpose_from_name(purpose) : BIL_RESTORE;
    w->config.kind = BIL_JOB_WRITE;
    w->config.restart = BIL_RESTART_NOW;
    w->config.trial = trial;
    w->config.with_calibration = calibration;
    w->config.purpose_given = purpose != NULL;
    w->config.purpose = (bil_purpose)as;
    models m;
    code = as < 0 ? say_error(purpose, BIL_E_CALL, "a purpose is restore, replacement or clone") : -1;
    if (code < 0 && !folder) {
        code = writing_copy(w, c.arguments[0], given, copy);
        if (code < 0)
            code = writing_find(w, c.arguments[1], given);
    }
    if (code < 0 && models_at_hand(&m, description, given) != BIL_OK)
        code = EXIT_FILE;
    if (code < 0)
        code = writing_run(w, &m, fd);
    code = call_end(&c, code); /* the options point into the call */
    writing_end(w);
    return code;
}

const command command_write = {"write",
                               "[options] COPY ADDRESS",
                               "writes a saved copy to a device: only what differs, stored and proved",
                               "  bilancia write crusher_ED30-0417_20261123-071500.bset modbus+tcp://127.0.0.1:5020/3\n"
                               "  bilancia write crusher#baseline crusher                     as a site names them\n",
                               run,
                               60};
const command command_rehearse = {"rehearse",
                                  "[options] COPY ADDRESS",
                                  "plays a write on a simulated unit with the values of the device; writes nothing",
                                  "  bilancia rehearse crusher#baseline crusher\n"
                                  "In a site the history says of the copy that it was proved so.\n",
                                  run,
                                  90};

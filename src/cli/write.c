/* bilancia write: a saved copy to a device, with proof at the end. */
#include "cli/writing.h"

int write_from_copy(const command *self, int argc, const char **argv, bool only_rehearse)
{
    writing *x = writing_new(BIL_JOB_WRITE);
    char *purpose = NULL, *groups = NULL;
    int calibration = 0, rehearse_first = 0, trial = 0;
    struct poptOption options[] = {
        {"as", 0, POPT_ARG_STRING, &purpose, 0, "for another unit: replacement (same place) or clone", "PURPOSE"},
        {"with-calibration", 0, POPT_ARG_NONE, &calibration, 0, "calibration too, as far as it may go to this unit",
         NULL},
        {"group", 'g', POPT_ARG_STRING, &groups, 0, "only these groups of parameters", "NAME,NAME"},
        {"rehearse", 0, POPT_ARG_NONE, &rehearse_first, 0,
         "play it on a simulated unit with the values of the device first; go on when that ends well", NULL},
        TRIAL_OPTION(trial),
        HOW_OPTIONS(x),
        WRITING_OPTIONS(x),
        POPT_TABLEEND};
    call c;
    int code = writing_begin(x, &c, self, argc, argv, options, 2, 2);
    if (code >= 0)
        return code;
    write_call *w = &x->w;
    w->groups = groups;
    w->rehearse = only_rehearse ? REHEARSE_ONLY : rehearse_first ? REHEARSE_FIRST : REHEARSE_NOT;
    int as = purpose ? bil_purpose_from_name(purpose) : BIL_RESTORE;
    w->config.trial = trial;
    w->config.with_calibration = calibration;
    w->config.purpose_given = purpose != NULL;
    w->config.purpose = (bil_purpose)as;
    code = as < 0 ? say_error(purpose, BIL_E_CALL, "a purpose is restore, replacement or clone") : -1;
    if (code < 0)
        code = writing_copy(x, c.arguments[0]);
    if (code < 0)
        code = writing_find(x, c.arguments[1]);
    if (code < 0)
        code = writing_models(x);
    if (code < 0)
        code = writing_run(x);
    return writing_end(x, &c, code);
}

static int run(const command *self, int argc, const char **argv)
{
    return write_from_copy(self, argc, argv, false);
}

const command command_write = {"write",
                               "[options] COPY ADDRESS",
                               "writes a saved copy to a device: only what differs, stored and proved",
                               "  bilancia write crusher_ED30-0417_20261123-071500.bset modbus+tcp://127.0.0.1:5020/3\n"
                               "  bilancia write crusher#baseline crusher                     as a site names them\n",
                               run,
                               300};

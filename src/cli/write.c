/* bilancia write: a saved copy to a device, with proof at the end. */
#include <unistd.h>

#include "bilancia/words.h"
#include "cli/writing.h"

static int write_copy(writing *x, const char *which, const char *where)
{
    bil_copy *copy;
    bil_device *dev;
    bil_ending ending = {.struct_size = sizeof ending};
    bil_named kind, there;
    int error = bil_host_named(x->l.host, which, &kind, NULL);
    if (!error)
        error = bil_host_named(x->l.host, where, &there, NULL);
    if (!error && (kind == BIL_NAMED_DEVICE || (there == BIL_NAMED_FILE && access(where, F_OK) == 0)))
        return say_error("", BIL_E_CALL, "write takes a saved copy and then one device address");
    if (!error)
        error = bil_copy_open(x->l.host, which, &copy);
    int code = error ? library_failed(&x->l, error) : writing_device(x, where, &dev);
    if (code >= 0)
        return code;
    writing_starts(x);
    error = bil_write(dev, copy, &x->wish, &ending);
    return writing_over(x, error, &ending);
}

int write_from_copy(const command *self, int argc, const char **argv, bool only_rehearse)
{
    writing *x = writing_new();
    char *purpose = NULL;
    int rehearse_first = 0;
    struct poptOption options[] = {
        {"as", 0, POPT_ARG_STRING, &purpose, 0, "for another unit: replacement (same place) or clone", "PURPOSE"},
        {"with-calibration", 0, POPT_ARG_NONE, &x->calibration, 0, "calibration too, as far as it may go to this unit",
         NULL},
        {"group", 'g', POPT_ARG_STRING, &x->groups, 0, "only these groups of parameters, and files by their ids",
         "NAME,NAME"},
        {"rehearse", 0, POPT_ARG_NONE, &rehearse_first, 0,
         "play it on a simulated unit with the values of the device first; go on when that ends well", NULL},
        TRIAL_OPTION(x),
        COLLECT_OPTION(x),
        PASSPHRASE_OPTION(x),
        HOW_OPTIONS(x),
        WRITING_OPTIONS(x),
        POPT_TABLEEND};
    int code = writing_begin(x, self, argc, argv, options, 2, 2);
    if (code >= 0)
        return code;
    int as = purpose ? bil_purpose_from_name(purpose) : BIL_RESTORE;
    if (as < 0)
        return writing_end(x, say_error(purpose, BIL_E_CALL, "a purpose is restore, replacement or clone"));
    x->wish.purpose_given = purpose != NULL;
    x->wish.purpose = (bil_purpose)as;
    if (only_rehearse || rehearse_first)
        writing_rehearses(x, only_rehearse);
    return writing_end(x, write_copy(x, x->l.c.arguments[0], x->l.c.arguments[1]));
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

/* bilancia hand-out: a copy that goes elsewhere. */
#include "cli/site_cli.h"
#include "host/site/pass.h"

static int hand_out(open_site *h, const char *which, const char *to)
{
    device_row owner;
    copy_row copy;
    char why[STORAGE_PATH + 300];
    int error = find_copy(h, which, &owner, &copy);
    if (error)
        return exit_code_of(error);
    error = site_hand_out(&h->index, &copy, to, why, sizeof why);
    if (!error)
        say("%s✓ handed out%s  %s/%s\n", good(), plain(), to, copy.file);
    device_row_free(&owner);
    return error ? say_error(why[0] ? "" : to, error, why) : EXIT_DONE;
}

static int run(const command *self, int argc, const char **argv)
{
    char *given = NULL;
    struct poptOption options[] = {SITE_OPTION(given), HELP_OPTION, POPT_TABLEEND};
    call c;
    open_site h;
    int code = call_begin(&c, self, argc, argv, options, 2, 2);
    if (code >= 0)
        return code;
    int error = enter_site(&h, given);
    if (error)
        return call_end(&c, exit_code_of(error));
    code = hand_out(&h, c.arguments[0], c.arguments[1]);
    leave_site(&h);
    return call_end(&c, code);
}

const command command_hand_out = {"hand-out",
                                  "[options] DEVICE[#COPY] FOLDER",
                                  "puts a copy of the site into another folder, whole",
                                  "  bilancia hand-out crusher#baseline /media/stick\n",
                                  run,
                                  610};

/* bilancia take-in: a copy that comes from elsewhere. */
#include "cli/site_cli.h"
#include "host/site/pass.h"

static int take_in(open_site *h, const char *file, const char *name, const char *from, const char *why, const char *who)
{
    set_origin o;
    device_row owner;
    char reason[STORAGE_PATH + 600], path[STORAGE_PATH];
    int error = find_device(h, name, &owner);
    if (error)
        return exit_code_of(error);
    error = site_take_in(&h->index, &owner, file, from ? from : "", why ? why : "", person(who), &o, path, reason,
                         sizeof reason);
    if (!error)
        say("%s✓ taken in%s for %s: %s %s, serial number %s, read %s\n%s\n", good(), plain(), owner.name, o.vendor,
            o.model, o.serial, o.when, path);
    device_row_free(&owner);
    return error ? say_error(reason[0] ? "" : h->place.path, error, reason) : EXIT_DONE;
}

static int run(const command *self, int argc, const char **argv)
{
    char *given = NULL, *who = NULL, *why = NULL, *from = NULL;
    struct poptOption options[] = {SITE_OPTION(given),
                                   WHO_OPTION(who),
                                   {"why", 0, POPT_ARG_STRING, &why, 0, "a note on why", "TEXT"},
                                   {"from", 0, POPT_ARG_STRING, &from, 0, "where it comes from", "TEXT"},
                                   HELP_OPTION,
                                   POPT_TABLEEND};
    call c;
    open_site h;
    int code = call_begin(&c, self, argc, argv, options, 2, 2);
    if (code >= 0)
        return code;
    if (!note_is_good(who) || !note_is_good(why) || !note_is_good(from))
        return call_end(&c, say_error("", BIL_E_CALL, NOTE_WANTED));
    int error = enter_site(&h, given);
    if (error)
        return call_end(&c, exit_code_of(error));
    code = take_in(&h, c.arguments[0], c.arguments[1], from, why, who);
    leave_site(&h);
    return call_end(&c, code);
}

const command command_take_in = {"take-in",
                                 "[options] COPY.bset DEVICE",
                                 "adds a copy from elsewhere to a device of the site",
                                 "  bilancia take-in from-supplier.bset crusher --from \"Esempio, by mail\"\n",
                                 run,
                                 600};

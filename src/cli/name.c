/* bilancia name: a name for a copy, for a product or a season. */
#include "cli/library.h"

static int run(const command *self, int argc, const char **argv)
{
    library l = {0};
    char device[DEVICE_NAME];
    const bil_site_copy *copy;
    char word[CALLED];
    int back = 0;
    struct poptOption options[] = {
        {"take-back", 0, POPT_ARG_NONE, &back, 0, "no copy of DEVICE has this name any more", NULL},
        SITE_OPTION(l.given),
        WHO_OPTION(l.who),
        HELP_OPTION,
        POPT_TABLEEND};
    int code = library_begin(&l, self, argc, argv, options, 2, 2, true);
    if (code >= 0)
        return code;
    const char *which = l.c.arguments[0], *name = l.c.arguments[1];
    code = library_owner(&l, which, device);
    int error = code >= 0 ? BIL_OK
                : back    ? bil_site_take_back(l.site, which, name)
                          : bil_site_name_copy(l.site, which, name);
    if (error == BIL_E_CALL)
        code = say_error(name, error,
                         "a name begins with a small letter and has small letters, digits, - and _; last, first, "
                         "baseline, stored, factory, kept and what looks like a digest are taken");
    else if (code < 0)
        code = library_code(&l, error);
    if (code == EXIT_DONE && back)
        say("%s✓ taken back%s  no copy of %s is called %s any more\n", good(), plain(), device, name);
    else if (code == EXIT_DONE && bil_site_copy_of(l.site, which, &copy) == BIL_OK)
        say("%s✓ named%s  copy %s of %s is %s#%s\n", good(), plain(), called(copy, word), device, device, name);
    return library_end(&l, code);
}

const command command_name = {"name",
                              "[options] DEVICE[#COPY] NAME  |  name DEVICE NAME --take-back",
                              "gives a copy a name of its own, for a product or a season",
                              "  bilancia name kneader-2#last summer      from now on it is kneader-2#summer\n"
                              "The same name given to another copy of the device goes over to that.\n",
                              run,
                              450};

/* bilancia take-in: a copy that comes from elsewhere. */
#include "cli/library.h"

static int take_in(library *l, const char *file, const char *device, const char *from, const char *why)
{
    char name[DEVICE_NAME];
    const bil_site_copy *copy = NULL;
    const bil_site_device *owner;
    int code = library_owner(l, device, name);
    int before = code < 0 && bil_site_device_of(l->site, device, &owner) == BIL_OK ? owner->copies : 0;
    if (code < 0)
        code = library_code(l, bil_site_take_in(l->site, device, file, from ? from : "", why, &copy));
    bool more = code == EXIT_DONE && bil_site_device_of(l->site, device, &owner) == BIL_OK && owner->copies > before;
    if (code == EXIT_DONE && copy)
        say("%s✓ %s%s for %s: %s, serial number %s, read %s\n%s\n", good(), more ? "taken in" : "there already",
            plain(), name, copy->model, copy->serial, copy->when, copy->path);
    return code;
}

static int run(const command *self, int argc, const char **argv)
{
    library l = {0};
    char *why = NULL, *from = NULL;
    struct poptOption options[] = {SITE_OPTION(l.given),
                                   WHO_OPTION(l.who),
                                   {"why", 0, POPT_ARG_STRING, &why, 0, "a note on why", "TEXT"},
                                   {"from", 0, POPT_ARG_STRING, &from, 0, "where it comes from", "TEXT"},
                                   HELP_OPTION,
                                   POPT_TABLEEND};
    int code = library_begin(&l, self, argc, argv, options, 2, 2, true);
    return code >= 0 ? code : library_end(&l, take_in(&l, l.c.arguments[0], l.c.arguments[1], from, why));
}

const command command_take_in = {"take-in",
                                 "[options] COPY.bset|KIT.zip DEVICE",
                                 "adds a copy from elsewhere to a device of the site",
                                 "  bilancia take-in from-supplier.bset crusher --from \"Esempio, by mail\"\n"
                                 "  bilancia take-in crusher.zip crusher                 the copy of a kit\n",
                                 run,
                                 600};

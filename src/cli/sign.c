/* bilancia sign: keys, and copies signed with them. */
#include <string.h>

#include "cli/library.h"

static int make_key(library *l, const char *name, const char *path)
{
    int code = library_code(l, bil_site_make_key(l->site, name, path));
    if (code == EXIT_DONE)
        say("%s✓ made%s  the key \"%s\". Its secret half is in %s: keep that outside the site, and safe.\n", good(),
            plain(), name, path);
    return code;
}

static int trust(library *l, const char *name, const char *hex, bool decide)
{
    int error = bil_site_trust(l->site, name, hex, false);
    if (error == BIL_E_DISPUTED && decide) {
        int code = library_code(l, bil_site_trust(l->site, name, hex, true));
        if (code == EXIT_DONE)
            say("%s✓ decided%s  for you at this computer: the key \"%s\" is this one, whatever notes say\n", good(),
                plain(), name);
        return code;
    }
    if (error == BIL_E_DISPUTED)
        return say_error(name, error,
                         "the site knows another key under this name; if you have this one from its owner, say "
                         "--decide");
    if (!error)
        say("%s✓ trusted%s  the key \"%s\"\n", good(), plain(), name);
    return library_code(l, error);
}

static int sign(library *l, const char *which, const char *key, bool for_any)
{
    const char *by;
    char name[DEVICE_NAME];
    const bil_site_copy *copy;
    char word[CALLED];
    int code = library_owner(l, which, name);
    if (code >= 0)
        return code;
    int error = bil_site_sign(l->site, which, key, for_any, &by);
    if (error == BIL_E_SIGNATURE)
        return say_error(key, error,
                         "the site doesn't know this key; it has to be told first (sign trust NAME PUBLIC)");
    code = library_code(l, error);
    if (code == EXIT_DONE && bil_site_copy_of(l->site, which, &copy) == BIL_OK)
        say("%s✓ signed%s by \"%s\", for %s: copy %s of %s, read %s\n", good(), plain(), by,
            for_any ? "any device" : "this device", called(copy, word), name, copy->when);
    return code;
}

static int run(const command *self, int argc, const char **argv)
{
    library l = {0};
    char *key = NULL;
    int for_any = 0, decide = 0;
    struct poptOption options[] = {
        {"key", 'k', POPT_ARG_STRING, &key, 0, "the file with the secret half of the key", "FILE"},
        {"for-any", 0, POPT_ARG_NONE, &for_any, 0, "good for any device, not only for this one", NULL},
        {"decide", 0, POPT_ARG_NONE, &decide, 0, "this is the key, for you at this computer, whatever notes say", NULL},
        WHO_OPTION(l.who),
        SITE_OPTION(l.given),
        HELP_OPTION,
        POPT_TABLEEND};
    int code = library_begin(&l, self, argc, argv, options, 1, 3, true);
    if (code >= 0)
        return code;
    const char **a = l.c.arguments;
    bool makes = strcmp(a[0], "make-key") == 0 && l.c.count == 2, trusts = strcmp(a[0], "trust") == 0 && l.c.count == 3;
    if ((!makes && !trusts && l.c.count != 1) || (!trusts && !key))
        code = say_error("", BIL_E_CALL,
                         "say sign DEVICE#COPY --key FILE, sign make-key NAME --key FILE, or sign trust NAME PUBLIC");
    else
        code = makes ? make_key(&l, a[1], key) : trusts ? trust(&l, a[1], a[2], decide) : sign(&l, a[0], key, for_any);
    return library_end(&l, code);
}

const command command_sign = {"sign",
                              "DEVICE[#COPY] --key FILE  |  sign make-key NAME --key FILE  |  sign trust NAME PUBLIC",
                              "signs a copy (Ed25519), for devices that demand it",
                              "  bilancia sign make-key anna --key ~/anna.pem\n"
                              "  bilancia sign crusher#last --key ~/anna.pem\n"
                              "  bilancia device change crusher --signed-by anna\n",
                              run,
                              640};

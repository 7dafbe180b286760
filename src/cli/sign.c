/* bilancia sign: keys, and copies signed with them. */
#include <errno.h>
#include <string.h>

#include "cli/site_cli.h"
#include "host/site/signing.h"

static int make_key(open_site *h, const char *name, const char *path, const char *who)
{
    int error = signing_make_key(&h->index, name, path, person(who));
    if (error)
        return say_error(error == BIL_E_FILE_WRITE ? path : name, error,
                         error == BIL_E_DISPUTED     ? "the site knows another key under this name"
                         : error == BIL_E_FILE_WRITE ? strerror(errno)
                                                     : NULL);
    say("%s✓ made%s  the key \"%s\". Its secret half is in %s: keep that outside the site, and safe.\n", good(),
        plain(), name, path);
    return EXIT_DONE;
}

static int trust(open_site *h, const char *name, const char *hex, bool decide, const char *who)
{
    int error = signing_trust(&h->index, name, hex, person(who));
    if (error == BIL_E_DISPUTED && decide) {
        error = signing_decide(&h->index, name, hex);
        if (!error)
            say("%s✓ decided%s  for you at this computer: the key \"%s\" is this one, whatever notes say\n", good(),
                plain(), name);
        return error ? say_error(name, error, NULL) : EXIT_DONE;
    }
    if (error)
        return say_error(name, error,
                         error == BIL_E_DISPUTED
                             ? "the site knows another key under this name; if you have this one from "
                               "its owner, say --decide"
                             : "a public half is 64 hex digits");
    say("%s✓ trusted%s  the key \"%s\"\n", good(), plain(), name);
    return EXIT_DONE;
}

static int sign(open_site *h, const char *which, bool for_any, const char *key, const char *who)
{
    device_row owner;
    copy_row copy;
    char name[SITE_NAME] = "";
    int error = find_copy(h, which, &owner, &copy);
    if (error)
        return exit_code_of(error);
    error = signing_sign(&h->index, &copy, for_any, key, person(who), name);
    int code =
        error ? say_error(error == BIL_E_SIGNATURE || error == BIL_E_NO_KEY ? key : which, error,
                          error == BIL_E_SIGNATURE ? "the site doesn't know this key; bilancia sign trust NAME PUBLIC"
                                                   : NULL)
              : EXIT_DONE;
    if (!error)
        say("%s✓ signed%s by \"%s\", for %s: copy %d of %s, read %s\n", good(), plain(), name,
            for_any ? "any device" : "this device", copy.place, owner.name, copy.when);
    device_row_free(&owner);
    return code;
}

static int run(const command *self, int argc, const char **argv)
{
    char *given = NULL, *who = NULL, *key = NULL;
    int for_any = 0, decide = 0;
    struct poptOption options[] = {
        {"key", 'k', POPT_ARG_STRING, &key, 0, "the file with the secret half of the key", "FILE"},
        {"for-any", 0, POPT_ARG_NONE, &for_any, 0, "good for any device, not only for this one", NULL},
        {"decide", 0, POPT_ARG_NONE, &decide, 0, "this is the key, for you at this computer, whatever notes say", NULL},
        WHO_OPTION(who),
        SITE_OPTION(given),
        HELP_OPTION,
        POPT_TABLEEND};
    call c;
    int code = call_begin(&c, self, argc, argv, options, 1, 3);
    if (code >= 0)
        return code;
    bool makes = strcmp(c.arguments[0], "make-key") == 0 && c.count == 2,
         trusts = strcmp(c.arguments[0], "trust") == 0 && c.count == 3;
    open_site h;
    if (!note_is_good(who))
        code = say_error("--who", BIL_E_CALL, NOTE_WANTED);
    else if ((!makes && !trusts && c.count != 1) || (!trusts && !key))
        code = say_error("", BIL_E_CALL,
                         "say sign DEVICE#COPY --key FILE, sign make-key NAME --key FILE, or sign trust NAME PUBLIC");
    else if (enter_site(&h, given) != BIL_OK)
        code = EXIT_FILE;
    else {
        code = makes    ? make_key(&h, c.arguments[1], key, who)
               : trusts ? trust(&h, c.arguments[1], c.arguments[2], decide, who)
                        : sign(&h, c.arguments[0], for_any, key, who);
        leave_site(&h);
    }
    return call_end(&c, code);
}

const command command_sign = {"sign",
                              "DEVICE[#COPY] --key FILE  |  sign make-key NAME --key FILE  |  sign trust NAME PUBLIC",
                              "signs a copy (Ed25519), for devices that demand it",
                              "  bilancia sign make-key anna --key ~/anna.pem\n"
                              "  bilancia sign crusher#last --key ~/anna.pem\n"
                              "  bilancia device change crusher --signed-by anna\n",
                              run,
                              640};

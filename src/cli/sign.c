/* bilancia sign: keys, and copies signed with them. */
#include <errno.h>
#include <string.h>

#include "../host/seal.h"
#include "site_cli.h"

static int make_key(here *h, const char *name, const char *path, const char *who)
{
    int error = seal_make_key(&h->index, name, path, person(who));
    if (error)
        return say_error(error == BIL_E_FILE_WRITE ? path : name, error,
                         error == BIL_E_DISPUTED     ? "the site knows another key under this name"
                         : error == BIL_E_FILE_WRITE ? strerror(errno)
                                                     : NULL);
    printf("%s✓ made%s  the key \"%s\". Its secret half is in %s: keep that outside the site, and safe.\n", good(),
           plain(), name, path);
    return EXIT_DONE;
}

static int trust(here *h, const char *name, const char *hex, const char *who)
{
    int error = seal_trust(&h->index, name, hex, person(who));
    if (error)
        return say_error(name, error,
                         error == BIL_E_DISPUTED ? "the site knows another key under this name"
                                                 : "a public half is 64 hex digits");
    printf("%s✓ trusted%s  the key \"%s\"\n", good(), plain(), name);
    return EXIT_DONE;
}

static int sign(here *h, const char *which, const char *key, const char *who)
{
    device_row owner;
    copy_row copy;
    char name[SITE_NAME] = "";
    int error = here_copy(h, which, &owner, &copy);
    if (error)
        return exit_code_of(error);
    int code;
    if (index_verify(&h->index, &copy) == COPY_DAMAGED) {
        code = say_error(which, BIL_E_SET_ALTERED, NULL);
    } else {
        error = seal_sign(&h->index, &copy, key, person(who), name);
        code = error ? say_error(key, error,
                                 error == BIL_E_SIGNATURE
                                     ? "the site doesn't know this key; bilancia sign trust NAME PUBLIC"
                                 : error == BIL_E_FILE_OPEN ? "this is no key file, or it can't be read"
                                                            : NULL)
                     : EXIT_DONE;
        if (!error)
            printf("%s✓ signed%s by \"%s\": copy %d of %s, read %s\n", good(), plain(), name, copy.place, owner.name,
                   copy.when);
    }
    device_row_free(&owner);
    return code;
}

static int run(const command *self, int argc, const char **argv)
{
    char *given = NULL, *who = NULL, *key = NULL;
    struct poptOption options[] = {
        {"key", 'k', POPT_ARG_STRING, &key, 0, "the file with the secret half of the key", "FILE"},
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
    here h;
    if (!note_is_good(who))
        code = say_error("--who", BIL_E_CALL, NOTE_WANTED);
    else if ((!makes && !trusts && c.count != 1) || (!trusts && !key))
        code = say_error("", BIL_E_CALL,
                         "say sign DEVICE#COPY --key FILE, sign make-key NAME --key FILE, or sign trust NAME PUBLIC");
    else if (here_open(&h, given) != BIL_OK)
        code = EXIT_FILE;
    else {
        code = makes    ? make_key(&h, c.arguments[1], key, who)
               : trusts ? trust(&h, c.arguments[1], c.arguments[2], who)
                        : sign(&h, c.arguments[0], key, who);
        here_close(&h);
    }
    return call_end(&c, code);
}

const command command_sign = {"sign",
                              "DEVICE[#COPY] --key FILE  |  sign make-key NAME --key FILE  |  sign trust NAME PUBLIC",
                              "signs a copy (Ed25519), for devices that demand it",
                              "  bilancia sign make-key anna --key ~/anna.pem\n"
                              "  bilancia sign crusher#last --key ~/anna.pem\n"
                              "  bilancia device change crusher --signed-by anna\n",
                              run};

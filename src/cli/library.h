/* What commands on the public library share: a handle, its site, and what it says went wrong. */
#ifndef BIL_CLI_LIBRARY_H
#define BIL_CLI_LIBRARY_H

#include "bilancia/site.h"
#include "cli/cli.h"
#include "show/called.h"
#include "show/next.h"

enum { LIBRARY_SECRETS = 8 };

/* A command's call with the library, and with the site that is meant. */
typedef struct library {
    call c;
    const char *verb; /* the command's name */
    bil_host *host;
    bil_site *site;
    char *given, *who, *description; /* options, as given */
    bool nowhere;                    /* no site is looked for */
    bool quiet;                      /* what isn't as it should be, and ends nothing, isn't said */
    char *secrets[LIBRARY_SECRETS];  /* of the environment, and what was typed; wiped at the end */
} library;

/* Parses the call and opens the library; with `site` the site, too. -1, or the exit code; then nothing is open. */
int library_begin(library *l, const command *self, int argc, const char **argv, struct poptOption *options, int least,
                  int most, bool site);
/* Is the text of this option (NULL: it wasn't given) one that can be a note? -1, or the exit code. */
int library_takes(library *l, const char *option, const char *text);
/* Opens the site, where there is one: BIL_OK, with `site` NULL where there is none, or the error. */
int library_site(library *l);
/* The password of a device: what the environment has, or, with `may_ask`, what somebody types. `where`: its address, ""
 * where the command is about one device; `which` as bil_host_config says. */
bool library_password(library *l, const char *where, const char *which, bool may_ask, char *out, size_t size);
/* Closes it all, and returns the code. */
int library_end(library *l, int code);
/* The device that DEVICE or DEVICE#WHICH is about, as people call it: -1, or the exit code. */
enum { DEVICE_NAME = 300 };
int library_owner(library *l, const char *text, char name[DEVICE_NAME]);
/* DEVICE#WHICH is wanted, not the last one by default: -1, or the exit code. */
int library_wants_copy(const char *text);
/* Says the last trouble of the library, or this error where it had none; the exit code. */
int library_failed(const library *l, int error);
/* The same for BIL_OK, which is no trouble: then EXIT_DONE. */
int library_code(const library *l, int error);

#endif

/* What the commands share: calls, errors, tables, exit codes. */
#ifndef BIL_CLI_H
#define BIL_CLI_H

#include <popt.h>
#include <stdbool.h>
#include <stdint.h>
#include <stdio.h>

#include "bilancia/host_error.h"
#include "bilancia/write.h"
#include "show/screen.h"

enum {
    EXIT_DONE = 0,
    EXIT_DIFFERENT = 1,
    EXIT_CALL = 2,
    EXIT_REFUSED = 3,
    EXIT_NOT_REACHABLE = 4,
    EXIT_INCOMPLETE = 5,
    EXIT_FILE = 6,
    EXIT_HELD = 7
};

typedef struct command {
    const char *name;
    const char *arguments; /* of the usage line */
    const char *summary;
    const char *example;
    int (*run)(const struct command *self, int argc, const char **argv);
    int place; /* among the others where they are listed, smallest first; the hundreds are the kind of work (main.c) */
} command;

/* All of them, by place, ended by NULL. A command is listed by being defined in a file of this folder. */
const command *const *commands(void);

/* ---- calls ---- */

/* A command that gets this one word says what options it has: "--all", "--group=". */
#define LIST_OPTIONS "--list-options"

/* Parses options; the arguments are left in `arguments` (ended by NULL, good until call_end). Returns -1 to go on, or
 * the exit code (--help, a wrong call). */
typedef struct call {
    poptContext context;
    struct poptOption *options; /* their texts are freed at the end */
    const char **arguments;
    int count;
} call;
int call_begin(call *c, const command *self, int argc, const char **argv, struct poptOption *options, int least,
               int most);
int call_end(call *c, int exit_code);

/* Options that many have. */
#define SITE_OPTION(variable)                                                                                          \
    {                                                                                                                  \
        "site", 0, POPT_ARG_STRING, &(variable), 0, "the site (the one this folder lies in)", "DIR"                    \
    }
#define WHO_OPTION(variable)                                                                                           \
    {                                                                                                                  \
        "who", 0, POPT_ARG_STRING, &(variable), 0, "who does it (the one logged in)", "NAME"                           \
    }
#define JSON_OPTION(variable)                                                                                          \
    {                                                                                                                  \
        "json", 'j', POPT_ARG_NONE, &(variable), 0, "answer as JSON", NULL                                             \
    }
#define HELP_OPTION                                                                                                    \
    {                                                                                                                  \
        "help", 'h', POPT_ARG_NONE, NULL, 'h', "this text", NULL                                                       \
    }

/* ---- words ---- */

/* "bilancia: what: why" and what to do now, on stderr. Returns the exit code that belongs to the error. */
int say_error(const char *what, int error, const char *why);
int exit_code_of(int error);
/* How the program ends after a write that ended so. */
int exit_code_of_ending(const bil_ending *end);

/* ---- answers for programs ---- */

struct json_t;
void say_json(struct json_t *json); /* consumes it */

#endif

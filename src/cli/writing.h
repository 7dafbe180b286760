/* Writing at a terminal: options, questions, what is shown; what the commands share that write. */
#ifndef BIL_CLI_WRITING_H
#define BIL_CLI_WRITING_H

#include "cli/site_cli.h"
#include "host/site/keeper.h"
#include "host/write/write.h"
#include "show/writing.h"

/* One call of a command that writes. */
typedef struct writing {
    write_call w;
    keeper at;
    catalogue m;
    char copy[STORAGE_PATH];
    /* options, as given */
    char *folder, *who, *why, *description, *given, *restart;
    char **despite, **without;
    int yes, json, fd;
} writing;

/* X: a `writing`. */
#define WRITING_OPTIONS(x)                                                                                             \
    {"yes", 'y', POPT_ARG_NONE, &(x)->yes, 0, "agree beforehand; nothing is asked", NULL},                             \
        {"password-fd", 0, POPT_ARG_INT, &(x)->fd, 0, "read the password from this file descriptor", "N"},             \
        {"folder", 'f', POPT_ARG_STRING, &(x)->folder, 0, "for safety copy and record (the site, or this folder)",     \
         "DIR"},                                                                                                       \
        WHO_OPTION((x)->who), {"why", 0, POPT_ARG_STRING, &(x)->why, 0, "a note for the record", "TEXT"},              \
        JSON_OPTION((x)->json),                                                                                        \
        {"description", 'd', POPT_ARG_STRING, &(x)->description, 0, "a description to try first", "FILE"},             \
        SITE_OPTION((x)->given), HELP_OPTION

#define START_OPTION(x)                                                                                                \
    {                                                                                                                  \
        "start-again", 0, POPT_ARG_NONE, &(x)->w.start_again, 0,                                                       \
            "set the machine to work again afterwards, if it was at work when this began (--yes doesn't)", NULL        \
    }
#define DESPITE_OPTION(x)                                                                                              \
    {                                                                                                                  \
        "despite", 0, POPT_ARG_ARGV, &(x)->despite, 0,                                                                 \
            "set a check aside, with the reason: firmware, hardware, rules, changed, card, turn, at-work",             \
            "CHECK=REASON"                                                                                             \
    }
/* How values are written, and which of them not. */
#define HOW_OPTIONS(x)                                                                                                 \
    START_OPTION(x), DESPITE_OPTION(x),                                                                                \
        {"prove",       0, POPT_ARG_NONE,                                                                              \
         &(x)->w.prove, 0, "have the proof now: stored and restarted, even where the machine is at work",              \
         NULL},                                                                                                        \
        {"without", 0, POPT_ARG_ARGV, &(x)->without, 0, "leave this value out, with the reason", "ID=REASON"},         \
        {"unseen",       0, POPT_ARG_STRING,                                                                           \
         &(x)->w.unseen, 0, "write these though their present values can't be read, so that there is no way back",     \
         "ID,ID"},                                                                                                     \
    {                                                                                                                  \
        "restart", 0, POPT_ARG_STRING, &(x)->restart, 0,                                                               \
            "when it restarts, which proves that values last: now, idle (when the machine stands), a time, by-hand, "  \
            "never (now; a machine at work isn't restarted unless this says when)",                                    \
            "WHEN"                                                                                                     \
    }
#define TRIAL_OPTION(trial)                                                                                            \
    {                                                                                                                  \
        "trial", 0, POPT_ARG_NONE, &(trial), 0, "put the values in force, but don't store them: keep or undo ends it", \
            NULL                                                                                                       \
    }

/* A new call of a kind of job, before its options are parsed. */
writing *writing_new(bil_job_kind kind);
/* Parses the call. -1, or the exit code; then the call is gone. */
int writing_begin(writing *x, call *c, const command *self, int argc, const char **argv, struct poptOption *options,
                  int least, int most);
/* What somebody named as the place to write to: a device of the site, or an address, kept in a folder. -1, or the exit
 * code. */
int writing_find(writing *x, const char *name);
/* The copy that is meant, and by its digest where a site names it. -1, or the exit code. */
int writing_copy(writing *x, const char *text);
/* The descriptions at hand. -1, or the exit code. */
int writing_models(writing *x);
/* The whole write, asked and told. The exit code. */
int writing_run(writing *x);
/* Gives back what the call holds, and returns the code. */
int writing_end(writing *x, call *c, int code);

/* The whole command that writes a saved copy; the exit code. */
int write_from_copy(const command *self, int argc, const char **argv, bool only_rehearse);

/* What the words of the call say of checks, values left out and the restart. -1, or the exit code. */
int writing_words(writing *x);
/* Plays it on a simulated unit with the values of the device. -1 when it ended well, else the exit code. */
int writing_rehearse(writing *x);

#endif

/* Writing at a terminal: options, questions, what is shown; what the commands share that write. */
#ifndef BIL_CLI_WRITING_H
#define BIL_CLI_WRITING_H

#include "bilancia/write.h"
#include "cli/library.h"

/* One call of a command that writes. */
typedef struct writing {
    library l;
    bil_write_wish wish;
    bool resets;
    bool told;             /* how it ended was shown */
    bool given;            /* the passphrase came from the environment */
    bool person, asked[2]; /* somebody is there to answer; warnings and tests had their heading */
    unsigned failed, open; /* of these */
    struct stage *stage;   /* of a rehearsal */
    bil_reason *reasons;   /* of both lists */
    /* options, as given */
    char *folder, *why, *restart, *unseen, *groups, *serial;
    char **despite, **without;
    int yes, json, fd, passphrase_fd, start_again, prove, trial, calibration, collect;
} writing;

/* X: a `writing`. */
#define WRITING_OPTIONS(x)                                                                                             \
    {"yes", 'y', POPT_ARG_NONE, &(x)->yes, 0, "agree beforehand; nothing is asked", NULL},                             \
        {"password-fd",                                                                                                \
         0,                                                                                                            \
         POPT_ARG_INT,                                                                                                 \
         &(x)->fd,                                                                                                     \
         0,                                                                                                            \
         "read the password from this file descriptor, of several each from a line",                                   \
         "N"},                                                                                                         \
        {"folder", 'f', POPT_ARG_STRING, &(x)->folder, 0, "for safety copy and record (the site, or this folder)",     \
         "DIR"},                                                                                                       \
        WHO_OPTION((x)->l.who), {"why", 0, POPT_ARG_STRING, &(x)->why, 0, "a note for the record", "TEXT"},            \
        JSON_OPTION((x)->json),                                                                                        \
        {"description", 'd', POPT_ARG_STRING, &(x)->l.description, 0, "a description to try first", "FILE"},           \
        SITE_OPTION((x)->l.given), HELP_OPTION

/* Of secrets that are sealed in the copy. */
#define PASSPHRASE_OPTION(x)                                                                                           \
    {                                                                                                                  \
        "passphrase-fd", 0, POPT_ARG_INT, &(x)->passphrase_fd, 0,                                                      \
            "read the passphrase of secrets sealed in the copy from this file descriptor", "N"                         \
    }
#define START_OPTION(x)                                                                                                \
    {                                                                                                                  \
        "start-again", 0, POPT_ARG_NONE, &(x)->start_again, 0,                                                         \
            "set the machine to work again afterwards, if it was at work when this began (--yes doesn't)", NULL        \
    }
#define DESPITE_OPTION(x)                                                                                              \
    {                                                                                                                  \
        "despite", 0, POPT_ARG_ARGV, &(x)->despite, 0,                                                                 \
            "set a check aside, with the reason: firmware, hardware, rules, changed, card, turn, at-work, signature",  \
            "CHECK=REASON"                                                                                             \
    }
/* How values are written, and which of them not. */
#define HOW_OPTIONS(x)                                                                                                 \
    START_OPTION(x), DESPITE_OPTION(x),                                                                                \
        {"prove",     0, POPT_ARG_NONE,                                                                                \
         &(x)->prove, 0, "have the proof now: stored and restarted, even where the machine is at work",                \
         NULL},                                                                                                        \
        {"without", 0, POPT_ARG_ARGV, &(x)->without, 0, "leave this value out, with the reason", "ID=REASON"},         \
        {"unseen",     0, POPT_ARG_STRING,                                                                             \
         &(x)->unseen, 0, "write these though their present values can't be read, so that there is no way back",       \
         "ID,ID"},                                                                                                     \
    {                                                                                                                  \
        "restart", 0, POPT_ARG_STRING, &(x)->restart, 0,                                                               \
            "when it restarts, which proves that values last: now, idle (when the machine stands), a time, by-hand, "  \
            "never (now; a machine at work isn't restarted unless this says when)",                                    \
            "WHEN"                                                                                                     \
    }
#define COLLECT_OPTION(x)                                                                                              \
    {                                                                                                                  \
        "collect", 0, POPT_ARG_NONE, &(x)->collect, 0,                                                                 \
            "save what the device measured and this would clear, such as stored samples, beside the copy first", NULL  \
    }
#define TRIAL_OPTION(x)                                                                                                \
    {                                                                                                                  \
        "trial", 0, POPT_ARG_NONE, &(x)->trial, 0,                                                                     \
            "put the values in force, but don't store them: keep or undo ends it", NULL                                \
    }

/* A new call, before its options are parsed. */
writing *writing_new(void);
/* Parses the call, opens the library and fills in the wish. -1, or the exit code; then the call is gone. */
int writing_begin(writing *x, const command *self, int argc, const char **argv, struct poptOption *options, int least,
                  int most);
/* The device that somebody named as the place to write to. -1, or the exit code. */
int writing_device(writing *x, const char *where, bil_device **dev);
/* Around the call of the library: signals ask for a safe end from here on; and what is said afterwards, with the exit
 * code. */
void writing_starts(writing *x);
int writing_over(writing *x, int error, const bil_ending *ending);
/* Gives back what the call holds, and returns the code. */
int writing_end(writing *x, int code);

/* The whole command that writes a saved copy; the exit code. */
int write_from_copy(const command *self, int argc, const char **argv, bool only_rehearse);

/* What the words of the call say of checks, values left out and the restart. -1, or the exit code. */
int writing_words(writing *x);
/* Has it played on a simulated unit with the values of the device before. */
void writing_rehearses(writing *x, bool only);
/* Frees what a rehearsal was played on. */
void writing_stage_free(writing *x);

#endif

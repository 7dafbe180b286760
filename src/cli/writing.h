/* A write from the copy on disk to the verdict: what the commands share that write. */
#ifndef BIL_CLI_WRITING_H
#define BIL_CLI_WRITING_H

#include "../host/record.h"
#include "../host/secret.h"
#include "site_cli.h"

typedef struct write_call {
    const char *copy, *address, *folder, *who, *why;
    const char *safety_folder; /* in a site: where its copies are */
    here *h;                   /* NULL: the device isn't one of a site */
    device_row owner;
    bool yes, json;
    bool sets;            /* the copy was made a moment ago, from the device itself */
    bool undoes;          /* it goes back to what was before another write */
    char **despite_words; /* checks set aside: "firmware=REASON", ended by NULL; or NULL */
    bil_job_config config;
    /* own */
    json_t *despite;
    set_origin origin; /* of the copy */
    bil_set_totals totals;
    bil_image want;
    device dev;
    bil_job *job;
    char password[SECRET_MAX];
    char stem[200]; /* of the files of this write */
    char safety[STORAGE_PATH];
    char chain[300]; /* the record with which an unfinished story began; "" where this is the first */
    char places[3][STORAGE_PATH];
    bool still_held;             /* the unfinished story left it held */
    uint32_t found, found_first; /* what the device was doing now, and before an unfinished story began */
    record rec;
    unsigned planned;
    bool declined_without_asking; /* nobody could be asked */
    int file_error;               /* why a record or safety copy failed */
} write_call;

#define WRITING_OPTIONS(yes, json, fd, folder, who, why)                                                                \
    {"yes", 'y', POPT_ARG_NONE, &(yes), 0, "agree beforehand; nothing is asked", NULL},                                 \
        {"password-fd", 0, POPT_ARG_INT, &(fd), 0, "read the password from this file descriptor", "N"},                 \
        {"folder", 'f', POPT_ARG_STRING, &(folder), 0, "for safety copy and record (the site, or this folder)", "DIR"}, \
        WHO_OPTION(who), {"why", 0, POPT_ARG_STRING, &(why), 0, "a note for the record", "TEXT"}, JSON_OPTION(json)

/* How values are written, and in spite of what. */
#define HOW_OPTIONS(trial, no_restart, despite)                                                                        \
    {"trial", 0, POPT_ARG_NONE, &(trial), 0, "put the values in force, but don't store them: keep or undo ends it",    \
     NULL},                                                                                                            \
        {"no-restart", 0, POPT_ARG_NONE, &(no_restart), 0, "don't restart: then nothing is proved to last", NULL},     \
    {                                                                                                                  \
        "despite", 0, POPT_ARG_ARGV, &(despite), 0, "set a check aside, with the reason: firmware, hardware or rules", \
            "CHECK=REASON"                                                                                             \
    }

/* Finds the device in the site, if there is one: fills address, folder, safety_folder, h, owner. -1, or the exit code.
 */
int writing_find(write_call *w, const char *device_name, const char *site_given);
/* May this person write to this device at all? -1, or the exit code. */
int writing_allowed(const write_call *w);
/* The whole write. The exit code. */
int writing_run(write_call *w, const models *m, int password_fd);
/* Frees the call and what it holds. */
void writing_end(write_call *w);

#endif

/* A saved copy that is changed with no device there, and where the new one goes. */
#ifndef BIL_CLI_NEW_COPY_H
#define BIL_CLI_NEW_COPY_H

#include "cli/look_cli.h"
#include "host/look/edit.h"

/* What commands that make one are told of it. */
#define NEW_COPY_OPTIONS(folder, why, who)                                                                             \
    {"folder", 'f', POPT_ARG_STRING, &(folder), 0, "where the new copy goes (beside the old one)", "DIR"},             \
        {"why", 'w', POPT_ARG_STRING, &(why), 0, "a note on why", "TEXT"}, WHO_OPTION(who)

typedef struct new_copy {
    edited work;
    open_site *h; /* of a copy of a site; else NULL */
    device_row owner;
    char source[STORAGE_PATH]; /* the copy that it comes from */
    char folder[STORAGE_PATH]; /* where the new one goes */
    char path[STORAGE_PATH];   /* the new one, once it is saved */
} new_copy;

/* Opens what somebody named: a file, or DEVICE#COPY of a site. `folder` NULL: beside it. -1, or the exit code. */
int new_copy_open(new_copy *n, const char *text, const catalogue *m, const char *site_given, const char *folder);
/* Saves it and says where; nothing when no value changed. -1 or the exit code. */
int new_copy_save(new_copy *n, const char *who, const char *why);
void new_copy_close(new_copy *n);

#endif

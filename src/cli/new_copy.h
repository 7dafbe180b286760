/* A saved copy that is changed with no device there, and where the new one goes. */
#ifndef BIL_CLI_NEW_COPY_H
#define BIL_CLI_NEW_COPY_H

#include "cli/look_cli.h"

/* What commands that make one are told of it. */
#define NEW_COPY_OPTIONS(folder, why, who)                                                                             \
    {"folder", 'f', POPT_ARG_STRING, &(folder), 0, "where the new copy goes (beside the old one)", "DIR"},             \
        {"why", 'w', POPT_ARG_STRING, &(why), 0, "a note on why", "TEXT"}, WHO_OPTION(who)

enum { NEW_COPY_PATH = 4200 };

typedef struct new_copy {
    char device[DEVICE_NAME];   /* of a copy of a site: whose it is; else "" */
    char source[NEW_COPY_PATH]; /* the copy that it comes from, and the new one, once it is saved */
    char path[NEW_COPY_PATH], digest[65];
} new_copy;

/* Opens what somebody named: a file, or DEVICE#COPY of a site. -1, or the exit code. */
int new_copy_open(new_copy *n, library *l, const char *which, bil_copy **copy);
/* Notes where it lies, of one that was opened otherwise. */
void new_copy_of(new_copy *n, const char *which, const bil_copy *copy);
/* Saves it in a folder (NULL: where it belongs), and says where, and how it is sent; nothing when no value changed. -1
 * or the exit code. */
int new_copy_save(new_copy *n, library *l, bil_copy *copy, const char *folder, const char *why);

#endif

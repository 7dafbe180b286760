/* What went wrong, for whoever called. */
#ifndef BIL_HOST_BASE_TROUBLE_H
#define BIL_HOST_BASE_TROUBLE_H

#include "port/storage.h"

typedef struct trouble {
    int error;                     /* one of both lists, BIL_OK: nothing went wrong */
    char what[STORAGE_PATH];       /* what it is about: a file, an address, a word; or "" */
    char why[STORAGE_PATH + 1000]; /* what was seen; "": the text of the error says it all */
    char site[STORAGE_PATH];       /* the site that it is about, where the caller named none; or "" */
} trouble;

/* Fills it in, cutting what is too long; `what` and `why` may be NULL; of no site. Returns the error. */
int trouble_of(trouble *t, int error, const char *what, const char *why);

#endif

/* A site that is worked in: its place and its index. */
#ifndef BIL_HOST_SITE_OPEN_H
#define BIL_HOST_SITE_OPEN_H

#include "host/site/index.h"

typedef struct open_site {
    site place;
    site_index index;
} open_site;

/* The site at `given`, or (NULL) the one that the current folder lies in. On an error `why` tells more, and nothing is
 * open. */
int open_site_at(open_site *s, const char *given, char *why, size_t why_size);
/* False: the index was damaged, so that something may have been missing; it is made anew by the next opening. */
bool open_site_close(open_site *s);

/* Reads what the site says of this device, and of its copies, from the files before something is decided. True where
 * it has none of that name: whoever asks for it says so. */
bool open_site_fresh(open_site *s, const char *name);

#endif

/* Reading several devices of a site. */
#ifndef BIL_CLI_MANY_H
#define BIL_CLI_MANY_H

#include "cli/library.h"

typedef struct many {
    const char **names;             /* devices or groups; NULL or empty: all in service */
    bool only_changed, json, quiet; /* quiet: what stays as it was isn't mentioned */
    unsigned at_once;
    const char *why;
    bool (*stop)(void); /* not NULL: asked after each device */
} many;

/* Reads them from the site that is open, and says of each how it ended. The exit code. */
int many_read(library *l, const many *m);

/* Was this unit known as another device before? Says so, and where. */
void say_moved(library *l, const char *device, const char *model, const char *serial);

#endif

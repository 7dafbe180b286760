/* Reading several devices of a site. */
#ifndef BIL_CLI_MANY_H
#define BIL_CLI_MANY_H

#include "cli/site_cli.h"
#include "host/site/fleet.h"

typedef struct many {
    const char **names;             /* devices or groups; NULL or empty: all in service */
    bool only_changed, json, quiet; /* quiet: what stays as it was isn't mentioned */
    unsigned at_once;
    const char *who, *why;
    const catalogue *known;
    const atomic_int *stop;
    unsigned saved, same, failed, partly; /* out: `same` counts unchanged ones, too */
} many;

/* Reads them, says of each how it ended, and notes what has changed about reaching it. Returns the exit code. */
int many_read(open_site *h, many *m);

/* What a read told about the device beside its values: noted when that is news. `owner` is the row before the read. */
void many_note_state(open_site *h, const device_row *owner, const fleet_task *task, const char *who);

/* Was this unit known as another device before? Says so, and where. */
void say_moved(open_site *h, const char *folder, const char *name, const char *model, const char *serial);

#endif

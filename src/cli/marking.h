/* What the commands share that say something of a copy, or of a device. */
#ifndef BIL_CLI_MARKING_H
#define BIL_CLI_MARKING_H

#include "cli/site_cli.h"
#include "host/site/marks.h"

typedef struct marking {
    call c;
    open_site h;
    device_row owner;
    copy_row copy;
    bool of_copy; /* else of the device alone */
    char *given, *who, *why;
} marking;

/* Options that all of them have. */
#define MARKING_OPTIONS(m) SITE_OPTION((m)->given), WHO_OPTION((m)->who), HELP_OPTION
#define WHY_OPTION(m)                                                                                                  \
    {                                                                                                                  \
        "why", 0, POPT_ARG_STRING, &(m)->why, 0, "a note on why", "TEXT"                                               \
    }

/* What the first argument has to name. */
typedef enum marking_of {
    MARK_COPY,
    MARK_NAMED_COPY /* DEVICE#WHICH, never the last one by default */,
    MARK_EITHER
} marking_of;
/* Parses the call and finds device and copy. -1, or the exit code; then there is nothing to be ended. */
int marking_begin(marking *m, const command *self, int argc, const char **argv, struct poptOption *options, int count,
                  marking_of of);
int marking_end(marking *m, int code);
/* Says an error of the site, and returns the exit code. */
int marking_failed(const marking *m, int error);

#endif

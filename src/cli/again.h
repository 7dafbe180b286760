/* Going on with a write, making its values last, or going back. */
#ifndef BIL_CLI_AGAIN_H
#define BIL_CLI_AGAIN_H

#include "cli/writing.h"

typedef enum again_what { AGAIN_RESUME, AGAIN_KEEP, AGAIN_UNDO } again_what;
/* The whole command; the exit code. */
int again_run(const command *self, int argc, const char **argv, again_what what);

#endif

/* Going on with a write, making its values last, or going back. */
#ifndef BIL_CLI_AGAIN_H
#define BIL_CLI_AGAIN_H

#include "cli/writing.h"

/* The whole command, by the call of the library that does it: bil_resume, bil_undo or bil_keep. The exit code. */
int again_run(const command *self, int argc, const char **argv,
              int (*how)(bil_host *host, const char *which, const bil_write_wish *wish, bil_ending *ending));

#endif

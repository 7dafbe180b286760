/* bilancia undo: goes back to the values before the last write. */
#include "cli/again.h"

static int run(const command *self, int argc, const char **argv)
{
    return again_run(self, argc, argv, bil_undo);
}

const command command_undo = {
    "undo",
    "[options] DEVICE|RECORD.brec",
    "goes back to the values before the last write",
    "  bilancia undo crusher\n"
    "After a write that broke off: to the values before it began, however often it was resumed.\n",
    run,
    360};

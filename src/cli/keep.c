/* bilancia keep: makes values last that are on trial. */
#include "cli/again.h"

static int run(const command *self, int argc, const char **argv)
{
    return again_run(self, argc, argv, bil_keep);
}

const command command_keep = {
    "keep",
    "[options] DEVICE|RECORD.brec",
    "makes values last that are on trial",
    "  bilancia set crusher limit.torque=120 --trial\n"
    "  bilancia keep crusher                       or: bilancia undo crusher\n"
    "They are written again where a restart took them away, and stored; --prove has the proof at once.\n",
    run,
    350};

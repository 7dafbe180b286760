/* bilancia resume: finishes a write that was broken off. */
#include "cli/again.h"

static int run(const command *self, int argc, const char **argv)
{
    return again_run(self, argc, argv, bil_resume);
}

const command command_resume = {
    "resume",
    "[options] DEVICE|RECORD.brec",
    "finishes a write that was broken off",
    "  bilancia resume crusher                     as a site names it\n"
    "  bilancia resume crusher_ED30-0417_20261123-071500.brec\n"
    "What is already right isn't written again; the device is let go to what it did at first.\n",
    run,
    340};

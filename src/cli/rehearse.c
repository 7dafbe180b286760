/* bilancia rehearse: a write that is only played. */
#include "cli/writing.h"

static int run(const command *self, int argc, const char **argv)
{
    return write_from_copy(self, argc, argv, true);
}

const command command_rehearse = {"rehearse",
                                  "[options] COPY ADDRESS",
                                  "plays a write on a simulated unit with the values of the device; writes nothing",
                                  "  bilancia rehearse crusher#baseline crusher\n"
                                  "In a site the history says of the copy that it was proved so.\n",
                                  run,
                                  330};

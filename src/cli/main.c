#include <fcntl.h>
#include <locale.h>
#include <signal.h>
#include <stdlib.h>
#include <string.h>
#include <sys/prctl.h>

#include "cli/cli.h"
#include "show/meant.h"

extern const command *const command_list[]; /* made by the build */

static int by_place(const void *left, const void *right)
{
    const command *const *a = left, *const *b = right;
    return ((*a)->place > (*b)->place) - ((*a)->place < (*b)->place);
}

const command *const *commands(void)
{
    enum { MOST = 200 };
    static const command *sorted[MOST + 1];
    size_t count = 0;
    if (!sorted[0]) {
        for (; count < MOST && command_list[count]; count++)
            sorted[count] = command_list[count];
        qsort(sorted, count, sizeof *sorted, by_place);
    }
    return sorted;
}

/* By the work: a hundred places each. */
static const char *const groups[] = {"",
                                     "A device",
                                     "Saved copies",
                                     "Writing to a device",
                                     "The site of a plant",
                                     "Standing by",
                                     "Bringing copies elsewhere",
                                     "Trying it out"};

static void overview(FILE *file)
{
    int group = 0;
    fputs("Reads the parameter set of a device, keeps it, compares it, and writes it back with proof.\n\n"
          "Usage: bilancia COMMAND [options] ...\n\n",
          file);
    for (const command *const *c = commands(); *c; c++) {
        int its = (*c)->place / 100;
        if (its != group && its > 0 && (size_t)its < sizeof groups / sizeof groups[0])
            tell(file, group ? "\n%s\n" : "%s\n", groups[its]);
        group = its;
        tell(file, "  %-10s %s\n", (*c)->name, (*c)->summary);
    }
    fputs("\nA device address looks like modbus+tcp://127.0.0.1:5020/3 or console+tcp://127.0.0.1:4001; anything "
          "without a\n"
          "scheme is a file.\n"
          "More of a command: bilancia help COMMAND. New here? Run: bilancia demo\n\n"
          "Exit codes: 0 done or equal, 1 differences, 2 wrong call, 3 refused by a check or by the person,\n"
          "4 not reachable, 5 not verified or incomplete, 6 a file or folder can't be read, written or trusted,\n"
          "7 a device is still held.\n",
          file);
}

/* Descriptors 0 to 2 that nobody opened would be given to the next file, or to the line of a device: then what the tool
 * says would go there. */
static bool has_streams(void)
{
    for (int fd = 0; fd < 3; fd++)
        if (fcntl(fd, F_GETFD) < 0 && open("/dev/null", fd ? O_WRONLY : O_RDONLY) != fd)
            return false;
    return true;
}

int main(int argc, const char **argv)
{
    if (!has_streams())
        return EXIT_FILE;
#ifndef __SANITIZE_ADDRESS__   /* the search for leaks looks at the program from outside */
    prctl(PR_SET_DUMPABLE, 0); /* no picture of this memory, which may hold a password, on a disk */
#endif
    setlocale(LC_CTYPE, "C.UTF-8");
    signal(SIGPIPE, SIG_IGN); /* a lost connection is an error like any other */
    signal(SIGXFSZ, SIG_IGN); /* so is a file that may not grow */
    if (argc < 2) {
        overview(stderr);
        return EXIT_CALL;
    }
    const char *helped[] = {argv[0], argc > 2 ? argv[2] : "", "--help", NULL};
    if (strcmp(argv[1], "help") == 0 && argc == 3) {
        argv = helped; /* as if it had been asked of the command itself */
    } else if (strcmp(argv[1], "--help") == 0 || strcmp(argv[1], "-h") == 0 || strcmp(argv[1], "help") == 0) {
        overview(stdout);
        return EXIT_DONE;
    }
    if (strcmp(argv[1], "--version") == 0) {
        puts("bilancia " BILANCIA_VERSION);
        return EXIT_DONE;
    }
    for (const command *const *c = commands(); *c; c++)
        if (strcmp((*c)->name, argv[1]) == 0) {
            int code = (*c)->run(*c, argc - 1, argv + 1);
            /* what was said must have arrived: a full disk behind stdout is an error too */
            if (fflush(stdout) != 0 || ferror(stdout))
                return code == EXIT_HELD ? code : EXIT_FILE;
            return code;
        }
    meant like = {0};
    for (const command *const *c = commands(); *c; c++)
        meant_offer(&like, argv[1], (*c)->name);
    tell(stderr, "bilancia: there is no command \"%s\"%s%s%s\n  More with: bilancia --help\n", argv[1],
         like.best[0] ? "; did you mean " : "", like.best, like.best[0] ? "?" : "");
    return EXIT_CALL;
}

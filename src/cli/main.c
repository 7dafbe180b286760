#include <fcntl.h>
#include <locale.h>
#include <signal.h>
#include <string.h>
#include <sys/prctl.h>

#include "../host/nearest.h"
#include "cli.h"

const command *const commands[] = {&command_read,     &command_show,     &command_compare,
                                   &command_edit,     &command_settle,   &command_write,
                                   &command_set,      &command_reset,    &command_rehearse,
                                   &command_resume,   &command_keep,     &command_undo,
                                   &command_check,    &command_site,     &command_device,
                                   &command_find,     &command_overview, &command_history,
                                   &command_note,     &command_baseline, &command_name,
                                   &command_delete,   &command_thin,     &command_take_in,
                                   &command_hand_out, &command_share,    &command_watch,
                                   &command_kit,      &command_sign,     &command_simulate,
                                   &command_demo,     &command_complete, NULL};
enum { COMMANDS = sizeof commands / sizeof commands[0] - 1 };

static void overview(FILE *file)
{
    fputs("bilancia reads the parameter set of a device, keeps it, compares it, and writes it back with proof.\n\n"
          "Usage: bilancia COMMAND [options] ...\n\n",
          file);
    for (int i = 0; i < COMMANDS; i++)
        tell(file, "  %-10s %s\n", commands[i]->name, commands[i]->summary);
    fputs("\nA device address looks like modbus+tcp://127.0.0.1:5020/3; anything without a scheme is a file.\n"
          "Each command tells more with --help. New here? Run: bilancia demo\n\n"
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
    if (strcmp(argv[1], "--help") == 0 || strcmp(argv[1], "-h") == 0 || strcmp(argv[1], "help") == 0) {
        overview(stdout);
        return EXIT_DONE;
    }
    if (strcmp(argv[1], "--version") == 0) {
        puts("bilancia " BILANCIA_VERSION);
        return EXIT_DONE;
    }
    for (int i = 0; i < COMMANDS; i++)
        if (strcmp(commands[i]->name, argv[1]) == 0) {
            int code = commands[i]->run(commands[i], argc - 1, argv + 1);
            /* what was said must have arrived: a full disk behind stdout is an error too */
            if (fflush(stdout) != 0 || ferror(stdout))
                return code == EXIT_HELD ? code : EXIT_FILE;
            return code;
        }
    nearest like = {0};
    for (int i = 0; i < COMMANDS; i++)
        nearest_offer(&like, argv[1], commands[i]->name);
    tell(stderr, "bilancia: there is no command \"%s\"%s%s%s\n  More with: bilancia --help\n", argv[1],
         like.best[0] ? "; did you mean " : "", like.best, like.best[0] ? "?" : "");
    return EXIT_CALL;
}

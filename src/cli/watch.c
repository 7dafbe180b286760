/* bilancia watch: stands by and saves a copy of each device that reports a change. */
#include <poll.h>
#include <signal.h>
#include <stdatomic.h>

#include "cli/many.h"

static atomic_int stop;

static void on_signal(int number)
{
    (void)number;
    stop = 1;
}

static bool is_to_stop(void)
{
    return stop;
}

static int stand_by(library *l, int every, int rounds)
{
    int code = EXIT_DONE;
    many m = {.names = l->c.arguments, .only_changed = true, .quiet = true, .why = "it changed", .stop = is_to_stop};
    for (int round = 0; !stop && (rounds == 0 || round < rounds); round++) {
        if (round > 0)
            poll(NULL, 0, every * 1000); /* a signal ends it */
        if (stop)
            break;
        /* opened anew each time: others work in the site meanwhile */
        int error = bil_site_open(l->host, NULL, &l->site);
        if (error)
            return library_failed(l, error);
        code = many_read(l, &m);
        bil_site_close(l->site);
        l->site = NULL;
        fflush(stdout);
    }
    return stop ? EXIT_DONE : code;
}

static int run(const command *self, int argc, const char **argv)
{
    int every = 60, rounds = 0;
    library l = {0};
    struct poptOption options[] = {
        {"every", 'e', POPT_ARG_INT, &every, 0, "ask the devices every so many seconds (60)", "N"},
        {"rounds", 0, POPT_ARG_INT, &rounds, 0, "end after so many rounds (never)", "N"},
        {"description", 'd', POPT_ARG_STRING, &l.description, 0, "a description to try first", "FILE"},
        WHO_OPTION(l.who),
        SITE_OPTION(l.given),
        HELP_OPTION,
        POPT_TABLEEND};
    int code = library_begin(&l, self, argc, argv, options, 0, 1000, false);
    if (code >= 0)
        return code;
    if (every < 1 || every > 86400 || rounds < 0)
        return library_end(&l, say_error("", BIL_E_CALL, "every 1 to 86400 seconds"));
    struct sigaction action = {.sa_handler = on_signal};
    sigaction(SIGTERM, &action, NULL);
    sigaction(SIGINT, &action, NULL);
    return library_end(&l, stand_by(&l, every, rounds));
}

const command command_watch = {"watch",
                               "[options] [DEVICE or GROUP...]",
                               "stands by and saves a copy of each device that changed",
                               "  bilancia watch --every 30 kneading\n",
                               run,
                               500};

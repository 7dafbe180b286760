/* bilancia watch: stands by and saves a copy of each device that reports a change. */
#include <poll.h>
#include <signal.h>
#include <string.h>

#include "cli/many.h"

static atomic_int stop;

static void on_signal(int number)
{
    (void)number;
    stop = 1;
}

static int run(const command *self, int argc, const char **argv)
{
    char *given = NULL, *who = NULL, *description = NULL;
    int every = 60, rounds = 0;
    struct poptOption options[] = {
        {"every", 'e', POPT_ARG_INT, &every, 0, "ask the devices every so many seconds (60)", "N"},
        {"rounds", 0, POPT_ARG_INT, &rounds, 0, "end after so many rounds (never)", "N"},
        {"description", 'd', POPT_ARG_STRING, &description, 0, "a description to try first", "FILE"},
        WHO_OPTION(who),
        SITE_OPTION(given),
        HELP_OPTION,
        POPT_TABLEEND};
    call c;
    int code = call_begin(&c, self, argc, argv, options, 0, 1000);
    if (code >= 0)
        return code;
    if (every < 1 || every > 86400 || rounds < 0)
        return call_end(&c, say_error("", BIL_E_CALL, "every 1 to 86400 seconds"));
    if (!note_is_good(who))
        return call_end(&c, say_error("--who", BIL_E_CALL, NOTE_WANTED));
    catalogue known;
    open_site h;
    int error = catalogue_open(&known, description);
    if (!error)
        error = enter_site(&h, given);
    if (error)
        return call_end(&c, exit_code_of(error));
    error = take_models(&h, &known);
    leave_site(&h);
    struct sigaction action = {.sa_handler = on_signal};
    sigaction(SIGTERM, &action, NULL);
    sigaction(SIGINT, &action, NULL);
    code = exit_code_of(error);
    for (int round = 0; !error && !stop && (rounds == 0 || round < rounds); round++) {
        if (round > 0)
            poll(NULL, 0, every * 1000); /* a signal ends it */
        if (stop)
            break;
        /* opened anew each time: others work in the site meanwhile */
        error = enter_site(&h, given);
        if (error) {
            code = exit_code_of(error);
            break;
        }
        many m = {.names = c.arguments,
                  .only_changed = true,
                  .quiet = true,
                  .who = person(who),
                  .why = "it changed",
                  .known = &known,
                  .stop = &stop};
        code = many_read(&h, &m);
        leave_site(&h);
        fflush(stdout);
    }
    return call_end(&c, stop ? EXIT_DONE : code);
}

const command command_watch = {"watch",
                               "[options] [DEVICE or GROUP...]",
                               "stands by and saves a copy of each device that changed",
                               "  bilancia watch --every 30 kneading\n",
                               run,
                               500};

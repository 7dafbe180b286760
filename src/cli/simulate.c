/* bilancia simulate: a simulated unit on Modbus TCP, and its control channel. */
#include <errno.h>
#include <signal.h>
#include <stdlib.h>
#include <string.h>

#include "cli/cli.h"
#include "cli/password.h"
#include "show/need.h"
#include "sim/crowd.h"
#include "sim/entry.h"
#include "sim/server.h"

static volatile int stop;

static void on_signal(int number)
{
    (void)number;
    stop = 1;
}

static const sim_model *model_named(const char *name)
{
    const sim_model *model = sim_model_named(name);
    char why[300] = "the models are";
    for (const sim_model *const *one = sim_models; !model && *one; one++)
        snprintf(why + strlen(why), sizeof why - strlen(why), "%s %s",
                 one == sim_models ? ""
                 : one[1]          ? ","
                                   : " and",
                 (*one)->name);
    if (!model)
        say_error(name, BIL_E_CALL, why);
    return model;
}

/* What a unit is, where it isn't the usual one. */
typedef struct identity {
    const char *serial, *name, *firmware;
} identity;

static int serve(const char *name, int port, const char *control, int factor, bool delivered, const identity *who)
{
    const sim_model *model = model_named(name);
    if (!model)
        return EXIT_CALL;
    if (factor < 1 || factor > 1000 || port < 0 || port > 65535)
        return say_error("", BIL_E_CALL, "the time factor is 1 to 1000, the port 0 to 65535");
    sim_unit *unit = need(1, sizeof *unit);
    sim_start(unit, model, delivered, who->serial, who->name);
    if (who->firmware && !sim_put(unit, "id.firmware", who->firmware)) {
        free(unit);
        return say_error(who->firmware, BIL_E_CALL, "this doesn't fit into the unit");
    }
    sim_store(unit);
    char password[PASSWORD_MAX];
    if (password_from_environment("BILANCIA_SIMULATED_PASSWORD", password, sizeof password)) {
        sim_put(unit, "access.password", password);
        sim_store(unit);
        explicit_bzero(password, sizeof password);
    }
    sim_server server;
    char why[300];
    int error = sim_server_open(&server, unit, port, control, (unsigned)factor, why, sizeof why);
    if (error) {
        free(unit);
        return say_error("simulate", BIL_E_FILE_WRITE, why);
    }
    struct sigaction action = {.sa_handler = on_signal};
    sigaction(SIGTERM, &action, NULL);
    sigaction(SIGINT, &action, NULL);
    say("%s at modbus+tcp://127.0.0.1:%d/1%s%s\n", model->name, server.port, control ? ", control channel " : "",
        control ? control : "");
    fflush(stdout);
    sim_server_run(&server, &stop);
    sim_server_close(&server);
    free(unit);
    return EXIT_DONE;
}

/* Several units at once: serial numbers and names are counted up from the model's own. */
static int serve_crowd(const char *name, crowd *c)
{
    const sim_model *model = model_named(name);
    if (!model)
        return EXIT_CALL;
    char why[300];
    c->units = need(c->count, sizeof *c->units);
    for (size_t i = 0; i < c->count; i++) {
        char serial[16], unit_name[16];
        char number[8];
        snprintf(serial, sizeof serial, "%u", (unsigned)(700000 + i));
        snprintf(number, sizeof number, "%u", (unsigned)(i + 1));
        snprintf(unit_name, sizeof unit_name, "unit-%u", (unsigned)(i + 1));
        c->units[i] = need(1, sizeof *c->units[i]);
        sim_start(c->units[i], model, false, serial, unit_name);
        if (c->line) { /* each answers at its own number */
            sim_put(c->units[i], model->address, number);
            sim_store(c->units[i]);
            c->units[i]->answers_at = (uint8_t)(i + 1);
        }
    }
    int code = EXIT_DONE;
    struct sigaction action = {.sa_handler = on_signal};
    sigaction(SIGTERM, &action, NULL);
    sigaction(SIGINT, &action, NULL);
    if (!crowd_open(c, why, sizeof why)) {
        code = say_error("simulate", BIL_E_FILE_WRITE, why);
    } else {
        for (size_t i = 0; i < c->count; i++)
            if (c->line)
                say("modbus+rtu:%s?unit=%zu&speed=%u\n", c->path, i + 1, c->speed);
            else
                say("modbus+tcp://127.0.0.1:%d/1\n", c->ports[i]);
        fflush(stdout);
        crowd_run(c, &stop);
        if (c->line)
            tell(stderr, "characters and pauses took %.3f s of the line\n", (double)c->line_us / 1e6);
    }
    crowd_close(c);
    for (size_t i = 0; i < c->count; i++)
        free(c->units[i]);
    free(c->units);
    return code;
}

static int say_to_unit(const char *control, const char **words, int count)
{
    char line[240] = "", answer[300];
    for (int i = 0; i < count; i++) {
        size_t used = strlen(line);
        if ((size_t)snprintf(line + used, sizeof line - used, "%s%s", i ? " " : "", words[i]) >= sizeof line - used)
            return say_error("", BIL_E_CALL, "this is too long for the control channel");
    }
    if (strchr(line, '\n'))
        return say_error("", BIL_E_CALL, "one line at a time");
    int error = sim_control_call(control, line, answer, sizeof answer);
    if (error)
        return say_error(control, error, NULL);
    bool good = strncmp(answer, "ok", 2) == 0;
    tell(good ? stdout : stderr, "%s\n", answer);
    return good ? EXIT_DONE : EXIT_REFUSED;
}

static int run(const command *self, int argc, const char **argv)
{
    char *control = NULL, *at = NULL, *serial = NULL, *name = NULL, *firmware = NULL;
    int port = 0, factor = 1, delivered = 0, count = 0, line = 0, speed = 19200, reply_ms = 0;
    struct poptOption options[] = {
        {"port", 'p', POPT_ARG_INT, &port, 0, "TCP port on 127.0.0.1 (a free one)", "N"},
        {"control", 'c', POPT_ARG_STRING, &control, 0, "make a control channel here", "PATH"},
        {"time-factor", 't', POPT_ARG_INT, &factor, 0, "its time runs so many times faster (1)", "N"},
        {"as-delivered", 0, POPT_ARG_NONE, &delivered, 0, "with factory values, not as set up in the mill", NULL},
        {"serial", 0, POPT_ARG_STRING, &serial, 0, "its serial number", "TEXT"},
        {"name", 0, POPT_ARG_STRING, &name, 0, "its device name", "TEXT"},
        {"firmware", 0, POPT_ARG_STRING, &firmware, 0, "its firmware", "TEXT"},
        {"count", 0, POPT_ARG_INT, &count, 0, "so many units, on ports from --port on, or as 1 to N on one --line",
         "N"},
        {"line", 0, POPT_ARG_NONE, &line, 0, "a serial line (a pseudo-terminal) in place of TCP ports", NULL},
        {"speed", 0, POPT_ARG_INT, &speed, 0, "of the line, bits a second (19200)", "N"},
        {"reply-ms", 0, POPT_ARG_INT, &reply_ms, 0, "several units: a reply takes so long (0)", "N"},
        {"at", 'a', POPT_ARG_STRING, &at, 0, "tell the unit with this control channel what happens to it", "PATH"},
        {"help", 'h', POPT_ARG_NONE, NULL, 'h', "this text", NULL},
        POPT_TABLEEND};
    call c;
    int code = call_begin(&c, self, argc, argv, options, 1, 40);
    if (code >= 0)
        return code;
    if (at)
        return call_end(&c, say_to_unit(at, c.arguments, c.count));
    if (c.count > 1)
        return call_end(
            &c, say_error(c.arguments[1], BIL_E_CALL, "one model at a time; to tell a unit something, say --at PATH"));
    if (line || count) {
        count = count ? count : 1;
        if (count < 1 || count > (line ? 247 : CROWD_UNITS) || speed < 1200 || speed > 115200 || reply_ms < 0 ||
            reply_ms > 10000)
            return call_end(&c,
                            say_error("", BIL_E_CALL, "1 to 2000 units (247 on a line), 1200 to 115200 bits a second"));
        crowd many = {.count = (size_t)count,
                      .line = line,
                      .speed = (unsigned)speed,
                      .reply_ms = (unsigned)reply_ms,
                      .first_port = port};
        return call_end(&c, serve_crowd(c.arguments[0], &many));
    }
    identity who = {serial, name, firmware};
    return call_end(&c, serve(c.arguments[0], port, control, factor, delivered, &who));
}

const command command_simulate = {
    "simulate",
    "[options] MODEL  |  simulate --at PATH WORDS...",
    "runs a simulated unit, or tells a running one what happens to it",
    "  bilancia simulate ed-30 --port 5020 --control crusher.ctl\n"
    "  bilancia simulate --at crusher.ctl set limit.torque 120.0   as from the keys on its front\n"
    "  bilancia simulate --at crusher.ctl power-cut                off and on again\n"
    "  bilancia simulate --at crusher.ctl factory-reset\n"
    "  also: get NAME, counters, time-factor N, silent, quit; remember, and recall for the unit as it was then\n"
    "  what goes wrong, until plug-in: fault power-cut N, cable N, request-lost N, reply-lost N, late N MS, busy N "
    "TIMES,\n"
    "  refused N, hand N NAME VALUE (N: requests from now), refuse NAME, clamp NAME VALUE, contest NAME NAME, counts,\n"
    "  other-unit SERIAL, no-return, other-address NUMBER, deaf NAME, mute NAME, slow NAME, ignores NAME\n"
    "The password of a simulated drive is mill-30, or what BILANCIA_SIMULATED_PASSWORD says.\n",
    run,
    710};

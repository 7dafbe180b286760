/* bilancia simulate: a simulated unit on its protocol, and its control channel. */
#include <errno.h>
#include <signal.h>
#include <stdlib.h>
#include <string.h>
#include <strings.h>

#include "cli/library.h"
#include "cli/password.h"
#include "cli/played.h"
#include "show/need.h"
#include "sim/crowd.h"
#include "sim/entry.h"
#include "sim/server.h"

enum { LINE_MOST = 247 }; /* unit numbers of a line */

static volatile int stop;

static void on_signal(int number)
{
    (void)number;
    stop = 1;
}

/* A model: one that somebody wrote, or one that is only described and played by that. */
typedef struct chosen {
    const sim_model *model;
    played_model *played;
    bil_host *host; /* of the description */
    bool lasting;
} chosen;

static void let_go(chosen *c)
{
    sim_played_free(c->played);
    bil_host_close(c->host);
    *c = (chosen){.model = NULL};
}

/* The one described in this file, or known to the site under this name; with the values of a copy, any, or as
 * delivered. -1: there is no such description. */
static int play(chosen *c, const char *name, const char *values, const char *where)
{
    library l = {.given = (char *)where, .quiet = true};
    bil_host_config config = {.struct_size = sizeof config, .site = where};
    const bil_description *d = NULL;
    bil_copy *copy = NULL;
    const char *ending = strrchr(name, '.');
    char why[300];
    int code = -1, error = bil_host_open(&l.host, &config);
    bool file = ending && strcmp(ending, ".yaml") == 0, random = values && strcmp(values, "random") == 0;
    if (!error && file)
        error = bil_host_add_description(l.host, name);
    for (size_t i = 0; !error && !d && (d = bil_host_description(l.host, i)); i++)
        d = file || strcasecmp(d->model, name) == 0 ? d : NULL;
    if (!error && d && values && !random)
        error = bil_copy_open(l.host, values, &copy);
    if (error) {
        code = library_failed(&l, error);
    } else if (copy && strcmp(bil_copy_tells(copy)->model, d->model) != 0) {
        code = say_error(values, BIL_E_OTHER_MODEL, NULL);
    } else if (d) {
        c->played = played_of(d, copy ? bil_copy_image(copy) : NULL, random, why, sizeof why);
        c->model = c->played ? &c->played->model : NULL;
        c->lasting = d->writes_last;
        code = c->played ? EXIT_DONE : say_error(name, BIL_E_CALL, why);
    }
    if (code == EXIT_DONE)
        c->host = l.host; /* the names of the model are its */
    else
        bil_host_close(l.host);
    return code;
}

/* The exit code, EXIT_DONE where there is such a model. */
static int choose(chosen *c, const char *name, const char *values, const char *where)
{
    c->model = values ? NULL : sim_model_named(name);
    int code = c->model ? EXIT_DONE : play(c, name, values, where);
    if (code >= 0)
        return code;
    char why[300] = "there is no description of this model here; simulated units are there of";
    for (const sim_model *const *one = sim_models; *one; one++)
        snprintf(why + strlen(why), sizeof why - strlen(why), "%s %s",
                 one == sim_models ? ""
                 : one[1]          ? ","
                                   : " and",
                 (*one)->name);
    return say_error(name, BIL_E_CALL, why);
}

/* What a unit is, where it isn't the usual one. */
typedef struct identity {
    const char *serial, *name, *firmware;
    bool delivered, guarded;
} identity;

static int serve(const chosen *which, int port, bool line, const char *control, int factor, const identity *who)
{
    const sim_model *model = which->model;
    if (factor < 1 || factor > 1000 || port < 0 || port > 65535)
        return say_error("", BIL_E_CALL, "the time factor is 1 to 1000, the port 0 to 65535");
    sim_unit *unit = need(1, sizeof *unit);
    sim_start(unit, model, who->delivered, who->serial, who->name);
    unit->lasting = which->lasting;
    unit->guarded = who->guarded;
    if (who->firmware && !(model->firmware && sim_put(unit, model->firmware, who->firmware))) {
        free(unit);
        return say_error(who->firmware, BIL_E_CALL, "this doesn't fit into the unit");
    }
    sim_store(unit);
    char password[PASSWORD_MAX];
    if (password_from_environment("BILANCIA_SIMULATED_PASSWORD", password, sizeof password)) {
        sim_put_secret(unit, password);
        sim_store(unit);
        explicit_bzero(password, sizeof password);
    }
    sim_server server;
    char why[300];
    int error = line ? sim_server_open_line(&server, unit, control, (unsigned)factor, why, sizeof why)
                     : sim_server_open(&server, unit, port, control, (unsigned)factor, why, sizeof why);
    if (error) {
        free(unit);
        return say_error("simulate", BIL_E_FILE_WRITE, why);
    }
    struct sigaction action = {.sa_handler = on_signal};
    sigaction(SIGTERM, &action, NULL);
    sigaction(SIGINT, &action, NULL);
    char at[100];
    if (line)
        snprintf(at, sizeof at, "console+serial:%s", server.path);
    else if (model->web)
        snprintf(at, sizeof at, "http://127.0.0.1:%d", server.port);
    else if (model->dialogue)
        snprintf(at, sizeof at, "console+tcp://127.0.0.1:%d", server.port);
    else
        snprintf(at, sizeof at, "modbus+tcp://127.0.0.1:%d/%u", server.port,
                 sim_has_numbers(unit) ? unit->answers_at : 1u);
    say("%s at %s%s%s\n", model->name, at, control ? ", control channel " : "", control ? control : "");
    fflush(stdout);
    sim_server_run(&server, &stop);
    sim_server_close(&server);
    free(unit);
    return EXIT_DONE;
}

/* The i-th of a list with commas between; false where it has no such, or an empty one. */
static bool nth(const char *list, size_t i, char *out, size_t size)
{
    for (; list && i > 0; i--) {
        list = strchr(list, ',');
        list = list ? list + 1 : NULL;
    }
    if (!list || strcspn(list, ",") == 0)
        return false;
    snprintf(out, size, "%.*s", (int)strcspn(list, ","), list);
    return true;
}

/* Several units at once: the serial numbers and names that aren't given are counted up. */
static int serve_crowd(const chosen *which, crowd *c, const identity *who)
{
    const sim_model *model = which->model;
    char why[300];
    unsigned numbers = sim_numbers_of(model);
    if (c->line && c->count > (numbers ? LINE_MOST / numbers : 1u))
        return say_error("", BIL_E_CALL, "a line has 247 unit numbers, and a unit of this model takes more than one");
    c->units = need(c->count, sizeof *c->units);
    for (size_t i = 0; i < c->count; i++) {
        char serial[16], unit_name[16];
        char number[8];
        unsigned at = (unsigned)i * numbers + 1;
        snprintf(number, sizeof number, "%u", at);
        if (!nth(who->serial, i, serial, sizeof serial))
            snprintf(serial, sizeof serial, "%u", (unsigned)(700000 + i));
        if (!nth(who->name, i, unit_name, sizeof unit_name))
            snprintf(unit_name, sizeof unit_name, "unit-%u", (unsigned)(i + 1));
        c->units[i] = need(1, sizeof *c->units[i]);
        sim_start(c->units[i], model, who->delivered, serial, model->called ? unit_name : NULL);
        c->units[i]->lasting = which->lasting;
        if (c->line && model->address) {
            sim_put(c->units[i], model->address, number);
            sim_store(c->units[i]);
        }
        if (c->line)
            c->units[i]->answers_at = (uint8_t)at; /* each has its own number */
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
                say("modbus+rtu:%s?unit=%u&speed=%u\n", c->path, c->units[i]->answers_at, c->speed);
            else
                say("modbus+tcp://127.0.0.1:%d/%u\n", c->ports[i],
                    sim_has_numbers(c->units[i]) ? c->units[i]->answers_at : 1u);
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
    char *control = NULL, *at = NULL, *serial = NULL, *name = NULL, *firmware = NULL, *values = NULL, *where = NULL;
    int port = 0, factor = 1, delivered = 0, guarded = 0, count = 0, line = 0, speed = 19200, reply_ms = 0;
    struct poptOption options[] = {
        {"port", 'p', POPT_ARG_INT, &port, 0, "TCP port on 127.0.0.1 (a free one)", "N"},
        {"control", 'c', POPT_ARG_STRING, &control, 0,
         "make a control channel here; of several units at PATH-1 and so on", "PATH"},
        {"time-factor", 't', POPT_ARG_INT, &factor, 0, "its time runs so many times faster (1)", "N"},
        {"as-delivered", 0, POPT_ARG_NONE, &delivered, 0, "with factory values, not as set up in the mill", NULL},
        {"serial", 0, POPT_ARG_STRING, &serial, 0, "its serial number; of several units with commas between", "TEXT"},
        {"name", 0, POPT_ARG_STRING, &name, 0, "its device name; of several units with commas between", "TEXT"},
        {"guarded", 0, POPT_ARG_NONE, &guarded, 0, "a logger or labeller: it tells nobody anything before a login",
         NULL},
        {"firmware", 0, POPT_ARG_STRING, &firmware, 0, "its firmware", "TEXT"},
        {"count", 0, POPT_ARG_INT, &count, 0, "so many units, on ports from --port on, or as 1 to N on one --line",
         "N"},
        {"line", 0, POPT_ARG_NONE, &line, 0, "a serial line (a pseudo-terminal) in place of a TCP port", NULL},
        {"speed", 0, POPT_ARG_INT, &speed, 0, "of the line, bits a second (19200)", "N"},
        {"reply-ms", 0, POPT_ARG_INT, &reply_ms, 0, "several units: a reply takes so long (0)", "N"},
        {"values", 0, POPT_ARG_STRING, &values, 0, "played by its description: with those of this copy, or \"random\"",
         "COPY|random"},
        SITE_OPTION(where),
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
    identity who = {serial, name, firmware, delivered, guarded};
    crowd many = {.count = (size_t)(count ? count : 1),
                  .line = line,
                  .speed = (unsigned)speed,
                  .reply_ms = (unsigned)reply_ms,
                  .first_port = port,
                  .control = control};
    if (count < 0 || many.count > (line ? LINE_MOST : CROWD_UNITS) || speed < 1200 || speed > 115200 || reply_ms < 0 ||
        reply_ms > 10000)
        return call_end(&c, say_error("", BIL_E_CALL, "1 to 2000 units (247 on a line), 1200 to 115200 bits a second"));
    chosen which = {.model = NULL};
    code = choose(&which, c.arguments[0], values, where);
    bool words = which.model && which.model->dialogue, web = which.model && which.model->web,
         crowded = count || (line && !words);
    if (code == EXIT_DONE && crowded && (factor != 1 || firmware))
        code = say_error("", BIL_E_CALL, "time factor and firmware are for a single unit");
    else if (code == EXIT_DONE && crowded && (words || web))
        code = say_error("", BIL_E_CALL,
                         web ? "of what has documents there is one at a port, and none at a line"
                             : "of what is asked in words there is one at a line, or at a port");
    else if (code == EXIT_DONE && guarded && !words && !web)
        code = say_error("", BIL_E_CALL, "only what is asked in words or has documents knows a login");
    else if (code == EXIT_DONE)
        code = crowded ? serve_crowd(&which, &many, &who) : serve(&which, port, line, control, factor, &who);
    let_go(&which);
    return call_end(&c, code);
}

const command command_simulate = {
    "simulate",
    "[options] MODEL|FILE.yaml  |  simulate --at PATH WORDS...",
    "runs a simulated unit, or tells a running one what happens to it",
    "  bilancia simulate ed-30 --port 5020 --control crusher.ctl\n"
    "  bilancia simulate pump.yaml --values random                 any model, played by its description\n"
    "  bilancia simulate --at crusher.ctl set limit.torque 120.0   as from the keys on its front\n"
    "  bilancia simulate --at crusher.ctl power-cut                off and on again\n"
    "  bilancia simulate --at crusher.ctl factory-reset\n"
    "  also: get NAME, counters, time-factor N, silent, quit; remember, and recall for the unit as it was then\n"
    "  what goes wrong, until plug-in: fault power-cut N, cable N, request-lost N, reply-lost N, late N MS, busy N "
    "TIMES,\n"
    "  refused N, hand N NAME VALUE (N: requests from now), refuse NAME, clamp NAME VALUE, contest NAME NAME, counts,\n"
    "  other-unit SERIAL, no-return, other-address NUMBER, deaf NAME, mute NAME, slow NAME, ignores NAME\n"
    "The password of a simulated drive is mill-30, the code of a station 2604, of a logger olive, of a labeller "
    "label-1, or what "
    "BILANCIA_SIMULATED_PASSWORD says.\n",
    run,
    710};

/* bilancia find: who is out there. */
#include <arpa/inet.h>
#include <ifaddrs.h>
#include <stdlib.h>
#include <string.h>
#include <unistd.h>

#include "cli/site_cli.h"
#include "host/run/find.h"
#include "port/ports.h"
#include "show/hint.h"

enum { PORTS = 64 };

/* ---- nothing asked for: what there is on this computer ---- */

static json_t *networks(void)
{
    json_t *list = json_array();
    struct ifaddrs *all;
    if (getifaddrs(&all) != 0)
        return list;
    for (struct ifaddrs *i = all; i; i = i->ifa_next) {
        if (!i->ifa_addr || !i->ifa_netmask || i->ifa_addr->sa_family != AF_INET)
            continue;
        struct sockaddr_in own, mask;
        memcpy(&own, i->ifa_addr, sizeof own);
        memcpy(&mask, i->ifa_netmask, sizeof mask);
        char text[INET_ADDRSTRLEN], bits[INET_ADDRSTRLEN];
        inet_ntop(AF_INET, &own.sin_addr, text, sizeof text);
        inet_ntop(AF_INET, &mask.sin_addr, bits, sizeof bits);
        json_array_append_new(list,
                              json_pack("{s:s,s:s,s:s}", "interface", i->ifa_name, "address", text, "mask", bits));
    }
    freeifaddrs(all);
    return list;
}

static int look_at_home(bool json)
{
    serial_port *ports = calloc(PORTS, sizeof *ports);
    size_t count = ports ? ports_list(ports, PORTS) : 0, shown = count < PORTS ? count : PORTS;
    json_t *nets = networks();
    if (json) {
        json_t *list = json_array();
        for (size_t i = 0; i < shown; i++)
            json_array_append_new(list, json_pack("{s:s,s:s,s:b}", "port", ports[i].path, "what", ports[i].what,
                                                  "allowed", access(ports[i].path, R_OK | W_OK) == 0));
        say_json(json_pack("{s:o,s:O}", "serial_ports", list, "networks", nets));
    } else {
        say("%sSerial ports%s\n", bold(), plain());
        for (size_t i = 0; i < shown; i++)
            say("  %-22s %s%s\n", ports[i].path, ports[i].what,
                access(ports[i].path, R_OK | W_OK) == 0 ? "" : "  (no rights for it: see the group that owns it)");
        if (count == 0)
            say("  none: is the adapter plugged in, and does it have a driver?\n");
        say("%sNetworks of this computer%s\n", bold(), plain());
        size_t i;
        json_t *net;
        json_array_foreach(nets, i, net)
            say("  %-22s %s, mask %s\n", json_string_value(json_object_get(net, "interface")),
                json_string_value(json_object_get(net, "address")), json_string_value(json_object_get(net, "mask")));
        say("To look for devices there, say where:\n"
            "  bilancia find modbus+tcp://192.0.2.1-254/1\n"
            "  bilancia find \"modbus+rtu:/dev/ttyUSB0?unit=1-16\"\n"
            "  bilancia find site      the devices of the site\n"
            "  bilancia find new       new and reset units, at their factory addresses\n");
    }
    json_decref(nets);
    free(ports);
    return EXIT_DONE;
}

/* ---- where to look ---- */

typedef struct places {
    find_hit *list;
    size_t count;
    int error;
    char why[300];
    open_site *h; /* NULL: no site open_site */
} places;

static bool add_device(void *ctx, const device_row *row)
{
    places *p = ctx;
    if (!row->retired && card_text(row, "address")[0])
        p->error = find_expand(card_text(row, "address"), &p->list, &p->count, p->why, sizeof p->why);
    return true;
}

/* ---- saying it ---- */

typedef struct telling {
    open_site *h;
    bool json;
    unsigned found[5];
} telling;

static void known_as(open_site *h, const find_hit *hit, char *out, size_t size)
{
    device_row row;
    copy_row other;
    out[0] = '\0';
    if (!h)
        return;
    if (index_device(&h->index, hit->address, &row)) {
        snprintf(out, size, "in the site as %s", row.name);
        if (row.copies && strcmp(row.last.serial, hit->serial) != 0)
            snprintf(out, size, "in the site as %s, but another unit: that was serial number %s", row.name,
                     row.last.serial);
        device_row_free(&row);
    } else if (index_serial_elsewhere(&h->index, hit->model, hit->serial, "", &other) &&
               index_device(&h->index, other.device, &row)) {
        snprintf(out, size, "this unit was read as %s at another address: moved?", row.name);
        device_row_free(&row);
    }
}

static void put_hit(telling *t, const find_hit *hit, bool alone)
{
    char known[300], hint[300];
    hint_for(hit->address, hit->error, hit->connect_errno, hint, sizeof hint);
    known_as(t->h, hit, known, sizeof known);
    if (hit->end == FIND_DEVICE) {
        say("%s✓%s %-34s %s %s, firmware %s, serial number %s%s%s\n", good(), plain(), hit->address, hit->vendor,
            hit->model, hit->firmware, hit->serial, hit->name[0] ? ", " : "", hit->name);
        if (known[0])
            say("%37s%s\n", "", known);
        else if (t->h)
            say("%37snot in the site: bilancia device add NAME \"%s\"\n", "", hit->address);
    } else if (hit->end == FIND_UNKNOWN || hit->end == FIND_REFUSED) {
        say("%s?%s %-34s %s\n", warn(), plain(), hit->address, bil_host_error_text(hit->error));
    } else if (alone) {
        say("%s✗%s %-34s %s\n", bad(), plain(), hit->address, bil_host_error_text(hit->error));
        if (hint[0])
            say("    %s\n", hint);
    }
}

static void done(void *ctx, const find_hit *hit, size_t finished, size_t count)
{
    telling *t = ctx;
    t->found[hit->end]++;
    char line[80];
    snprintf(line, sizeof line, "Looking: %zu of %zu addresses", finished, count);
    if (!t->json && finished < count)
        progress_line(line, 0, 0, 0);
}

static json_t *hit_json(open_site *h, const find_hit *hit)
{
    static const char *const ends[] = {"device", "unknown", "refused", "silent", "absent"};
    char known[300], hint[300];
    hint_for(hit->address, hit->error, hit->connect_errno, hint, sizeof hint);
    known_as(h, hit, known, sizeof known);
    json_t *one = json_pack("{s:s,s:s}", "address", hit->address, "end", ends[hit->end]);
    if (hit->end == FIND_DEVICE)
        json_object_update_new(one, json_pack("{s:s,s:s,s:s,s:s,s:s,s:s,s:s}", "vendor", hit->vendor, "model",
                                              hit->model, "hardware", hit->hardware, "firmware", hit->firmware,
                                              "serial", hit->serial, "device", hit->name, "site", known));
    else
        json_object_update_new(one, json_pack("{s:s,s:s}", "error", bil_host_error_name(hit->error), "hint", hint));
    return one;
}

static bool far_away(const places *p)
{
    for (size_t i = 0; i < p->count; i++) {
        address where;
        char why[200];
        if (address_parse(p->list[i].address, &where, why, sizeof why) == BIL_OK && !where.serial &&
            !network_is_near(where.host, NULL))
            return true;
    }
    return false;
}

static int look_there(places *p, const catalogue *known, unsigned at_once, bool json)
{
    telling t = {.h = p->h, .json = json};
    bool alone = p->count == 1;
    if (!json) {
        tell(stderr, "Asking %zu address%s; at most %.0f s\n", p->count, alone ? "" : "es",
             1 + find_bound(p->list, p->count, known, at_once));
        if (far_away(p))
            tell(stderr,
                 "%s!%s some of them lie outside the networks of this computer: without a router, nobody can answer "
                 "there\n",
                 warn(), plain());
    }
    find_run(p->list, p->count, known, at_once, done, &t);
    progress_clear();
    json_t *list = json_array();
    for (size_t i = 0; i < p->count; i++)
        if (!json)
            put_hit(&t, &p->list[i], alone);
        else if (p->list[i].end <= FIND_REFUSED || alone)
            json_array_append_new(list, hit_json(p->h, &p->list[i]));
    if (json)
        say_json(json_pack("{s:i,s:i,s:i,s:i,s:O}", "asked", (int)p->count, "devices", (int)t.found[FIND_DEVICE],
                           "silent", (int)t.found[FIND_SILENT], "absent", (int)t.found[FIND_ABSENT], "found", list));
    else if (!alone)
        say("%zu addresses: %u known, %u that no description knows or that refuse, %u silent, %u where nothing "
            "listens\n",
            p->count, t.found[FIND_DEVICE], t.found[FIND_UNKNOWN] + t.found[FIND_REFUSED], t.found[FIND_SILENT],
            t.found[FIND_ABSENT]);
    json_decref(list);
    if (!json && !alone && t.found[FIND_DEVICE] == 0 && p->count) {
        char hint[300];
        hint_for(p->list[0].address, p->list[0].error, p->list[0].connect_errno, hint, sizeof hint);
        if (hint[0])
            say("What to check, from %s: %s\n", p->list[0].address, hint);
    }
    return t.found[FIND_DEVICE] ? EXIT_DONE : EXIT_NOT_REACHABLE;
}

static int run(const command *self, int argc, const char **argv)
{
    char *given = NULL, *description = NULL;
    int json = 0, at_once = 0;
    struct poptOption options[] = {
        {"at-once", 0, POPT_ARG_INT, &at_once, 0, "ask so many lines beside each other (64)", "N"},
        {"description", 'd', POPT_ARG_STRING, &description, 0, "a description to try first", "FILE"},
        SITE_OPTION(given),
        JSON_OPTION(json),
        HELP_OPTION,
        POPT_TABLEEND};
    call c;
    int code = call_begin(&c, self, argc, argv, options, 0, 100);
    if (code >= 0)
        return code;
    if (c.count == 0)
        return call_end(&c, look_at_home(json));
    catalogue known;
    static open_site h;
    places p = {0};
    char nowhere[STORAGE_PATH + 300];
    int error = catalogue_open(&known, description);
    if (!error && (given || site_find(&h.place, NULL, nowhere, sizeof nowhere) == BIL_OK)) {
        error = enter_site(&h, given);
        if (!error) {
            p.h = &h;
            error = take_models(&h, &known);
        }
    }
    if (error)
        return call_end(&c, exit_code_of(error));
    for (int i = 0; i < c.count && !p.error; i++) {
        if (strcmp(c.arguments[i], "site") == 0 && p.h)
            index_devices(&h.index, add_device, &p);
        else if (strcmp(c.arguments[i], "site") == 0)
            p.error = BIL_E_NO_SITE;
        else if (strcmp(c.arguments[i], "new") == 0)
            p.error = find_new(&known, &p.list, &p.count, p.why, sizeof p.why);
        else
            p.error = find_expand(c.arguments[i], &p.list, &p.count, p.why, sizeof p.why);
        if (p.error)
            code = say_error(c.arguments[i], p.error, p.why);
    }
    find_drop_doubles(p.list, &p.count);
    if (!p.error && at_once >= 0)
        code = look_there(&p, &known, (unsigned)at_once, json);
    free(p.list);
    if (p.h)
        leave_site(&h);
    return call_end(&c, code < 0 ? EXIT_CALL : code);
}

const command command_find = {"find",
                              "[options] [ADDRESSES...]  |  find site  |  find new",
                              "serial ports and networks of this computer, and the devices that answer there",
                              "  bilancia find\n"
                              "  bilancia find modbus+tcp://192.0.2.10-60/1\n"
                              "  bilancia find \"modbus+rtu:/dev/ttyUSB0?unit=1-16&speed=9600\"\n",
                              run,
                              100};

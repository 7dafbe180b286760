/* bilancia find: who is out there. */
#include "bilancia/find.h"

#include <arpa/inet.h>
#include <ifaddrs.h>
#include <jansson.h>
#include <stdlib.h>
#include <string.h>

#include "cli/library.h"
#include "show/hint.h"
#include "show/need.h"
#include "show/unit_text.h"

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

static void add_port(void *ctx, const char *path, const char *what, bool allowed)
{
    json_array_append_new(ctx, json_pack("{s:s,s:s,s:b}", "port", path, "what", what, "allowed", (int)allowed));
}

static void put_home(json_t *ports, json_t *nets)
{
    size_t i;
    json_t *one;
    say("%sSerial ports%s\n", bold(), plain());
    json_array_foreach(ports, i, one)
        say("  %-22s %s%s\n", json_string_value(json_object_get(one, "port")),
            json_string_value(json_object_get(one, "what")),
            json_is_true(json_object_get(one, "allowed")) ? "" : "  (no rights for it: see the group that owns it)");
    if (json_array_size(ports) == 0)
        say("  none: is the adapter plugged in, and does it have a driver?\n");
    say("%sNetworks of this computer%s\n", bold(), plain());
    json_array_foreach(nets, i, one)
        say("  %-22s %s, mask %s\n", json_string_value(json_object_get(one, "interface")),
            json_string_value(json_object_get(one, "address")), json_string_value(json_object_get(one, "mask")));
    say("To look for devices there, say where:\n"
        "  bilancia find modbus+tcp://192.0.2.1-254/1\n"
        "  bilancia find \"modbus+rtu:/dev/ttyUSB0?unit=1-16\"\n"
        "  bilancia find site      the devices of the site\n"
        "  bilancia find new       new and reset units, at their factory addresses\n");
}

static int look_at_home(library *l, bool json)
{
    json_t *ports = json_array(), *nets = networks();
    int error = bil_find_ports(l->host, add_port, ports);
    if (!error && json)
        say_json(json_pack("{s:O,s:O}", "serial_ports", ports, "networks", nets));
    else if (!error)
        put_home(ports, nets);
    json_decref(ports);
    json_decref(nets);
    return library_code(l, error);
}

/* ---- saying it ---- */

/* What was found at one address, kept until all were asked. */
typedef struct hit {
    char *address, *says;
    bil_find_end end;
    int error, system_error;
    json_t *unit; /* of a device: who it is */
} hit;

typedef struct looking {
    library *l;
    bool json;
    hit *hits;
    size_t count, room;
    unsigned found[BIL_FOUND_ABSENT + 1];
} looking;

static const char *of(const hit *h, const char *key)
{
    const char *text = json_string_value(json_object_get(h->unit, key));
    return text ? text : "";
}

static void known_as(library *l, const hit *h, char *out, size_t size)
{
    const bil_site_device *device;
    out[0] = '\0';
    if (!l->site || h->end != BIL_FOUND_DEVICE)
        return;
    if (bil_site_device_of(l->site, h->address, &device) == BIL_OK) {
        snprintf(out, size, "in the site as %s", device->name);
        if (device->last && strcmp(device->last->serial, of(h, "serial")) != 0)
            snprintf(out, size, "in the site as %s, but another unit: that was serial number %s", device->name,
                     device->last->serial);
    } else if (bil_site_unit(l->site, of(h, "model"), of(h, "serial"), NULL, &device) == BIL_OK) {
        snprintf(out, size, "this unit was read as %s at another address: moved?", device->name);
    }
}

/* What it says of itself before a login, and what to do about that. */
static void put_says(const hit *h)
{
    char at[1200], says[400];
    say("%37sit says: %s\n", "", h->says);
    pasted(h->address, at, sizeof at);
    if (h->error == BIL_E_NEW_THERE || h->error == BIL_E_OTHER_THERE)
        say("    when that is the device: bilancia find %s --known-as %s\n", at, pasted(h->says, says, sizeof says));
    else if (h->error == BIL_E_NO_PASSWORD)
        say("    give it in BILANCIA_PASSWORD, or where it is asked for: bilancia read %s\n", at);
}

static void put_hit(library *l, const hit *h, bool alone)
{
    char known[700], hint[300], word[1200];
    hint_for(h->address, h->error, h->system_error, hint, sizeof hint);
    known_as(l, h, known, sizeof known);
    if (h->end == BIL_FOUND_DEVICE) {
        const char *name = of(h, "device");
        char unit[UNIT_TEXT];
        unit_says says = {of(h, "vendor"), of(h, "model"), NULL, of(h, "firmware"), of(h, "serial"), NULL};
        say("%s✓%s %-34s %s%s%s\n", good(), plain(), h->address, unit_text(&says, unit), name[0] ? ", " : "", name);
        if (known[0])
            say("%37s%s\n", "", known);
        else if (l->site)
            say("%37snot in the site: bilancia device add NAME %s%s\n", "", pasted(h->address, word, sizeof word),
                next_site());
    } else if (h->end == BIL_FOUND_UNKNOWN || h->end == BIL_FOUND_REFUSED) {
        say("%s?%s %-34s %s\n", warn(), plain(), h->address, bil_host_error_text(h->error));
        if (h->says)
            put_says(h);
    } else if (alone) {
        say("%s✗%s %-34s %s\n", bad(), plain(), h->address, bil_host_error_text(h->error));
        if (hint[0])
            say("    %s\n", hint);
    }
}

static json_t *hit_json(library *l, const hit *h)
{
    static const char *const ends[] = {"device", "unknown", "refused", "silent", "absent"};
    char known[700], hint[300];
    hint_for(h->address, h->error, h->system_error, hint, sizeof hint);
    known_as(l, h, known, sizeof known);
    json_t *one = json_pack("{s:s,s:s}", "address", h->address, "end", ends[h->end]);
    if (h->end == BIL_FOUND_DEVICE) {
        json_object_update(one, h->unit);
        json_object_set_new(one, "site", json_string(known));
    } else {
        json_object_update_new(one, json_pack("{s:s,s:s}", "error", bil_host_error_name(h->error), "hint", hint));
        if (h->says)
            json_object_set_new(one, "says", json_string(h->says));
    }
    return one;
}

/* ---- looking ---- */

static void add_address(void *ctx, const char *address)
{
    looking *k = ctx;
    if (k->count == k->room) {
        k->room = k->room ? 2 * k->room : 256;
        k->hits = realloc(k->hits, k->room * sizeof *k->hits);
        if (!k->hits)
            no_memory();
    }
    k->hits[k->count] = (hit){.address = strdup(address)};
    if (!k->hits[k->count++].address)
        no_memory();
}

static void done(void *ctx, const bil_found *found, size_t finished, size_t count)
{
    looking *k = ctx;
    hit *h = &k->hits[found->index];
    h->end = found->end;
    h->error = found->error;
    h->system_error = found->system_error;
    h->says = found->says[0] ? strdup(found->says) : NULL;
    if (found->end == BIL_FOUND_DEVICE)
        h->unit =
            json_pack("{s:s,s:s,s:s,s:s,s:s,s:s}", "vendor", found->vendor, "model", found->model, "hardware",
                      found->hardware, "firmware", found->firmware, "serial", found->serial, "device", found->name);
    k->found[found->end]++;
    if (!k->json && finished < count)
        progress_line("Looking", "addresses", (uint32_t)finished, (uint32_t)count, 0);
}

static void tell_before(const looking *k, unsigned at_once)
{
    const call *c = &k->l->c;
    bool far = false;
    for (size_t i = 0; i < k->count && !far; i++)
        far = address_is_far(k->hits[i].address);
    tell(stderr, "Asking %zu address%s; at most %.0f s\n", k->count, k->count == 1 ? "" : "es",
         1 + bil_find_bound(k->l->host, c->arguments, (size_t)c->count, at_once));
    if (far)
        tell(stderr,
             "%s!%s some of them lie outside the networks of this computer: without a router, nobody can answer "
             "there\n",
             warn(), plain());
}

static void tell_sum(const looking *k)
{
    const unsigned *n = k->found;
    const hit *first = k->hits;
    char hint[300];
    say("%zu addresses: %u known, %u that no description knows or that refuse, %u silent, %u where nothing listens\n",
        k->count, n[BIL_FOUND_DEVICE], n[BIL_FOUND_UNKNOWN] + n[BIL_FOUND_REFUSED], n[BIL_FOUND_SILENT],
        n[BIL_FOUND_ABSENT]);
    if (n[BIL_FOUND_DEVICE] || !k->count)
        return;
    hint_for(first->address, first->error, first->system_error, hint, sizeof hint);
    if (hint[0])
        say("What to check, from %s: %s\n", first->address, hint);
}

static void tell_all(looking *k)
{
    bool alone = k->count == 1;
    json_t *list = json_array();
    for (size_t i = 0; i < k->count; i++)
        if (!k->json)
            put_hit(k->l, &k->hits[i], alone);
        else if (k->hits[i].end <= BIL_FOUND_REFUSED || alone)
            json_array_append_new(list, hit_json(k->l, &k->hits[i]));
    if (k->json)
        say_json(json_pack("{s:i,s:i,s:i,s:i,s:O}", "asked", (int)k->count, "devices", (int)k->found[BIL_FOUND_DEVICE],
                           "silent", (int)k->found[BIL_FOUND_SILENT], "absent", (int)k->found[BIL_FOUND_ABSENT],
                           "found", list));
    else if (!alone)
        tell_sum(k);
    json_decref(list);
}

static int look_there(looking *k, unsigned at_once)
{
    library *l = k->l;
    const char *const *addresses = l->c.arguments;
    size_t count = (size_t)l->c.count;
    int error = library_site(l);
    if (!error)
        error = bil_find_addresses(l->host, addresses, count, add_address, k);
    if (error)
        return library_failed(l, error);
    if (!k->json)
        tell_before(k, at_once);
    bil_find_wish wish = {.struct_size = sizeof wish, .at_once = at_once, .each = done, .ctx = k};
    error = bil_find(l->host, addresses, count, &wish);
    progress_clear();
    if (error)
        return library_failed(l, error);
    tell_all(k);
    return k->found[BIL_FOUND_DEVICE] ? EXIT_DONE : EXIT_NOT_REACHABLE;
}

static int run(const command *self, int argc, const char **argv)
{
    int json = 0, at_once = 0;
    char *known_as = NULL;
    library l = {0};
    struct poptOption options[] = {
        {"known-as", 0, POPT_ARG_STRING, &known_as, 0,
         "of a device that wants its password first: what it says before that; whoever says it there gets the password",
         "TEXT"},
        {"at-once", 0, POPT_ARG_INT, &at_once, 0, "ask so many lines beside each other (64)", "N"},
        {"description", 'd', POPT_ARG_STRING, &l.description, 0, "a description to try first", "FILE"},
        SITE_OPTION(l.given),
        JSON_OPTION(json),
        HELP_OPTION,
        POPT_TABLEEND};
    int code = library_begin(&l, self, argc, argv, options, 0, 100, false);
    if (code >= 0)
        return code;
    if (known_as && l.c.count != 1)
        return library_end(&l, say_error("--known-as", BIL_E_CALL, "this is said of one address"));
    if (l.c.count == 0)
        return library_end(&l, look_at_home(&l, json));
    if (at_once < 0)
        return library_end(&l, say_error("--at-once", BIL_E_CALL, "a number of lines is wanted"));
    int error = known_as ? bil_host_knows(l.host, l.c.arguments[0], known_as) : BIL_OK;
    if (error)
        return library_end(&l, library_failed(&l, error));
    looking k = {.l = &l, .json = json};
    code = look_there(&k, (unsigned)at_once);
    for (size_t i = 0; i < k.count; i++) {
        free(k.hits[i].address);
        free(k.hits[i].says);
        json_decref(k.hits[i].unit);
    }
    free(k.hits);
    return library_end(&l, code);
}

const command command_find = {"find",
                              "[options] [ADDRESSES...]  |  find site  |  find new",
                              "serial ports and networks of this computer, and the devices that answer there",
                              "  bilancia find\n"
                              "  bilancia find modbus+tcp://192.0.2.10-60/1\n"
                              "  bilancia find \"modbus+rtu:/dev/ttyUSB0?unit=1-16&speed=9600\"\n"
                              "  bilancia find console+tcp://192.0.2.30:4000 --known-as 'el-16 5512 console'\n",
                              run,
                              100};

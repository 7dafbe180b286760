/* bilancia check: are copies and descriptions whole and sound? Needs no device. */
#include <string.h>

#include "bilancia/cells.h"
#include "bilancia/look.h"
#include "cli/library.h"

/* "holding", and at whose unit number. */
static void say_space(char *out, size_t size, const bil_unused *row)
{
#define TABLE_NAME(NAME, name) name,
    static const char *const tables[] = {BIL_CELL_TABLE_NAMES(TABLE_NAME)};
#undef TABLE_NAME
    if (row->unit == 0)
        snprintf(out, size, "%s", tables[row->table]);
    else if (row->unit > 0)
        snprintf(out, size, "%s of unit %d", tables[row->table], row->unit - 1);
    else
        snprintf(out, size, "%s of the unit %d above", tables[row->table], -row->unit);
}

/* Between the first and the last value of each table: those that nobody touches, or those that are read across. */
static void say_unused(bil_host *host, const bil_description *d, bool across)
{
    enum { MOST = 12 };
    bil_unused row = {0};
    char before[40] = "", space[40];
    unsigned said = 0;
    while (bil_host_unused(host, d, &row)) {
        if (row.across != across || said++ >= MOST)
            continue;
        say_space(space, sizeof space, &row);
        if (said == 1)
            say("  %s  %s", across ? "Across" : "Unused", space);
        else if (strcmp(space, before) == 0)
            say(",");
        else
            say("; %s", space);
        say(row.first == row.last ? " %u" : " %u to %u", row.first, row.last);
        memcpy(before, space, sizeof before);
    }
    if (said > MOST)
        say(", and %u more", said - MOST);
    if (said)
        say("\n");
}

/* Without these nothing is read. */
static void say_secrets(const bil_description *d)
{
    bool said[BIL_SECRETS_MAX] = {false};
    for (uint16_t i = 0; i < d->procedure_count; i++)
        for (uint16_t k = 0; k < d->procedures[i].step_count; k++) {
            const bil_proc_step *step = &d->procedures[i].steps[k];
            if (d->procedures[i].kind != BIL_PROC_UNLOCK_TO_READ || step->kind != BIL_STEP_SECRET ||
                said[step->value - 1])
                continue;
            said[step->value - 1] = true;
            say("  Asks    for \"%s\" before values are read\n", d->secrets[step->value - 1]);
        }
}

static void say_forecast(bil_host *host, const bil_description *d)
{
    bil_forecast f = {.struct_size = sizeof f};
    if (bil_host_forecast(host, d, &f) != BIL_OK)
        return;
    bool modes = false;
    for (uint16_t i = 0; i < d->count; i++)
        modes = modes || d->params[i].flags & BIL_MODE;
    say("  Reads   %s%u value%s with %u request%s; who answers is asked with %u\n", modes ? "at most " : "", f.read,
        plural(f.read), f.read_requests, plural(f.read_requests), f.who_requests);
    say_secrets(d);
    if (f.written)
        say("  Writes  at most %u value%s with %u request%s, in %u stage%s, each read back\n", f.written,
            plural(f.written), f.write_requests, plural(f.write_requests), f.stages, plural(f.stages));
    say_unused(host, d, true);
    say_unused(host, d, false);
}

/* What the device itself says of it: it is read, and nothing is written. */
static int check_against(library *own, const char *address)
{
    bil_device *device;
    bil_misfit one = {.struct_size = sizeof one};
    unsigned count = 0;
    int error = bil_device_open(own->host, address, &device);
    if (!error)
        error = bil_device_read(device, NULL);
    if (error && error != BIL_E_NOTHING_READ)
        return library_failed(own, error);
    const bil_description *d = bil_device_description(device);
    bool other = d != bil_host_description(own->host, 0);
    if (other)
        say("  %s!%s the device is another model: %s %s\n", warn(), plain(), d->vendor, d->model);
    for (; !other && bil_device_misfit(device, &one); count++) {
        say("  %s!%s %s (%s)", warn(), plain(), one.id, one.name);
        if (one.value[0])
            say(": %s", one.value);
        say("\n      %s\n", one.why);
    }
    if (!other && count == 0)
        say("%s✓ fits%s  every value of %s is what the description says\n", good(), plain(), address);
    else if (!other)
        say("%s≠ %u do%sn't fit%s  of the values of %s\n", warn(), count, count == 1 ? "es" : "", plain(), address);
    bil_device_close(device);
    return other || count ? EXIT_DIFFERENT : EXIT_DONE;
}

/* By itself: what else is at hand has no say in it. */
static int check_description(const char *path, const char *address)
{
    bil_host_config config = {.struct_size = sizeof config, .site = "", .description = path};
    library own = {0};
    int error = bil_host_open(&own.host, &config);
    if (error) {
        int code = library_failed(&own, error);
        bil_host_close(own.host);
        return code;
    }
    const bil_description *d = bil_host_description(own.host, 0);
    say("%s✓ sound%s  %s: %s %s, revision %u, %u parameter%s, %u rule%s, %u procedure%s\n", good(), plain(), path,
        d->vendor, d->model, d->revision, d->count, plural(d->count), d->rule_count, plural(d->rule_count),
        d->procedure_count, plural(d->procedure_count));
    char digest[65], doubt[300];
    if (bil_host_digest(own.host, d, digest) == BIL_OK)
        say("  digest %s\n", digest);
    say_forecast(own.host, d);
    for (unsigned i = 0; bil_host_doubt(own.host, d, i, doubt, sizeof doubt) == BIL_OK && doubt[0]; i++)
        say("  %s!%s %s\n", warn(), plain(), doubt);
    int code = address ? check_against(&own, address) : EXIT_DONE;
    bil_host_close(own.host);
    return code;
}

static int check_rules(const char *path, bil_copy *copy)
{
    char why[500];
    int code = EXIT_DONE;
    for (int rule = -1; (rule = bil_copy_rule(copy, (unsigned)(rule + 1), why, sizeof why)) >= 0;)
        code = say_error(path, BIL_E_RULE, why);
    return code;
}

static void say_whole(const char *path, const char *vendor, const char *model, const char *serial, unsigned values)
{
    say("%s✓ whole and unaltered%s  %s: %s %s, serial number %s, %u values", good(), plain(), path, vendor, model,
        serial, values);
}

/* Without its description: whole and unaltered is all that can be told. */
static int check_without(library *l, const char *path, int why)
{
    bil_look *look;
    bil_finding one;
    unsigned values = 0;
    int got, error = bil_look_open(l->host, &path, 1, NULL, &look);
    if (error)
        return library_failed(l, error);
    while ((got = bil_look_next(look, &one)) == 1)
        values += one.relation != BIL_REL_UNREADABLE;
    if (got == 0) {
        say_whole(path, bil_look_says(look, 0, BIL_ID_VENDOR), bil_look_says(look, 0, BIL_ID_MODEL),
                  bil_look_says(look, 0, BIL_ID_SERIAL), values);
        say("\n  ! types and limits were not checked: %s\n", why == BIL_E_OTHER_LAYOUT
                                                                 ? "the description of this model has another layout"
                                                                 : "there is no description of this model");
    }
    int code = got < 0 ? library_failed(l, -got) : EXIT_DONE;
    bil_look_close(look);
    return code;
}

static int check_set(library *l, const char *path)
{
    bil_copy *copy;
    int error = bil_copy_open(l->host, path, &copy);
    if (error == BIL_E_UNKNOWN_MODEL || error == BIL_E_OTHER_LAYOUT)
        return check_without(l, path, error);
    if (error)
        return library_failed(l, error);
    int code = check_rules(path, copy);
    const bil_copy_info *o = bil_copy_tells(copy);
    if (code == EXIT_DONE) {
        say_whole(path, o->vendor, o->model, o->serial, o->values);
        say("; each within its limits, and the rules between them hold\n");
    }
    bil_copy_close(copy);
    return code;
}

/* This description counts for its model, for the person at this computer. */
static int decide(library *l, const char *digits)
{
    const bil_description *d;
    char digest[65] = "";
    int error = bil_host_decide(l->host, digits, &d);
    if (error)
        return library_failed(l, error);
    bil_host_digest(l->host, d, digest);
    say("%s✓ decided%s  for you at this computer: of %s the description %.12s counts in this site\n", good(), plain(),
        d->model, digest);
    return EXIT_DONE;
}

static bool is_yaml(const char *path)
{
    const char *ending = strrchr(path, '.');
    return ending && (strcmp(ending, ".yaml") == 0 || strcmp(ending, ".yml") == 0);
}

static int run(const command *self, int argc, const char **argv)
{
    char *digits = NULL, *address = NULL;
    library l = {0};
    struct poptOption options[] = {
        {"description", 'd', POPT_ARG_STRING, &l.description, 0, "a description to use", "FILE"},
        {"decide", 0, POPT_ARG_STRING, &digits, 0,
         "of two descriptions of one model the one with this digest counts, for you at this computer", "DIGEST"},
        {"against", 0, POPT_ARG_STRING, &address, 0,
         "a device to hold the description against: it is read, nothing is written", "ADDRESS"},
        SITE_OPTION(l.given),
        HELP_OPTION,
        POPT_TABLEEND};
    int code = library_begin(&l, self, argc, argv, options, 0, 10000, false);
    if (code >= 0)
        return code;
    if (digits)
        return library_end(&l, decide(&l, digits));
    if (l.c.count == 0)
        return library_end(&l, say_error("", BIL_E_CALL, "say which file"));
    code = EXIT_DONE;
    for (int i = 0; i < l.c.count; i++) {
        const char *path = l.c.arguments[i];
        int one = is_yaml(path) ? check_description(path, address)
                  : address ? say_error(path, BIL_E_CALL, "--against is for a description; a copy: bilancia compare")
                            : check_set(&l, path);
        code = one > code ? one : code;
    }
    return library_end(&l, code);
}

const command command_check = {"check",
                               "[options] FILE...",
                               "checks saved copies (.bset) and descriptions (.yaml), no device needed",
                               "  bilancia check *.bset my-model.yaml\n"
                               "  bilancia check my-model.yaml --against modbus+tcp://192.0.2.12/3\n",
                               run,
                               230};

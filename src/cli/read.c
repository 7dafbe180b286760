/* bilancia read: a device's values to a saved copy. */
#include <jansson.h>
#include <stdlib.h>
#include <string.h>
#include <unistd.h>

#include "cli/many.h"
#include "show/need.h"

static void count_states(const bil_image *image, unsigned *values, unsigned *unreadable, unsigned *left_out)
{
    *values = *unreadable = *left_out = 0;
    for (uint16_t i = 0; i < image->description->count; i++) {
        if (bil_class_left_out((bil_class)image->description->params[i].cls))
            ++*left_out;
        else if (image->state[i] == BIL_PRESENT)
            ++*values;
        else if (image->state[i] == BIL_UNREADABLE)
            ++*unreadable;
    }
}

static void say_left_out(const bil_description *d)
{
    static const bil_class order[] = {BIL_CLASS_SECRET, BIL_CLASS_LIVE, BIL_CLASS_COMMAND};
    static const char *const why[] = {"passwords and keys; note them elsewhere, they may have to be entered again",
                                      "measured values", "cells that make the device do something"};
    say("Not in the copy, on purpose:\n");
    for (size_t k = 0; k < 3; k++) {
        unsigned count = 0;
        for (uint16_t i = 0; i < d->count; i++)
            count += d->params[i].cls == order[k];
        if (count)
            say("  %3u %-8s %s\n", count, bil_class_name(order[k]), why[k]);
    }
}

static void say_unreadable(const bil_image *image)
{
    for (uint16_t i = 0; i < image->description->count; i++)
        if (image->state[i] == BIL_UNREADABLE)
            say("  %s? %s%s  %s: %s\n", warn(), plain(), image->description->params[i].id,
                image->description->params[i].name, bil_host_error_text(image->cause[i]));
}

static void print_json(const device *dev, const set_origin *o, const char *path, const bil_set_totals *totals,
                       const bil_job_progress *p, bool complete)
{
    char digest[2 * BIL_SHA256 + 1];
    set_digest_hex(totals->values_digest, digest);
    json_t *unreadable = json_array();
    for (uint16_t i = 0; i < dev->image.description->count; i++)
        if (dev->image.state[i] == BIL_UNREADABLE)
            json_array_append_new(unreadable, json_pack("{s:s,s:s}", "id", dev->image.description->params[i].id,
                                                        "cause", bil_host_error_name(dev->image.cause[i])));
    json_t *out =
        json_pack("{s:s,s:s,s:{s:s,s:s,s:s,s:s,s:s,s:s},s:i,s:i,s:o,s:s,s:i,s:i}", "verdict",
                  complete ? "complete" : "incomplete", "path", path, "unit", "vendor", o->vendor, "model", o->model,
                  "hardware", o->hardware, "firmware", o->firmware, "serial", o->serial, "device", o->device, "values",
                  (int)totals->values, "left_out", (int)totals->left_out, "unreadable", unreadable, "values_digest",
                  digest, "value_requests", (int)p->read_requests, "identity_requests", (int)p->identity_requests);
    say_json(out);
}

/* What is told of a device of a site beside its values. */
static void look_around(keeper *at, const set_origin *o, bool unstored)
{
    say_moved(at->site, at->owner.folder, at->owner.name, o->model, o->serial);
    if (at->keep.last[0] && strcmp(at->keep.last_serial, o->serial) != 0)
        say("%s!%s another unit than at the last copy: that was serial number %s\n", warn(), plain(),
            at->keep.last_serial);
    if (unstored)
        say("%s!%s the device says: not stored yet. A power cut loses what was changed\n", warn(), plain());
}

static int save(device *dev, const bil_job_progress *p, keeper *at, const char *who, const char *why, bool json)
{
    set_origin o;
    char path[STORAGE_PATH];
    bool unstored = at->keep.in_site && device_says_unstored(dev);
    bil_set_totals totals;
    int error = keep_values(&at->keep, &dev->image, person(who), why ? why : "", NULL, "", "", &o, path, &totals);
    if (error)
        return say_error(at->keep.copies, error, NULL);
    if (at->keep.in_site)
        fleet_saved(&at->site->index, &at->owner, &dev->image, &totals, unstored, person(who));
    unsigned values, unreadable, left_out;
    count_states(&dev->image, &values, &unreadable, &left_out);
    if (json) {
        print_json(dev, &o, path, &totals, p, unreadable == 0);
        return unreadable ? EXIT_INCOMPLETE : EXIT_DONE;
    }
    bool known = bil_description_names_firmware(dev->description, o.firmware);
    say("Device   %s%s%s  (%s)\n", bold(), o.device[0] ? o.device : "without a name", plain(), dev->text);
    say("Unit     %s %s, hardware %s, firmware %s%s, serial number %s\n", o.vendor, o.model, o.hardware, o.firmware,
        known ? "" : " (the description doesn't name it)", o.serial);
    say_left_out(dev->description);
    if (unreadable) {
        say("Could not be read:\n");
        say_unreadable(&dev->image);
    }
    if (at->keep.in_site)
        look_around(at, &o, unstored);
    say("Saved    %s%s%s\n", bold(), path, plain());
    if (unreadable)
        say("%s✗ incomplete%s: %u values read with %u requests and %u for who answers, %u could not be read\n", warn(),
            plain(), values, p->read_requests, p->identity_requests, unreadable);
    else
        say("%s✓ complete%s: all %u values read with %u requests and %u for who answers\n", good(), plain(), values,
            p->read_requests, p->identity_requests);
    return unreadable ? EXIT_INCOMPLETE : EXIT_DONE;
}

static int read_from(keeper *at, const catalogue *m, const char *who, const char *why, bool json)
{
    device dev;
    bil_job_progress p;
    int code = device_read(&dev, at->keep.address, m, &p);
    if (code < 0) {
        code = save(&dev, &p, at, who, why, json);
        device_close(&dev);
        return code;
    }
    tell(stderr, "  Nothing was saved.\n");
    fleet_task seen = {.end = FLEET_FAILED, .error = code == EXIT_NOT_REACHABLE ? BIL_E_NOT_REACHABLE : BIL_E_SILENT};
    snprintf(seen.why, sizeof seen.why, "%s", bil_host_error_text(seen.error));
    if (at->keep.in_site)
        many_note_state(at->site, &at->owner, &seen, person(who));
    return code;
}

static int read_one(const char *where, const char *site_given, const char *folder, const char *who, const char *why,
                    catalogue *m, bool json)
{
    keeper *at = need(1, sizeof *at);
    trouble t;
    int error = BIL_OK, code;
    if (folder)
        keeper_in_folder(at, folder, where, site_given);
    else
        error = keeper_find(at, where, site_given, &t);
    if (error)
        code = say_trouble(&t);
    else if (at->keep.in_site && take_models(at->site, m) != BIL_OK)
        code = EXIT_FILE;
    else if (!address_is_device(at->keep.address))
        code = say_error(where, BIL_E_ADDRESS, NULL);
    else if (access(at->keep.copies, W_OK | X_OK) != 0)
        code = say_error(at->keep.copies, BIL_E_FILE_WRITE, NULL); /* before a long read, not after */
    else
        code = read_from(at, m, who, why, json);
    leave_keeper(at);
    free(at);
    return code;
}

static int run(const command *self, int argc, const char **argv)
{
    char *folder = NULL, *why = NULL, *who = NULL, *description = NULL, *given = NULL;
    int json = 0, all = 0, only_changed = 0, at_once = 0;
    struct poptOption options[] = {
        {"folder", 'f', POPT_ARG_STRING, &folder, 0, "where to save (the site, or this folder)", "DIR"},
        {"all", 'a', POPT_ARG_NONE, &all, 0, "every device of the site that is in service", NULL},
        {"if-changed", 'c', POPT_ARG_NONE, &only_changed, 0, "save a copy only of devices that changed", NULL},
        {"at-once", 0, POPT_ARG_INT, &at_once, 0, "read so many lines beside each other (64)", "N"},
        {"why", 0, POPT_ARG_STRING, &why, 0, "a note on why the copy is made", "TEXT"},
        WHO_OPTION(who),
        {"description", 'd', POPT_ARG_STRING, &description, 0, "a description to try first", "FILE"},
        SITE_OPTION(given),
        JSON_OPTION(json),
        HELP_OPTION,
        POPT_TABLEEND};
    call c;
    int code = call_begin(&c, self, argc, argv, options, 0, 1000);
    if (code >= 0)
        return code;
    if (!note_is_good(why) || !note_is_good(who))
        return call_end(&c, say_error("--why, --who", BIL_E_CALL, NOTE_WANTED));
    if ((all ? 1 : 0) == (c.count > 0 ? 1 : 0) || at_once < 0)
        return call_end(
            &c, say_error("", BIL_E_CALL, "say which device: an address, names or groups of the site, or --all"));
    catalogue m;
    int error = catalogue_open(&m, description);
    if (error)
        return call_end(&c, exit_code_of(error));
    bool is_group = false;
    open_site h;
    char nowhere[STORAGE_PATH + 300];
    if (c.count == 1 && !only_changed && site_find(&h.place, given, nowhere, sizeof nowhere) == BIL_OK &&
        enter_site(&h, given) == BIL_OK) {
        device_row row;
        int found = address_is_device(c.arguments[0])
                        ? BIL_E_DISPUTED
                        : index_find(&h.index, c.arguments[0], &row, nowhere, sizeof nowhere);
        is_group = found == BIL_E_NO_DEVICE;
        if (found == BIL_OK)
            device_row_free(&row);
        leave_site(&h);
    }
    if (c.count == 1 && !only_changed && !is_group)
        return call_end(&c, read_one(c.arguments[0], given, folder, who, why, &m, json));
    if (folder)
        return call_end(&c, say_error(folder, BIL_E_CALL, "several devices are saved in the site, not in a folder"));
    error = enter_site(&h, given);
    if (!error)
        error = take_models(&h, &m);
    if (error)
        return call_end(&c, exit_code_of(error));
    many all_of_them = {.names = c.arguments,
                        .only_changed = only_changed,
                        .json = json,
                        .at_once = (unsigned)at_once,
                        .who = person(who),
                        .why = why ? why : "",
                        .known = &m};
    code = many_read(&h, &all_of_them);
    leave_site(&h);
    return call_end(&c, code);
}

const command command_read = {"read",
                              "[options] ADDRESS  |  read DEVICE or GROUP...  |  read --all",
                              "reads devices and saves their values as copies",
                              "  bilancia read modbus+tcp://127.0.0.1:5020/3 --why \"before the motor is changed\"\n"
                              "  bilancia read kneader-2\n"
                              "  bilancia read --all --if-changed\n",
                              run,
                              110};

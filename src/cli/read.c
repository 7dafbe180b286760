/* bilancia read: a device's values to a saved copy. */
#include <jansson.h>
#include <stdlib.h>
#include <string.h>
#include <unistd.h>

#include "cli.h"

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
    printf("Not in the copy, on purpose:\n");
    for (size_t k = 0; k < 3; k++) {
        unsigned count = 0;
        for (uint16_t i = 0; i < d->count; i++)
            count += d->params[i].cls == order[k];
        if (count)
            printf("  %3u %-8s %s\n", count, bil_class_name(order[k]), why[k]);
    }
}

static void say_unreadable(const bil_image *image)
{
    for (uint16_t i = 0; i < image->description->count; i++)
        if (image->state[i] == BIL_UNREADABLE)
            printf("  %s? %s%s  %s: %s\n", warn(), plain(), image->description->params[i].id,
                   image->description->params[i].name, bil_error_text(image->cause[i]));
}

static void print_json(const device *dev, const set_origin *o, const char *path, const bil_set_totals *totals,
                       const bil_job_progress *p, bool complete)
{
    char digest[2 * BIL_SHA256 + 1];
    for (int i = 0; i < BIL_SHA256; i++)
        snprintf(digest + 2 * i, 3, "%02x", totals->values_digest[i]);
    json_t *unreadable = json_array();
    for (uint16_t i = 0; i < dev->image.description->count; i++)
        if (dev->image.state[i] == BIL_UNREADABLE)
            json_array_append_new(unreadable, json_pack("{s:s,s:s}", "id", dev->image.description->params[i].id,
                                                        "cause", bil_error_name(dev->image.cause[i])));
    json_t *out =
        json_pack("{s:s,s:s,s:{s:s,s:s,s:s,s:s,s:s,s:s},s:i,s:i,s:o,s:s,s:i,s:i}", "verdict",
                  complete ? "complete" : "incomplete", "path", path, "unit", "vendor", o->vendor, "model", o->model,
                  "hardware", o->hardware, "firmware", o->firmware, "serial", o->serial, "device", o->device, "values",
                  (int)totals->values, "left_out", (int)totals->left_out, "unreadable", unreadable, "values_digest",
                  digest, "value_requests", (int)p->read_requests, "other_requests", (int)p->other_requests);
    json_dumpf(out, stdout, JSON_INDENT(2));
    putchar('\n');
    json_decref(out);
}

static int save(device *dev, const bil_job_progress *p, const char *folder, const char *who, const char *why, bool json)
{
    set_origin o = {.scope = "all"};
    set_origin_of(&o, &dev->image);
    set_time_now(o.when, sizeof o.when);
    snprintf(o.who, SET_TEXT, "%s", person(who));
    snprintf(o.why, SET_TEXT, "%s", why ? why : "");
    snprintf(o.from, SET_TEXT, "%s", dev->text);
    char stem[200], name[220], path[STORAGE_PATH];
    set_file_stem(&o, stem, sizeof stem);
    snprintf(name, sizeof name, "%s.bset", stem);
    bil_set_totals totals;
    int error = set_file_save(&dev->image, &o, folder, name, path, &totals);
    if (error)
        return say_error(folder, error, NULL);
    unsigned values, unreadable, left_out;
    count_states(&dev->image, &values, &unreadable, &left_out);
    if (json) {
        print_json(dev, &o, path, &totals, p, unreadable == 0);
        return unreadable ? EXIT_INCOMPLETE : EXIT_DONE;
    }
    bool known = bil_description_names_firmware(dev->description, o.firmware);
    printf("Device   %s%s%s  (%s)\n", bold(), o.device[0] ? o.device : "without a name", plain(), dev->text);
    printf("Unit     %s %s, hardware %s, firmware %s%s, serial number %s\n", o.vendor, o.model, o.hardware, o.firmware,
           known ? "" : " (the description doesn't name it)", o.serial);
    say_left_out(dev->description);
    if (unreadable) {
        printf("Could not be read:\n");
        say_unreadable(&dev->image);
    }
    printf("Saved    %s%s%s\n", bold(), path, plain());
    if (unreadable)
        printf("%s✗ incomplete%s: %u values read with %u requests, %u could not be read\n", warn(), plain(), values,
               p->read_requests, unreadable);
    else
        printf("%s✓ complete%s: all %u values read with %u requests\n", good(), plain(), values, p->read_requests);
    return unreadable ? EXIT_INCOMPLETE : EXIT_DONE;
}

static int run(const command *self, int argc, const char **argv)
{
    char *folder_given = NULL, *why = NULL, *who = NULL, *description = NULL;
    int json = 0;
    struct poptOption options[] = {
        {"folder", 'f', POPT_ARG_STRING, &folder_given, 0, "where to save (this folder)", "DIR"},
        {"why", 0, POPT_ARG_STRING, &why, 0, "a note on why the copy is made", "TEXT"},
        {"who", 0, POPT_ARG_STRING, &who, 0, "who makes it (the one logged in)", "NAME"},
        {"description", 'd', POPT_ARG_STRING, &description, 0, "a description to try first", "FILE"},
        {"json", 'j', POPT_ARG_NONE, &json, 0, "answer as JSON", NULL},
        {"help", 'h', POPT_ARG_NONE, NULL, 'h', "this text", NULL},
        POPT_TABLEEND};
    call c;
    int code = call_begin(&c, self, argc, argv, options, 1, 1);
    if (code >= 0)
        return code;
    const char *where = c.arguments[0], *folder = folder_given ? folder_given : ".";
    if (!address_is_device(where))
        return call_end(&c, say_error(where, BIL_E_ADDRESS, NULL));
    if (!note_is_good(why) || !note_is_good(who))
        return call_end(&c, say_error("--why, --who", BIL_E_CALL, NOTE_WANTED));
    if (access(folder, W_OK | X_OK) != 0)
        return call_end(&c, say_error(folder, BIL_E_FILE_WRITE, NULL)); /* before a long read, not after */
    models m;
    int error = models_open(&m, description);
    if (error)
        return call_end(&c, exit_code_of(error));
    device dev;
    bil_job_progress p;
    code = device_read(&dev, where, &m, &p);
    if (code < 0) {
        code = save(&dev, &p, folder, who, why, json);
        device_close(&dev);
    } else {
        fprintf(stderr, "  Nothing was saved.\n");
    }
    return call_end(&c, code);
}

const command command_read = {"read", "[options] ADDRESS", "reads a device and saves its values as a copy",
                              "  bilancia read modbus+tcp://127.0.0.1:5020/3 --why \"before the motor is changed\"\n",
                              run};

/* bilancia read: a device's values to a saved copy. */
#include <jansson.h>
#include <stdlib.h>
#include <string.h>
#include <unistd.h>

#include "cli/look_cli.h"
#include "cli/many.h"
#include "show/need.h"
#include "show/unit_text.h"
#include "show/writing.h"

typedef struct read_call {
    library l;
    char *folder, *why;
    int json, all, only_changed, at_once;
    char *groups;
    int without_files, collect;
} read_call;

/* One device that was read. */
typedef struct reading {
    bil_device *dev;
    const bil_description *d;
    const bil_image *image;
    bil_job_progress counts;
    bool in_site, unstored;
    char device[DEVICE_NAME]; /* in a site */
    char last_serial[100];    /* of its last copy there; or "" */
    const char *groups;       /* only these */
    bool without_files;
    json_t *collected; /* paths by id, of what was measured; NULL: it isn't wanted */
    unsigned kept;     /* which of the copies that it keeps was asked for; 0: what is in force */
} reading;

static void say_left_out(const bil_description *d)
{
    static const bil_class order[] = {BIL_CLASS_SECRET, BIL_CLASS_LIVE, BIL_CLASS_COMMAND};
    static const char *const why[] = {"passwords and keys; note them elsewhere, they may have to be entered again",
                                      "measured values", "orders, which make the device do something"};
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
    say("Could not be read:\n");
    for (uint16_t i = 0; i < image->description->count; i++)
        if (image->state[i] == BIL_UNREADABLE)
            say("  %s? %s%s  %s: %s\n", warn(), plain(), image->description->params[i].id,
                image->description->params[i].name, bil_host_error_text(image->cause[i]));
}

static void print_json(const reading *r, const bil_copy_info *copy)
{
    json_t *unreadable = json_array();
    for (uint16_t i = 0; i < r->d->count; i++)
        if (r->image->state[i] == BIL_UNREADABLE)
            json_array_append_new(unreadable, json_pack("{s:s,s:s}", "id", r->d->params[i].id, "cause",
                                                        bil_host_error_name(r->image->cause[i])));
    say_json(json_pack("{s:s,s:s,s:{s:s,s:s,s:s,s:s,s:s,s:s},s:i,s:i,s:o,s:s,s:i,s:i,s:O*}", "verdict",
                       copy->unreadable ? "incomplete" : "complete", "path", copy->path, "unit", "vendor", copy->vendor,
                       "model", copy->model, "hardware", copy->hardware, "firmware", copy->firmware, "serial",
                       copy->serial, "device", copy->device, "values", (int)copy->values, "left_out",
                       (int)copy->left_out, "unreadable", unreadable, "values_digest", copy->values_digest,
                       "value_requests", (int)r->counts.read_requests, "identity_requests",
                       (int)r->counts.identity_requests, "collected", r->collected));
}

/* What is told of a device of a site beside its values. */
static void look_around(library *l, const reading *r, const bil_copy_info *copy)
{
    say_moved(l, r->device, copy->model, copy->serial);
    if (r->last_serial[0] && strcmp(r->last_serial, copy->serial) != 0)
        say("%s!%s another unit than at the last copy: that was serial number %s\n", warn(), plain(), r->last_serial);
    if (r->unstored)
        say("%s!%s the device says: not stored yet. A power cut loses what was changed\n", warn(), plain());
}

static void tell_copy(library *l, const reading *r, const bil_copy_info *copy)
{
    bool known = bil_description_names_firmware(r->d, copy->firmware);
    say("Device   %s%s%s  (%s)\n", bold(), copy->device[0] ? copy->device : "without a name", plain(),
        bil_device_address(r->dev));
    char unit[UNIT_TEXT];
    unit_says says = {copy->vendor,   copy->model,  copy->hardware,
                      copy->firmware, copy->serial, known ? NULL : " (the description doesn't name it)"};
    say("Unit     %s\n", unit_text(&says, unit));
    if (r->kept)
        say("Values   those of copy %u that it keeps, not what is in force\n", r->kept);
    if (r->groups || r->without_files)
        say("Values   only %s%s\n", r->groups ? r->groups : "those that are no files",
            r->groups && r->without_files ? ", without files" : "");
    say_left_out(r->d);
    if (copy->unreadable)
        say_unreadable(r->image);
    if (r->in_site)
        look_around(l, r, copy);
    say("Saved    %s%s%s\n", bold(), copy->path, plain());
    const char *id;
    json_t *path;
    json_object_foreach(r->collected, id, path) put_collected(id, json_string_value(path), 7);
    if (copy->unreadable)
        say("%s✗ incomplete%s: %u values read with %u requests and %u for who answers, %u could not be read\n", warn(),
            plain(), copy->values, r->counts.read_requests, r->counts.identity_requests, copy->unreadable);
    else
        say("%s✓ complete%s: all %u values read with %u requests and %u for who answers\n", good(), plain(),
            copy->values, r->counts.read_requests, r->counts.identity_requests);
}

/* What was measured, beside the copy. -1, or the exit code. */
static int collect(read_call *c, reading *r, const bil_read_wish *watch)
{
    char path[4200];
    int error = BIL_OK;
    bool any = false;
    if (!c->collect)
        return -1;
    r->collected = json_object();
    for (uint16_t i = 0; i < r->d->count && !error; i++) {
        if (!bil_device_collects(r->dev, i))
            continue;
        any = true;
        error = bil_device_collect(r->dev, r->d->params[i].id, c->folder, watch, path, sizeof path);
        if (!error)
            json_object_set_new(r->collected, r->d->params[i].id, json_string(path));
    }
    progress_clear();
    if (error)
        return library_failed(&c->l, error);
    return any ? -1 : say_error("--collect", BIL_E_CALL, "this model has no files of what it measured");
}

static int save(read_call *c, reading *r, const bil_read_wish *watch)
{
    bil_copy *copy;
    r->unstored = r->in_site && bil_device_unstored(r->dev);
    int collected = collect(c, r, watch);
    int error = bil_copy_of_device(r->dev, &copy);
    if (error)
        return library_failed(&c->l, error);
    error = bil_copy_save(copy, c->folder ? c->folder : r->in_site ? NULL : ".", c->why);
    const bil_copy_info *info = bil_copy_tells(copy);
    int code = error              ? library_failed(&c->l, error)
               : collected >= 0   ? collected
               : info->unreadable ? EXIT_INCOMPLETE
                                  : EXIT_DONE;
    if (!error && c->json)
        print_json(r, info);
    else if (!error)
        tell_copy(&c->l, r, info);
    bil_copy_close(copy);
    return code;
}

/* What the site knows of it, where this is a device of one and its copy goes there. */
static int meet(read_call *c, reading *r, const char *where)
{
    const bil_site_device *known;
    int error = c->folder ? BIL_OK : library_site(&c->l);
    if (error || c->folder || !c->l.site)
        return error;
    error = bil_site_device_of(c->l.site, where, &known);
    if (error)
        return error == BIL_E_NO_DEVICE ? BIL_OK : error;
    r->in_site = true;
    snprintf(r->device, sizeof r->device, "%s", known->name);
    snprintf(r->last_serial, sizeof r->last_serial, "%s", known->last ? known->last->serial : "");
    return BIL_OK;
}

/* What could be read wasn't read whole, unless it wasn't begun. */
static int exit_of_read(int code, int error)
{
    bool refused = error == BIL_E_PASSWORD || error == BIL_E_NO_PASSWORD;
    return refused || code == EXIT_CALL ? code : EXIT_INCOMPLETE;
}

/* "kneading#kept1": its name, and which of the copies that it keeps; 0: what is in force. */
static unsigned kept_of(const char *text, char *name, size_t size)
{
    const char *hash = strrchr(text, '#');
    unsigned copy = 0;
    int used = 0;
    snprintf(name, size, "%s", text);
    if (hash && sscanf(hash, "#kept%2u%n", &copy, &used) == 1 && !hash[used] && copy && (size_t)(hash - text) < size)
        name[hash - text] = '\0';
    else
        copy = 0;
    return copy;
}

static void moving(void *ctx, const char *id, uint64_t done, uint64_t all)
{
    (void)ctx;
    progress_file("Reading", id, done, all);
}

static int read_one(read_call *c, const char *text)
{
    char where[400];
    reading r = {.kept = kept_of(text, where, sizeof where), .groups = c->groups, .without_files = c->without_files};
    bil_read_wish watch = {.struct_size = sizeof watch,
                           .progress = progress_of_reading,
                           .moving = moving,
                           .groups = c->groups,
                           .without_files = c->without_files};
    const char *folder = c->folder ? c->folder : ".";
    int error = meet(c, &r, where), code = -1;
    if (error)
        return library_failed(&c->l, error);
    if (r.kept && r.in_site) /* among its copies it would be taken for what it holds */
        return say_error(text, BIL_E_CALL,
                         "a copy that the device keeps isn't what it holds: name a folder for it, --folder DIR");
    if (r.in_site && (c->groups || c->without_files))
        return say_error(text, BIL_E_CALL,
                         "a part of its values isn't what it holds: name a folder for it, --folder DIR");
    if (!r.in_site && access(folder, W_OK | X_OK) != 0) /* before a long read, not after */
        return say_error(folder, BIL_E_FILE_WRITE, NULL);
    progress_line("Connecting", "", 0, 0, 0);
    error = bil_device_open(c->l.host, where, &r.dev);
    progress_clear();
    if (error)
        code = library_failed(&c->l, error);
    if (!error) {
        error = r.kept ? bil_device_read_kept(r.dev, r.kept, &watch) : bil_device_read(r.dev, &watch);
        progress_clear();
        r.d = bil_device_description(r.dev);
        r.image = bil_device_image(r.dev);
        bil_device_counts(r.dev, &r.counts);
        if (!error)
            code = save(c, &r, &watch);
        else
            code = exit_of_read(library_failed(&c->l, error), error);
        bil_device_close(r.dev);
        json_decref(r.collected);
    }
    if (error)
        tell(stderr, "  Nothing was saved.\n");
    return code;
}

/* One word may be a device, or a group with many. */
static bool is_a_group(read_call *c, const char *word)
{
    bil_named kind;
    const bil_site_device *known;
    if (bil_host_named(c->l.host, word, &kind, NULL) != BIL_OK || kind == BIL_NAMED_DEVICE ||
        library_site(&c->l) != BIL_OK || !c->l.site)
        return false;
    return bil_site_device_of(c->l.site, word, &known) == BIL_E_NO_DEVICE;
}

static int read_them(read_call *c)
{
    library *l = &c->l;
    bool one = l->c.count == 1 && !c->only_changed;
    if ((c->all ? 1 : 0) == (l->c.count > 0 ? 1 : 0) || c->at_once < 0)
        return say_error("", BIL_E_CALL, "say which device: an address, names or groups of the site, or --all");
    if (one && !is_a_group(c, l->c.arguments[0]))
        return read_one(c, l->c.arguments[0]);
    if (c->groups || c->without_files)
        return say_error("--group, --without-files", BIL_E_CALL, "of one device, into a folder");
    if (c->collect)
        return say_error("--collect", BIL_E_CALL, "of one device at a time");
    if (c->folder)
        return say_error(c->folder, BIL_E_CALL, "several devices are saved in the site, not in a folder");
    int error = l->site ? BIL_OK : bil_site_open(l->host, NULL, &l->site);
    if (error)
        return library_failed(l, error);
    const many all_of_them = {.names = l->c.arguments,
                              .only_changed = c->only_changed,
                              .json = c->json,
                              .at_once = (unsigned)c->at_once,
                              .why = c->why};
    return many_read(l, &all_of_them);
}

static int run(const command *self, int argc, const char **argv)
{
    read_call c = {0};
    struct poptOption options[] = {
        {"folder", 'f', POPT_ARG_STRING, &c.folder, 0, "where to save (the site, or this folder)", "DIR"},
        {"all", 'a', POPT_ARG_NONE, &c.all, 0, "every device of the site that is in service", NULL},
        {"if-changed", 'c', POPT_ARG_NONE, &c.only_changed, 0, "save a copy only of devices that changed", NULL},
        {"at-once", 0, POPT_ARG_INT, &c.at_once, 0, "read so many lines beside each other (64)", "N"},
        {"group", 'g', POPT_ARG_STRING, &c.groups, 0, "only these groups of parameters, and files by their ids",
         "NAME,NAME"},
        {"without-files", 0, POPT_ARG_NONE, &c.without_files, 0, "no files", NULL},
        {"collect", 0, POPT_ARG_NONE, &c.collect, 0,
         "save what it measured, such as stored samples, as files beside the copy, too", NULL},
        {"why", 0, POPT_ARG_STRING, &c.why, 0, "a note on why the copy is made", "TEXT"},
        WHO_OPTION(c.l.who),
        {"description", 'd', POPT_ARG_STRING, &c.l.description, 0, "a description to try first", "FILE"},
        SITE_OPTION(c.l.given),
        JSON_OPTION(c.json),
        HELP_OPTION,
        POPT_TABLEEND};
    int code = library_begin(&c.l, self, argc, argv, options, 0, 1000, false);
    if (code < 0)
        code = library_takes(&c.l, "--why", c.why);
    else
        return code;
    return library_end(&c.l, code < 0 ? read_them(&c) : code);
}

const command command_read = {"read",
                              "[options] ADDRESS[#keptN]  |  read DEVICE or GROUP...  |  read --all",
                              "reads devices and saves their values as copies",
                              "  bilancia read modbus+tcp://127.0.0.1:5020/3 --why \"before the motor is changed\"\n"
                              "  bilancia read kneader-2\n"
                              "  bilancia read --all --if-changed\n"
                              "  bilancia read kneader-2#kept1 --folder aside    a copy that it keeps by itself\n",
                              run,
                              110};

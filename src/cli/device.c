/* bilancia device: what a site knows about a device. */
#include <jansson.h>
#include <string.h>

#include "cli/library.h"
#include "cli/standing.h"

/* Somebody else in the site at this address? `name`: of the one that it is about. */
static void warn_of_neighbours(library *l, const char *address, const char *name)
{
    const bil_site_device *other;
    if (address && bil_site_device_of(l->site, address, &other) == BIL_OK && strcmp(other->name, name) != 0)
        say("%s!%s the site has another device at this address: %s\n", warn(), plain(), other->name);
}

static int add(library *l, bil_card *card, const char *name, const char *address)
{
    char word[4 * DEVICE_NAME + 3];
    card->name = name;
    card->address = address;
    warn_of_neighbours(l, address, name);
    int code = library_code(l, bil_site_add(l->site, card));
    if (code == EXIT_DONE)
        say("%s✓ added%s  %s at %s\nNext: bilancia read %s%s\n", good(), plain(), name, address,
            pasted(name, word, sizeof word), next_site());
    return code;
}

static int change(library *l, const bil_card *card, const char *which)
{
    char name[DEVICE_NAME];
    int code = library_owner(l, which, name);
    if (code >= 0)
        return code;
    warn_of_neighbours(l, card->address, name);
    code = library_code(l, bil_site_change(l->site, which, card));
    if (code == EXIT_DONE)
        say("%s✓ changed%s  %s\n", good(), plain(), card->name ? card->name : name);
    return code;
}

static void put_json(const bil_site_standing *one)
{
    const bil_site_device *d = one->device;
    const struct {
        const char *key, *text;
    } texts[] = {{"address", d->address}, {"group", d->group},         {"model", d->model},     {"limit", d->limit},
                 {"writers", d->writers}, {"signed_by", d->signed_by}, {"storage", d->storage}, {"why", d->changed_why},
                 {"who", d->changed_by},  {"when", d->changed}};
    json_t *card = json_object();
    for (size_t i = 0; i < sizeof texts / sizeof texts[0]; i++)
        if (texts[i].text[0])
            json_object_set_new(card, texts[i].key, json_string(texts[i].text));
    json_t *all =
        json_pack("{s:s,s:s,s:o,s:b,s:b,s:i,s:s}", "device", d->name, "folder", d->folder, "card", card, "disputed",
                  (int)d->disputed, "retired", (int)d->retired, "copies", d->copies, "baseline", d->baseline);
    json_object_update_new(all, standing_json(one));
    say_json(all);
}

static void put_text(const bil_site_standing *one)
{
    const bil_site_device *d = one->device;
    const struct {
        const char *name, *text;
    } texts[] = {{"Address", d->address},      {"Group", d->group},
                 {"Model", d->model},          {"Limited to", d->limit},
                 {"May write", d->writers},    {"Signed by", d->signed_by},
                 {"Its own disk", d->storage}, {"Why changed", d->changed_why},
                 {"By", d->changed_by},        {"Last changed", d->changed},
                 {"Last asked", one->asked}};
    say("%s%s%s%s\n", bold(), d->name, plain(), d->retired ? ", out of service" : "");
    put_standing(one);
    for (size_t i = 0; i < sizeof texts / sizeof texts[0]; i++)
        if (texts[i].text[0])
            say("%-13s %s\n", texts[i].name, texts[i].text);
    say("%-13s %d\n", "Copies", d->copies);
}

static int show(library *l, const char *which, bool json)
{
    const bil_site_standing *one;
    int error = bil_site_standing_of(l->site, which, &one);
    if (!error)
        (json ? put_json : put_text)(one);
    return library_code(l, error);
}

static int run(const command *self, int argc, const char **argv)
{
    library l = {0};
    char *limit = NULL, *address = NULL, *group = NULL, *model = NULL, *writers = NULL, *signed_by = NULL,
         *storage = NULL, *name = NULL, *why = NULL;
    int json = 0, retired = 0, in_service = 0;
    struct poptOption options[] = {
        {"address", 0, POPT_ARG_STRING, &address, 0, "its address (change)", "ADDRESS"},
        {"group", 'g', POPT_ARG_STRING, &group, 0, "a group of devices that belong together", "TEXT"},
        {"model", 'm', POPT_ARG_STRING, &model, 0, "the model expected there", "MODEL"},
        {"limit", 0, POPT_ARG_STRING, &limit, 0, "what may be done with it", "reading|trials|none"},
        {"writers", 0, POPT_ARG_STRING, &writers, 0, "who may write to it (all)", "NAME,NAME"},
        {"signed-by", 0, POPT_ARG_STRING, &signed_by, 0, "take only copies signed with this key", "KEY"},
        {"storage", 0, POPT_ARG_STRING, &storage, 0, "where the device's own disk appears on this computer", "DIR"},
        {"rename", 0, POPT_ARG_STRING, &name, 0, "another name (change)", "TEXT"},
        {"retired", 0, POPT_ARG_NONE, &retired, 0, "out of service: its copies stay (change)", NULL},
        {"in-service", 0, POPT_ARG_NONE, &in_service, 0, "in service again (change)", NULL},
        {"why", 0, POPT_ARG_STRING, &why, 0, "a note on why", "TEXT"},
        WHO_OPTION(l.who),
        SITE_OPTION(l.given),
        JSON_OPTION(json),
        HELP_OPTION,
        POPT_TABLEEND};
    int code = library_begin(&l, self, argc, argv, options, 2, 3, true);
    if (code >= 0)
        return code;
    const char **a = l.c.arguments;
    bil_card card = {.struct_size = sizeof card,
                     .name = name,
                     .address = address,
                     .group = group,
                     .model = model,
                     .limit = limit && strcmp(limit, "none") == 0 ? ""
                              : limit && !limit[0]                ? "?"
                                                                  : limit,
                     .writers = writers,
                     .signed_by = signed_by,
                     .storage = storage,
                     .why = why,
                     .retired = retired,
                     .in_service = in_service};
    code = strcmp(a[0], "add") == 0 && l.c.count == 3      ? add(&l, &card, a[1], a[2])
           : strcmp(a[0], "change") == 0 && l.c.count == 2 ? change(&l, &card, a[1])
           : strcmp(a[0], "show") == 0 && l.c.count == 2
               ? show(&l, a[1], json)
               : say_error(a[0], BIL_E_CALL, "say device add NAME ADDRESS, device change NAME, or device show NAME");
    return library_end(&l, code);
}

const command command_device = {"device",
                                "add NAME ADDRESS  |  device change NAME  |  device show NAME",
                                "adds a device to the site, changes or shows what is known of it",
                                "  bilancia device add kneader-2 modbus+tcp://192.0.2.12/1 --group kneading\n"
                                "  bilancia device change kneader-2 --writers anna,bruno\n",
                                run,
                                410};

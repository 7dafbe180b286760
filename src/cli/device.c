/* bilancia device: what a site knows about a device. */
#include <stdlib.h>
#include <string.h>

#include "cli/site_cli.h"

typedef struct wishes {
    char *address, *group, *description, *writers, *why, *signed_by, *storage, *rename, *limit;
    int retired, in_service;
} wishes;

static void put(json_t *card, const char *key, const char *value)
{
    if (value && *value)
        json_object_set_new(card, key, json_string(value));
    else if (value)
        json_object_del(card, key);
}

/* "anna,bruno" as a list; "" takes the limit away. */
static void put_writers(json_t *card, const char *text)
{
    if (!text)
        return;
    json_t *list = json_array();
    for (const char *at = text; *at;) {
        size_t length = strcspn(at, ",");
        if (length)
            json_array_append_new(list, json_stringn(at, length));
        at += length + (at[length] == ',');
    }
    if (json_array_size(list))
        json_object_set(card, "writers", list);
    else
        json_object_del(card, "writers");
    json_decref(list);
}

static bool wishes_are_good(const wishes *w)
{

    const char *texts[] = {w->group, w->description, w->writers, w->why, w->signed_by, w->storage};
    for (size_t i = 0; i < sizeof texts / sizeof texts[0]; i++)
        if (!note_is_good(texts[i]))
            return false;
    return true;
}

static int check_address(const char *text)
{
    address where;
    char why[200];
    int error = address_parse(text, &where, why, sizeof why);
    return error ? say_error(text, error, why) : -1;
}

/* Somebody else in the site at this address? */
static void warn_of_neighbours(open_site *h, const char *text, const char *folder)
{
    device_row other;
    if (!index_device(&h->index, text, &other))
        return;
    if (strcmp(other.folder, folder) != 0)
        say("%s!%s the site has another device at this address: %s\n", warn(), plain(), other.name);
    device_row_free(&other);
}

static int write_card(open_site *h, const char *name, const char *old_folder, json_t *card, const wishes *w,
                      const char *who)
{
    char folder[SITE_FOLDER];
    if (old_folder)
        snprintf(folder, sizeof folder, "%s", old_folder);
    else
        site_folder_of(name, folder);
    json_object_set_new(card, "name", json_string(name));
    put(card, "address", w->address);
    put(card, "group", w->group);
    put(card, "description", w->description);
    put(card, "signed_by", w->signed_by);
    put(card, "storage", w->storage);
    put(card, "why", w->why ? w->why : "");
    put(card, "limit", w->limit && strcmp(w->limit, "none") == 0 ? "" : w->limit);
    put_writers(card, w->writers);
    if (w->retired)
        json_object_set_new(card, "retired", json_true());
    if (w->in_service)
        json_object_del(card, "retired");
    json_object_set_new(card, "after", index_heads(&h->index, folder, "device"));
    if (w->address)
        warn_of_neighbours(h, w->address, folder);
    json_object_del(card, "nobody"); /* it came of two that disagreed; now somebody decides */
    int error = note_add(&h->place, folder, "device", person(who), card, NULL);
    if (error)
        return say_error(h->place.path, error, NULL);
    index_accept(&h->index, folder);
    return EXIT_DONE;
}

static int add(open_site *h, const char *name, const char *where, wishes *w, const char *who)
{
    device_row row;
    if (!site_name_is_good(name))
        return say_error(name, BIL_E_CALL,
                         "a name is a line of printable text without / and #, and without blanks at its ends");
    int code = check_address(where);
    if (code >= 0)
        return code;
    if (index_device(&h->index, name, &row)) {
        bool has_card = row.card && strcmp(row.name, name) == 0;
        char at[ADDRESS_TEXT];
        snprintf(at, sizeof at, "the site has this device already, at %.300s; device change changes it",
                 card_text(&row, "address"));
        device_row_free(&row);
        if (has_card)
            return say_error(name, BIL_E_CALL, at);
    }
    free(w->address);
    w->address = strdup(where);
    code = write_card(h, name, NULL, json_object(), w, who);
    if (code == EXIT_DONE)
        say("%s✓ added%s  %s at %s\nNext: bilancia read %s%s%s\n", good(), plain(), name, where,
            strchr(name, ' ') ? "\"" : "", name, strchr(name, ' ') ? "\"" : "");
    return code;
}

static int change(open_site *h, const char *name, const wishes *w, const char *who)
{
    device_row row;
    int code = w->address ? check_address(w->address) : -1;
    if (code >= 0)
        return code;
    if (w->rename && !site_name_is_good(w->rename))
        return say_error(w->rename, BIL_E_CALL, "a name is a line of printable text without / and #");
    int error = find_device(h, name, &row);
    if (error)
        return exit_code_of(error);
    json_t *card = row.card ? json_deep_copy(row.card) : json_object();
    code = write_card(h, w->rename ? w->rename : row.name, row.folder, card, w, who);
    if (code == EXIT_DONE)
        say("%s✓ changed%s  %s\n", good(), plain(), w->rename ? w->rename : row.name);
    device_row_free(&row);
    return code;
}

static int show(open_site *h, const char *name, bool json)
{
    device_row row;
    int error = find_device(h, name, &row);
    if (error)
        return exit_code_of(error);
    if (json) {
        say_json(json_pack("{s:s,s:s,s:O?,s:O?,s:b,s:i,s:s}", "device", row.name, "folder", row.folder, "card",
                           row.card, "state", row.state, "disputed", (int)row.disputed, "copies", row.copies,
                           "baseline", row.baseline));
    } else {
        static const char *const keys[] = {"address", "group", "description", "signed_by",
                                           "storage", "why",   "who",         "when"};
        static const char *const names[] = {"Address",      "Group",       "Model", "Signed by",
                                            "Its own disk", "Why changed", "By",    "Last changed"};
        say("%s%s%s%s\n", bold(), row.name, plain(), row.retired ? ", out of service" : "");
        for (size_t i = 0; i < sizeof keys / sizeof keys[0]; i++)
            if (card_text(&row, keys[i])[0])
                say("%-13s %s\n", names[i], card_text(&row, keys[i]));
        size_t i;
        json_t *writer;
        json_array_foreach(json_object_get(row.card, "writers"), i, writer)
            say("%-13s %s\n", i ? "" : "May write", json_string_value(writer));
        say("%-13s %d\n", "Copies", row.copies);
        if (row.disputed)
            say("%s!%s two places of the site say different things of this device; device change decides\n", warn(),
                plain());
    }
    device_row_free(&row);
    return EXIT_DONE;
}

static int run(const command *self, int argc, const char **argv)
{
    wishes w = {0};
    char *who = NULL, *given = NULL;
    int json = 0;
    struct poptOption options[] = {
        {"address", 0, POPT_ARG_STRING, &w.address, 0, "its address (change)", "ADDRESS"},
        {"group", 'g', POPT_ARG_STRING, &w.group, 0, "a group of devices that belong together", "TEXT"},
        {"model", 'm', POPT_ARG_STRING, &w.description, 0, "the model expected there", "MODEL"},
        {"limit", 0, POPT_ARG_STRING, &w.limit, 0, "what may be done with it", "reading|trials|none"},
        {"writers", 0, POPT_ARG_STRING, &w.writers, 0, "who may write to it (all)", "NAME,NAME"},
        {"signed-by", 0, POPT_ARG_STRING, &w.signed_by, 0, "take only copies signed with this key", "KEY"},
        {"storage", 0, POPT_ARG_STRING, &w.storage, 0, "where the device's own disk appears on this computer", "DIR"},
        {"rename", 0, POPT_ARG_STRING, &w.rename, 0, "another name (change)", "TEXT"},
        {"retired", 0, POPT_ARG_NONE, &w.retired, 0, "out of service: its copies stay (change)", NULL},
        {"in-service", 0, POPT_ARG_NONE, &w.in_service, 0, "in service again (change)", NULL},
        {"why", 0, POPT_ARG_STRING, &w.why, 0, "a note on why", "TEXT"},
        WHO_OPTION(who),
        SITE_OPTION(given),
        JSON_OPTION(json),
        HELP_OPTION,
        POPT_TABLEEND};
    call c;
    int code = call_begin(&c, self, argc, argv, options, 2, 3);
    if (code >= 0)
        return code;
    const char *verb = c.arguments[0];
    bool adds = strcmp(verb, "add") == 0 && c.count == 3, changes = strcmp(verb, "change") == 0 && c.count == 2,
         shows = strcmp(verb, "show") == 0 && c.count == 2;
    open_site h;
    if (w.limit && strcmp(w.limit, "reading") != 0 && strcmp(w.limit, "trials") != 0 && strcmp(w.limit, "none") != 0) {
        code = say_error(w.limit, BIL_E_CALL, "a limit is reading, trials or none");
    } else if (!wishes_are_good(&w) || !note_is_good(who)) {
        code = say_error("", BIL_E_CALL, NOTE_WANTED);
    } else if (!adds && !changes && !shows) {
        code = say_error(verb, BIL_E_CALL, "say device add NAME ADDRESS, device change NAME, or device show NAME");
    } else {
        int error = enter_site(&h, given);
        if (error) {
            code = exit_code_of(error);
        } else {
            code = adds      ? add(&h, c.arguments[1], c.arguments[2], &w, who)
                   : changes ? change(&h, c.arguments[1], &w, who)
                             : show(&h, c.arguments[1], json);
            leave_site(&h);
        }
    }
    return call_end(&c, code);
}

const command command_device = {"device",
                                "add NAME ADDRESS  |  device change NAME  |  device show NAME",
                                "adds a device to the site, changes or shows what is known of it",
                                "  bilancia device add kneader-2 modbus+tcp://192.0.2.12/1 --group kneading\n"
                                "  bilancia device change kneader-2 --writers anna,bruno\n",
                                run,
                                150};

/* bilancia device: what a site knows about a device. */
#include <stdlib.h>
#include <string.h>

#include "cli/site_cli.h"
#include "host/site/marks.h"

/* Somebody else in the site at this address? */
static void warn_of_neighbours(open_site *h, const char *text, const char *folder)
{
    device_row other;
    if (!text || !index_device(&h->index, text, &other))
        return;
    if (strcmp(other.folder, folder) != 0)
        say("%s!%s the site has another device at this address: %s\n", warn(), plain(), other.name);
    device_row_free(&other);
}

static int add(open_site *h, const char *name, const char *where, card_change *w, const char *who)
{
    char folder[SITE_FOLDER];
    trouble t;
    w->name = name;
    w->address = where;
    if (card_change_check(w, &t) != BIL_OK)
        return say_trouble(&t);
    site_folder_of(name, folder);
    warn_of_neighbours(h, where, folder);
    if (card_write(&h->index, NULL, w, person(who), &t) != BIL_OK)
        return say_trouble(&t);
    char word[4 * SITE_NAME + 3];
    say("%s✓ added%s  %s at %s\nNext: bilancia read %s\n", good(), plain(), name, where,
        pasted(name, word, sizeof word));
    return EXIT_DONE;
}

static int change(open_site *h, const char *name, const card_change *w, const char *who)
{
    device_row row;
    trouble t;
    if (card_change_check(w, &t) != BIL_OK)
        return say_trouble(&t);
    int error = find_device(h, name, &row);
    if (error)
        return exit_code_of(error);
    warn_of_neighbours(h, w->address, row.folder);
    int code = EXIT_DONE;
    if (card_write(&h->index, &row, w, person(who), &t) != BIL_OK)
        code = say_trouble(&t);
    else
        say("%s✓ changed%s  %s\n", good(), plain(), w->name ? w->name : row.name);
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
    card_change w = {0};
    char *who = NULL, *given = NULL, *limit = NULL, *added = NULL;
    int json = 0, retired = 0, in_service = 0;
    struct poptOption options[] = {
        {"address", 0, POPT_ARG_STRING, &added, 0, "its address (change)", "ADDRESS"},
        {"group", 'g', POPT_ARG_STRING, &w.group, 0, "a group of devices that belong together", "TEXT"},
        {"model", 'm', POPT_ARG_STRING, &w.description, 0, "the model expected there", "MODEL"},
        {"limit", 0, POPT_ARG_STRING, &limit, 0, "what may be done with it", "reading|trials|none"},
        {"writers", 0, POPT_ARG_STRING, &w.writers, 0, "who may write to it (all)", "NAME,NAME"},
        {"signed-by", 0, POPT_ARG_STRING, &w.signed_by, 0, "take only copies signed with this key", "KEY"},
        {"storage", 0, POPT_ARG_STRING, &w.storage, 0, "where the device's own disk appears on this computer", "DIR"},
        {"rename", 0, POPT_ARG_STRING, &w.name, 0, "another name (change)", "TEXT"},
        {"retired", 0, POPT_ARG_NONE, &retired, 0, "out of service: its copies stay (change)", NULL},
        {"in-service", 0, POPT_ARG_NONE, &in_service, 0, "in service again (change)", NULL},
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
    card_change wish = w; /* the options' texts stay theirs */
    wish.address = added;
    wish.limit = limit && strcmp(limit, "none") == 0 ? "" : limit && !limit[0] ? "?" : limit;
    wish.retired = retired;
    wish.in_service = in_service;
    open_site h;
    if (!note_is_good(who)) {
        code = say_error("", BIL_E_CALL, NOTE_WANTED);
    } else if (!adds && !changes && !shows) {
        code = say_error(verb, BIL_E_CALL, "say device add NAME ADDRESS, device change NAME, or device show NAME");
    } else {
        int error = enter_site(&h, given);
        if (error) {
            code = exit_code_of(error);
        } else {
            code = adds      ? add(&h, c.arguments[1], c.arguments[2], &wish, who)
                   : changes ? change(&h, c.arguments[1], &wish, who)
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
                                410};

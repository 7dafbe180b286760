/* bilancia site: makes a site, and looks whether one is sound. */
#include <string.h>

#include "cli/site_cli.h"
#include "host/site/check.h"

static int make(const char *folder, const char *name, const char *who)
{
    site made;
    char why[STORAGE_PATH + 300];
    const char *slash = strrchr(folder, '/');
    const char *usual = slash && slash[1] ? slash + 1 : folder;
    if (!site_name_is_good(name ? name : usual))
        return say_error(name ? name : usual, BIL_E_CALL, "a name is a line of printable text without / and #");
    int error = site_make(&made, folder, name ? name : usual, person(who), why, sizeof why);
    if (error)
        return say_error("", error, why);
    say("%s✓ made%s  %s, the site \"%s\"\n", good(), plain(), made.path, made.name);
    say("Next: bilancia find, or bilancia device add NAME ADDRESS\n");
    return EXIT_DONE;
}

/* ---- check ---- */

typedef struct telling {
    json_t *list; /* NULL: it is told at once */
} telling;

static void put_finding(void *ctx, const char *what, const char *path, const char *why, bool harms)
{
    static const struct {
        const char *what, *now;
    } advice[] = {{"no_card", ": bilancia device add"}, {"disputed_device", "; bilancia device change decides"}};
    telling *t = ctx;
    char whole[600];
    (void)harms;
    snprintf(whole, sizeof whole, "%s", why);
    for (size_t i = 0; i < sizeof advice / sizeof advice[0]; i++)
        if (strcmp(advice[i].what, what) == 0)
            snprintf(whole, sizeof whole, "%s%s", why, advice[i].now);
    if (t->list)
        json_array_append_new(t->list, json_pack("{s:s,s:s,s:s}", "what", what, "path", path, "why", whole));
    else
        say("%s! %s%s: %s\n", warn(), plain(), path, whole);
}

static int check(const char *given, bool json)
{
    open_site h;
    int error = enter_site(&h, given);
    if (error)
        return exit_code_of(error);
    telling t = {.list = json ? json_array() : NULL};
    site_check c = {.found = put_finding, .ctx = &t};
    error = site_check_all(&h.index, &c);
    leave_site(&h);
    if (error) {
        json_decref(t.list);
        return say_error(h.place.path, error, "it can't be read now");
    }
    if (json)
        say_json(json_pack("{s:s,s:i,s:i,s:i,s:o}", "site", h.place.path, "devices", (int)c.devices, "copies",
                           (int)c.copies, "notes", (int)c.notes, "findings", t.list));
    else
        say("%s%s%s  %s: %u devices, %u copies looked at whole, %u notes, %u finding%s\n", c.harmful ? warn() : good(),
            c.harmful ? "✗ damaged" : "✓ sound", plain(), h.place.path, c.devices, c.copies, c.notes, c.findings,
            c.findings == 1 ? "" : "s");
    return c.harmful ? EXIT_FILE : EXIT_DONE;
}

static int run(const command *self, int argc, const char **argv)
{
    char *name = NULL, *who = NULL, *given = NULL;
    int json = 0;
    struct poptOption options[] = {
        {"name", 'n', POPT_ARG_STRING, &name, 0, "name of the site (that of the folder)", "TEXT"},
        WHO_OPTION(who),
        SITE_OPTION(given),
        JSON_OPTION(json),
        HELP_OPTION,
        POPT_TABLEEND};
    call c;
    int code = call_begin(&c, self, argc, argv, options, 1, 2);
    if (code >= 0)
        return code;
    if (!note_is_good(who))
        code = say_error("--who", BIL_E_CALL, NOTE_WANTED);
    else if (strcmp(c.arguments[0], "make") == 0 && c.count == 2)
        code = make(c.arguments[1], name, who);
    else if (strcmp(c.arguments[0], "check") == 0 && c.count == 1)
        code = check(given, json);
    else
        code = say_error(c.arguments[0], BIL_E_CALL, "say site make FOLDER, or site check");
    return call_end(&c, code);
}

const command command_site = {"site",
                              "make FOLDER  |  site check",
                              "makes a site (devices, copies, notes of a plant), or checks one",
                              "  bilancia site make poggio-finto --name \"Poggio Finto\"\n",
                              run,
                              400};

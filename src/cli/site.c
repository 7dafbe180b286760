/* bilancia site: makes a site, and looks whether one is sound. */
#include <jansson.h>
#include <string.h>

#include "cli/library.h"
#include "cli/standing.h"

static int make(library *l, const char *folder, const char *name)
{
    const char *slash = strrchr(folder, '/');
    int code = library_code(l, bil_site_make(l->host, folder,
                                             name                ? name
                                             : slash && slash[1] ? slash + 1
                                                                 : folder,
                                             &l->site));
    if (code == EXIT_DONE) {
        next_like(folder, NULL); /* it is elsewhere, unless a person goes there */
        say("%s✓ made%s  %s, the site \"%s\"\nNext: bilancia find%s, or bilancia device add NAME ADDRESS%s\n", good(),
            plain(), bil_site_folder(l->site), bil_site_name(l->site), next_site(), next_site());
    }
    return code;
}

/* ---- check ---- */

static void put_finding(void *ctx, const char *what, const char *path, const char *why, bool harms)
{
    static const struct {
        const char *what, *before, *behind;
    } advice[] = {{"no_card", "bilancia device add ", " ADDRESS"},
                  {"disputed_device", "bilancia device change ", ""},
                  {"disputed_baseline", "bilancia baseline ", "#last"}};
    json_t *list = ctx;
    char word[1000], next[2048] = "";
    (void)harms;
    size_t length = strlen(path);
    if (length && strncmp(why, path, length) == 0 && why[length] == ':') /* a place in a file begins with its name */
        why += length + 1;
    for (size_t i = 0; i < sizeof advice / sizeof advice[0]; i++)
        if (strcmp(advice[i].what, what) == 0)
            snprintf(next, sizeof next, "%s%s%s%s", advice[i].before, pasted(path, word, sizeof word), advice[i].behind,
                     next_site());
    if (list)
        json_array_append_new(list, json_pack("{s:s,s:s,s:s,s:s*}", "what", what, "path", path, "why", why, "next",
                                              next[0] ? next : NULL));
    else
        say("%s! %s%s: %s\n", warn(), plain(), path, why);
    if (!list && next[0])
        say("  What to do: %s\n", next);
}

/* What jobs left behind is no fault of the files, and whoever looks after the site wants to know it all the same. */
static bool is_left(const bil_site_standing *one)
{
    return one->first <= BIL_STANDING_EXCHANGED;
}

static bool put_left(void *ctx, const bil_site_standing *one)
{
    (void)ctx;
    if (!is_left(one))
        return false;
    say("%s%s%s\n", bold(), one->device->name, plain());
    put_standing(one);
    return true;
}

static bool add_left(void *ctx, const bil_site_standing *one)
{
    if (!is_left(one))
        return false;
    json_t *row = json_pack("{s:s}", "device", one->device->name);
    json_object_update_new(row, standing_json(one));
    json_array_append_new(ctx, row);
    return true;
}

/* The descriptions at hand, and the files they came from: those that couldn't be read are findings. */
static json_t *descriptions(const library *l)
{
    json_t *all = json_array();
    const bil_description *d;
    for (size_t i = 0; (d = bil_host_description(l->host, i)); i++)
        json_array_append_new(all, json_pack("{s:s,s:s,s:i,s:s}", "vendor", d->vendor, "model", d->model, "revision",
                                             (int)d->revision, "file", bil_host_description_file(l->host, i)));
    return all;
}

static void put_descriptions(const library *l)
{
    const bil_description *d;
    say("Descriptions looked at:\n");
    for (size_t i = 0; (d = bil_host_description(l->host, i)); i++) {
        const char *file = bil_host_description_file(l->host, i);
        say("  %s %s, revision %u: %s\n", d->vendor, d->model, d->revision, file[0] ? file : "built in");
    }
}

static int check(library *l, bool json)
{
    json_t *list = json ? json_array() : NULL, *left = json_array();
    bil_site_state c = {.struct_size = sizeof c, .found = put_finding, .ctx = list};
    int error = bil_site_check(l->site, &c);
    if (!error)
        error = bil_site_overview(l->site, NULL, json ? add_left : put_left, left);
    if (!error && json)
        say_json(json_pack("{s:s,s:i,s:i,s:i,s:O,s:O,s:o}", "site", bil_site_folder(l->site), "devices", (int)c.devices,
                           "copies", (int)c.copies, "notes", (int)c.notes, "findings", list, "left", left,
                           "descriptions", descriptions(l)));
    else if (!error) {
        put_descriptions(l);
        say("%s%s%s  %s: %u device%s, %u cop%s looked at whole, %u note%s, %u finding%s\n", c.harmful ? warn() : good(),
            c.harmful ? "✗ damaged" : "✓ sound", plain(), bil_site_folder(l->site), c.devices,
            c.devices == 1 ? "" : "s", c.copies, c.copies == 1 ? "y" : "ies", c.notes, c.notes == 1 ? "" : "s",
            c.findings, c.findings == 1 ? "" : "s");
    }
    json_decref(list);
    json_decref(left);
    return error ? library_failed(l, error) : c.harmful ? EXIT_FILE : EXIT_DONE;
}

static int run(const command *self, int argc, const char **argv)
{
    library l = {0};
    char *name = NULL;
    int json = 0;
    struct poptOption options[] = {
        {"name", 'n', POPT_ARG_STRING, &name, 0, "name of the site (that of the folder)", "TEXT"},
        WHO_OPTION(l.who),
        SITE_OPTION(l.given),
        JSON_OPTION(json),
        HELP_OPTION,
        POPT_TABLEEND};
    bool makes = argc > 1 && strcmp(argv[1], "make") == 0, checks = argc > 1 && strcmp(argv[1], "check") == 0;
    l.nowhere = makes; /* the one around this folder, if there is one, has no part in it */
    int code = library_begin(&l, self, argc, argv, options, 1, 2, checks);
    if (code >= 0)
        return code;
    if (makes && l.c.count == 2)
        code = make(&l, l.c.arguments[1], name);
    else if (checks && l.c.count == 1)
        code = check(&l, json);
    else
        code = say_error(l.c.arguments[0], BIL_E_CALL, "say site make FOLDER, or site check");
    return library_end(&l, code);
}

const command command_site = {"site",
                              "make FOLDER  |  site check",
                              "makes a site (devices, copies, notes of a plant), or checks one",
                              "  bilancia site make poggio-finto --name \"Poggio Finto\"\n",
                              run,
                              400};

/* bilancia site: makes a site, and looks whether one is sound. */
#include <dirent.h>
#include <stdlib.h>
#include <string.h>

#include "site_cli.h"

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
    printf("%s✓ made%s  %s, the site \"%s\"\n", good(), plain(), made.path, made.name);
    printf("Next: bilancia find, or bilancia device add NAME ADDRESS\n");
    return EXIT_DONE;
}

/* ---- check ---- */

typedef struct finding {
    here *h;
    json_t *list;
    const device_row *device;
    unsigned devices, copies, notes;
} finding;

static void found(finding *f, const char *what, const char *path, const char *why)
{
    json_array_append_new(f->list, json_pack("{s:s,s:s,s:s}", "what", what, "path", path, "why", why));
}

static bool check_copy(void *ctx, const copy_row *row)
{
    finding *f = ctx;
    char path[STORAGE_PATH];
    copy_row copy = *row;
    f->copies++;
    if (index_verify(&f->h->index, &copy) == COPY_DAMAGED) {
        copy_path(&f->h->place, row, path);
        found(f, "damaged_copy", path, "cut or altered after it was written");
    }
    return true;
}

static bool check_note(void *ctx, const char *id, const json_t *note)
{
    (void)id;
    finding *f = ctx;
    f->notes++;
    if (json_object_size(note) == 0) {
        char path[STORAGE_PATH];
        site_path(&f->h->place, f->device ? f->device->folder : "", "notes", path);
        found(f, "altered_note", path, "a note isn't what its name says; it doesn't count");
    }
    return true;
}

static void look_for_strangers(finding *f, const char *what, const char *ending)
{
    char folder[STORAGE_PATH], path[STORAGE_PATH + 300];
    site_path(&f->h->place, f->device ? f->device->folder : "", what, folder);
    DIR *dir = storage_list(folder);
    struct dirent *entry;
    while (dir && (entry = readdir(dir))) {
        if (strcmp(entry->d_name, ".") == 0 || strcmp(entry->d_name, "..") == 0 ||
            storage_ends_with(entry->d_name, ending))
            continue;
        snprintf(path, sizeof path, "%s/%s", folder, entry->d_name);
        found(f, storage_ends_with(entry->d_name, ".part") ? "leftover" : "foreign_file", path,
              storage_ends_with(entry->d_name, ".part") ? "a write that was broken off left it; it can be removed"
                                                        : "it doesn't belong here; it is left alone");
    }
    if (dir)
        closedir(dir);
}

static bool check_device(void *ctx, const device_row *row)
{
    finding *f = ctx;
    f->device = row;
    f->devices++;
    if (!row->card)
        found(f, "no_card", row->folder, "the folder has no note that says what device this is: bilancia device add");
    if (row->disputed)
        found(f, "disputed_device", row->name, "two places say different things of it; bilancia device change decides");
    if (row->baseline_disputed)
        found(f, "disputed_baseline", row->name, "two baselines that don't know of each other; mark one again");
    index_copies(&f->h->index, row->folder, 0, check_copy, f);
    index_notes(&f->h->index, row->folder, NULL, NULL, check_note, f);
    look_for_strangers(f, "copies", ".bset");
    look_for_strangers(f, "notes", ".json");
    return true;
}

static int check(const char *given, bool json)
{
    here h;
    char why[STORAGE_PATH + 300];
    if (site_find(&h.place, given, why, sizeof why) == BIL_OK)
        index_forget(&h.place); /* it may remember what was there before somebody altered it */
    int error = here_open(&h, given);
    if (error)
        return exit_code_of(error);
    finding f = {.h = &h, .list = json_array()};
    index_devices(&h.index, check_device, &f);
    f.device = NULL;
    index_notes(&h.index, "", NULL, NULL, check_note, &f);
    here_close(&h);
    unsigned bad_ones = 0;
    size_t i;
    json_t *one;
    json_array_foreach(f.list, i, one)
    {
        const char *what = json_string_value(json_object_get(one, "what"));
        bad_ones += strcmp(what, "damaged_copy") == 0 || strcmp(what, "altered_note") == 0;
        if (!json)
            printf("%s! %s%s: %s\n", warn(), plain(), json_string_value(json_object_get(one, "path")),
                   json_string_value(json_object_get(one, "why")));
    }
    if (json)
        say_json(json_pack("{s:s,s:i,s:i,s:i,s:O}", "site", h.place.path, "devices", (int)f.devices, "copies",
                           (int)f.copies, "notes", (int)f.notes, "findings", f.list));
    else
        printf("%s%s%s  %s: %u devices, %u copies looked at whole, %u notes, %zu findings\n",
               bad_ones ? warn() : good(), bad_ones ? "✗ damaged" : "✓ sound", plain(), h.place.path, f.devices,
               f.copies, f.notes, json_array_size(f.list));
    json_decref(f.list);
    return bad_ones ? EXIT_FILE : EXIT_DONE;
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

const command command_site = {"site", "make FOLDER  |  site check",
                              "makes a site (devices, copies, notes of a plant), or checks one",
                              "  bilancia site make poggio-finto --name \"Poggio Finto\"\n", run};

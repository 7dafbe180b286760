/* bilancia site: makes a site, and looks whether one is sound. */
#include <dirent.h>
#include <errno.h>
#include <stdlib.h>
#include <string.h>

#include "cli/site_cli.h"
#include "host/base/arena.h"
#include "host/copy/record.h"
#include "host/describe/load.h"

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

typedef struct finding {
    here *h;
    json_t *list;
    const device_row *device;
    ledger known;
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

static bool count_note(void *ctx, const char *id, const json_t *note)
{
    (void)id;
    (void)note;
    ((finding *)ctx)->notes++;
    return true;
}

static bool check_file(void *ctx, const char *kind, const char *file)
{
    static const struct {
        const char *kind, *what, *why;
    } kinds[] = {
        {"altered", "altered_note", "this note isn't what its name says, or isn't as it must be; it doesn't count"},
        {"unreadable", "unreadable_note", "this note can't be read"},
        {"gone", "note_gone", "this note was there and is gone; notes are never taken away"},
        {"damaged", "damaged_copy", "this is no whole copy"},
        {"device_gone", "device_gone", "this device was there and is gone with all that was kept of it"},
        {"record_gone", "record_gone", "this record was there and is gone; records are never taken away"},
        {"record_altered", "altered_record", "this record had ended, and was altered since"},
        {"copy_gone", "copy_gone", "this copy was there and is gone, and no note says that it was deleted"}};
    finding *f = ctx;
    const char *folder = f->device ? f->device->folder : "";
    char path[STORAGE_PATH], file_in[300];
    bool whole =
        strncmp(file, "copies/", 7) == 0 || strncmp(file, "records/", 8) == 0 || strncmp(file, "devices/", 8) == 0;
    snprintf(file_in, sizeof file_in, "%s%s", whole ? "" : "notes/", file);
    site_path(&f->h->place, folder, file_in, path);
    for (size_t i = 0; i < sizeof kinds / sizeof kinds[0]; i++)
        if (strcmp(kinds[i].kind, kind) == 0)
            found(f, kinds[i].what, path, kinds[i].why);
    return true;
}

/* What doesn't belong into a folder; `ending` NULL: only the names listed do, "": folders of devices. */
static void look_for_strangers(finding *f, const char *folder, const char *what, const char *ending,
                               const char *const *names)
{
    char path[STORAGE_PATH], one[STORAGE_PATH + 300];
    site_path(&f->h->place, folder, what, path);
    DIR *dir = storage_list(path);
    if (!dir && errno != ENOENT)
        found(f, "unreadable_folder", path, storage_why(errno));
    struct dirent *entry;
    while (dir && (entry = readdir(dir))) {
        const char *name = entry->d_name;
        bool known = strcmp(name, ".") == 0 || strcmp(name, "..") == 0 || (ending && index_takes_name(name, ending));
        for (const char *const *own = names; own && *own && !known; own++)
            known = strcmp(name, *own) == 0;
        bool link = entry->d_type == DT_LNK, part = storage_ends_with(name, ".part");
        if (known && !link)
            continue;
        snprintf(one, sizeof one, "%s/%s", path, name);
        found(f,
              link   ? "link"
              : part ? "leftover"
                     : "foreign_file",
              one,
              link   ? "a link, which isn't followed"
              : part ? "a write that was broken off left it; it can be removed"
                     : "it doesn't belong here; it is left alone");
    }
    if (dir)
        closedir(dir);
}

/* Records: are they as they must be, and those of this computer as it wrote them? */
static void check_records(finding *f)
{
    char folder[STORAGE_PATH], path[STORAGE_PATH + 300];
    record_story *story = calloc(1, sizeof *story);
    if (!story)
        no_memory();
    site_path(&f->h->place, f->device->folder, "records", folder);
    DIR *dir = storage_list(folder);
    struct dirent *entry;
    while (dir && (entry = readdir(dir))) {
        if (!index_takes_name(entry->d_name, ".brec"))
            continue;
        snprintf(path, sizeof path, "%s/%s", folder, entry->d_name);
        bool sound = record_read(path, story) == BIL_OK;
        const char *dash = strrchr(entry->d_name, '-');
        bool named =
            !dash || strlen(dash) != SET_NAME_DIGEST + 6 || strncmp(dash + 1, story->intent, SET_NAME_DIGEST) == 0;
        if (!sound || !named)
            found(f, "altered_record", path, "this is no record, or it was altered; it doesn't count");
    }
    if (dir)
        closedir(dir);
    for (size_t i = 0; i < f->known.count; i++) {
        const ledger_entry *e = &f->known.entries[i];
        size_t length = strlen(folder);
        if (strncmp(e->path, folder, length) != 0 || e->path[length] != '/')
            continue;
        int is = story_is_as_written(e);
        if (is)
            found(f, is < 0 ? "record_gone" : "altered_record", e->path,
                  is < 0 ? "this computer wrote this record, and it is gone"
                         : "this computer wrote this record otherwise; what it wrote counts here");
    }
    free(story);
}

static bool check_device(void *ctx, const device_row *row)
{
    static const char *const own[] = {"copies", "notes", "records", NULL};
    finding *f = ctx;
    char unclear[400];
    f->device = row;
    f->devices++;
    if (!row->card)
        found(f, "no_card", row->folder, "the folder has no note that says what device this is: bilancia device add");
    if (index_unclear(&f->h->index, row, unclear, sizeof unclear) && row->disputed) {
        strcat(unclear, "; bilancia device change decides");
        found(f, "disputed_device", row->name, unclear);
    }
    if (row->baseline_disputed)
        found(f, "disputed_baseline", row->name, "two baselines that don't know of each other; mark one again");
    index_copies(&f->h->index, row->folder, 0, check_copy, f);
    index_notes(&f->h->index, row->folder, NULL, NULL, count_note, f);
    index_strange(&f->h->index, row->folder, check_file, f);
    look_for_strangers(f, row->folder, "", NULL, own);
    look_for_strangers(f, row->folder, "copies", ".bset", NULL);
    look_for_strangers(f, row->folder, "notes", ".json", NULL);
    look_for_strangers(f, row->folder, "records", ".brec", NULL);
    check_records(f);
    return true;
}

static void check_descriptions(finding *f)
{
    char folder[STORAGE_PATH], path[STORAGE_PATH + 300], why[500];
    site_path(&f->h->place, "", "descriptions", folder);
    DIR *dir = storage_list(folder);
    struct dirent *entry;
    while (dir && (entry = readdir(dir))) {
        if (!index_takes_name(entry->d_name, ".yaml"))
            continue;
        loaded_description loaded;
        snprintf(path, sizeof path, "%s/%s", folder, entry->d_name);
        if (description_load(&loaded, path, why, sizeof why) == BIL_OK)
            description_free(&loaded);
        else
            found(f, "bad_description", path, why);
    }
    if (dir)
        closedir(dir);
}

static int check(const char *given, bool json)
{
    static const char *const own[] = {STORAGE_SITE, ".gitignore", ".git", "devices", "notes", "descriptions", NULL};
    static const char *const harmless[] = {"foreign_file", "leftover", "no_card", "disputed_baseline", NULL};
    here h;
    int error = here_open(&h, given);
    if (!error && !index_reread(&h.index, NULL, true)) /* it may remember what was there before somebody altered it */
        error = say_error(h.place.path, BIL_E_SITE_BROKEN, "it can't be read now");
    if (error)
        return exit_code_of(error);
    finding f = {.h = &h, .list = json_array()};
    ledger_open(&f.known);
    index_devices(&h.index, check_device, &f);
    f.device = NULL;
    index_notes(&h.index, "", NULL, NULL, count_note, &f);
    index_strange(&h.index, "", check_file, &f);
    look_for_strangers(&f, "", "", NULL, own);
    look_for_strangers(&f, "", "notes", ".json", NULL);
    look_for_strangers(&f, "", "devices", "", NULL);
    look_for_strangers(&f, "", "descriptions", ".yaml", NULL);
    check_descriptions(&f);
    ledger_close(&f.known);
    here_close(&h);
    unsigned bad_ones = 0;
    size_t i;
    json_t *one;
    json_array_foreach(f.list, i, one)
    {
        const char *what = json_string_value(json_object_get(one, "what"));
        bool well = false;
        for (const char *const *name = harmless; *name; name++)
            well = well || strcmp(what, *name) == 0;
        bad_ones += !well;
        if (!json)
            say("%s! %s%s: %s\n", warn(), plain(), json_string_value(json_object_get(one, "path")),
                json_string_value(json_object_get(one, "why")));
    }
    if (json)
        say_json(json_pack("{s:s,s:i,s:i,s:i,s:O}", "site", h.place.path, "devices", (int)f.devices, "copies",
                           (int)f.copies, "notes", (int)f.notes, "findings", f.list));
    else
        say("%s%s%s  %s: %u devices, %u copies looked at whole, %u notes, %zu finding%s\n", bad_ones ? warn() : good(),
            bad_ones ? "✗ damaged" : "✓ sound", plain(), h.place.path, f.devices, f.copies, f.notes,
            json_array_size(f.list), json_array_size(f.list) == 1 ? "" : "s");
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

const command command_site = {"site",
                              "make FOLDER  |  site check",
                              "makes a site (devices, copies, notes of a plant), or checks one",
                              "  bilancia site make poggio-finto --name \"Poggio Finto\"\n",
                              run,
                              140};

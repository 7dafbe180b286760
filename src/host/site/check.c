#include "host/site/check.h"

#include <dirent.h>
#include <errno.h>
#include <stdlib.h>
#include <string.h>

#include "host/copy/record.h"
#include "host/describe/load.h"
#include "port/memory.h"

typedef struct finding {
    site_index *x;
    site_check *check;
    const device_row *device;
    ledger known;
} finding;

static void found(finding *f, const char *what, const char *path, const char *why)
{
    static const char *const harmless[] = {"foreign_file", "leftover", "no_card", "disputed_baseline"};
    bool harms = true;
    for (size_t i = 0; i < sizeof harmless / sizeof harmless[0]; i++)
        harms = harms && strcmp(what, harmless[i]) != 0;
    f->check->findings++;
    f->check->harmful += harms;
    f->check->found(f->check->ctx, what, path, why, harms);
}

static bool check_copy(void *ctx, const copy_row *row)
{
    finding *f = ctx;
    char path[STORAGE_PATH];
    copy_row copy = *row;
    f->check->copies++;
    if (index_verify(f->x, &copy) == COPY_DAMAGED) {
        copy_path(f->x->site, row, path);
        found(f, "damaged_copy", path, "cut or altered after it was written");
    }
    return true;
}

static bool count_note(void *ctx, const char *id, const json_t *note)
{
    (void)id;
    (void)note;
    ((finding *)ctx)->check->notes++;
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
    site_path(f->x->site, folder, file_in, path);
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
    site_path(f->x->site, folder, what, path);
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
    record_story *story = mem_new(1, sizeof *story);
    if (!story)
        return;
    site_path(f->x->site, f->device->folder, "records", folder);
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
    mem_free(story);
}

static bool check_device(void *ctx, const device_row *row)
{
    static const char *const own[] = {"collected", "copies", "notes", "records", NULL};
    finding *f = ctx;
    char unclear[400];
    f->device = row;
    f->check->devices++;
    if (!row->card)
        found(f, "no_card", row->folder, "the folder has no note that says what device this is");
    if (index_unclear(f->x, row, unclear, sizeof unclear) && row->disputed)
        found(f, "disputed_device", row->name, unclear);
    if (row->baseline_disputed)
        found(f, "disputed_baseline", row->name, "two baselines that don't know of each other");
    index_copies(f->x, row->folder, 0, check_copy, f);
    index_notes(f->x, row->folder, NULL, NULL, count_note, f);
    index_strange(f->x, row->folder, check_file, f);
    look_for_strangers(f, row->folder, "", NULL, own);
    look_for_strangers(f, row->folder, "copies", ".bset", NULL);
    look_for_strangers(f, row->folder, "collected", ".dat", NULL);
    look_for_strangers(f, row->folder, "notes", ".json", NULL);
    look_for_strangers(f, row->folder, "records", ".brec", NULL);
    check_records(f);
    return true;
}

static void check_descriptions(finding *f)
{
    char folder[STORAGE_PATH], path[STORAGE_PATH + 300], why[500];
    site_path(f->x->site, "", "descriptions", folder);
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

int site_check_all(site_index *x, site_check *c)
{
    static const char *const own[] = {STORAGE_SITE, ".gitignore", ".git", "devices", "notes", "descriptions", NULL};
    finding f = {.x = x, .check = c};
    if (!index_reread(x, NULL, true)) /* it may remember what was there before somebody altered it */
        return BIL_E_SITE_BROKEN;
    ledger_open(&f.known);
    index_devices(x, check_device, &f);
    f.device = NULL;
    index_notes(x, "", NULL, NULL, count_note, &f);
    index_strange(x, "", check_file, &f);
    look_for_strangers(&f, "", "", NULL, own);
    look_for_strangers(&f, "", "notes", ".json", NULL);
    look_for_strangers(&f, "", "devices", "", NULL);
    look_for_strangers(&f, "", "descriptions", ".yaml", NULL);
    check_descriptions(&f);
    ledger_close(&f.known);
    return BIL_OK;
}

#include "record.h"

#include <dirent.h>
#include <errno.h>
#include <fcntl.h>
#include <stdlib.h>
#include <string.h>
#include <unistd.h>

#include "../port/digest.h"

static int put_line(FILE *file, json_t *line)
{
    char *text = json_dumps(line, JSON_COMPACT);
    json_decref(line);
    if (!text)
        return BIL_E_MEMORY;
    bool good = fputs(text, file) >= 0 && putc('\n', file) != EOF;
    free(text);
    return good ? storage_sync(file) : storage_error();
}

int record_begin(record *rec, const char *folder, const char *name, json_t *first)
{
    *rec = (record){0};
    storage_file storage;
    int error = storage_begin(&storage, folder, name);
    if (error) {
        json_decref(first);
        return error;
    }
    char *text = json_dumps(first, JSON_COMPACT), hex[2 * BIL_SHA256 + 1];
    if (text && digest_hex(text, strlen(text), hex)) {
        hex[SET_NAME_DIGEST] = '\0';
        storage_name_digest(&storage, hex);
    }
    free(text);
    error = put_line(storage.file, first);
    if (error) {
        storage_cancel(&storage);
        return error;
    }
    error = storage_commit(&storage, folder, rec->path);
    if (error)
        return error;
    rec->file = fopen(rec->path, "ab");
    return rec->file ? BIL_OK : storage_error();
}

int record_add(record *rec, json_t *line)
{
    if (rec->file)
        return put_line(rec->file, line);
    json_decref(line);
    return BIL_E_RECORD;
}

void record_end(record *rec)
{
    if (rec->file)
        fclose(rec->file);
    rec->file = NULL;
}

static const char *text_of(const json_t *line, const char *key)
{
    const char *text = json_string_value(json_object_get(line, key));
    return text ? text : "";
}

/* What a record says of a unit: when it began, in which state the device was found, and whether it was let go. */
typedef struct held_story {
    char when[64];
    uint32_t found;
    bool ours, held;
} held_story;

static held_story read_story(const char *path, const char *model, const char *serial)
{
    held_story story = {0};
    FILE *file = fopen(path, "rb");
    if (!file)
        return story;
    json_t *line; /* a line that was cut ends it */
    while ((line = json_loadf(file, JSON_DISABLE_EOF_CHECK | JSON_REJECT_DUPLICATES, NULL))) {
        const char *event = text_of(line, "event");
        if (strcmp(event, "intent") == 0) {
            story.ours = strcmp(text_of(line, "model"), model) == 0 && strcmp(text_of(line, "serial"), serial) == 0;
            story.found = (uint32_t)json_integer_value(json_object_get(line, "found"));
            snprintf(story.when, sizeof story.when, "%s", text_of(line, "when"));
        } else if (strcmp(event, "holding") == 0) {
            story.held = true;
        } else if (strcmp(event, "released") == 0) {
            story.held = false;
        }
        json_decref(line);
    }
    fclose(file);
    return story;
}

bool record_find_held(const char *folder, const char *model, const char *serial, uint32_t *found, char *path)
{
    DIR *dir = opendir(folder);
    if (!dir)
        return false;
    held_story newest = {0};
    struct dirent *entry;
    while ((entry = readdir(dir))) {
        char name[STORAGE_PATH];
        if (!storage_ends_with(entry->d_name, ".brec"))
            continue;
        snprintf(name, sizeof name, "%s/%s", folder, entry->d_name);
        held_story story = read_story(name, model, serial);
        if (story.ours && strcmp(story.when, newest.when) >= 0) {
            newest = story;
            snprintf(path, STORAGE_PATH, "%s", name);
        }
    }
    closedir(dir);
    *found = newest.found;
    return newest.held;
}

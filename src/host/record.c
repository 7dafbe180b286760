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

static void take_text(const json_t *line, const char *key, char *out, size_t size)
{
    const char *text = text_of(line, key);
    snprintf(out, size, "%s", bil_text_is_printable(text, strlen(text)) ? text : "");
}

static void take_intent(record_story *s, const json_t *line)
{
    const char *slash = strrchr(s->path, '/');
    take_text(line, "model", s->model, sizeof s->model);
    take_text(line, "serial", s->serial, sizeof s->serial);
    take_text(line, "address", s->address, sizeof s->address);
    take_text(line, "when", s->when, sizeof s->when);
    take_text(line, "who", s->who, sizeof s->who);
    take_text(line, "copy", s->copy, sizeof s->copy);
    take_text(line, "copy_digest", s->copy_digest, sizeof s->copy_digest);
    take_text(line, "chain", s->chain, sizeof s->chain);
    if (!s->chain[0] || strchr(s->chain, '/'))
        snprintf(s->chain, sizeof s->chain, "%s", slash ? slash + 1 : s->path);
    s->purpose = bil_purpose_from_name(text_of(line, "purpose"));
    s->with_calibration = json_is_true(json_object_get(line, "with_calibration"));
    static const char *const checks[] = {
#define CHECK_NAME(NAME, name, what) name,
        BIL_CHECKS(CHECK_NAME)
#undef CHECK_NAME
    };
    for (int i = 0; i < BIL_CHECK_COUNT; i++)
        if (json_is_string(json_object_get(json_object_get(line, "despite"), checks[i])))
            s->despite |= UINT32_C(1) << i;
    s->restart = json_is_true(json_object_get(line, "restart"));
    s->undoes = json_is_true(json_object_get(line, "undoes"));
    s->found = (uint32_t)json_integer_value(json_object_get(line, "found"));
    const json_t *found_first = json_object_get(line, "found_first");
    s->found_first = found_first ? (uint32_t)json_integer_value(found_first) : s->found;
    s->held = json_is_true(json_object_get(line, "still_held"));
}

static void take_event(record_story *s, const json_t *line)
{
    const char *event = text_of(line, "event");
    if (strcmp(event, "safety_copy") == 0) {
        take_text(line, "path", s->safety, sizeof s->safety);
        take_text(line, "digest", s->safety_digest, sizeof s->safety_digest);
    } else if (strcmp(event, "holding") == 0) {
        s->held = true;
    } else if (strcmp(event, "released") == 0) {
        s->held = false;
    } else if (strcmp(event, "writing") == 0 || strcmp(event, "storing") == 0) {
        s->wrote = true;
    } else if (strcmp(event, "end") == 0) {
        take_text(line, "verdict", s->verdict, sizeof s->verdict);
    }
}

int record_read(const char *path, record_story *s)
{
    *s = (record_story){0};
    snprintf(s->path, sizeof s->path, "%s", path);
    FILE *file = fopen(path, "rb");
    if (!file)
        return BIL_E_FILE_OPEN;
    json_t *line; /* a line that was cut ends it */
    bool intent = false;
    while ((line = json_loadf(file, JSON_DISABLE_EOF_CHECK | JSON_REJECT_DUPLICATES, NULL))) {
        if (strcmp(text_of(line, "event"), "intent") == 0) {
            intent = true;
            take_intent(s, line);
        } else if (intent) {
            take_event(s, line);
        }
        json_decref(line);
    }
    fclose(file);
    /* A later record of an unfinished story settles it only by reaching what it wanted. */
    const char *slash = strrchr(path, '/');
    bool first = strcmp(s->chain, slash ? slash + 1 : path) == 0;
    bool reached = strcmp(s->verdict, bil_verdict_name(BIL_VERDICT_VERIFIED)) == 0 ||
                   strcmp(s->verdict, bil_verdict_name(BIL_VERDICT_WITH_EXCEPTIONS)) == 0 ||
                   strcmp(s->verdict, bil_verdict_name(BIL_VERDICT_NOT_PROVED)) == 0;
    bool untouched = strcmp(s->verdict, bil_verdict_name(BIL_VERDICT_REFUSED)) == 0 ||
                     strcmp(s->verdict, bil_verdict_name(BIL_VERDICT_UNTOUCHED)) == 0;
    s->on_trial = !s->held && strcmp(s->verdict, bil_verdict_name(BIL_VERDICT_ON_TRIAL)) == 0;
    s->finished = !s->held && (reached || (first && untouched));
    s->settled = s->finished || (first && !s->verdict[0] && !s->held && !s->wrote);
    return intent && s->purpose >= 0 ? BIL_OK : BIL_E_RECORD_FORM;
}

bool record_newest(const char *folder, const char *model, const char *serial, bool that_wrote, record_story *story)
{
    DIR *dir = opendir(folder);
    *story = (record_story){0};
    if (!dir)
        return false;
    record_story *one = malloc(sizeof *one);
    struct dirent *entry;
    while (one && (entry = readdir(dir))) {
        char name[STORAGE_PATH];
        if (!storage_ends_with(entry->d_name, ".brec"))
            continue;
        snprintf(name, sizeof name, "%s/%s", folder, entry->d_name);
        if (record_read(name, one) == BIL_OK && (!model || strcmp(one->model, model) == 0) &&
            (!serial || strcmp(one->serial, serial) == 0) && (!that_wrote || one->wrote || !one->settled) &&
            strcmp(one->when, story->when) >= 0)
            *story = *one;
    }
    free(one);
    closedir(dir);
    return story->path[0] != '\0';
}

#include "host/copy/ledger.h"

#include <errno.h>
#include <fcntl.h>
#include <jansson.h>
#include <stdlib.h>
#include <string.h>
#include <sys/file.h>
#include <unistd.h>

#include "host/base/folders.h"
#include "host/base/json.h"
#include "port/memory.h"

enum { LEDGER_MOST = 64 << 20 };

static void place(char path[STORAGE_PATH], bool make)
{
    if (own_folder(OWN_STATE, make, path))
        strcat(path, "/ledger");
}

/* ---- the stories beside it ---- */

static const char *const pages[] = {"record.brec", "before.bset", "wanted.bset"};

bool ledger_page(const char *intent, ledger_part part, char path[STORAGE_PATH])
{
    if (!own_folder(OWN_STATE, false, path))
        return false;
    size_t used = strlen(path);
    snprintf(path + used, STORAGE_PATH - used, "/stories/%.16s/%s", intent, pages[part]);
    return true;
}

int ledger_make_pages(const char *intent, char folder[STORAGE_PATH])
{
    if (!own_folder(OWN_STATE, true, folder))
        return BIL_E_FILE_WRITE;
    size_t used = strlen(folder);
    snprintf(folder + used, STORAGE_PATH - used, "/stories");
    int error = storage_make_folder(folder, 0700);
    used = strlen(folder);
    snprintf(folder + used, STORAGE_PATH - used, "/%.16s", intent);
    return error ? error : storage_make_folder(folder, 0700);
}

void ledger_drop_pages(const char *intent)
{
    char path[STORAGE_PATH];
    for (int part = 0; part < LEDGER_PARTS; part++)
        if (ledger_page(intent, (ledger_part)part, path))
            storage_remove(path);
    *strrchr(path, '/') = '\0';
    rmdir(path);
}

/* ---- the ledger ---- */

static const char *text_of(const json_t *line, const char *key)
{
    const char *text = json_string_value(json_object_get(line, key));
    return text ? text : "";
}

static ledger_entry *find(ledger *l, const char *intent)
{
    for (size_t i = l->count; i-- > 0;)
        if (strcmp(l->entries[i].intent, intent) == 0)
            return &l->entries[i];
    return NULL;
}

static void take(ledger *l, const json_t *line)
{
    const char *intent = text_of(line, "intent"), *last = text_of(line, "last");
    if (strlen(intent) != 2 * BIL_SHA256) {
        l->broken = true;
        return;
    }
    ledger_entry *e = find(l, intent);
    if (last[0]) {
        l->broken = l->broken || !e;
        if (e)
            snprintf(e->last, sizeof e->last, "%s", last);
        return;
    }
    if (e)
        return;
    if ((l->count & (l->count - 1)) == 0) { /* room for twice as many */
        ledger_entry *more = mem_more(l->entries, (l->count ? 2 * l->count : 1) * sizeof *more);
        if (!more) {
            l->broken = true;
            return;
        }
        l->entries = more;
    }
    e = &l->entries[l->count++];
    *e = (ledger_entry){.sequence = l->count};
    snprintf(e->intent, sizeof e->intent, "%s", intent);
    snprintf(e->model, sizeof e->model, "%s", text_of(line, "model"));
    snprintf(e->serial, sizeof e->serial, "%s", text_of(line, "serial"));
    snprintf(e->path, sizeof e->path, "%s", text_of(line, "record"));
}

int ledger_open(ledger *l)
{
    char path[STORAGE_PATH];
    *l = (ledger){0};
    place(path, false);
    size_t size = 0;
    char *text = path[0] ? storage_text(path, LEDGER_MOST, &size) : NULL;
    if (!text)
        return !path[0] || errno == ENOENT || errno == ENOTDIR ? BIL_OK : storage_open_error();
    for (char *at = text, *end; at < text + size; at = end + 1) {
        end = memchr(at, '\n', (size_t)(text + size - at));
        end = end ? end : text + size;
        json_t *line = jn_read(at, (size_t)(end - at), NULL);
        if (line)
            take(l, line);
        else
            l->broken = true; /* cut by a power failure, or altered */
        json_decref(line);
    }
    free(text);
    return BIL_OK;
}

void ledger_close(ledger *l)
{
    mem_free(l->entries);
    *l = (ledger){0};
}

const ledger_entry *ledger_find(const ledger *l, const char *intent)
{
    return find((ledger *)l, intent);
}

/* One line in one piece; a line that was cut before it is ended first. */
static int add(json_t *line)
{
    char path[STORAGE_PATH], end = '\n';
    place(path, true);
    char *text = jn_text(line, JSON_COMPACT);
    json_decref(line);
    int fd = path[0] ? open(path, O_RDWR | O_APPEND | O_CREAT | O_CLOEXEC | O_NOFOLLOW, 0600) : -1;
    if (fd < 0 || !text) {
        int error = !text ? BIL_E_MEMORY : path[0] ? storage_error() : BIL_E_FILE_WRITE;
        if (fd >= 0)
            close(fd);
        free(text);
        return error;
    }
    flock(fd, LOCK_EX);
    off_t size = lseek(fd, 0, SEEK_END);
    bool cut = size > 0 && pread(fd, &end, 1, size - 1) == 1 && end != '\n';
    size_t length = strlen(text);
    char *whole = mem_new(length + 3, 1);
    if (!whole) {
        free(text);
        close(fd);
        return BIL_E_MEMORY;
    }
    snprintf(whole, length + 3, "%s%s\n", cut ? "\n" : "", text);
    bool good = write(fd, whole, strlen(whole)) == (ssize_t)strlen(whole) && fsync(fd) == 0;
    int error = good ? BIL_OK : storage_error();
    mem_free(whole);
    free(text);
    close(fd);
    return error;
}

int ledger_begin(const char *model, const char *serial, const char *path, const char *intent)
{
    return add(jn_pack("{s:s,s:s,s:s,s:s}", "intent", intent, "model", model, "serial", serial, "record", path));
}

int ledger_end(const char *intent, const char *last)
{
    return add(jn_pack("{s:s,s:s}", "intent", intent, "last", last));
}

#include "host/base/decided.h"

#include <fcntl.h>
#include <jansson.h>
#include <stdlib.h>
#include <string.h>
#include <sys/file.h>
#include <unistd.h>

#include "host/base/folders.h"
#include "host/base/json.h"

enum { DECIDED_MOST = 16 << 20 };

static bool place(bool make, char path[STORAGE_PATH])
{
    bool known = own_folder(OWN_STATE, make, path);
    if (known)
        strcat(path, "/decided");
    return known;
}

static bool is(const json_t *line, const char *key, const char *text)
{
    const char *its = json_string_value(json_object_get(line, key));
    return its && strcmp(its, text) == 0;
}

bool decided_find(const char *kind, const char *scope, const char *what, char *answer, size_t size)
{
    char path[STORAGE_PATH];
    size_t length;
    char *text = place(false, path) ? storage_text(path, DECIDED_MOST, &length) : NULL;
    bool found = false;
    for (char *at = text, *end; text && at < text + length; at = end + 1) {
        end = memchr(at, '\n', (size_t)(text + length - at));
        end = end ? end : text + length;
        json_t *line = jn_read(at, (size_t)(end - at), NULL);
        const char *its = json_string_value(json_object_get(line, "answer"));
        if (its && is(line, "kind", kind) && is(line, "scope", scope) && is(line, "what", what)) {
            snprintf(answer, size, "%s", its);
            found = true;
        }
        json_decref(line);
    }
    free(text);
    return found;
}

int decided_add(const char *kind, const char *scope, const char *what, const char *answer)
{
    char path[STORAGE_PATH];
    json_t *line = jn_pack("{s:s,s:s,s:s,s:s}", "kind", kind, "scope", scope, "what", what, "answer", answer);
    char *text = line ? jn_text(line, JSON_COMPACT) : NULL;
    json_decref(line);
    int fd = text && place(true, path) ? open(path, O_WRONLY | O_APPEND | O_CREAT | O_CLOEXEC | O_NOFOLLOW, 0600) : -1;
    if (!text)
        return BIL_E_MEMORY;
    bool good = fd >= 0 && flock(fd, LOCK_EX) == 0 && dprintf(fd, "\n%s\n", text) > 0 && fsync(fd) == 0;
    int error = good ? BIL_OK : storage_error();
    if (fd >= 0)
        close(fd);
    free(text);
    return error;
}

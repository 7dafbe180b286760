#include "host/site/asked.h"

#include <fcntl.h>
#include <stdio.h>
#include <string.h>
#include <sys/stat.h>
#include <time.h>
#include <unistd.h>

#include "host/base/folders.h"

static bool place(const site *s, const char *folder, bool make, char path[STORAGE_PATH])
{
    char above[STORAGE_PATH];
    if (!own_folder(OWN_STATE, make, above))
        return false;
    snprintf(path, STORAGE_PATH, "%.3800s/asked/%s", above, s->id);
    if (make)
        storage_make_folders(path, 0700);
    size_t used = strlen(path);
    snprintf(path + used, STORAGE_PATH - used, "/%s", folder);
    return true;
}

void asked_now(const site *s, const char *folder)
{
    char path[STORAGE_PATH];
    if (!place(s, folder, true, path))
        return;
    int fd = open(path, O_WRONLY | O_CREAT | O_CLOEXEC | O_NOFOLLOW, 0600);
    if (fd >= 0 && futimens(fd, NULL) == 0)
        close(fd);
}

void asked_last(const site *s, const device_row *row, char *when)
{
    char path[STORAGE_PATH], asked[40] = "";
    struct stat seen;
    struct tm utc;
    if (place(s, row->folder, false, path) && stat(path, &seen) == 0 && gmtime_r(&seen.st_mtime, &utc))
        strftime(asked, sizeof asked, "%Y-%m-%dT%H:%M:%SZ", &utc);
    const char *read = row->copies ? row->last.when : "";
    snprintf(when, 40, "%s", strcmp(asked, read) > 0 ? asked : read);
}

bool asked_long_ago(const char *when)
{
    struct tm then = {0};
    time_t now = time(NULL);
    if (sscanf(when, "%4d-%2d-%2dT%2d:%2d:%2d", &then.tm_year, &then.tm_mon, &then.tm_mday, &then.tm_hour, &then.tm_min,
               &then.tm_sec) != 6)
        return false;
    then.tm_year -= 1900;
    then.tm_mon--;
    return now - timegm(&then) > (time_t)ASKED_LONG * 24 * 3600;
}

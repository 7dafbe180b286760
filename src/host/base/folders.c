#include "host/base/folders.h"

#include <stdlib.h>
#include <string.h>

bool own_folder(own_kind kind, bool make, char path[STORAGE_PATH])
{
    static const struct {
        const char *variable, *usual;
    } places[] = {{"XDG_STATE_HOME", ".local/state"}, {"XDG_CACHE_HOME", ".cache"}, {"XDG_CONFIG_HOME", ".config"}};
    const char *given = getenv(places[kind].variable), *home = getenv("HOME");
    path[0] = '\0';
    if (given && given[0] == '/')
        snprintf(path, STORAGE_PATH, "%.3900s/bilancia", given);
    else if (home && home[0] == '/')
        snprintf(path, STORAGE_PATH, "%.3900s/%s/bilancia", home, places[kind].usual);
    else
        return false;
    if (make)
        storage_make_folders(path, 0700); /* what can't be made is missed by whoever puts something into it */
    return true;
}

const char *folder_of(const char *path, char *folder)
{
    const char *slash = strrchr(path, '/');
    snprintf(folder, STORAGE_PATH, "%.*s", slash ? (int)(slash - path) + (slash == path) : 1, slash ? path : ".");
    return slash ? slash + 1 : path;
}

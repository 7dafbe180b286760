/* The folders that belong to the person at this computer alone (XDG Base Directory Specification 0.8): what no site, no
 * stick and no other user has a say in. */
#ifndef BIL_HOST_BASE_FOLDERS_H
#define BIL_HOST_BASE_FOLDERS_H

#include "port/storage.h"

typedef enum own_kind {
    OWN_STATE, /* XDG_STATE_HOME, else ~/.local/state */
    OWN_CACHE, /* XDG_CACHE_HOME, else ~/.cache */
    OWN_CONFIG /* XDG_CONFIG_HOME, else ~/.config */
} own_kind;

/* The path of "bilancia" in it. Made, for this user alone, when `make`. False, with "", where there is no home. */
bool own_folder(own_kind kind, bool make, char path[STORAGE_PATH]);

/* The folder of a path ("." where it names none), into STORAGE_PATH bytes; returns what stands behind it. */
const char *folder_of(const char *path, char *folder);

#endif

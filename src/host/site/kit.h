/* The kit: one archive file (ZIP) with all that a rebuild needs. docs/site.md tells what lies in it. */
#ifndef BIL_HOST_SITE_KIT_H
#define BIL_HOST_SITE_KIT_H

#include <jansson.h>

#include "host/copy/set_file.h"

enum { KIT_FILES = 64 };

typedef struct kit_file {
    char path[STORAGE_PATH]; /* on this computer */
    char name[300];          /* in the kit: "copy.bset", "texts/licence.txt", ... */
} kit_file;

typedef struct kit {
    kit_file files[KIT_FILES];
    size_t count;
    char device[SET_TEXT], who[SET_TEXT], why[SET_TEXT], firmware[SET_TEXT];
} kit;

/* Adds a file under a folder of the kit, with its own last name. BIL_E_FILE_OPEN, BIL_E_CALL when there are too many or
 * two of one name. */
int kit_add(kit *k, const char *path, const char *folder, const char *name);

/* Writes it as a new file. `why` tells what went wrong. */
int kit_save(const kit *k, const char *folder, const char *name, char *path, char *why, size_t why_size);

/* Looks at every byte: each file against the list in the kit, and the copy against itself. `list` becomes that list. */
int kit_check(const char *path, json_t **list, char *why, size_t why_size);
/* The same; the copy in it becomes a file of its own, `aside` (KIT_ASIDE bytes), to be deleted by the caller; "" where
 * something is wrong. */
enum { KIT_ASIDE = 40 };
int kit_take_copy(const char *path, char aside[KIT_ASIDE], json_t **list, char *why, size_t why_size);

/* Does this folder lie on the disk that appears at `storage`? */
bool kit_lies_on(const char *folder, const char *storage);

#endif

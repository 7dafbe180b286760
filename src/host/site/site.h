/* The site: a folder with the devices of one plant, their copies, records and notes. docs/site.md tells the format.
 *
 * Everything in it is a plain file that is only ever added, under a name that no other file takes (it carries a digest
 * of the content): so two copies of a site are brought together by putting their files into one folder, by hand or by
 * git. Two programs may work in one site at once. */
#ifndef BIL_HOST_SITE_SITE_H
#define BIL_HOST_SITE_SITE_H

#include <jansson.h>

#include "host/copy/set_file.h"

enum { SITE_NAME = 200, SITE_FOLDER = 96, NOTE_ID = 64, NOTE_SHORT = 12, NOTE_MOST = 65536 };

typedef struct site {
    char path[STORAGE_PATH]; /* whole */
    char name[SITE_NAME];
    char id[17]; /* from what its first file says: the same in all its places */
} site;

/* The site at `given`, or the one that the current folder lies in. BIL_E_NO_SITE, BIL_E_SITE_FILE. */
int site_find(site *s, const char *given, char *why, size_t why_size);
/* The site that this folder lies in. */
int site_around(site *s, const char *folder, char *why, size_t why_size);
int site_make(site *s, const char *path, const char *name, const char *who, char *why, size_t why_size);

/* Is this a name for a device: printable UTF-8, not empty, at most SITE_NAME - 1 bytes, no slash or #? */
bool site_name_is_good(const char *name);
/* The folder of a device in the site, from its name: letters in lower case, digits, - and _; other names end with a
 * part of their digest. */
void site_folder_of(const char *name, char out[SITE_FOLDER]);

/* "PATH/devices/FOLDER/WHAT", or "PATH/WHAT" when `folder` is empty; false when it is too long. */
bool site_path(const site *s, const char *folder, const char *what, char out[STORAGE_PATH]);
/* The same, and the folders are made when missing. BIL_OK, BIL_E_FILE_WRITE, BIL_E_DISK_FULL. */
int site_path_made(const site *s, const char *folder, const char *what, char out[STORAGE_PATH]);

/* Adds a note of a kind to a device (or, with "" as its folder, to the site), durably. `body` is consumed; format,
 * kind, who and when are put into it. `id` takes NOTE_ID + 1 bytes and may be NULL. The file is called TIME-ID.json. */
int note_add(const site *s, const char *folder, const char *kind, const char *who, json_t *body, char *id);
/* Reads one: NULL when the file can't be read, is no note, or isn't what its name says (then *altered). */
json_t *note_read(const char *path, const char *name, char id[NOTE_ID + 1], bool *altered);

#endif

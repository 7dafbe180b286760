/* Files: opened so that nobody else's links, pipes or sizes get in the way, and written so that they are there whole or
 * not at all, and never replace another.
 *
 * No function here follows a link that lies in a site (a folder with STORAGE_SITE, or below one), nor one that belongs
 * to another user than root and oneself: the files of a site come from elsewhere. */
#ifndef BIL_PORT_STORAGE_H
#define BIL_PORT_STORAGE_H

#include <dirent.h>
#include <stdbool.h>
#include <stdint.h>
#include <stdio.h>

#include "bilancia/host_error.h"

#define STORAGE_PATH 4200
#define STORAGE_COPY_MOST (UINT64_C(4) << 30) /* bytes of a saved copy that is read */
#define STORAGE_SITE "site.json"              /* what makes a folder a site */
#define STORAGE_DIGEST '%'                    /* in a name: stands for what storage_name_digest will put there */

/* Opens a plain file of at most `most` bytes (0: any size) for reading, without waiting for anything. -1 or NULL with
 * errno; storage_why tells it in words, storage_open_error makes a bil_error of it. */
int storage_open(const char *path, uint64_t most);
FILE *storage_read(const char *path, uint64_t most);
/* The whole text, ended by a NUL behind `size` bytes; to be freed. */
char *storage_text(const char *path, size_t most, size_t *size);
/* The same for a folder, and for adding to a file that is there. */
DIR *storage_list(const char *folder);
int storage_append(const char *path);
/* Is there anything under this name that may be reached? */
bool storage_is_there(const char *path);
/* Makes a folder and those above it that are missing, durably. */
int storage_make_folders(const char *path, unsigned mode);
/* Makes one folder, durably; good too when it is there. Removes a file; good too when it isn't. */
int storage_make_folder(const char *path, unsigned mode);
int storage_remove(const char *path);

typedef struct storage_file {
    FILE *file;
    int folder;
    char temporary[300], name[300]; /* within the folder */
} storage_file;

/* Begins a file in a folder, under a temporary name. BIL_E_FILE_WRITE or BIL_E_DISK_FULL. */
int storage_begin(storage_file *storage, const char *folder, const char *name);
/* Puts text in the place of STORAGE_DIGEST in the name: for names that depend on what was written. */
void storage_name_digest(storage_file *storage, const char *text);
/* Makes it durable under its name. When that name is taken, "-2", "-3", ... is put before the ending; `path` (of
 * STORAGE_PATH bytes) tells the whole path. On failure nothing is left behind. */
int storage_commit(storage_file *storage, const char *folder, char *path);
/* Gives it up: nothing is left behind. */
void storage_cancel(storage_file *storage);

/* A new file without a name, for what is too large for memory; gone once it is closed. -1 with errno. */
int storage_nameless(void);

/* Is this the ending of a file's name that has more before it? */
bool storage_ends_with(const char *name, const char *ending);

/* Flushes what was appended and makes it durable. */
int storage_sync(FILE *file);
/* By errno: what the computer lacks (BIL_E_DISK_FULL, BIL_E_DESCRIPTORS, BIL_E_MEMORY), else BIL_E_FILE_WRITE, or
 * BIL_E_FILE_OPEN. */
int storage_error(void);
int storage_open_error(void);
/* An errno in words. */
const char *storage_why(int number);

#endif

/* Files that are there whole or not at all, and never replace another. */
#ifndef BIL_PORT_STORAGE_H
#define BIL_PORT_STORAGE_H

#include <stdbool.h>
#include <stdio.h>

#include "bilancia/host_error.h"

#define STORAGE_PATH 4200
#define STORAGE_DIGEST '%' /* in a name: stands for what storage_name_digest will put there */

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

/* Is this the ending of a file's name that has more before it? */
bool storage_ends_with(const char *name, const char *ending);

/* Flushes what was appended and makes it durable. */
int storage_sync(FILE *file);
/* BIL_E_DISK_FULL or BIL_E_FILE_WRITE, by errno. */
int storage_error(void);

#endif

/* The record of a write: JSON Lines, one event a line, each durable before the job goes on. */
#ifndef BIL_HOST_RECORD_H
#define BIL_HOST_RECORD_H

#include <jansson.h>

#include "run.h"
#include "set_file.h"

typedef struct record {
    FILE *file;
    char path[STORAGE_PATH];
} record;

/* Makes the file with its first line; STORAGE_DIGEST in the name becomes digits of the digest of that line. `first` is
 * consumed. */
int record_begin(record *rec, const char *folder, const char *name, json_t *first);
/* Adds a line; `line` is consumed. */
int record_add(record *rec, json_t *line);
void record_end(record *rec);

/* Looks in a folder for the newest record of this unit. True when it says that the device may still be held; then
 * `found` tells the state in which it was found before, and `path` of STORAGE_PATH bytes which record says so. */
bool record_find_held(const char *folder, const char *model, const char *serial, uint32_t *found, char *path);

#endif

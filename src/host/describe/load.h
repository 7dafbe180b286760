/* Descriptions written by people, in YAML. docs/description.md tells the format. */
#ifndef BIL_HOST_DESCRIBE_LOAD_H
#define BIL_HOST_DESCRIBE_LOAD_H

#include <stdio.h>

#include "bilancia/description.h"
#include "host/base/arena.h"

/* A description in memory of its own. */
typedef struct loaded_description {
    bil_description table;
    arena memory;
} loaded_description;

/* Loads and checks. On failure returns the error and puts "file:line:column: what, why" into `why`. */
int description_load(loaded_description *out, const char *path, char *why, size_t why_size);
/* The same from memory; `path` is for messages. */
int description_load_text(loaded_description *out, const char *path, const char *bytes, size_t size, char *why,
                          size_t why_size);
void description_free(loaded_description *loaded);

/* Writes the table as C source that defines `const bil_description NAME`. */
void description_write_c(const bil_description *description, const char *name, FILE *file);

#endif

/* A saved copy in memory. */
#ifndef BIL_HOST_COPY_LOAD_H
#define BIL_HOST_COPY_LOAD_H

#include "host/copy/set_file.h"
#include "host/describe/catalogue.h"

typedef struct loaded_copy {
    const bil_description *description; /* NULL: none is at hand */
    bil_image image;                    /* where there is one */
    void *memory;
    file_store files; /* of the values that are files */
    set_origin origin;
    bil_set_totals totals;
    char why[700]; /* after an error: what is wrong, and where */
} loaded_copy;

/* Reads the file once. It has to be whole and unaltered, and its description at hand, since that decides what its bits
 * mean; each id, type and limit is checked, or with `as_it_was` only what of a value any device may have had. A fault
 * of the file goes before a wrong value, and that before a description that is missing: BIL_E_UNKNOWN_MODEL, or
 * BIL_E_OTHER_LAYOUT; then origin and totals stand all the same. What was taken is to be given back in any case. */
int copy_load(loaded_copy *out, const char *path, const catalogue *m, bool as_it_was);
void copy_unload(loaded_copy *copy);

/* Only where the bytes of its files stand, of a copy that has to be whole; no description is wanted. */
int copy_files(const char *path, file_store *files, char *why, size_t size);

#endif

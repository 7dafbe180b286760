/* Inside the library: a site, and what its calls share. */
#ifndef BIL_HOST_LIBRARY_SITE_H
#define BIL_HOST_LIBRARY_SITE_H

#include <stdlib.h>

#include "host/base/json.h"
#include "host/library/inside.h"
#include "host/site/overview.h"

/* What a device as the program sees it needs beside its row. */
typedef struct row_texts {
    bil_site_copy last;
    char last_path[STORAGE_PATH], writers[2000];
} row_texts;

struct bil_site {
    part part;
    open_site open;
    /* what the last question gave */
    device_row row;
    bil_site_device device;
    bil_site_copy copy;
    copy_row found;
    row_texts texts;
    char copy_path[STORAGE_PATH];
    overview_row standing;
    bil_site_standing stands;
    char second[SET_TEXT], second_when[40]; /* of the last overview */
    char clash[STORAGE_PATH], signer[SITE_NAME];
};

/* Rows as the program sees them: they point into the row, and into `path` or `texts`. */
bil_site_copy lib_copy_row(const bil_site *s, const copy_row *row, char path[STORAGE_PATH]);
bil_site_device lib_device_row(const bil_site *s, const device_row *row, row_texts *texts);
/* Ends a call of a site; what can't be read of it is an error. */
int lib_site_ended(bil_site *s, int error);
/* What somebody named; the trouble says what it isn't. Rows of devices are to be freed. */
int lib_no_device(bil_site *s, const char *name); /* and what is like it */
int lib_find_device(bil_site *s, const char *name, device_row *row);
int lib_find_copy(bil_site *s, const char *text, device_row *owner, copy_row *row);

/* bil_site_take_in of a file that is a copy. */
int lib_take_in(bil_site *s, const char *name, const char *file, const char *from, const char *text,
                const bil_site_copy **taken);

#endif

/* Inside the library: a site, and what its calls share. */
#ifndef BIL_HOST_LIBRARY_SITE_H
#define BIL_HOST_LIBRARY_SITE_H

#include <stdlib.h>

#include "host/base/json.h"
#include "host/library/inside.h"

struct bil_site {
    part part;
    open_site open;
    /* what the last question gave */
    device_row row;
    bil_site_device device;
    bil_site_copy last, copy;
    copy_row found;
    char last_path[STORAGE_PATH], copy_path[STORAGE_PATH];
};

/* Rows as the program sees them: they point into the row, and into `path`. */
bil_site_copy lib_copy_row(const bil_site *s, const copy_row *row, char path[STORAGE_PATH]);
bil_site_device lib_device_row(const bil_site *s, const device_row *row, bil_site_copy *last, char path[STORAGE_PATH]);
/* Ends a call of a site; what can't be read of it is an error. */
int lib_site_ended(bil_site *s, int error);
/* What somebody named; the trouble says what it isn't. Rows of devices are to be freed. */
int lib_find_device(bil_site *s, const char *name, device_row *row);
int lib_find_copy(bil_site *s, const char *text, device_row *owner, copy_row *row);

#endif

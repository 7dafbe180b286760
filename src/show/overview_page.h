/* The overview of a site as a page. */
#ifndef BIL_SHOW_OVERVIEW_PAGE_H
#define BIL_SHOW_OVERVIEW_PAGE_H

#include "bilancia/site.h"

/* Writes one self-contained page: no network, no scripts, the drift of each device over its copies as a picture. An
 * overview that lies at `path` is replaced, anything else stays and a number is put before the ending. `whole` takes
 * 4096 bytes for where it is. BIL_OK, BIL_E_FILE_WRITE, BIL_E_DISK_FULL, or what the site says. */
int overview_page(bil_site *site, const char *path, char *whole);

#endif

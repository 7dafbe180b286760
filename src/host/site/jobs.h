/* The log of a device: every job that wrote to it, or was to, as its records say. */
#ifndef BIL_HOST_SITE_JOBS_H
#define BIL_HOST_SITE_JOBS_H

#include "bilancia/site.h"
#include "host/base/arena.h"
#include "host/site/standing.h"

/* An array, the newest first, in the memory of the arena; `count` of them. NULL where there are none. */
bil_site_job *jobs_of(site_index *x, const device_row *row, const ledger *known, arena *memory, size_t *count);

#endif

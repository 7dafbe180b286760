/* What commands share that work on the rooms of the library's host directly. */
#ifndef BIL_CLI_ROOMS_H
#define BIL_CLI_ROOMS_H

#include "cli/cli.h"
#include "host/base/folders.h"
#include "host/base/person.h"
#include "host/base/trouble.h"
#include "host/look/side.h"
#include "host/run/device.h"

int say_trouble(const trouble *t);

/* The built-in descriptions and, when `file` isn't NULL, one more that is tried first. BIL_OK or an error that was
 * said. */
int catalogue_open(catalogue *m, const char *file);

/* Connects, finds the description and reads everything, with progress. -1 when that went well and the device is open,
 * else the exit code; then what went wrong has been said and nothing is open. */
int device_read(device *dev, const char *where, const catalogue *m, bil_job_progress *progress);

/* For a runner: the progress line of a read. */
void progress_of_reading(void *ctx, const bil_job *job, const bil_action *action);

#endif

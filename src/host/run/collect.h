/* What a device measured and no copy has, as files of this computer: before a write clears it, or to look at. */
#ifndef BIL_HOST_RUN_COLLECT_H
#define BIL_HOST_RUN_COLLECT_H

#include "host/copy/keep.h"
#include "host/run/device.h"

/* Reads such a file (choice_is_measured) over the connection that is open and saves it beside the copies, under the
 * stem of their names and its id. `twice`: until it came the same two times in a row, since it will be gone from the
 * device (BIL_E_CHANGING). `path` of STORAGE_PATH bytes becomes "" where the device has none of it. */
int collect_file(device *dev, uint16_t index, bool twice, const keep *k, const char *stem, char *path);

#endif

/* What of a device just read doesn't fit its description. */
#ifndef BIL_HOST_LOOK_MISFIT_H
#define BIL_HOST_LOOK_MISFIT_H

#include "bilancia/device.h"

/* The next one, in the order of ids; false behind the last one. */
bool misfit_next(const bil_image *image, bil_misfit *one);

#endif

/* What of a device just read doesn't fit its description. */
#ifndef BIL_HOST_LOOK_MISFIT_H
#define BIL_HOST_LOOK_MISFIT_H

#include "bilancia/device.h"

/* The i-th one, counted from 0, in the order of ids; false behind the last one. */
bool misfit_at(const bil_image *image, unsigned i, bil_misfit *out);

#endif

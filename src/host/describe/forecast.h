/* What a description will do: how many requests its values take, and what of the device it leaves out. */
#ifndef BIL_HOST_DESCRIBE_FORECAST_H
#define BIL_HOST_DESCRIBE_FORECAST_H

#include "bilancia/host.h"

/* BIL_OK, or BIL_E_MEMORY. */
int description_forecast(const bil_description *description, bil_forecast *out);

/* The next row of cells that lie between those of values and that no parameter has; false behind the last one. */
bool description_unused(const bil_description *description, bil_unused *row);

#endif

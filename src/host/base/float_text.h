/* Floats as the shortest text that reads back to the same bits. */
#ifndef BIL_HOST_BASE_FLOAT_TEXT_H
#define BIL_HOST_BASE_FLOAT_TEXT_H

#include "bilancia/value.h"

extern const bil_float_ops host_floats;

#endif

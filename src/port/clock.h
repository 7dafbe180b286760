/* The computer's monotonic clock. */
#ifndef BIL_PORT_CLOCK_H
#define BIL_PORT_CLOCK_H

#include "bilancia/link.h"

bil_clock clock_monotonic(void);

#endif

/* What links share: who has a serial line, and what a connection that failed means. */
#ifndef BIL_PORT_LINE_H
#define BIL_PORT_LINE_H

#include "bilancia/error.h"

/* Two programs on one serial line would take each other's replies, and change its settings under each other's hands:
 * who has the lock has the line. A descriptor to be closed, or -1 with errno: EBUSY, another one has it. */
int line_take(const char *path);

/* The cause for an errno of connecting. What this computer lacks is no fault of the device. */
bil_error line_cause(int number);

#endif

/* The control channel of a simulated unit. */
#ifndef BIL_SIM_CONTROL_H
#define BIL_SIM_CONTROL_H

#include "unit.h"

/* One line of the control channel ("set NAME VALUE", "get NAME", "power-cut", "factory-reset", "counters", "fault ...",
 * "plug-in"); the answer begins with "ok" or "error". */
void sim_control(sim_unit *unit, uint64_t now, const char *line, char *answer, size_t size);

#endif

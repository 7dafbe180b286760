/* The in-process link to a simulated unit, with a virtual clock: nobody waits. */
#ifndef BIL_SIM_LINK_H
#define BIL_SIM_LINK_H

#include "bilancia/port.h"
#include "unit.h"

typedef struct sim_link {
    sim_unit *unit;
    uint64_t now; /* of the virtual clock */
    bool connected;
} sim_link;

bil_link sim_link_open(sim_link *link, sim_unit *unit);
bil_clock sim_link_clock(sim_link *link);

#endif

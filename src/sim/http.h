/* HTTP in process to a simulated unit that has documents, with the virtual clock of a sim_link: nobody waits. */
#ifndef BIL_SIM_HTTP_H
#define BIL_SIM_HTTP_H

#include "bilancia/http.h"
#include "link.h"

/* `link` was opened for the unit: its clock, its unit, and who takes that one's place. */
bil_http_port sim_http_open(sim_link *link);

#endif

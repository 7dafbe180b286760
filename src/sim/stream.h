/* The in-process stream to a simulated unit that is asked in words, with the virtual clock of a sim_link: nobody waits.
 */
#ifndef BIL_SIM_STREAM_H
#define BIL_SIM_STREAM_H

#include "bilancia/stream.h"
#include "console.h"
#include "link.h"

typedef struct sim_stream {
    sim_link *link; /* its clock, its unit, and who takes that one's place; a request is a line that is sent */
    sim_session session;
} sim_stream;

/* Over a line the session goes on, whoever connects; else each connection is one. `link` was opened for the unit. */
bil_stream sim_stream_open(sim_stream *stream, sim_link *link, bool line);

#endif

/* Many simulated units in one program: each on a TCP port of its own, or all on one serial line (a pseudo-terminal).
 * They take their time: a reply over TCP comes after `reply_ms`; on a line every character takes what its speed says.
 */
#ifndef BIL_SIM_CROWD_H
#define BIL_SIM_CROWD_H

#include "channel.h"

enum { CROWD_UNITS = 2000 };

typedef struct crowd {
    sim_unit **units;
    size_t count;
    unsigned reply_ms;   /* until a reply begins */
    const char *control; /* each has a control channel at this path with "-" and its number from 1 on; NULL: none has */
    sim_channel *channels;
    /* over TCP */
    int *listeners;
    int first_port; /* of consecutive ports; 0: free ones */
    int *ports;     /* out */
    /* on a line: units 1 to count */
    bool line;
    unsigned speed;   /* bits a second; a character has 11 */
    char path[64];    /* out: the other end */
    uint64_t line_us; /* out: what characters and pauses took by the clock of the line */
} crowd;

/* Opens ports or line. False with the reason in `why`. */
bool crowd_open(crowd *c, char *why, size_t why_size);
/* Serves until `stop` becomes true. */
void crowd_run(crowd *c, const volatile int *stop);
void crowd_close(crowd *c);

#endif

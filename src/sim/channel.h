/* The control channel of a simulated unit, for those who stand before it: a socket of the file system on which one line
 * goes in and one comes out (control.h). Beside what the unit itself understands there are "remember", and "recall" for
 * the unit as it was then: something is tried out, and tried out once more. */
#ifndef BIL_SIM_CHANNEL_H
#define BIL_SIM_CHANNEL_H

#include "unit.h"

typedef struct sim_channel {
    int fd; /* that listens; -1: closed */
    char path[108];
    sim_unit *unit, *remembered;
} sim_channel;

/* Only this user may say anything there. False: errno says why. */
bool sim_channel_open(sim_channel *channel, sim_unit *unit, const char *path);
void sim_channel_close(sim_channel *channel);
/* Somebody has come: hears one line, and answers. `first`, unless NULL, is asked before: true where the line was for
 * it. */
void sim_channel_serve(sim_channel *channel, uint64_t now,
                       bool (*first)(void *ctx, const char *line, char *answer, size_t size), void *ctx);

/* One line to a control channel and its answer. BIL_OK, BIL_E_CONTROL. */
int sim_control_call(const char *path, const char *line, char *answer, size_t size);

#endif

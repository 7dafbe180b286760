/* A simulated unit on a real protocol: Modbus TCP on 127.0.0.1, served by libmodbus, with a control channel beside it.
 */
#ifndef BIL_SIM_SERVER_H
#define BIL_SIM_SERVER_H

#include "unit.h"

enum { SERVER_CLIENTS = 16 };

typedef struct sim_server {
    sim_unit *unit;
    void *modbus;                /* modbus_t */
    int listener, control;       /* -1: closed */
    int clients[SERVER_CLIENTS]; /* -1: free */
    int port;
    char control_path[108];
    uint64_t started, base; /* real and simulated time where the present time factor began */
    unsigned factor;
    bool silent, quit;
    sim_unit *remembered; /* as it was when that was said; NULL before */
} sim_server;

/* `port` 0 takes a free one; `control_path` may be NULL. BIL_OK or an error with the reason in `why`. */
int sim_server_open(sim_server *server, sim_unit *unit, int port, const char *control_path, unsigned factor, char *why,
                    size_t why_size);
/* Serves until the control channel says quit, or `stop` becomes true (looked at ten times a second). */
void sim_server_run(sim_server *server, const volatile int *stop);
void sim_server_close(sim_server *server);

/* One line to a control channel and its answer. BIL_OK, BIL_E_CONTROL. */
int sim_control_call(const char *path, const char *line, char *answer, size_t size);

#endif

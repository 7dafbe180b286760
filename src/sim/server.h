/* A simulated unit on a real protocol, with a control channel beside it: Modbus TCP on 127.0.0.1, served by libmodbus,
 * or, of one that is asked in words, its console on such a port or on a serial line, or its documents by HTTP. */
#ifndef BIL_SIM_SERVER_H
#define BIL_SIM_SERVER_H

#include "channel.h"
#include "console.h"
#include "web_server.h"

enum { SERVER_CLIENTS = 16 };

typedef struct sim_server {
    sim_unit *unit;
    void *modbus; /* modbus_t */
    int listener; /* -1: closed */
    sim_channel control;
    int clients[SERVER_CLIENTS];           /* -1: free */
    sim_session *sessions[SERVER_CLIENTS]; /* of one that is asked in words */
    web_server web;                        /* of one that has documents */
    int line;                              /* the far end of a serial line, whose client is the first one; -1: none */
    char path[64];                         /* of the line */
    int port;
    uint64_t started, base; /* real and simulated time where the present time factor began */
    unsigned factor;
    bool silent, quit;
} sim_server;

/* `port` 0 takes a free one; `control_path` may be NULL. BIL_OK or an error with the reason in `why`. */
int sim_server_open(sim_server *server, sim_unit *unit, int port, const char *control_path, unsigned factor, char *why,
                    size_t why_size);
/* The same, on a serial line that is made for it (server->path): for one that is asked in words. */
int sim_server_open_line(sim_server *server, sim_unit *unit, const char *control_path, unsigned factor, char *why,
                         size_t why_size);
/* Serves until the control channel says quit, or `stop` becomes true (looked at ten times a second). */
void sim_server_run(sim_server *server, const volatile int *stop);
void sim_server_close(sim_server *server);

#endif

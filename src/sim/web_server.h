/* A simulated unit that has documents on HTTP, served by libmicrohttpd on 127.0.0.1. */
#ifndef BIL_SIM_WEB_SERVER_H
#define BIL_SIM_WEB_SERVER_H

#include "unit.h"

typedef struct web_server {
    void *daemon; /* MHD_Daemon; NULL: nothing listens */
    sim_unit *unit;
    int port; /* 0: a free one is taken, and kept from then on */
    uint64_t (*now)(const void *ctx);
    void (*wait)(const void *ctx, uint32_t ms); /* of its time */
    const void *ctx;
    bool silent;
} web_server;

/* Listens. False: errno says why. */
bool web_server_listen(web_server *server);
/* A descriptor that can be read when there is something to do; -1: it doesn't listen. */
int web_server_fd(const web_server *server);
void web_server_serve(web_server *server);
void web_server_stop(web_server *server);

#endif

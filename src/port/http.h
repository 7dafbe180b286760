/* HTTP of this computer, by libcurl, which is looked for when the first connection is made: who speaks to a device
 * another way doesn't load it and all that it needs. */
#ifndef BIL_PORT_HTTP_H
#define BIL_PORT_HTTP_H

#include "bilancia/http.h"

enum { HTTP_KEY = 64 }; /* hexadecimal digits of the SHA-256 of a public key, RFC 7469 */

typedef struct http_port {
    char host[256], port[6];
    bool tls;
    char key[HTTP_KEY +
             1]; /* whoever has this key is meant, and nobody else; "": who the computer's authorities vouch for */
    uint32_t connect_ms;
    int connect_errno;         /* why the last connection failed, 0 when it didn't */
    char shown[HTTP_KEY + 20]; /* key of who answered and wasn't trusted, or where it sends to; "" */
    struct http_calls *calls;  /* of libcurl, while something is connected */
    void *easy;                /* CURL; NULL: nothing is connected */
    bool may_open;             /* the next request may open a connection: there is none, and none was lost */
    bool closes;               /* the reply said that this was its last one on this connection */
} http_port;

/* Nothing is connected yet. Ended by its `close`. */
void http_port_open(http_port *port, const char *host, const char *port_number, bool tls, const char *key,
                    bil_http_port *out);

#endif

/* Modbus TCP by libmodbus (Modbus Application Protocol 1.1b3, Messaging on TCP/IP 1.0b). */
#ifndef BIL_PORT_MODBUS_H
#define BIL_PORT_MODBUS_H

#include <stdbool.h>

#include "bilancia/port.h"

typedef struct modbus_link {
    void *context; /* modbus_t */
    bool connected;
} modbus_link;

/* False when host or port make no sense to the library, or memory is short. Close it with link.ops->close, then
 * modbus_link_free. */
bool modbus_link_open(modbus_link *link, const char *host, const char *port, int unit, bil_link *out);
/* How long a reply may take; a connection too. */
void modbus_link_reply_ms(modbus_link *link, uint32_t ms);
void modbus_link_free(modbus_link *link);

#endif

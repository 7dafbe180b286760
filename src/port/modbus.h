/* Modbus TCP and RTU by libmodbus (Modbus Application Protocol 1.1b3, Messaging on TCP/IP 1.0b, Serial Line 1.02).
 *
 * Every reply is looked at whole: transaction number, unit, function, length, echo of address and count, checksum. What
 * doesn't fit the question is never taken for its answer. */
#ifndef BIL_PORT_MODBUS_H
#define BIL_PORT_MODBUS_H

#include <stdbool.h>

#include "bilancia/cells.h"

typedef struct modbus_link {
    void *context; /* modbus_t */
    bool connected, serial;
    uint8_t unit, usual; /* spoken to now, and the one of the address */
    uint32_t reply_ms;   /* at most, for a whole reply */
    uint64_t replied;    /* when the last one came, by the clock of this computer in milliseconds; 0: none did */
    int connect_errno;   /* why the last connection failed, 0 when it didn't */
    uint16_t transaction;
    char path[256]; /* of a serial line */
    int lock;       /* held as long as the line is open; 0: none */
    bil_cell_link over;
    int silence_us; /* of a serial line between two frames */
} modbus_link;

/* False when host or port make no sense to the library, or memory is short. Close it with link.ops->close, then
 * modbus_link_free. */
bool modbus_link_open(modbus_link *link, const char *host, const char *port, int unit, bil_link *out);
/* The same on a serial line; parity is 'N', 'E' or 'O', data bits are 8, stop bits 1 or 2. */
bool modbus_link_open_serial(modbus_link *link, const char *path, int speed, char parity, int stop_bits, int unit,
                             bil_link *out);
/* How long a whole reply may take, however it comes in; a connection too. */
void modbus_link_reply_ms(modbus_link *link, uint32_t ms);
void modbus_link_free(modbus_link *link);

#endif

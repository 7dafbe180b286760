/* The serial ports of this computer, by libserialport. */
#ifndef BIL_PORT_PORTS_H
#define BIL_PORT_PORTS_H

#include <stddef.h>

typedef struct serial_port {
    char path[256], what[256]; /* what the adapter calls itself, or "" */
} serial_port;

/* Fills in at most `room` ports and returns how many there are; 0 also when they can't be listed. */
size_t ports_list(serial_port *list, size_t room);

#endif

/* What addresses of several kinds have in common: a host with its port, a serial port with its settings. */
#ifndef BIL_HOST_RUN_PLACE_H
#define BIL_HOST_RUN_PLACE_H

#include <stdbool.h>
#include <stddef.h>

#include "host/run/address.h"

int place_refuse(char *why, size_t size, const char *reason);
bool place_number(const char *text, size_t length, long low, long high, long *number);

/* "host", "host:port", "[IPv6]:port"; `rest` is what follows. `usual` is the port where none is given, NULL: there has
 * to be one. */
int place_host(const char *text, const char *usual, address *out, const char **rest, char *why, size_t size);
void place_host_text(const address *where, const char *usual, char *out, size_t size);

/* "/dev/NAME?key=value&...": speed, parity, stop and, where units have numbers, unit. */
typedef struct serial_usual {
    int speed;
    char parity;
    bool numbered;
} serial_usual;
int place_serial(const char *text, const serial_usual *usual, address *out, char *why, size_t size);
void place_serial_text(const address *where, const serial_usual *usual, char *out, size_t size);

#endif

/* Device addresses: modbus+tcp://host[:port]/unit, modbus+rtu:/dev/NAME?unit=N[&speed=N][&parity=P][&stop=N],
 * console+tcp://host:port, console+serial:/dev/NAME[?speed=N][&parity=P][&stop=N], http://host[:port],
 * https://host[:port][/?key=DIGITS]. What has no scheme is a file. */
#ifndef BIL_HOST_RUN_ADDRESS_H
#define BIL_HOST_RUN_ADDRESS_H

#include <stdbool.h>
#include <stddef.h>

enum { ADDRESS_TEXT = 400 };

typedef struct address {
    const struct link_kind *kind; /* links.h */
    bool serial;
    char host[256], port[6]; /* of a network address */
    char path[256];          /* of a serial line */
    int speed, stop_bits;    /* what is usual stands in place.h and with each kind of link */
    char parity;             /* 'N', 'E', 'O' */
    int unit;                /* 0 to 247 */
    char key[65];            /* of who is meant, over TLS; "": whoever is vouched for */
} address;

/* Does this text have a scheme (so that it is meant as a device)? */
bool address_is_device(const char *text);
/* BIL_OK, or BIL_E_ADDRESS with the reason in `why`. User data is refused. */
int address_parse(const char *text, address *out, char *why, size_t why_size);
/* The address as text; what is usual is left out. */
void address_text(const address *where, char out[ADDRESS_TEXT]);
/* Where an address leads, whatever way it is written: host names in small letters, numeric ones in one form, the own
 * computer as its number, a serial port by the device behind its names. False when it is no address. Asks no network.
 */
bool address_place(const char *text, char out[ADDRESS_TEXT]);
/* What links share: the serial port, or host and port. Two addresses with the same line take turns. */
void address_line(const address *where, char out[ADDRESS_TEXT]);

#endif

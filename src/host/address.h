/* Device addresses: modbus+tcp://host[:port]/unit. What has no scheme is a file. */
#ifndef BIL_HOST_ADDRESS_H
#define BIL_HOST_ADDRESS_H

#include <stdbool.h>
#include <stddef.h>

typedef struct address {
    char host[256];
    char port[6];
    int unit;
} address;

/* Does this text have a scheme (so that it is meant as a device)? */
bool address_is_device(const char *text);
/* BIL_OK, or BIL_E_ADDRESS with the reason in `why`. User data is refused. */
int address_parse(const char *text, address *out, char *why, size_t why_size);

#endif

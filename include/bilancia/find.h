/* bilancia/find.h - who is out there: many addresses, lines beside each other, units of one line in turn.
 *
 * Each address gets one harmless read, and who answers is asked who it is. Nothing is written.
 *
 * Thread rules: as host.h; `each` is called by threads of the library. */
#ifndef BILANCIA_FIND_H
#define BILANCIA_FIND_H

#include "bilancia/host.h"

#ifdef __cplusplus
extern "C" {
#endif

/* What was found at an address. */
typedef enum bil_find_end {
    BIL_FOUND_DEVICE,  /* a device that a description knows */
    BIL_FOUND_UNKNOWN, /* something speaks the protocol; no description knows it */
    BIL_FOUND_REFUSED, /* it answers, and refuses */
    BIL_FOUND_SILENT,  /* the line is there; nobody answers */
    BIL_FOUND_ABSENT   /* not even the line */
} bil_find_end;

/* One address that was asked. Texts are good during the call that gives it. */
typedef struct bil_found {
    const char *address;
    bil_find_end end;
    int error;                                                        /* what the line said */
    const char *vendor, *model, *hardware, *firmware, *serial, *name; /* of a device; else "" */
    size_t index;     /* among the addresses, counted from 0: as bil_find_addresses tells them */
    int system_error; /* errno of the try to connect, where that failed; else 0 */
    const char
        *says; /* what a device that wants a login first says of itself before that, where it wasn't let in; "" */
} bil_found;

/* How a search is made and watched. */
typedef struct bil_find_wish {
    size_t struct_size;
    unsigned at_once; /* lines beside each other; 0: as many as is sensible */
    /* After each address, in the order in which they are done; what it gives is good during the call. */
    void (*each)(void *ctx, const bil_found *found, size_t finished, size_t count);
    void *ctx;
} bil_find_wish;

/* Looks at these addresses; a-b stands for a range in the last part of an IPv4 address, in the port and in the number
 * of the unit. "new" stands for where the descriptions at hand say that new or reset units are found (so does a `count`
 * of 0), "site" for the devices in service of the host's site. BIL_E_ADDRESS (or more than 65,536 addresses),
 * BIL_E_NO_SITE. */
int bil_find(bil_host *host, const char *const *addresses, size_t count, const bil_find_wish *wish);

/* The most seconds that bil_find can take for these; or minus an error. */
double bil_find_bound(bil_host *host, const char *const *addresses, size_t count, unsigned at_once);

/* Each address that these stand for, once. */
int bil_find_addresses(bil_host *host, const char *const *addresses, size_t count,
                       void (*each)(void *ctx, const char *address), void *ctx);

/* Each serial port of this computer: its path; what its adapter calls itself, or ""; and whether this program may use
 * it. */
int bil_find_ports(bil_host *host, void (*each)(void *ctx, const char *path, const char *what, bool allowed),
                   void *ctx);

#ifdef __cplusplus
}
#endif

#endif

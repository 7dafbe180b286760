/* Looking for devices: many addresses, lines beside each other, units of one line in turn. */
#ifndef BIL_HOST_RUN_FIND_H
#define BIL_HOST_RUN_FIND_H

#include "host/run/device.h"

enum { FIND_MOST = 65536 };

typedef enum find_end {
    FIND_DEVICE,  /* a device that a description knows */
    FIND_UNKNOWN, /* something speaks the protocol; no description knows it */
    FIND_REFUSED, /* it answers, and refuses */
    FIND_SILENT,  /* the line is there; nobody answers */
    FIND_ABSENT   /* not even the line */
} find_end;

typedef struct find_hit {
    char address[ADDRESS_TEXT];
    find_end end;
    int error, connect_errno;
    char vendor[100], model[100], hardware[40], firmware[60], serial[100], name[200];
    char says[LOGIN_SAYS]; /* of itself, before a login, where it wasn't let in */
    char line[ADDRESS_TEXT];
} find_hit;

/* Expands ranges (a-b in the last part of an IPv4 address, in the port, in the unit number) and adds what results to
 * the list, which is realloc'ed. BIL_E_ADDRESS with the reason in `why`. */
int find_expand(const char *text, find_hit **list, size_t *count, char *why, size_t why_size);

/* The same for all places where the descriptions say that a new or reset unit is found; one that tells no port is
 * looked for at every serial port of this computer. */
int find_new(const catalogue *known, find_hit **list, size_t *count, char *why, size_t why_size);

/* Leaves each address in the list once, where it stands first. */
void find_drop_doubles(find_hit *list, size_t *count);

/* The most seconds that find_run can take. */
double find_bound(const find_hit *list, size_t count, const catalogue *known, unsigned at_once);

/* Asks them all; `done` is called after each, one call at a time. Of what `from` gives only what is at hand. */
void find_run(find_hit *list, size_t count, const catalogue *known, const secret_source *from, unsigned at_once,
              void (*done)(void *ctx, const find_hit *hit, size_t finished, size_t count), void *ctx);

#endif

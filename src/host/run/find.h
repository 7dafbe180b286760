/* Looking for devices: many addresses, lines beside each other, units of one line in turn. */
#ifndef BIL_HOST_RUN_FIND_H
#define BIL_HOST_RUN_FIND_H

#include "host/run/device.h"

enum { FINDER_MOST = 65536 };

typedef enum finder_end {
    FINDER_DEVICE,  /* a device that a description knows */
    FINDER_UNKNOWN, /* something speaks the protocol; no description knows it */
    FINDER_REFUSED, /* it answers, and refuses */
    FINDER_SILENT,  /* the line is there; nobody answers */
    FINDER_ABSENT   /* not even the line */
} finder_end;

typedef struct finder_hit {
    char address[ADDRESS_TEXT];
    finder_end end;
    int error, connect_errno;
    char vendor[100], model[100], hardware[40], firmware[60], serial[100], name[200];
    char line[ADDRESS_TEXT];
} finder_hit;

/* Expands ranges (a-b in the last part of an IPv4 address, in the port, in the unit number) and adds what results to
 * the list, which is realloc'ed. BIL_E_ADDRESS with the reason in `why`. */
int finder_expand(const char *text, finder_hit **list, size_t *count, char *why, size_t why_size);

/* The same for all places where the descriptions say that a new or reset unit is found; one that tells no port is looked
 * for at every serial port of this computer. */
int finder_new(const models *known, finder_hit **list, size_t *count, char *why, size_t why_size);

/* Leaves each address in the list once, where it stands first. */
void finder_drop_doubles(finder_hit *list, size_t *count);

/* The most seconds that finder_run can take. */
double finder_bound(const finder_hit *list, size_t count, const models *known, unsigned at_once);

/* Asks them all; `done` is called after each, one call at a time. */
void finder_run(finder_hit *list, size_t count, const models *known, unsigned at_once,
                void (*done)(void *ctx, const finder_hit *hit, size_t finished, size_t count), void *ctx);

#endif

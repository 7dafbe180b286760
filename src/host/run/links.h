/* Which scheme of an address is which kind of link: one row each in links.c. Whoever opens, scans, explains or writes
 * asks here, so that a new kind is a row and a file of its own. */
#ifndef BIL_HOST_RUN_LINKS_H
#define BIL_HOST_RUN_LINKS_H

#include "bilancia/link.h"
#include "host/run/address.h"

/* How devices are asked; each description is for one way. */
typedef enum link_way { LINK_CELLS, LINK_CONSOLE, LINK_HTTP } link_way;
link_way link_way_of(const bil_description *d);

typedef struct link_kind {
    const char *scheme; /* with what ends it: "modbus+tcp://" */
    link_way way;
    bool proves; /* who answers, before a word is said */
    bool serial; /* a line at a port of this computer, rather than a network: what its failures mean */
    /* A range a-b may stand for a number behind this text, between these characters: "find_expand" */
    const char *range_from, *range_after, *range_before;
    /* What follows the scheme, to an address and back; the address was zeroed. BIL_OK, or BIL_E_ADDRESS with the
     * reason. */
    int (*parse)(const char *rest, address *out, char *why, size_t why_size);
    void (*text)(const address *where, char *out, size_t size);
    size_t size; /* of the memory of an open one */
    /* False: the address makes no sense to it. Nothing is connected yet. */
    bool (*open)(void *memory, const address *where, bil_link *link);
    void (*let_in)(void *memory, bil_doorman by);    /* who gives passwords; NULL: none is ever wanted on connecting */
    void (*wait_at_most)(void *memory, uint32_t ms); /* for a whole reply, and for a connection */
    int (*connect_errno)(const void *memory);        /* of the last connection that failed, else 0 */
    void (*end)(void *memory);
    const char *(*reason)(uint32_t code); /* what a device's own reason for a refusal says, for people; NULL: no more */
    /* What came last that made no sense, or who has the session; "" where nothing did. NULL: it never tells. */
    const char *(*heard)(const void *memory);
} link_kind;

/* The kind of this address; NULL where no scheme fits. */
const link_kind *link_kind_of(const char *text);
/* "modbus+tcp:// and modbus+rtu:", for a message. */
const char *link_kinds_text(char *out, size_t size);

/* May a device of this description be at such a link? `kind` NULL: at a link of the caller's own, whichever it is. */
bool link_fits(const link_kind *kind, const bil_description *d);

/* An open link with its memory. */
typedef struct linked {
    const link_kind *kind;
    void *memory;
    bil_link link;
} linked;
/* False when the address makes no sense to its kind. */
/* Reads one parameter, without a job; `raw` has BIL_TEXT_MAX bytes. BIL_DONE: the cause tells whether the value is
 * there, BIL_OK if it is. */
bil_outcome link_read_one(bil_link link, const bil_description *d, uint16_t index, uint8_t *raw, bil_result *result);

bool link_open(linked *l, const address *where);
void link_end(linked *l);
const char *link_heard(const linked *l);

#endif

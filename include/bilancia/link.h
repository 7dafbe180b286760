/* bilancia/link.h - the way to a device: one const table of functions and a context for each.
 *
 * A job speaks of items: parameters and their raw values (value.h). The link knows their form on the wire. It moves one
 * request at a time and tells, in one of five outcomes, what is known about it afterwards. It never repeats a request
 * and never reads meaning into values. For registers, cells.h makes a link of four functions on cells.
 *
 * After a time-out the link must be silent for `late_ms` and drained before the next request, so that a late reply
 * can't answer the next question: the job waits, and has it connect anew.
 *
 * Thread rules: a link belongs to one thread at a time. */
#ifndef BILANCIA_LINK_H
#define BILANCIA_LINK_H

#include "bilancia/description.h"

#ifdef __cplusplus
extern "C" {
#endif

/* A unit number on a line, 0 to 255, each of them a number like any other; 0 of this type is none. */
#define BIL_UNIT(number) ((uint32_t)(number) + 1)
#define BIL_UNIT_NUMBER(unit) ((unit)-1)

/* What became of an action. */
typedef struct bil_result {
    uint32_t number; /* of the action it answers; 0 before the first */
    bil_outcome outcome;
    bil_error cause; /* for a transfer or connect that wasn't done: SILENT, LOST, GARBLED, REFUSED, ... */
    uint32_t code;   /* the device's own reason for a refusal, 0 if it gave none */
    uint32_t more;   /* requests that it took beside the one: cells read before some of their bits were written */
    uint64_t now_ms; /* a clock that never goes back; only differences count */
} bil_result;

/* The bytes of a file on their way, in order, between a link and whoever keeps them. */
typedef struct bil_bytes {
    /* From the first one on; called before any, and again where a request has to begin anew. False: that can't be. */
    bool (*begin)(void *ctx);
    /* Reading: takes the next ones. BIL_OK, or why the request is to end here. */
    bil_error (*take)(void *ctx, const uint8_t *bytes, size_t count);
    /* Writing: puts the next ones there, `most` at most, and tells how many; there are as many in all as the value
     * says. 0: there are none to be had, and the request is to end here. */
    size_t (*give)(void *ctx, uint8_t *bytes, size_t most);
    void *ctx;
} bil_bytes;

/* Some values of one space, in one request. A file (value.h) goes alone; reading one, the link moves its bytes, if the
 * device has such a file, and leaves `raw` to whoever takes them. */
typedef struct bil_transfer {
    const bil_description *description;
    const uint16_t *items; /* indices of parameters, by place */
    uint16_t count;        /* of them, at least one */
    bool write;
    bool value;         /* values of a copy, rather than of identity, states or procedures */
    uint8_t bank, copy; /* 0: the values in force; else 1 + bil_bank_kind, and which of the kept ones */
    uint8_t secret;     /* not 0: whoever performs it puts secret slot `secret`, NUL-padded, into `raw`, and wipes it */
    uint8_t *raw;       /* raw values one behind the other, each of its format's size: to fill, or to send */
    const bil_bytes *bytes; /* of a file; else NULL */
    uint8_t *cause;         /* reading: one for each, BIL_OK or the bil_error why that value isn't there */
} bil_transfer;

/* A new connection. */
typedef struct bil_connect {
    uint64_t until_ms; /* on the clock of the results: keep trying so long */
    const bil_description *description;
    const uint8_t *raw; /* value of the parameter `at`, which tells where it answers from now on; NULL: as at first */
    uint16_t at;
} bil_connect;

/* Who gives the password that a device wants on each connection, before it tells who it is (`login_slot` of the
 * description). `says` is what shows its model before anybody has logged in, as people see it: all by which it can be
 * known again, so that no password goes to somebody else. BIL_OK, with the password in `out`, ended by a NUL, which is
 * wiped as soon as it was said; else why it isn't given, and the connection ends with that: BIL_E_NO_PASSWORD,
 * BIL_E_NOT_TRUSTED. */
typedef struct bil_doorman {
    bil_error (*give)(void *ctx, const char *says, char out[BIL_TEXT_MAX + 1]); /* NULL: nobody does */
    void *ctx;
} bil_doorman;

/* The functions of a link; none of them keeps what it is given. */
typedef struct bil_link_ops {
    /* Opens the link once, and logs in where the device wants that; an open one is closed first. BIL_DONE, or
     * BIL_NOT_SENT with cause and code; BIL_REFUSED, with a cause, where to try again would be of no use: the
     * description is of another kind, or whoever is there isn't known, or doesn't take the password. */
    bil_outcome (*connect)(void *ctx, const bil_connect *to, bil_result *result);
    bil_outcome (*transfer)(void *ctx, const bil_transfer *t, bil_result *result);
    void (*close)(void *ctx);
} bil_link_ops;

/* Those functions with their context. */
typedef struct bil_link {
    const bil_link_ops *ops;
    void *ctx;
} bil_link;

/* A clock that never goes back, and a way to let time pass. */
typedef struct bil_clock_ops {
    uint64_t (*now_ms)(void *ctx);
    void (*sleep_until)(void *ctx, uint64_t ms);
} bil_clock_ops;

/* Those functions with their context. */
typedef struct bil_clock {
    const bil_clock_ops *ops;
    void *ctx;
} bil_clock;

#ifdef __cplusplus
}
#endif

#endif

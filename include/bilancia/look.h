/* bilancia/look.h - devices and copies side by side: what differs, and how.
 *
 * A side is whatever a text names: a file, an address, a device of the site, DEVICE#COPY, what a device keeps elsewhere
 * (#stored, #factory, #kept1 behind its address or name), MODEL#factory, or "factory" alone for the factory values of
 * the other sides' model. Each value is told once, with the item of each side. Nothing is told before every copy among
 * the sides was proved whole, unless it is wished otherwise.
 *
 * Thread rules: as host.h. */
#ifndef BILANCIA_LOOK_H
#define BILANCIA_LOOK_H

#include "bilancia/compare.h"
#include "bilancia/copy.h"

#ifdef __cplusplus
extern "C" {
#endif

#define BIL_LOOK_SIDES 16 /* at most */

/* Sides beside each other; see host.h for handles. */
typedef struct bil_look bil_look;

/* What is looked at, and how. */
typedef struct bil_look_wish {
    size_t struct_size;
    const char *group;   /* the parameters of this group alone; or NULL */
    const char *pattern; /* those alone whose id fits: * and ? stand for anything; or NULL */
    int cls;             /* this class alone: 1 + bil_class; 0: all */
    bool safety;         /* safety-relevant ones alone */
    bool other_model;    /* sides of different models are taken: what goes by the same id is compared */
    bool all;            /* values that are equal on all sides are told, too */
    bool as_far_as;      /* a damaged copy is told as far as it goes, and then the call says that it is damaged */
    /* While a device is read, for a person who waits; true ends it (BIL_E_CANCELLED). May be NULL. */
    bool (*progress)(void *ctx, const bil_job_progress *progress);
    void *ctx;
} bil_look_wish;

/* One value. */
typedef struct bil_finding {
    const char *id, *group;
    const char *name; /* a plain name, from the first side that has it */
    bil_class cls;
    bil_relation relation;                 /* the worst between any of them; for one side EQUAL or UNREADABLE */
    bool differs;                          /* and counts: neither equal, nor tolerated, nor meant to differ */
    bool apart;                            /* differs, and is meant to between two units */
    uint8_t weight;                        /* BIL_SAFETY, BIL_NEEDS_HOLD, BIL_NEEDS_RESTART */
    uint32_t odd;                          /* more than two sides: a bit for each that says what few say */
    const bil_item *items[BIL_LOOK_SIDES]; /* NULL on a side that doesn't have it */
} bil_finding;

/* What was counted so far; all of it once everything was told. */
typedef struct bil_look_counts {
    unsigned relation[BIL_RELATION_COUNT]; /* those meant to differ apart */
    unsigned apart, differing, safety, hold, restart;
} bil_look_counts;

/* Opens the sides; devices are read and let go. `wish` NULL: everything that isn't equal. BIL_E_CALL (no such side, too
 * many), BIL_E_OTHER_MODEL, BIL_E_STORED_HIDDEN, BIL_E_NO_COPY, BIL_E_SET_... (a damaged copy), or as bil_device_open
 * and bil_device_read. On an error *look is NULL. */
int bil_look_open(bil_host *host, const char *const *sides, size_t count, const bil_look_wish *wish, bil_look **look);

/* The same for what is in hand: values of handles, which outlive the look. One side of two is NULL: a sheet. */
int bil_look_at(bil_host *host, const bil_copy *copy, const bil_device *device, const bil_look_wish *wish,
                bil_look **look);

/* NULL does nothing. */
void bil_look_close(bil_look *look);

/* 1 with the next value, in the order of the ids; 0 at the end; or minus an error. What it tells is good until the next
 * call. */
int bil_look_next(bil_look *look, bil_finding *finding);

/* What was counted so far. */
void bil_look_counted(const bil_look *look, bil_look_counts *counts);

/* Of the i-th side: what it is in one word or two ("saved copy", "device now", "stored values", ...), where it comes
 * from, and what it says of its unit. */
const char *bil_look_kind(const bil_look *look, size_t side);
const char *bil_look_place(const bil_look *look, size_t side);
const char *bil_look_says(const bil_look *look, size_t side, bil_identity what);

/* A value of a side as text, with its unit of measure; "(cause)" where it couldn't be read, raw bits where nothing
 * tells what they mean. `text` has `size` bytes. */
void bil_look_text(const bil_look *look, size_t side, const bil_item *item, char *text, size_t size);

/* Of what the wish kept out: the id or group that is most like the one looked for, or "". */
const char *bil_look_nearest(const bil_look *look);

/* Into a copy, whatever the wish lets through of another copy, device or bank, `which`: it becomes what the copy has in
 * memory. How many values were taken, and how many couldn't be (they belong to the unit, or weren't read), come back by
 * pointer. BIL_E_OTHER_MODEL, BIL_E_CALL where nothing fits the wish, or as bil_look_open and bil_copy_take. */
int bil_copy_take_from(bil_copy *copy, const char *which, const bil_look_wish *wish, unsigned *taken, unsigned *stay);

/* How many values of a copy and a device, as last read, differ and count; a device that wasn't read is read. Or minus
 * an error. */
int bil_look_differing(bil_copy *copy, bil_device *device);

#ifdef __cplusplus
}
#endif

#endif

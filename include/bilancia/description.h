/* bilancia/description.h - what one model over named firmware versions has, as a const table.
 *
 * Descriptions are written in YAML by people and turned into these tables by the generator, or loaded at
 * run time by the host. Tables are never written to; all pointers in them outlive every use.
 *
 * Ids match [a-z0-9_]+(\.[a-z0-9_]+)*, at most BIL_ID_MAX bytes; the first part is the group. `params` is
 * sorted by id in byte order, `by_place` by space, there by number, and by bit in one cell, or by key where a space has
 * such; no two share a bit.
 *
 * Thread rules: all functions are pure; tables are const and may be shared. */
#ifndef BILANCIA_DESCRIPTION_H
#define BILANCIA_DESCRIPTION_H

#include "bilancia/value.h"

#ifdef __cplusplus
extern "C" {
#endif

/* Limits of a description, and the mark for "none" among indices. */
#define BIL_TABLE_VERSION 10 /* of the structs below: a table that was made for another one doesn't compile */
#define BIL_ID_MAX 63
#define BIL_NAME_MAX 48 /* bytes of a plain name */
#define BIL_UNIT_MAX 15 /* bytes of a unit of measure */
#define BIL_PARAMS_MAX 20000
#define BIL_TESTS_MAX 20  /* tests of a person, and warnings to be expected, of each */
#define BIL_SECRETS_MAX 4 /* passwords and codes that a device is unlocked with */
#define BIL_LAYOUT_HEX 64 /* characters of a layout digest */
#define BIL_NONE 0xffffu  /* no parameter */

/* X(NAME, "name", "what it is") - which class goes where is in plan.h */
/* clang-format off */
#define BIL_CLASSES(X) \
    X(SETUP, "setup", "the work") \
    X(PLACE, "place", "where the device is: its address, its name") \
    X(CALIBRATION, "calibration", "of the unit, or of the place it stands in") \
    X(UNIT, "unit", "the physical unit: serial number, hours run, counters") \
    X(SECRET, "secret", "passwords and keys") \
    X(LIVE, "live", "measured") \
    X(COMMAND, "command", "orders, which make the device do something")
/* clang-format on */

/* What kind of value a parameter is. */
typedef enum bil_class {
#define BIL_CLASS_ENUM(NAME, name, what) BIL_CLASS_##NAME,
    BIL_CLASSES(BIL_CLASS_ENUM)
#undef BIL_CLASS_ENUM
        BIL_CLASS_COUNT
} bil_class;

/* The name of a class, "?" for a number that is none; and the class of a name. */
const char *bil_class_name(bil_class cls);
int bil_class_from_name(const char *name, size_t length); /* or -1 */
/* live and command are never saved, secrets only sealed: true for the classes that a set lists as left out. */
bool bil_class_left_out(bil_class cls);

/* Parameter flags. */
enum {
    BIL_READABLE = 1,
    BIL_WRITABLE = 2,
    BIL_NEEDS_HOLD = 4,    /* takes values only while held */
    BIL_NEEDS_RESTART = 8, /* acts only after a restart */
    BIL_SAFETY = 16,       /* safety-relevant */
    BIL_OF_PLACE = 32,     /* calibration of the place rather than of the unit */
    BIL_ACCESS = 64,       /* changes who may do what on the device */
    BIL_MODE = 128,        /* some values are only there while this one says so; see bil_only */
};

/* How a value is written where neighbours share a request: together with them; by the function for a single cell or
 * coil (5, 6); by the one that changes only some bits of a cell (22). Those of one cell have the same way. */
typedef enum bil_way { BIL_WAY_TOGETHER, BIL_WAY_SINGLE, BIL_WAY_MASKED } bil_way;

/* Which values of one space may share a request. */
typedef enum bil_sharing {
    BIL_SHARE_NEIGHBOURS, /* side by side, and in reading across gaps that the description allows: registers */
    BIL_SHARE_ANY,        /* any of them: a document, a table that is printed whole */
    BIL_SHARE_NONE        /* one a request: a console, an object dictionary */
} bil_sharing;

/* How values get from their space into a link and back, where a request for cells side by side isn't enough; cells.h
 * has those for registers. The table of a description names what its model needs, and a program has only that. */
struct bil_description;
struct bil_transfer;
struct bil_span;
struct bil_result;
struct bil_cell_link;
typedef struct bil_reach {
    /* Requests that a transfer of these items takes beside the one. NULL: none. */
    uint8_t (*more)(const struct bil_description *description, const uint16_t *items, uint16_t count, bool write);
    /* `span` is what bil_cells_span tells. */
    bil_outcome (*transfer)(struct bil_cell_link *link, const struct bil_transfer *transfer,
                            const struct bil_span *span, struct bil_result *result);
} bil_reach;

/* Where values lie together: holding cells, a document, answers to one question. */
typedef struct bil_space {
    const char *ask, *set;    /* in the words of the link's kind; NULL where it needs none */
    const char *answer;       /* and what the answer to `ask` looks like */
    uint8_t reading, writing; /* bil_sharing */
    bool keys;                /* values are told by names, not by numbers */
    bool whole;               /* a write carries every value of the space that the device has */
    bool bits;                /* a number is one bit; sixteen of them cost as much as a cell */
    uint8_t table;            /* of a device with cells: bil_cell_table (cells.h) */
    int16_t unit;             /* on a line, who answers there: 0 the device itself; n > 0 the unit number n - 1; n < 0
                               * the one that is -n above the number of the device */
    const bil_reach *reach;   /* how values get there, where a request for cells side by side isn't enough */
    const struct bil_mailbox *mailbox; /* what that needs to know; both in cells.h, NULL where there is none */
    uint16_t read_most, write_most; /* in one request: cells, or bits, where neighbours share; else values; at least 1.
                                     * Of files on a console: bytes of a piece (console.h) */
} bil_space;

/* Where a value lies in its space. */
typedef union bil_at {
    uint32_t number; /* the first cell, the number in a mailbox */
    const char *key; /* a name, as the link's kind has it */
} bil_at;

/* Which units of a model have a parameter, and in which mode. What isn't said decides nothing; all that is said has to
 * hold. */
struct bil_image;
typedef struct bil_only {
    /* Has the unit with this identity, while its values are these? bil_only_some_units for the members below but for
     * the last ones, bil_only_in_mode for all. A mode that isn't known decides nothing. */
    bool (*holds)(const struct bil_only *only, const struct bil_image *who, const struct bil_image *values);
    const char *const *hardwares, *const *firmwares; /* one of these */
    uint8_t hardware_count, firmware_count;
    const char *from; /* a firmware from this one on, and below that one: their numbers count, from left to right */
    const char *before;
    uint16_t mode; /* index of a parameter with BIL_MODE, which has one of these values; raw, in the low end */
    uint8_t mode_count;
    const uint32_t *modes;
} bil_only;
bool bil_only_some_units(const bil_only *only, const struct bil_image *who, const struct bil_image *values);
bool bil_only_in_mode(const bil_only *only, const struct bil_image *who, const struct bil_image *values);

/* One named value of a device. */
typedef struct bil_param {
    const char *id, *name, *unit; /* unit: "" where there is none */
    const bil_format *format;     /* may be shared by those that are alike */
    bil_at at;
    uint16_t raw_at; /* where its raw value lies in an image */
    uint8_t space;   /* index in the description's spaces */
    uint8_t cells;   /* of 16 bits, where it lies among such, 1 where a number is one bit; else 0, but for files of
                      * documents, each of which has its own number, from 0 on */
    uint8_t cls;     /* bil_class */
    uint8_t flags;
    uint8_t way;            /* bil_way */
    uint8_t stage;          /* written in rising order, 0 to 9 */
    uint8_t reset_count;    /* parameters that the device resets when this one changes */
    const uint16_t *resets; /* their indices in params */
    const bil_only *only;   /* NULL: every unit has it, always */
} bil_param;

/* Cells that may be read across without harm, both ends included. */
typedef struct bil_range {
    uint16_t first, last;
    uint16_t space;
} bil_range;

/* Reads that tell the model; each is harmless on any device. */
typedef enum bil_identity {
    BIL_ID_VENDOR,
    BIL_ID_MODEL,
    BIL_ID_HARDWARE,
    BIL_ID_FIRMWARE,
    BIL_ID_SERIAL,
    BIL_ID_NAME,
    BIL_ID_COUNT
} bil_identity;

/* What a parameter shows on this model and on no other: a type code, a number of a board. At most BIL_SIGNS_MAX. */
#define BIL_SIGNS_MAX 4
typedef struct bil_sign {
    uint16_t param;
    uint32_t value; /* raw, in the low end */
} bil_sign;

/* Steps of a procedure: a flat list, no expressions, no jumps. */
typedef enum bil_step_kind {
    BIL_STEP_WRITE,     /* put `value` (raw bytes in the low end) into `param` */
    BIL_STEP_SECRET,    /* put secret slot `value` into `param` */
    BIL_STEP_UNTIL,     /* read `param` until (value & mask) == `value`, or it is `raw`, within `within_ms`, every
                         * `every_ms` */
    BIL_STEP_WAIT,      /* `within_ms` */
    BIL_STEP_RECONNECT, /* the link goes away; connect again within `within_ms` */
    BIL_STEP_PERSON     /* a person does what `text` says and confirms, within `within_ms` */
} bil_step_kind;

/* What people are told or asked around a write. */
typedef struct bil_reminder {
    const char *text;
    const char *when; /* ids, or GROUP.* for all that begins so, with commas between: only where one of these is
                       * written. NULL: whenever the machine is stopped for the write */
    const char *file; /* of what is lost: the id of a file, of the class live, that has it and can be collected before;
                       * else NULL */
} bil_reminder;

/* One step of a procedure. */
typedef struct bil_proc_step {
    uint8_t kind;    /* bil_step_kind */
    bool repeatable; /* a write that may be sent again when its fate is unknown */
    uint16_t param;
    uint16_t from; /* a write: puts there what the device has in another parameter, one more than its index; 0: not */
    uint32_t value, mask;
    uint32_t within_ms, every_ms;
    const char *text;
    const uint8_t *raw; /* a value that doesn't fit into `value`, of the parameter's size; NULL: `value` */
} bil_proc_step;

/* X(NAME, "name in descriptions", what it is for) */
/* clang-format off */
#define BIL_PROCEDURES(X) \
    X(UNLOCK_TO_READ, "unlock_to_read", "values can be read; played before each time that they are") \
    X(UNLOCK, "unlock", "values can be written") \
    X(HOLD, "hold", "nothing moves while values change") \
    X(RELEASE, "release", "and it is let go again") \
    X(STORE, "store", "values survive a power cut") \
    X(RESTART, "restart", "and that is seen") \
    X(FACTORY_RESET, "factory_reset", "it is as delivered") \
    X(START, "start", "sets a machine that stands to work; never played but when a person asks for it now") \
    X(BEGIN, "begin", "values of a stage come, which it takes together once it is told that they are all there") \
    X(COMMIT, "commit", "that were all of a stage: from here on they are in force, and are read back") \
    X(LOCK, "lock", "the end of a write or a read: what was unlocked for it is locked") \
    X(ABORT, "abort", "what came since the begin is forgotten; at the end of a write that broke off before its commit")
/* clang-format on */

/* What a procedure is for. */
typedef enum bil_proc_kind {
#define BIL_PROC_ENUM(NAME, name, what) BIL_PROC_##NAME,
    BIL_PROCEDURES(BIL_PROC_ENUM)
#undef BIL_PROC_ENUM
        BIL_PROC_COUNT
} bil_proc_kind;

/* What a model has to be told to unlock, hold, store, ... */
typedef struct bil_procedure {
    uint8_t kind;   /* bil_proc_kind */
    bool for_state; /* a release leads to the state `found`, in which the machine stands; a start, to one at work */
    uint32_t found;
    const char *hardware; /* the variant it is for; NULL: every one that has no list of its own */
    const bil_proc_step *steps;
    uint16_t step_count;
} bil_procedure;

/* Can the values that survive a power cut be read? */
typedef enum bil_stored_values { BIL_STORED_BY_RESTART, BIL_STORED_NOT_READABLE } bil_stored_values;

/* Other places of a device where some values lie once more, those of cells or of a whole space that has names: those of
 * one kind and copy don't overlap, and nothing that belongs to the unit itself lies among them. */
typedef enum bil_bank_kind {
    BIL_BANK_STORED,  /* what survives a power cut */
    BIL_BANK_FACTORY, /* as delivered */
    BIL_BANK_KEPT     /* a copy that the device keeps by itself */
} bil_bank_kind;

/* One such place. */
typedef struct bil_bank {
    uint8_t kind;         /* bil_bank_kind */
    uint8_t copy;         /* of kept ones: their number, from 1 */
    uint16_t space;       /* of the cells and of the place alike; or that has names */
    uint16_t first, last; /* these cells, both ends included; with names 0 */
    uint16_t at;          /* lie here too, the first of them; with names, which space has them once more */
    uint16_t when;        /* index of what tells when a kept copy was made, or BIL_NONE */
} bil_bank;

/* Rules between parameters. */
typedef enum bil_rule_kind {
    BIL_RULE_UNIQUE,  /* no two of them are alike, but for the value `value[0]` when `free` */
    BIL_RULE_ORDER,   /* none is larger than the one after it */
    BIL_RULE_ALLOWED, /* params[0] may be value[0] only when params[1] is value[1] */
    BIL_RULE_REQUIRED /* params[0] has to be value[0] when params[1] is value[1] */
} bil_rule_kind;

/* One rule, with why it is there. */
typedef struct bil_rule {
    uint8_t kind; /* bil_rule_kind */
    bool free;
    uint16_t count; /* of params, at least two */
    const uint16_t *params;
    uint32_t value[2]; /* raw values, in the low end */
    const char *why;   /* for people: what goes wrong otherwise */
} bil_rule;

/* What a link to this model has to know: times in milliseconds. */
typedef struct bil_link_limits {
    uint16_t reply_ms;            /* a reply usually comes within this */
    uint16_t late_ms;             /* and never later than this: a link is silent so long after a time-out */
    uint16_t busy_ms, busy_tries; /* when busy: ask again after this, so often */
    uint16_t pause_ms;            /* the line is silent so long after each reply, before the next request */
    uint16_t write_pause_ms;      /* and so long after that to a write: lasting memory takes its time */
    uint16_t request_cost,
        cell_cost; /* of a request and of a cell or value in it, in units of one's own; 1 and 0 count requests */
} bil_link_limits;

/* All of it. Members that hold indices have BIL_NONE where there is none. */
typedef struct bil_description {
    uint8_t firmware_count, hardware_count;
    uint8_t stored_values; /* bil_stored_values */
    uint8_t sign_count, unit_same_count, unit_grows_count, no_serial_count;
    uint8_t secret_count;
    uint8_t login_slot; /* of those: what it is told on each connection, before it tells who it is; 0: nothing */
    uint8_t expect_count, by_hand_count, test_count, loses_count;
    uint8_t bank_count;
    bool restart_keeps_hold;
    bool store_needs_hold;      /* it takes the order to store only while held */
    bool writes_last;           /* a value that is written survives a power cut at once: there is no trial */
    bool unlock_ends_with_link; /* it locks itself with each connection */
    bool restart_ends_hold;     /* a hold that is gone was ended by a restart, and by nothing else */
    bool works_when_on;         /* a restart sets the machine to work by itself */
    uint16_t revision;
    uint16_t count;       /* of params and by_place */
    uint16_t space_count; /* at most 255 */
    uint16_t across_count, procedure_count, rule_count;
    uint16_t identity[BIL_ID_COUNT]; /* index of the text or number that tells it, or BIL_NONE */
    /* what only a restart does: a counter of starts, a time since the last one (indices, or BIL_NONE) */
    uint16_t starts, uptime;
    uint16_t state;         /* index of the parameter that tells the state of operation, or BIL_NONE */
    uint16_t restart_after; /* 1 << stage for each after which the device restarts before the next one */
    uint16_t link_unit;     /* index of its unit number on the line, or BIL_NONE */
    uint16_t changes;       /* index of a counter that moves whenever a setting changes, or BIL_NONE */
    uint16_t unstored;      /* index of what tells that values in force aren't stored yet, or BIL_NONE */
    bil_link_limits link;
    uint32_t restart_absent_ms; /* after an order to restart that was acknowledged, an absence of at least so long tells
                                 * that it did; 0: that tells nothing */
    uint32_t unlock_lasts_ms;   /* it locks itself so long after it was unlocked; 0: never */
    uint32_t state_held;        /* the value of `state` while held */
    uint32_t state_idle;        /* 1 << value for each in which the machine stands by itself; values below 32 */
    uint32_t unstored_value;    /* the value of `unstored` while some aren't */
    uint32_t raw_size;          /* bytes of all raw values */
    const bil_param *params;
    const uint16_t *by_place;
    const bil_space *spaces;
    const bil_procedure *procedures;
    const bil_range *across;
    const bil_bank *banks;
    const bil_rule *rules;
    const char *vendor, *model;
    const char *layout;           /* SHA-256 of the layout, BIL_LAYOUT_HEX lower case hex digits */
    const char *const *firmwares; /* may be written with this description; others may be read */
    const char *const *hardwares;
    const bil_sign *signs; /* where the model isn't told by its name: all of these together; the first one is the
                            * identity, too */
    /* what tells the unit, beside its serial number: what stays the same for good (a hardware address), and what only
     * grows; indices of readable parameters of the class unit, at most 4 each */
    const uint16_t *unit_same, *unit_grows;
    const char *const *no_serial; /* what stands there where no serial number was ever given */
    /* what is put in by BIL_STEP_SECRET: slots 1 to secret_count, at most BIL_SECRETS_MAX, by the names under which a
     * person is asked for them */
    const char *const *secrets;
    const uint16_t *secrets_kept; /* for each the index of the setting that changes it, or BIL_NONE; NULL: none does */
    const char *factory_address;  /* where a new or reset unit is found, or NULL; see docs/description.md */
    /* for people, around a write: warnings that the device may show meanwhile, what is to be done by hand afterwards,
     * what is to be tried before the machine goes back to work, and what the device loses that is in no copy */
    const bil_reminder *expect, *by_hand, *tests, *loses;
    const uint8_t *factory;       /* values as delivered, as raw values of an image; NULL: none is known */
    const uint8_t *factory_known; /* 1 for each parameter that has one, else 0 */
    /* values lie in cells, unless one of these says otherwise: how it speaks (console.h), how it answers (http.h) */
    const struct bil_console *console;
    const struct bil_http *http;
} bil_description;

/* For tables made by hand; those of the generator and of the loader are sound. Looks at every member that something in
 * this library relies on: order, indices, sizes, limits of requests, texts. BIL_OK, or BIL_E_TABLE; `where`, unless
 * NULL, becomes the index of the parameter that it is about, or BIL_NONE. A job looks only at what its own memory
 * depends on; so call this once in a test of the table, which then needn't be linked into firmware. */
int bil_description_check(const bil_description *description, uint16_t *where);

/* Index of the parameter with this id, or -1. O(log n). */
int32_t bil_description_find(const bil_description *description, const char *id, size_t length);

/* The procedure for this hardware and, for a release, the state found; NULL where the model has none. */
const bil_procedure *bil_description_procedure(const bil_description *description, bil_proc_kind kind,
                                               const char *hardware, uint32_t found);

/* Is this firmware or hardware named? */
bool bil_description_names_firmware(const bil_description *description, const char *firmware);
bool bil_description_names_hardware(const bil_description *description, const char *hardware);

/* Is this parameter read to tell who answers? Its identity and signs, and what else tells the unit. */
bool bil_description_tells_who(const bil_description *description, uint16_t index);

/* The place where the value of a parameter lies in a bank (1 + bil_bank_kind, and which of the kept ones); NULL where
 * it has none there, and for bank 0. */
const bil_bank *bil_description_bank(const bil_description *description, const bil_param *param, uint8_t bank,
                                     uint8_t copy);

/* May all cells from first to last be read across? Ranges that touch count as one, and so do the cells of values that
 * every read asks for. */
bool bil_description_across(const bil_description *description, uint16_t space, uint32_t first, uint32_t last);

#ifdef __cplusplus
}
#endif

#endif

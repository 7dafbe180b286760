/* A simulated unit at the level of the protocol's requests, driven by a given time in milliseconds.
 *
 * It has a cell map of its own, written from the device's side and independent of any description: only so can a test
 * find a description wrong. Values in force (running) live apart from those that survive a power cut (stored). */
#ifndef BIL_SIM_UNIT_H
#define BIL_SIM_UNIT_H

#include <stdbool.h>
#include <stddef.h>
#include <stdint.h>

/* Spaces: holding cells, input cells, coils, discrete inputs; of the last two a cell is one bit. Objects of the
 * identification are texts, each from SIM_OBJECT times its number on. Files in records are entries of the kind "b", in
 * an order that the model tells. What lies behind a door of the model has spaces of its own, from SIM_DOORS on. */
enum {
    SIM_CELLS = 4096,
    SIM_SPACES = 9,
    SIM_PAGE = 256,
    SIM_BITS = 2000,
    SIM_OBJECT = 80,
    SIM_GATHERED = 256,
    SIM_VALUE = 32
};
enum { SIM_HOLDING, SIM_INPUT, SIM_COILS, SIM_DISCRETE, SIM_OBJECTS, SIM_RECORDS, SIM_DOORS, SIM_NOWHERE = 255 };

/* How a request ends; the numbers are the exception codes of the Modbus Application Protocol 1.1b3, chapter 7. */
typedef enum sim_reply {
    SIM_OK = 0,
    SIM_BAD_FUNCTION = 1,
    SIM_BAD_ADDRESS = 2,
    SIM_BAD_VALUE = 3,
    SIM_NOT_NOW = 4,
    SIM_AT_WORK = 5, /* taken, and done a little later */
    SIM_BUSY = 6,
    SIM_DEAD = 100,  /* it is off, or cut off: the connection is gone, too */
    SIM_SILENT = 101 /* no reply, this once */
} sim_reply;

/* What a cell is for. */
typedef enum sim_role {
    SIM_SETTING,     /* running and stored; a factory reset restores it */
    SIM_CALIBRATION, /* running and stored; a factory reset leaves it */
    SIM_IDENTITY,    /* read only: who it is, and since when */
    SIM_LIVE,        /* read only, made when asked for */
    SIM_COMMAND,     /* write only */
    SIM_SECRET,      /* write only, stored */
    SIM_GAP          /* reads as zero */
} sim_role;

typedef struct sim_entry {
    char name[64];
    uint8_t space;
    uint16_t address;
    const char *kind; /* "u8" .. "i64", "f32", "t16" (text of 16 bytes), "x3" (three cells as they are), "d4" (four
                       * decimal digits), "s16" (sign and magnitude), "b250" (a file of at
                       * most 250 bytes: one more than their number, 0 where there is none, and they); of a bit "u1" */
    uint8_t role;     /* sim_role */
    uint8_t decimals;
    bool held;           /* takes values only while the unit is held */
    int64_t low, high;   /* in raw steps; none where low > high */
    const char *factory; /* value as delivered */
    const char *plant;   /* value as set up in the mill, NULL: as delivered */
} sim_entry;

/* How what is in a space of its own is reached: at another unit number of the line, or through cells that take a number
 * and then show the value that has it. */
typedef struct sim_door {
    int16_t number; /* of the unit who answers: 0 the device itself, n > 0 the number n - 1, n < 0 that many above it */
    uint8_t table;  /* and in which of its tables: SIM_HOLDING to SIM_DISCRETE */
    uint16_t index, value; /* the cells for the number and the value; both 0: the table is there as it is */
    uint16_t stride;       /* a value has so many cells in its space, from `stride` times its number on */
} sim_door;

/* A file in records, by its number and its entry. */
typedef struct sim_records {
    uint16_t number;
    const char *name;
} sim_records;

struct sim_unit;

/* What goes wrong, as said on the control channel; see fault.c. */
enum { SIM_FAULTS = 4 };
typedef struct sim_fault {
    uint8_t kind;
    uint64_t at; /* from this request on, counted from 0 */
    uint32_t number;
    char name[32], text[32];
} sim_fault;

typedef struct sim_model {
    const char *name;
    const char *address; /* the entry with the unit number at which it answers, from its next start on; NULL: it is 1 */
    const char *serial, *firmware, *called; /* entries of what tells it apart, and of its name; NULL: it has none */
    bool low_cell_first, text_low_byte_first;
    uint32_t boot_ms, reply_ms;
    uint16_t most_read, most_write; /* cells in one request */
    const sim_entry *entries;       /* its map */
    size_t count;
    void (*start)(struct sim_unit *unit);
    void (*tick)(struct sim_unit *unit);
    /* May this entry be written now? Then what follows from it, `changed` telling whether it is another value. */
    sim_reply (*may)(const struct sim_unit *unit, const sim_entry *entry, const uint16_t *cells);
    void (*written)(struct sim_unit *unit, const sim_entry *entry, const uint16_t *cells, bool changed);
    uint64_t (*live)(const struct sim_unit *unit, const sim_entry *entry);
    /* Is it there as the unit is set now? NULL: every entry is, always. */
    bool (*there)(const struct sim_unit *unit, const sim_entry *entry);
    /* Cells that show what else is kept of the cell `home`, or NULL; may be NULL. */
    const uint16_t *(*bank)(const struct sim_unit *unit, uint8_t space, uint16_t address, uint16_t *home);
    const sim_records *files; /* in records, ended by one without a name; NULL: none */
    const sim_door *doors;    /* the first of them leads to SIM_DOORS, and so on */
    uint8_t door_count;
    const struct sim_dialogue *dialogue; /* it is asked in words, see console.h; NULL: by requests for cells */
    const struct sim_web *web;           /* it has documents, see web.h */
    bool single;                         /* it takes one value a request: functions 5 and 6, and neither 15 nor 16 */
    /* Where the cells of an address lie that begins with this byte: the first of SIM_PAGE in the unit, 0xffff: nowhere.
     * NULL: every address is where it says. */
    const uint16_t (*pages)[256];
} sim_model;

typedef struct sim_counters {
    uint64_t read_requests, write_requests, values_written;
} sim_counters;

typedef struct sim_unit {
    const sim_model *model;
    const sim_entry *entries; /* of the model */
    size_t count;
    int16_t owner[SIM_SPACES][SIM_CELLS]; /* index of the entry, -1: unmapped */
    uint16_t running[SIM_SPACES][SIM_CELLS], stored[SIM_SPACES][SIM_CELLS];
    uint16_t kept[2][SIM_CELLS]; /* copies that the unit makes by itself, the newest first */
    uint32_t kept_hours[2];
    uint64_t now, up_at;
    uint32_t starts;  /* since the unit was made */
    uint32_t changes; /* of lasting values in force, by whatever hand */
    sim_counters counters;
    uint8_t answers_at; /* unit number on its line; a link of its own need not care */
    struct {
        uint8_t space;
        uint16_t address, count, cells[128];
        uint64_t at;
    } later; /* a write that was taken and isn't done yet; `count` 0: none */
    sim_fault faults[SIM_FAULTS];
    size_t fault_count;
    uint64_t requests;                       /* since the unit was made */
    uint16_t called[SIM_SPACES - SIM_DOORS]; /* numbers that stand in the cells of doors */
    struct {
        uint8_t space;
        uint16_t address, cell;
    } gathered[SIM_GATHERED]; /* lasting values that come into force together, see sim_take_gathered */
    uint16_t gathered_count;
    bool gathers;
    uint32_t late_ms; /* the reply just given comes so much later */
    bool lasting;     /* values last as soon as they are written */
    bool free;        /* none of them needs the unit held */
    bool shuts;       /* they can be read only while it is open (`level`), or `shown` */
    bool shown;
    bool guarded;   /* it tells nobody anything before a login: a switch at its back */
    unsigned wrong; /* passwords in a row, and so long nobody is let in */
    uint64_t closed_until;
    /* hears of each request that reaches it, before it is answered; may be NULL */
    void (*listener)(void *ctx, const struct sim_unit *unit, bool write, uint8_t space, uint16_t address,
                     uint16_t count, const uint16_t *cells);
    void *listener_ctx;
    const void *talks_to; /* the session it has; it bears one */
    bool pulled;          /* its cable, or it doesn't come back from a restart: until plugged in */
    /* for the models */
    uint32_t state, state_next, state_before, level;
    uint64_t state_at, store_at, powered_at;
    bool storing, hold_at_boot;
} sim_unit;

/* All of them, ended by NULL: a model is listed by being defined in a file of this folder. */
extern const sim_model *const sim_models[];
/* The model with this name ("ed-30"), or NULL. */
const sim_model *sim_model_named(const char *name);

/* A unit as set up in the mill, or as delivered; running and stored alike. Serial and name may be NULL. */
void sim_start(sim_unit *unit, const sim_model *model, bool as_delivered, const char *serial, const char *name);

/* The cells of a value, in force, by its number as a manual has it: the first cell, or that in a mailbox or of an
 * object. NULL where the model has no such cells. */
uint16_t *sim_own(sim_unit *unit, uint8_t space, uint16_t number, uint16_t count);
/* Gives it this secret, whichever it has; false: it has none like this. */
bool sim_put_secret(sim_unit *unit, const char *text);

/* The space of the table that answers at this unit number (0: the device itself, whatever its number is). SIM_NOWHERE:
 * nobody does. A device without doors to other numbers answers at any of them: only it is on the link. */
uint8_t sim_space_at(const sim_unit *unit, uint32_t number, uint8_t table);
/* Does it have a door to another unit number? How many numbers that follow each other it takes on a line; 0: others,
 * too, so that there can be only one of them. */
bool sim_has_numbers(const sim_unit *unit);
unsigned sim_numbers_of(const sim_model *model);
/* Do the cells of this space hold single bits? */
bool sim_is_bits(const sim_unit *unit, uint8_t space);

/* Puts what was gathered into force, or forgets it, and gathers no longer. */
void sim_take_gathered(sim_unit *unit, bool keep);

/* Requests of the protocol. `now` never goes back. A write is done wholly or not at all. */
sim_reply sim_read(sim_unit *unit, uint64_t now, uint8_t space, uint16_t address, uint16_t count, uint16_t *cells);
sim_reply sim_write(sim_unit *unit, uint64_t now, uint8_t space, uint16_t address, uint16_t count,
                    const uint16_t *cells);
/* Values wherever they lie, in one request: all of them, or none. */
typedef struct sim_value {
    const sim_entry *entry;
    const uint16_t *cells;
} sim_value;
sim_reply sim_write_these(sim_unit *unit, uint64_t now, const sim_value *values, size_t count);
/* Only these bits of one cell; the others stay as they are. One request. */
sim_reply sim_write_bits(sim_unit *unit, uint64_t now, uint8_t space, uint16_t address, uint16_t mask, uint16_t value);
/* The identification from an object on, of the category 1 to 3: what a reply has behind that, its `size`. */
sim_reply sim_identify(sim_unit *unit, uint64_t now, uint8_t category, uint8_t first, uint8_t out[250], size_t *size);
/* Records of a file, functions 0x14 and 0x15: as many as the file has, or fewer. */
sim_reply sim_read_records(sim_unit *unit, uint64_t now, uint16_t file, uint16_t first, uint16_t count,
                           uint16_t *cells);
sim_reply sim_write_records(sim_unit *unit, uint64_t now, uint16_t file, uint16_t first, uint16_t count,
                            const uint16_t *cells);
/* Of bits a request has sixteen in a cell, the first one lowest; the unit has a cell for each. */
void sim_pack(const uint16_t *bits, uint16_t count, uint16_t *cells);
void sim_unpack(const uint16_t *cells, uint16_t count, uint16_t *bits);
/* Does it answer at all just now? */
bool sim_is_up(sim_unit *unit, uint64_t now);

/* What happens to a unit from outside. */
void sim_power_cut(sim_unit *unit, uint64_t now);
void sim_factory_reset(sim_unit *unit, uint64_t now);

/* What stands in these cells, past the line: no request, and nothing goes wrong. */
sim_reply sim_peek(sim_unit *unit, const sim_entry *entry, uint16_t *cells);
/* As somebody at the device: it acts at once and lasts. */
void sim_set(sim_unit *unit, const char *name, const char *value, char *answer, size_t size);
void sim_restart(sim_unit *unit);

#endif

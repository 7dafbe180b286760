/* A unit of any model at hand, played by what is told of the model as data: which values there are, and what follows
 * from writing one of them. It believes what it is told, right or wrong: good for rehearsing and for showing, and no
 * peer for tests of reading and writing. */
#ifndef BIL_SIM_PLAYED_H
#define BIL_SIM_PLAYED_H

#include "unit.h"

enum { PLAYED_ORDERS = 128, PLAYED_VALUE = 420 };

typedef enum played_deed {
    PLAYED_SHOWS,    /* another entry becomes a value */
    PLAYED_NOTHING,  /* it is one of several that belong together */
    PLAYED_STORES,   /* what is in force survives a power cut from now on */
    PLAYED_RESTARTS, /* the unit restarts */
    PLAYED_RESETS,   /* and comes back with the values as delivered */
    PLAYED_OPENS,    /* values can be written from now on */
    PLAYED_SHOWN,    /* values can be read from now on */
    PLAYED_LOCKS     /* and no longer */
} played_deed;

/* What follows when an entry is written with a value; several may, in the order of the list. */
typedef struct played_order {
    const sim_entry *entry;
    bool any;    /* with whatever value */
    bool in_one; /* only where the unit was in this state before it was held */
    uint64_t value, state;
    played_deed deed;
    const sim_entry *shows; /* NULL but for PLAYED_SHOWS */
    uint64_t shown;
} played_order;

/* An entry that is there only while another one's cells, as far as the mask says, are one of these. */
typedef struct played_mode {
    const sim_entry *entry; /* NULL: it is always there */
    uint16_t mask;
    uint8_t count;
    uint16_t (*cells)[2];
} played_mode;

typedef struct played_model {
    sim_model model; /* first: the units of this model find the rest by it */
    sim_entry *entries;
    char (*texts)[PLAYED_VALUE];  /* values as delivered, one for each entry */
    char (*set_up)[PLAYED_VALUE]; /* as set up, where that is another one */
    char (*kinds)[8];             /* of texts */
    size_t count;
    uint16_t pages[SIM_SPACES][256];
    sim_door doors[SIM_SPACES - SIM_DOORS];
    sim_records *files;
    played_order orders[PLAYED_ORDERS];
    size_t order_count;
    /* entries with a part of their own; NULL: the model has none */
    const sim_entry *state, *starts, *uptime, *changes, *unstored;
    uint64_t held, idle;         /* values of `state` */
    uint64_t stored, not_stored; /* of `unstored` */
    bool keeps_hold, locks;      /* through a restart; until PLAYED_OPENS nothing else can be written */
    bool hides;                  /* until then, or PLAYED_SHOWN, nothing that can be written can be read */
    played_mode *modes;          /* one for each entry */
} played_model;

/* Fills in the functions of the model; the rest is the caller's, and lives longer than its units. `name` too. */
void sim_played_begin(played_model *played, const char *name);
/* Gives the entry cells of its own for the address it has by its manual; false: there is no room for another page. */
bool sim_played_place(played_model *played, sim_entry *entry, uint16_t *next_page);

/* Frees it, and all that it has; NULL is good, too. */
void sim_played_free(played_model *played);

#endif

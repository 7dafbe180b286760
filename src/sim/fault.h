/* What can go wrong with a unit, scripted: each fault is one line of the control channel, in force from now on.
 *
 *   fault power-cut N              before request N from now (0 is the next one) the supply is gone for a moment
 *   fault cable N                  from request N on nothing comes through, until "plug-in"
 *   fault request-lost N           request N never arrives
 *   fault reply-lost N             request N takes effect, its reply never arrives
 *   fault late N MS                the reply to request N comes so much later
 *   fault busy N TIMES             from request N on it is busy for so many
 *   fault refused N                request N is refused
 *   fault hand N NAME VALUE        before request N a second master sets a value
 *   fault refuse NAME              no value of this parameter is taken
 *   fault clamp NAME VALUE         a larger value of this parameter becomes this one, without a word
 *   fault contest NAME NAME        writing either of the two resets the other
 *   fault counts                   its counters change with every request
 *   fault other-unit SERIAL        after the next restart another unit answers in its place
 *   fault no-return                it doesn't come back from the next restart, until "plug-in"
 *   fault other-address NUMBER     after the next restart it answers at another unit number
 *
 *   fault deaf NAME                writes of this never arrive
 *   fault mute NAME                they take effect, their replies never arrive
 *   fault slow NAME                they are acknowledged, and take effect after 700 ms
 *   fault ignores NAME             they are answered, and nothing happens
 *
 * "plug-in" ends them all. A unit bears four at a time. */
#ifndef BIL_SIM_FAULT_H
#define BIL_SIM_FAULT_H

#include "unit.h"

/* Takes what follows "fault ". */
void sim_fault_say(sim_unit *unit, const char *words, char *answer, size_t size);
void sim_fault_clear(sim_unit *unit);

/* ---- for unit.c ---- */

/* How a write that begins with this cell is heard. */
typedef enum sim_hearing {
    SIM_HEARS,
    SIM_DEAF,   /* it never arrives */
    SIM_MUTE,   /* it is carried out, its reply never comes */
    SIM_SLOW,   /* it is acknowledged, and carried out a little later */
    SIM_IGNORES /* it is answered, and nothing happens */
} sim_hearing;
sim_hearing sim_fault_hears(const sim_unit *unit, uint8_t space, uint16_t address);

/* What a request meets that arrives. */
typedef struct sim_strike {
    sim_reply reply;                    /* SIM_OK: it goes on */
    bool mute;                          /* it is done, but nobody hears of it */
    bool cut;                           /* the supply is gone for a moment */
    const sim_fault *hands[SIM_FAULTS]; /* a second master came first */
    size_t hand_count;
} sim_strike;
sim_strike sim_fault_strikes(sim_unit *unit);
bool sim_fault_refuses(const sim_unit *unit, const sim_entry *entry);
void sim_fault_written(sim_unit *unit, const sim_entry *entry, bool changed);
void sim_fault_at_start(sim_unit *unit);

#endif

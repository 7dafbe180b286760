/* The in-process link to a simulated unit, with a virtual clock: nobody waits. */
#ifndef BIL_SIM_LINK_H
#define BIL_SIM_LINK_H

#include "bilancia/cells.h"
#include "unit.h"

typedef struct sim_link {
    sim_unit *unit;
    uint64_t now;     /* of the virtual clock */
    uint64_t replied; /* when the last reply came, 0: none did */
    uint32_t deaf_ms; /* the unit wants silence for so long after each reply */
    unsigned hurried; /* requests that came sooner */
    bool connected;
    uint32_t number; /* the unit number that is spoken to; 0: whoever is there */
    uint32_t usual;  /* the one it was made for */
    /* from this request on (counted on this link from 0) another unit is there instead; NULL: never. When `swap_loses`,
     * that request is lost, as when a cable is pulled and put into another one */
    sim_unit *swap;
    uint64_t swap_at, requests;
    bool swap_loses;
    sim_unit *neighbour; /* another unit on the same line, or NULL */
} sim_link;

/* Makes it a link on a line, where units have numbers. */
void sim_link_on_line(sim_link *link, uint32_t number);
/* Cells of the unit: bil_cell_link_over makes a link of them. */
bil_cells sim_link_open(sim_link *link, sim_unit *unit);
bil_clock sim_link_clock(sim_link *link);

#endif

/* Doors of a simulated unit: other unit numbers, mailboxes. */
#ifndef BIL_SIM_DOOR_H
#define BIL_SIM_DOOR_H

#include "unit.h"

/* The table of a space: its own, or where its door leads. */
uint8_t sim_table_of(const sim_unit *unit, uint8_t space);
/* How many cells a number stands for there. */
uint32_t sim_stride_of(const sim_unit *unit, uint8_t space);
/* The mailbox on whose cells a request lies; NULL: it is none. */
const sim_door *sim_box_at(const sim_unit *unit, uint8_t space, uint16_t address, uint16_t count);

#endif

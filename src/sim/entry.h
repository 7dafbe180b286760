/* The values of a simulated unit: an entry's number, text and cells. */
#ifndef BIL_SIM_ENTRY_H
#define BIL_SIM_ENTRY_H

#include <string.h>

#include "unit.h"

static inline bool sim_is(const sim_entry *entry, const char *name)
{
    return strcmp(entry->name, name) == 0;
}
size_t sim_cells_of(const sim_entry *entry);
const sim_entry *sim_find(const sim_unit *unit, const char *name);
uint64_t sim_number(const sim_unit *unit, const sim_entry *entry, const uint16_t *cells);
void sim_put_number(const sim_unit *unit, const sim_entry *entry, uint64_t number, uint16_t *cells);
/* "12.5" with the entry's decimals; whole numbers otherwise. False: it is no such value. */
bool sim_parse(const sim_unit *unit, const sim_entry *entry, const char *text, uint16_t *cells);
void sim_show(const sim_unit *unit, const sim_entry *entry, const uint16_t *cells, char *out, size_t size);
bool sim_in_range(const sim_unit *unit, const sim_entry *entry, const uint16_t *cells);

/* The cells of a file of these bytes, NULL: of none; false: it has no room for so many. And back: how many. */
bool sim_put_file(const sim_entry *entry, const uint8_t *bytes, size_t size, uint16_t *cells);
size_t sim_take_file(const uint16_t *cells, uint8_t *bytes);

bool sim_put(sim_unit *unit, const char *name, const char *text); /* running only; false: no such value */
/* Is it kept when the supply is gone, once it is stored? */
bool sim_lasts(const sim_entry *entry);
bool sim_all_stored(const sim_unit *unit);
void sim_store(sim_unit *unit);

#endif

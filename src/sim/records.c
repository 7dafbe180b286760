/* Files in records: always as long as they are, written in parts. */
#include <string.h>

#include "entry.h"

/* The entry of this file, where it has these records. */
static const sim_entry *entry_of(const sim_unit *unit, uint16_t file, uint16_t first, uint16_t count)
{
    for (const sim_records *f = unit->model->files; f && f->name; f++)
        if (f->number == file) {
            const sim_entry *entry = sim_find(unit, f->name);
            return count && (size_t)first + count < sim_cells_of(entry) ? entry : NULL;
        }
    return NULL;
}

sim_reply sim_read_records(sim_unit *unit, uint64_t now, uint16_t file, uint16_t first, uint16_t count, uint16_t *cells)
{
    const sim_entry *entry = entry_of(unit, file, first, count);
    if (!entry)
        return !unit->model->files ? SIM_BAD_FUNCTION : SIM_BAD_ADDRESS;
    uint16_t one; /* a request like any other, though it takes more */
    sim_reply reply = sim_read(unit, now, entry->space, entry->address, 1, &one);
    memcpy(cells, &unit->running[entry->space][entry->address + 1 + first], count * sizeof cells[0]);
    return reply;
}

sim_reply sim_write_records(sim_unit *unit, uint64_t now, uint16_t file, uint16_t first, uint16_t count,
                            const uint16_t *cells)
{
    uint16_t whole[SIM_CELLS];
    const sim_entry *entry = entry_of(unit, file, first, count);
    if (!entry)
        return !unit->model->files ? SIM_BAD_FUNCTION : SIM_BAD_ADDRESS;
    memcpy(whole, &unit->running[entry->space][entry->address], sim_cells_of(entry) * sizeof whole[0]);
    memcpy(whole + 1 + first, cells, count * sizeof whole[0]);
    return sim_write_these(unit, now, &(sim_value){entry, whole}, 1);
}

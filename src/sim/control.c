#include "control.h"

#include <stdio.h>
#include <string.h>

#include "entry.h"
#include "fault.h"

void sim_control(sim_unit *unit, uint64_t now, const char *line, char *answer, size_t size)
{
    char name[64], value[64];
    bool up = sim_is_up(unit, now);
    if (sscanf(line, "set %63s %63[^\n]", name, value) == 2) {
        sim_set(unit, name, value, answer, size);
    } else if (sscanf(line, "get %63s", name) == 1) {
        const sim_entry *entry = sim_find(unit, name);
        uint16_t cells[64] = {0};
        bool file = entry && entry->kind[0] == 'b'; /* of which only its length is shown */
        if (file)
            cells[0] = unit->running[entry->space][entry->address];
        if (!entry || entry->role == SIM_SECRET || !up || (!file && sim_peek(unit, entry, cells) != SIM_OK)) {
            snprintf(answer, size, "error: %s has no value \"%s\" that can be read now", unit->model->name, name);
            return;
        }
        char text[80];
        sim_show(unit, entry, cells, text, sizeof text);
        snprintf(answer, size, "ok: %s = %s", name, text);
    } else if (strcmp(line, "power-cut") == 0) {
        sim_power_cut(unit, now);
        snprintf(answer, size, "ok: power was cut and is back; it starts for %lu ms",
                 (unsigned long)unit->model->boot_ms);
    } else if (strcmp(line, "factory-reset") == 0) {
        sim_factory_reset(unit, now);
        snprintf(answer, size, "ok: factory values; it starts for %lu ms", (unsigned long)unit->model->boot_ms);
    } else if (strcmp(line, "counters") == 0) {
        snprintf(answer, size, "ok: read requests %llu, write requests %llu, values written %llu",
                 (unsigned long long)unit->counters.read_requests, (unsigned long long)unit->counters.write_requests,
                 (unsigned long long)unit->counters.values_written);
    } else if (strncmp(line, "fault ", 6) == 0) {
        sim_fault_say(unit, line + 6, answer, size);
    } else if (strcmp(line, "plug-in") == 0) {
        sim_fault_clear(unit);
        snprintf(answer, size, "ok: nothing is wrong with it any more");
    } else {
        snprintf(answer, size,
                 "error: say set NAME VALUE, get NAME, power-cut, factory-reset, counters, fault or plug-in");
    }
}

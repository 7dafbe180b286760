#include "unit.h"

#include <stdio.h>
#include <stdlib.h>
#include <string.h>

#include "fault.h"

const sim_model *sim_model_named(const char *name)
{
    for (const sim_model *const *model = sim_models; *model; model++)
        if (strcmp((*model)->name, name) == 0)
            return *model;
    return NULL;
}

/* ---- values in cells, the device's way ---- */

static size_t bytes_of(const sim_entry *entry)
{
    size_t number = strtoul(entry->kind + 1, NULL, 10);
    return entry->kind[0] == 't' ? number : number / 8;
}

static size_t cells_of(const sim_entry *entry)
{
    size_t bytes = bytes_of(entry);
    return bytes < 2 ? 1 : bytes / 2;
}

uint64_t sim_number(const sim_unit *unit, const sim_entry *entry, const uint16_t *cells)
{
    size_t count = cells_of(entry);
    uint64_t number = 0;
    for (size_t i = 0; i < count; i++)
        number = number << 16 | cells[unit->model->low_cell_first ? count - 1 - i : i];
    return number;
}

void sim_put_number(const sim_unit *unit, const sim_entry *entry, uint64_t number, uint16_t *cells)
{
    size_t count = cells_of(entry);
    for (size_t i = 0; i < count; i++) {
        cells[unit->model->low_cell_first ? i : count - 1 - i] = (uint16_t)number;
        number >>= 16;
    }
}

static void put_text(const sim_unit *unit, const sim_entry *entry, const char *text, uint16_t *cells)
{
    size_t bytes = bytes_of(entry), length = strlen(text);
    for (size_t i = 0; i < bytes; i += 2) {
        unsigned a = i < length ? (unsigned char)text[i] : 0, b = i + 1 < length ? (unsigned char)text[i + 1] : 0;
        cells[i / 2] = (uint16_t)(unit->model->text_low_byte_first ? b << 8 | a : a << 8 | b);
    }
}

static int64_t signed_number(const sim_entry *entry, uint64_t number)
{
    size_t bits = 8 * bytes_of(entry);
    if (entry->kind[0] == 'i' && bits < 64 && number >> (bits - 1) & 1)
        return (int64_t)(number | ~((UINT64_C(1) << bits) - 1));
    return (int64_t)number;
}

/* "12.5" with the entry's decimals; whole numbers otherwise. */
static bool parse(const sim_unit *unit, const sim_entry *entry, const char *text, uint16_t *cells)
{
    if (entry->kind[0] == 't') {
        if (strlen(text) > bytes_of(entry))
            return false;
        put_text(unit, entry, text, cells);
        return true;
    }
    char *end;
    if (entry->kind[0] == 'f') {
        float f = strtof(text, &end);
        uint32_t bits;
        memcpy(&bits, &f, sizeof bits);
        sim_put_number(unit, entry, bits, cells);
        return *text && !*end;
    }
    bool negative = *text == '-';
    uint64_t number = strtoull(text + negative, &end, 10);
    unsigned decimals = entry->decimals;
    if (*end == '.')
        for (end++; *end >= '0' && *end <= '9' && decimals > 0; end++, decimals--)
            number = number * 10 + (uint64_t)(*end - '0');
    for (; decimals > 0; decimals--)
        number *= 10;
    if (!*text || *end || text[negative] < '0' || text[negative] > '9')
        return false;
    size_t bits = 8 * bytes_of(entry);
    number = negative ? ~number + 1 : number;
    if (bits == 8 && entry->kind[0] == 'u' && number > 255)
        return false;
    if (bits < 64 && bits > 8)
        number &= (UINT64_C(1) << bits) - 1;
    sim_put_number(unit, entry, number, cells); /* 8 bit numbers stand sign-extended in their cell */
    return true;
}

static void show(const sim_unit *unit, const sim_entry *entry, const uint16_t *cells, char *out, size_t size)
{
    size_t used = 0;
    if (entry->kind[0] == 't') {
        for (size_t i = 0; i < cells_of(entry) && used + 2 < size; i++) {
            char high = (char)(cells[i] >> 8), low = (char)(cells[i] & 0xff);
            out[used++] = unit->model->text_low_byte_first ? low : high;
            out[used++] = unit->model->text_low_byte_first ? high : low;
        }
        out[used] = '\0';
        return;
    }
    uint64_t number = sim_number(unit, entry, cells);
    if (entry->kind[0] == 'f') {
        uint32_t bits = (uint32_t)number;
        float f;
        memcpy(&f, &bits, sizeof f);
        snprintf(out, size, "%.9g", (double)f);
        return;
    }
    int64_t value = bytes_of(entry) == 1 ? (int16_t)number : signed_number(entry, number);
    uint64_t magnitude = entry->kind[0] == 'u' ? number : (uint64_t)(value < 0 ? -value : value);
    uint64_t unit_size = 1;
    for (unsigned i = 0; i < entry->decimals; i++)
        unit_size *= 10;
    const char *sign = entry->kind[0] == 'i' && value < 0 ? "-" : "";
    if (entry->decimals)
        snprintf(out, size, "%s%llu.%0*llu", sign, (unsigned long long)(magnitude / unit_size), entry->decimals,
                 (unsigned long long)(magnitude % unit_size));
    else
        snprintf(out, size, "%s%llu", sign, (unsigned long long)magnitude);
}

/* ---- the unit ---- */

const sim_entry *sim_find(const sim_unit *unit, const char *name)
{
    for (size_t i = 0; i < unit->count; i++)
        if (strcmp(unit->entries[i].name, name) == 0)
            return &unit->entries[i];
    return NULL;
}

bool sim_put(sim_unit *unit, const char *name, const char *text)
{
    const sim_entry *entry = sim_find(unit, name);
    return entry && parse(unit, entry, text, &unit->running[entry->space][entry->address]);
}

static void answer_there(sim_unit *unit)
{
    const sim_entry *entry = sim_find(unit, unit->model->address);
    unit->answers_at = (uint8_t)sim_number(unit, entry, &unit->running[entry->space][entry->address]);
}

void sim_start(sim_unit *unit, const sim_model *model, bool as_delivered, const char *serial, const char *name)
{
    memset(unit, 0, sizeof *unit);
    memset(unit->owner, 0xff, sizeof unit->owner);
    unit->model = model;
    unit->count = model->map(unit->entries);
    for (size_t i = 0; i < unit->count; i++) {
        const sim_entry *entry = &unit->entries[i];
        for (size_t k = 0; k < cells_of(entry); k++)
            unit->owner[entry->space][entry->address + k] = (int16_t)i;
        const char *text = !as_delivered && entry->plant ? entry->plant : entry->factory;
        if (text && !parse(unit, entry, text, &unit->running[entry->space][entry->address]))
            abort(); /* the map itself is wrong */
    }
    if (serial && !sim_put(unit, "id.serial", serial))
        fprintf(stderr, "simulate: this serial number doesn't fit the model\n");
    if (name && !sim_put(unit, "bus.name", name))
        sim_put(unit, "plant.name", name);
    memcpy(unit->stored, unit->running, sizeof unit->stored);
    memcpy(unit->kept[0], unit->stored[0], sizeof unit->kept[0]);
    memcpy(unit->kept[1], unit->stored[0], sizeof unit->kept[1]);
    model->start(unit);
    answer_there(unit);
}

bool sim_own(sim_unit *unit, uint8_t space, uint16_t address, uint16_t count, const uint16_t *cells)
{
    for (uint16_t i = 0; i < count; i++)
        if (space >= SIM_SPACES || (uint32_t)address + i >= SIM_CELLS || unit->owner[space][address + i] < 0)
            return false;
    memcpy(&unit->running[space][address], cells, count * sizeof cells[0]);
    return true;
}

static sim_reply write_cells(sim_unit *unit, uint8_t space, uint16_t address, uint16_t count, const uint16_t *cells);

static void tick(sim_unit *unit, uint64_t now)
{
    if (now > unit->now)
        unit->now = now;
    if (unit->later.count && unit->now >= unit->later.at) {
        uint16_t count = unit->later.count;
        unit->later.count = 0;
        write_cells(unit, 0, unit->later.address, count, unit->later.cells);
    }
    unit->model->tick(unit);
}

bool sim_is_up(sim_unit *unit, uint64_t now)
{
    tick(unit, now);
    return unit->now >= unit->up_at && !unit->pulled;
}

static bool is_lasting(const sim_entry *entry)
{
    return entry->role == SIM_SETTING || entry->role == SIM_CALIBRATION || entry->role == SIM_SECRET;
}

bool sim_all_stored(const sim_unit *unit)
{
    return memcmp(unit->running, unit->stored, sizeof unit->running) == 0;
}

void sim_store(sim_unit *unit)
{
    memcpy(unit->stored, unit->running, sizeof unit->stored);
}

void sim_restart(sim_unit *unit)
{
    unit->changes += !sim_all_stored(unit);
    unit->starts++;
    unit->later.count = 0;
    memcpy(unit->running, unit->stored, sizeof unit->running);
    unit->up_at = unit->now + unit->model->boot_ms;
    unit->model->start(unit);
    answer_there(unit);
    sim_fault_at_start(unit);
}

void sim_power_cut(sim_unit *unit, uint64_t now)
{
    tick(unit, now);
    unit->hold_at_boot = false;
    sim_restart(unit);
}

void sim_factory_reset(sim_unit *unit, uint64_t now)
{
    tick(unit, now);
    for (size_t i = 0; i < unit->count; i++) {
        const sim_entry *entry = &unit->entries[i];
        if ((entry->role == SIM_SETTING || entry->role == SIM_SECRET) && entry->factory)
            parse(unit, entry, entry->factory, &unit->stored[entry->space][entry->address]);
    }
    unit->hold_at_boot = false;
    sim_restart(unit);
}

static sim_reply read_cells(sim_unit *unit, uint8_t space, uint16_t address, uint16_t count, uint16_t *cells)
{
    unit->counters.read_requests++;
    if (count == 0 || count > unit->model->most_read)
        return SIM_BAD_VALUE;
    if (space >= SIM_SPACES || (uint32_t)address + count > SIM_CELLS)
        return SIM_BAD_ADDRESS;
    uint16_t home;
    for (uint16_t i = 0; i < count; i++) {
        const uint16_t *kept =
            unit->model->bank ? unit->model->bank(unit, space, (uint16_t)(address + i), &home) : NULL;
        int16_t owner = unit->owner[space][kept ? home : address + i];
        if (owner < 0 || unit->entries[owner].role == SIM_COMMAND || unit->entries[owner].role == SIM_SECRET)
            return SIM_BAD_ADDRESS;
    }
    for (uint16_t i = 0; i < count; i++) {
        const uint16_t *kept =
            unit->model->bank ? unit->model->bank(unit, space, (uint16_t)(address + i), &home) : NULL;
        const sim_entry *entry = kept ? NULL : &unit->entries[unit->owner[space][address + i]];
        if (kept) {
            cells[i] = kept[home];
        } else if (entry->role == SIM_LIVE ||
                   (entry->role == SIM_IDENTITY && unit->model->live(unit, entry) != UINT64_MAX)) {
            uint16_t made[4];
            sim_put_number(unit, entry, unit->model->live(unit, entry), made);
            cells[i] = made[address + i - entry->address];
        } else {
            cells[i] = unit->running[space][address + i];
        }
    }
    return SIM_OK;
}

static bool in_range(const sim_unit *unit, const sim_entry *entry, const uint16_t *cells)
{
    if (entry->kind[0] == 't' || entry->kind[0] == 'f' || entry->low > entry->high)
        return true;
    uint64_t number = sim_number(unit, entry, cells);
    int64_t value = bytes_of(entry) == 1 ? (int16_t)number : signed_number(entry, number);
    return value >= entry->low && value <= entry->high;
}

static sim_reply write_cells(sim_unit *unit, uint8_t space, uint16_t address, uint16_t count, const uint16_t *cells)
{
    unit->counters.write_requests++;
    if (count == 0 || count > unit->model->most_write)
        return SIM_BAD_VALUE;
    if (space != 0 || (uint32_t)address + count > SIM_CELLS)
        return SIM_BAD_ADDRESS;
    for (uint16_t i = 0; i < count;) {
        int16_t owner = unit->owner[space][address + i];
        if (owner < 0)
            return SIM_BAD_ADDRESS;
        const sim_entry *entry = &unit->entries[owner];
        bool writable = is_lasting(entry) || entry->role == SIM_COMMAND;
        if (!writable || entry->address != address + i || i + cells_of(entry) > count)
            return SIM_BAD_ADDRESS; /* part of a value can't be written */
        if (!in_range(unit, entry, cells + i) || sim_fault_refuses(unit, entry))
            return SIM_BAD_VALUE;
        sim_reply reply = unit->model->may(unit, entry, cells + i);
        if (reply != SIM_OK)
            return reply;
        i = (uint16_t)(i + cells_of(entry));
    }
    for (uint16_t i = 0; i < count;) {
        const sim_entry *entry = &unit->entries[unit->owner[space][address + i]];
        size_t size = cells_of(entry) * sizeof cells[0];
        uint16_t *place = &unit->running[space][entry->address];
        bool changed = memcmp(place, cells + i, size) != 0;
        if (is_lasting(entry)) {
            memcpy(place, cells + i, size);
            unit->counters.values_written++;
            unit->changes += changed;
        }
        unit->model->written(unit, entry, cells + i, changed);
        sim_fault_written(unit, entry, changed);
        if (unit->lasting && is_lasting(entry))
            sim_store(unit);
        i = (uint16_t)(i + cells_of(entry));
    }
    return SIM_OK;
}

sim_reply sim_read(sim_unit *unit, uint64_t now, uint8_t space, uint16_t address, uint16_t count, uint16_t *cells)
{
    if (!sim_is_up(unit, now))
        return SIM_DEAD;
    bool mute = false;
    sim_reply reply = sim_fault_strikes(unit, &mute);
    if (reply == SIM_OK && unit->listener)
        unit->listener(unit->listener_ctx, unit, false, space, address, count, NULL);
    if (reply == SIM_OK)
        reply = read_cells(unit, space, address, count, cells);
    return mute ? SIM_SILENT : reply;
}

sim_reply sim_write(sim_unit *unit, uint64_t now, uint8_t space, uint16_t address, uint16_t count,
                    const uint16_t *cells)
{
    if (!sim_is_up(unit, now))
        return SIM_DEAD;
    bool mute = false;
    sim_reply reply = sim_fault_strikes(unit, &mute);
    sim_hearing hearing = sim_fault_hears(unit, space, address);
    if (reply == SIM_OK && hearing == SIM_DEAF)
        return SIM_SILENT;
    if (reply == SIM_OK && unit->listener)
        unit->listener(unit->listener_ctx, unit, true, space, address, count, cells);
    enum { LATER_MS = 700 };
    if (reply == SIM_OK && hearing == SIM_SLOW && count <= sizeof unit->later.cells / sizeof *cells) {
        unit->later.address = address;
        unit->later.count = count;
        unit->later.at = unit->now + LATER_MS;
        memcpy(unit->later.cells, cells, count * sizeof *cells);
        return SIM_AT_WORK;
    }
    if (reply == SIM_OK && hearing != SIM_IGNORES)
        reply = write_cells(unit, space, address, count, cells);
    mute = mute || (reply == SIM_OK && hearing == SIM_MUTE);
    return mute ? SIM_SILENT : reply;
}

/* ---- the control channel ---- */

/* As from the keys on its front. */
void sim_set(sim_unit *unit, const char *name, const char *value, char *answer, size_t size)
{
    const sim_entry *entry = sim_find(unit, name);
    uint16_t cells[64] = {0};
    if (!entry || !(is_lasting(entry) || entry->role == SIM_COMMAND)) {
        snprintf(answer, size, "error: %s has no value \"%s\" that can be set", unit->model->name, name);
        return;
    }
    if (!parse(unit, entry, value, cells) || !in_range(unit, entry, cells)) {
        snprintf(answer, size, "error: %s doesn't take the value \"%s\"", name, value);
        return;
    }
    size_t bytes = cells_of(entry) * sizeof cells[0];
    uint16_t *place = &unit->running[entry->space][entry->address];
    if (entry->role == SIM_COMMAND) {
        unit->model->written(unit, entry, cells, true);
        snprintf(answer, size, "ok: %s was given", name);
        return;
    }
    bool changed = memcmp(place, cells, bytes) != 0;
    memcpy(place, cells, bytes);
    unit->changes += changed;
    unit->model->written(unit, entry, cells, changed);
    memcpy(&unit->stored[entry->space][entry->address], place, bytes);
    snprintf(answer, size, "ok: %s is now %s", name, entry->role == SIM_SECRET ? "another one" : value);
}

void sim_control(sim_unit *unit, uint64_t now, const char *line, char *answer, size_t size)
{
    char name[64], value[64];
    tick(unit, now);
    if (sscanf(line, "set %63s %63[^\n]", name, value) == 2) {
        sim_set(unit, name, value, answer, size);
    } else if (sscanf(line, "get %63s", name) == 1) {
        const sim_entry *entry = sim_find(unit, name);
        uint16_t cells[64] = {0};
        if (!entry || entry->role == SIM_SECRET || !sim_is_up(unit, now) ||
            read_cells(unit, entry->space, entry->address, (uint16_t)cells_of(entry), cells) != SIM_OK) {
            snprintf(answer, size, "error: %s has no value \"%s\" that can be read now", unit->model->name, name);
            return;
        }
        unit->counters.read_requests--; /* the control channel doesn't count as the line */
        char text[80];
        show(unit, entry, cells, text, sizeof text);
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

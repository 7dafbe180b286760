#include "unit.h"

#include <stdio.h>
#include <stdlib.h>
#include <string.h>

#include "door.h"
#include "entry.h"
#include "fault.h"

const sim_model *sim_model_named(const char *name)
{
    for (const sim_model *const *model = sim_models; *model; model++)
        if (strcmp((*model)->name, name) == 0)
            return *model;
    return NULL;
}

/* ---- the unit ---- */

static void answer_there(sim_unit *unit)
{
    const sim_entry *entry = unit->model->address ? sim_find(unit, unit->model->address) : NULL;
    unit->answers_at = entry ? (uint8_t)sim_number(unit, entry, &unit->running[entry->space][entry->address]) : 1;
}

void sim_start(sim_unit *unit, const sim_model *model, bool as_delivered, const char *serial, const char *name)
{
    memset(unit, 0, sizeof *unit);
    memset(unit->owner, 0xff, sizeof unit->owner);
    unit->model = model;
    unit->entries = model->entries;
    unit->count = model->count;
    for (size_t i = 0; i < unit->count; i++) {
        const sim_entry *entry = &unit->entries[i];
        for (size_t k = 0; k < sim_cells_of(entry); k++)
            unit->owner[entry->space][entry->address + k] = (int16_t)i;
        const char *text = !as_delivered && entry->plant ? entry->plant : entry->factory;
        if (text && !sim_parse(unit, entry, text, &unit->running[entry->space][entry->address]))
            abort(); /* the map itself is wrong */
    }
    if (serial && !(model->serial && sim_put(unit, model->serial, serial)))
        fprintf(stderr, "simulate: this serial number doesn't fit the model\n");
    if (name && !(model->called && sim_put(unit, model->called, name)))
        fprintf(stderr, "simulate: this name doesn't fit the model\n");
    memcpy(unit->stored, unit->running, sizeof unit->stored);
    memcpy(unit->kept[0], unit->stored[0], sizeof unit->kept[0]);
    memcpy(unit->kept[1], unit->stored[0], sizeof unit->kept[1]);
    model->start(unit);
    answer_there(unit);
}

/* The cells of a request in the unit; false where they aren't side by side there, or nowhere. */
static bool in_unit(const sim_unit *unit, uint8_t space, uint16_t *address, uint16_t count)
{
    if (!unit->model->pages)
        return true;
    uint32_t last = (uint32_t)*address + (count ? count - 1u : 0);
    if (space >= SIM_SPACES || last > UINT16_MAX)
        return false;
    const uint16_t *pages = unit->model->pages[space];
    uint16_t begin = pages[*address / SIM_PAGE], end = pages[last / SIM_PAGE];
    if (begin == UINT16_MAX || end - begin != (int)(last / SIM_PAGE - *address / SIM_PAGE) * SIM_PAGE)
        return false;
    *address = (uint16_t)(begin + *address % SIM_PAGE);
    return true;
}

uint16_t *sim_own(sim_unit *unit, uint8_t space, uint16_t number, uint16_t count)
{
    uint32_t stride = sim_stride_of(unit, space), at = number * stride;
    uint16_t address = (uint16_t)at;
    if (at > UINT16_MAX || !in_unit(unit, space, &address, count))
        return NULL;
    for (uint16_t i = 0; i < count; i++)
        if (space >= SIM_SPACES || (uint32_t)address + i >= SIM_CELLS || unit->owner[space][address + i] < 0)
            return NULL;
    return &unit->running[space][address];
}

static sim_reply write_cells(sim_unit *unit, uint8_t space, uint16_t address, uint16_t count, const uint16_t *cells);

void sim_pack(const uint16_t *bits, uint16_t count, uint16_t *cells)
{
    for (uint16_t i = 0; i < count; i++)
        cells[i / 16] = (uint16_t)((i % 16 ? cells[i / 16] : 0) | (bits[i] & 1) << i % 16);
}

void sim_unpack(const uint16_t *cells, uint16_t count, uint16_t *bits)
{
    for (uint16_t i = 0; i < count; i++)
        bits[i] = cells[i / 16] >> i % 16 & 1;
}

static void tick(sim_unit *unit, uint64_t now)
{
    if (now > unit->now)
        unit->now = now;
    if (unit->later.count && unit->now >= unit->later.at) {
        uint16_t count = unit->later.count;
        unit->later.count = 0;
        write_cells(unit, unit->later.space, unit->later.address, count, unit->later.cells);
    }
    unit->model->tick(unit);
}

bool sim_is_up(sim_unit *unit, uint64_t now)
{
    tick(unit, now);
    return unit->now >= unit->up_at && !unit->pulled;
}

void sim_restart(sim_unit *unit)
{
    unit->changes += !sim_all_stored(unit);
    unit->starts++;
    unit->later.count = 0;
    memset(unit->called, 0, sizeof unit->called);
    sim_take_gathered(unit, false);
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
            sim_parse(unit, entry, entry->factory, &unit->stored[entry->space][entry->address]);
    }
    unit->hold_at_boot = false;
    sim_restart(unit);
}

static bool is_there(const sim_unit *unit, const sim_entry *entry)
{
    return !unit->model->there || unit->model->there(unit, entry);
}

static sim_reply read_cells(sim_unit *unit, uint8_t space, uint16_t address, uint16_t count, uint16_t *cells)
{
    unit->counters.read_requests++;
    if (count == 0 || count > (sim_is_bits(unit, space) ? 16 : 1) * unit->model->most_read)
        return SIM_BAD_VALUE;
    if (space >= SIM_SPACES || (uint32_t)address + count > SIM_CELLS)
        return SIM_BAD_ADDRESS;
    uint16_t home;
    for (uint16_t i = 0; i < count; i++) {
        const uint16_t *kept =
            unit->model->bank ? unit->model->bank(unit, space, (uint16_t)(address + i), &home) : NULL;
        int16_t owner = unit->owner[space][kept ? home : address + i];
        if (owner < 0 || unit->entries[owner].role == SIM_COMMAND || unit->entries[owner].role == SIM_SECRET ||
            !is_there(unit, &unit->entries[owner]))
            return SIM_BAD_ADDRESS;
        if (unit->shuts && !unit->level && !unit->shown && sim_lasts(&unit->entries[owner]))
            return SIM_NOT_NOW;
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

/* A value that waits for the others. */
static void gather(sim_unit *unit, const sim_entry *entry, const uint16_t *cells)
{
    for (size_t k = 0; k < sim_cells_of(entry) && unit->gathered_count < SIM_GATHERED; k++) {
        unit->gathered[unit->gathered_count].space = entry->space;
        unit->gathered[unit->gathered_count].address = (uint16_t)(entry->address + k);
        unit->gathered[unit->gathered_count++].cell = cells[k];
    }
    unit->counters.values_written++;
}

void sim_take_gathered(sim_unit *unit, bool keep)
{
    unit->gathers = false;
    for (uint16_t i = 0; i < unit->gathered_count && keep; i++) {
        uint8_t space = unit->gathered[i].space;
        uint16_t address = unit->gathered[i].address, *place = &unit->running[space][address];
        const sim_entry *entry = &unit->entries[unit->owner[space][address]];
        bool changed = *place != unit->gathered[i].cell;
        unit->changes += changed;
        *place = unit->gathered[i].cell;
        if (address + 1u == entry->address + sim_cells_of(entry))
            sim_fault_written(unit, entry, changed);
    }
    unit->gathered_count = 0;
}

/* May this value be written now? */
static sim_reply may_write(const sim_unit *unit, const sim_entry *entry, const uint16_t *cells)
{
    if ((!sim_lasts(entry) && entry->role != SIM_COMMAND) || !is_there(unit, entry))
        return SIM_BAD_ADDRESS;
    if (!sim_in_range(unit, entry, cells) || sim_fault_refuses(unit, entry))
        return SIM_BAD_VALUE;
    return unit->model->may(unit, entry, cells);
}

static void put_value(sim_unit *unit, const sim_entry *entry, const uint16_t *cells)
{
    size_t size = sim_cells_of(entry) * sizeof cells[0];
    uint16_t *place = &unit->running[entry->space][entry->address];
    bool changed = memcmp(place, cells, size) != 0;
    if (sim_lasts(entry) && unit->gathers && entry->kind[0] != 'b') {
        gather(unit, entry, cells);
        return;
    }
    if (sim_lasts(entry)) {
        memcpy(place, cells, size);
        unit->counters.values_written++;
        unit->changes += changed;
    }
    unit->model->written(unit, entry, cells, changed);
    sim_fault_written(unit, entry, changed);
    if (unit->lasting && sim_lasts(entry))
        sim_store(unit);
}

static sim_reply write_cells(sim_unit *unit, uint8_t space, uint16_t address, uint16_t count, const uint16_t *cells)
{
    unit->counters.write_requests++;
    uint8_t table = sim_table_of(unit, space);
    if (count == 0 || count > (sim_is_bits(unit, space) ? 16 : 1) * unit->model->most_write)
        return SIM_BAD_VALUE;
    if ((table != SIM_HOLDING && table != SIM_COILS) || (uint32_t)address + count > SIM_CELLS)
        return SIM_BAD_ADDRESS;
    for (uint16_t i = 0; i < count;) {
        int16_t owner = unit->owner[space][address + i];
        if (owner < 0)
            return SIM_BAD_ADDRESS;
        const sim_entry *entry = &unit->entries[owner];
        if (entry->address != address + i || i + sim_cells_of(entry) > count)
            return SIM_BAD_ADDRESS; /* part of a value can't be written */
        sim_reply reply = may_write(unit, entry, cells + i);
        if (reply != SIM_OK)
            return reply;
        i = (uint16_t)(i + sim_cells_of(entry));
    }
    for (uint16_t i = 0; i < count;) {
        const sim_entry *entry = &unit->entries[unit->owner[space][address + i]];
        put_value(unit, entry, cells + i);
        i = (uint16_t)(i + sim_cells_of(entry));
    }
    return SIM_OK;
}

/* A request arrives, and what goes wrong with it. */
static sim_reply struck(sim_unit *unit, bool *mute)
{
    char answer[100];
    sim_strike strike = sim_fault_strikes(unit);
    for (size_t i = 0; i < strike.hand_count; i++)
        sim_set(unit, strike.hands[i]->name, strike.hands[i]->text, answer, sizeof answer);
    if (strike.cut)
        sim_power_cut(unit, unit->now);
    *mute = strike.mute;
    return strike.reply;
}

sim_reply sim_peek(sim_unit *unit, const sim_entry *entry, uint16_t *cells)
{
    bool shown = unit->shown;
    unit->shown = true;
    sim_reply reply = read_cells(unit, entry->space, entry->address, (uint16_t)sim_cells_of(entry), cells);
    unit->shown = shown;
    unit->counters.read_requests--; /* this isn't the line */
    return reply;
}

/* Where the value lies that was called up. */
static bool in_box(const sim_unit *unit, const sim_door *box, uint8_t *space, uint16_t *address, uint16_t count)
{
    size_t which = (size_t)(box - unit->model->doors);
    uint32_t at = (uint32_t)unit->called[which] * box->stride + (*address - box->value);
    *space = (uint8_t)(SIM_DOORS + which);
    *address = (uint16_t)at;
    return at <= UINT16_MAX && in_unit(unit, *space, address, count);
}

static sim_reply read_box(sim_unit *unit, const sim_door *box, uint16_t address, uint16_t count, uint16_t *cells)
{
    uint8_t space;
    if (address == box->index) {
        cells[0] = unit->called[box - unit->model->doors];
        unit->counters.read_requests += --count == 0;
        address = box->value;
        cells++;
    }
    if (!count)
        return SIM_OK;
    return in_box(unit, box, &space, &address, count) ? read_cells(unit, space, address, count, cells)
                                                      : SIM_BAD_ADDRESS;
}

sim_reply sim_read(sim_unit *unit, uint64_t now, uint8_t space, uint16_t address, uint16_t count, uint16_t *cells)
{
    if (!sim_is_up(unit, now))
        return SIM_DEAD;
    bool mute = false;
    sim_reply reply = struck(unit, &mute);
    if (reply == SIM_OK && unit->listener)
        unit->listener(unit->listener_ctx, unit, false, space, address, count, NULL);
    const sim_door *box = sim_box_at(unit, space, address, count);
    if (reply == SIM_OK && box)
        reply = read_box(unit, box, address, count, cells);
    else if (reply == SIM_OK)
        reply =
            in_unit(unit, space, &address, count) ? read_cells(unit, space, address, count, cells) : SIM_BAD_ADDRESS;
    return mute ? SIM_SILENT : reply;
}

/* The bytes of its text; -1: the unit has none of this number. */
static int object(const sim_unit *unit, unsigned number, uint8_t text[2 * SIM_OBJECT])
{
    uint16_t address = (uint16_t)(number * SIM_OBJECT);
    int length = 0;
    if (number * SIM_OBJECT >= 0x10000 - SIM_OBJECT || !in_unit(unit, SIM_OBJECTS, &address, 1))
        return -1;
    int16_t owner = address < SIM_CELLS ? unit->owner[SIM_OBJECTS][address] : -1;
    if (owner < 0 || unit->entries[owner].address != address)
        return -1;
    for (int i = 0; i < 2 * (int)sim_cells_of(&unit->entries[owner]); i++) {
        uint16_t cell = unit->running[SIM_OBJECTS][address + i / 2];
        text[i] = (uint8_t)((i % 2 == 0) == !unit->model->text_low_byte_first ? cell >> 8 : cell & 0xff);
        length = text[i] ? i + 1 : length;
    }
    return length;
}

sim_reply sim_identify(sim_unit *unit, uint64_t now, uint8_t category, uint8_t first, uint8_t out[250], size_t *size)
{
    static const unsigned ends[] = {3, 0x80, 0x100}; /* Modbus Application Protocol 1.1b3, 6.21 */
    if (!sim_is_up(unit, now))
        return SIM_DEAD;
    bool mute = false, any = false;
    uint8_t text[2 * SIM_OBJECT];
    sim_reply reply = struck(unit, &mute);
    if (reply != SIM_OK || mute)
        return mute ? SIM_SILENT : reply;
    unit->counters.read_requests++;
    for (unsigned i = 0; i < 256; i++)
        any = any || object(unit, i, text) >= 0;
    if (!any)
        return SIM_BAD_FUNCTION;
    if (category < 1 || category > 3)
        return SIM_BAD_VALUE;
    memset(out, 0, 4);
    out[0] = 0x83;
    *size = 4;
    for (unsigned i = first; i < ends[category - 1]; i++) {
        int length = object(unit, i, text);
        if (length >= 0 && *size + 2 + (size_t)length > 245) {
            out[1] = 255;
            out[2] = (uint8_t)i;
            break;
        }
        if (length < 0)
            continue;
        out[*size] = (uint8_t)i;
        out[*size + 1] = (uint8_t)length;
        memcpy(out + *size + 2, text, (size_t)length);
        *size += 2 + (size_t)length;
        out[3]++;
    }
    return SIM_OK;
}

/* Taken, and done a little later: this value, or those that lie side by side. */
static void put_later(sim_unit *unit, uint8_t space, uint16_t address, uint16_t count, const uint16_t *cells)
{
    enum { LATER_MS = 700 };
    unit->later.space = space;
    unit->later.address = address;
    unit->later.count = count;
    unit->later.at = unit->now + LATER_MS;
    memcpy(unit->later.cells, cells, count * sizeof *cells);
}

sim_reply sim_write(sim_unit *unit, uint64_t now, uint8_t space, uint16_t address, uint16_t count,
                    const uint16_t *cells)
{
    if (!sim_is_up(unit, now))
        return SIM_DEAD;
    bool mute = false;
    sim_reply reply = struck(unit, &mute);
    const sim_door *box = sim_box_at(unit, space, address, count);
    if (reply == SIM_OK && box && address == box->index) { /* nothing of the unit changes by that */
        unit->counters.write_requests++;
        if (count != 1)
            return SIM_BAD_VALUE;
        unit->called[box - unit->model->doors] = cells[0];
        return mute ? SIM_SILENT : SIM_OK;
    }
    if (reply == SIM_OK && !(box ? in_box(unit, box, &space, &address, count) : in_unit(unit, space, &address, count)))
        return SIM_BAD_ADDRESS;
    sim_hearing hearing = sim_fault_hears(unit, space, address);
    if (reply == SIM_OK && hearing == SIM_DEAF)
        return SIM_SILENT;
    if (reply == SIM_OK && unit->listener)
        unit->listener(unit->listener_ctx, unit, true, space, address, count, cells);
    if (reply == SIM_OK && hearing == SIM_SLOW && count <= sizeof unit->later.cells / sizeof *cells) {
        put_later(unit, space, address, count, cells);
        return SIM_AT_WORK;
    }
    if (reply == SIM_OK && hearing != SIM_IGNORES)
        reply = write_cells(unit, space, address, count, cells);
    mute = mute || (reply == SIM_OK && hearing == SIM_MUTE);
    return mute ? SIM_SILENT : reply;
}

sim_reply sim_write_these(sim_unit *unit, uint64_t now, const sim_value *values, size_t count)
{
    if (!sim_is_up(unit, now))
        return SIM_DEAD;
    bool mute = false, slow = false;
    sim_reply reply = struck(unit, &mute);
    for (size_t i = 0; i < count && reply == SIM_OK; i++)
        reply =
            sim_fault_hears(unit, values[i].entry->space, values[i].entry->address) == SIM_DEAF ? SIM_SILENT : reply;
    for (size_t i = 0; i < count && reply == SIM_OK && unit->listener; i++)
        unit->listener(unit->listener_ctx, unit, true, values[i].entry->space, values[i].entry->address,
                       (uint16_t)sim_cells_of(values[i].entry), values[i].cells);
    unit->counters.write_requests++;
    for (size_t i = 0; i < count && reply == SIM_OK; i++)
        reply = may_write(unit, values[i].entry, values[i].cells);
    for (size_t i = 0; i < count && reply == SIM_OK; i++) {
        const sim_entry *entry = values[i].entry;
        sim_hearing hearing = sim_fault_hears(unit, entry->space, entry->address);
        mute = mute || hearing == SIM_MUTE;
        slow = slow || hearing == SIM_SLOW;
        if (hearing == SIM_SLOW && sim_cells_of(entry) <= sizeof unit->later.cells / sizeof unit->later.cells[0])
            put_later(unit, entry->space, entry->address, (uint16_t)sim_cells_of(entry), values[i].cells);
        else if (hearing != SIM_IGNORES)
            put_value(unit, entry, values[i].cells);
    }
    return mute ? SIM_SILENT : reply == SIM_OK && slow ? SIM_AT_WORK : reply;
}

sim_reply sim_write_bits(sim_unit *unit, uint64_t now, uint8_t space, uint16_t address, uint16_t mask, uint16_t value)
{
    uint16_t place = address, cell;
    int16_t owner =
        sim_is_up(unit, now) && in_unit(unit, space, &place, 1) && place < SIM_CELLS ? unit->owner[space][place] : -1;
    cell = owner < 0 || sim_peek(unit, &unit->entries[owner], &cell) != SIM_OK ? 0 : cell;
    cell = (uint16_t)((cell & ~mask) | (value & mask));
    return sim_write(unit, now, space, address, 1, &cell);
}

/* As from the keys on its front. */
void sim_set(sim_unit *unit, const char *name, const char *value, char *answer, size_t size)
{
    const sim_entry *entry = sim_find(unit, name);
    uint16_t cells[128] = {0};
    if (!entry || !(sim_lasts(entry) || entry->role == SIM_COMMAND)) {
        snprintf(answer, size, "error: %s has no value \"%s\" that can be set", unit->model->name, name);
        return;
    }
    if (!sim_parse(unit, entry, value, cells) || !sim_in_range(unit, entry, cells)) {
        snprintf(answer, size, "error: %s doesn't take the value \"%s\"", name, value);
        return;
    }
    size_t bytes = sim_cells_of(entry) * sizeof cells[0];
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

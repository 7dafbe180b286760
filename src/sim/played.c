#include "played.h"

#include <stdlib.h>
#include <string.h>

#include "entry.h"

static const played_model *of(const sim_unit *unit)
{
    return (const played_model *)(const void *)unit->model;
}

/* What it shows of itself is neither stored nor lost. */
static void show(sim_unit *unit, const sim_entry *entry, uint64_t number)
{
    if (!entry)
        return;
    sim_put_number(unit, entry, number, &unit->running[entry->space][entry->address]);
    sim_put_number(unit, entry, number, &unit->stored[entry->space][entry->address]);
}

static uint64_t shown(const sim_unit *unit, const sim_entry *entry)
{
    return sim_number(unit, entry, &unit->running[entry->space][entry->address]);
}

static bool is_held(const sim_unit *unit)
{
    const played_model *p = of(unit);
    return !p->state || shown(unit, p->state) == p->held;
}

static void start(sim_unit *unit)
{
    const played_model *p = of(unit);
    bool held = p->state && p->keeps_hold && unit->hold_at_boot;
    show(unit, p->state, held ? p->held : p->idle);
    unit->hold_at_boot = false;
    unit->level = !p->locks && !p->hides;
    unit->shuts = p->hides;
    unit->shown = false;
    unit->state_before = (uint32_t)p->idle;
}

static void tick(sim_unit *unit)
{
    (void)unit;
}

static bool is_ordered(const played_model *p, const sim_entry *entry)
{
    for (size_t i = 0; i < p->order_count; i++)
        if (p->orders[i].entry == entry)
            return true;
    return false;
}

static sim_reply may(const sim_unit *unit, const sim_entry *entry, const uint16_t *cells)
{
    const played_model *p = of(unit);
    (void)cells;
    if (is_ordered(p, entry))
        return SIM_OK;
    return (p->locks && !unit->level) || (entry->held && !is_held(unit)) ? SIM_NOT_NOW : SIM_OK;
}

static bool there(const sim_unit *unit, const sim_entry *entry)
{
    const played_mode *mode = &of(unit)->modes[entry - unit->entries];
    bool is = !mode->entry;
    if (is)
        return true;
    const uint16_t *cells = &unit->running[mode->entry->space][mode->entry->address];
    for (uint8_t i = 0; i < mode->count && !is; i++)
        is = (cells[0] & mode->mask) == mode->cells[i][0] &&
             (sim_cells_of(mode->entry) == 1 || cells[1] == mode->cells[i][1]);
    return is;
}

static void obey(sim_unit *unit, const played_order *order)
{
    const played_model *p = of(unit);
    switch (order->deed) {
    case PLAYED_SHOWS:
        if (order->shows == p->state && order->shown == p->held && !is_held(unit))
            unit->state_before = (uint32_t)shown(unit, p->state);
        show(unit, order->shows, order->shown);
        break;
    case PLAYED_NOTHING:
        break;
    case PLAYED_STORES:
        sim_store(unit);
        break;
    case PLAYED_RESTARTS:
        unit->hold_at_boot = p->state && is_held(unit);
        sim_restart(unit);
        break;
    case PLAYED_RESETS:
        sim_factory_reset(unit, unit->now);
        break;
    case PLAYED_OPENS:
    case PLAYED_LOCKS:
        unit->level = order->deed == PLAYED_OPENS;
        unit->shown = false;
        break;
    case PLAYED_SHOWN:
        unit->shown = true;
        break;
    }
}

static void written(sim_unit *unit, const sim_entry *entry, const uint16_t *cells, bool changed)
{
    const played_model *p = of(unit);
    bool text = entry->kind[0] == 't';
    uint64_t number = text ? 0 : sim_number(unit, entry, cells);
    uint32_t before = unit->state_before;
    (void)changed;
    for (size_t i = 0; i < p->order_count; i++) {
        const played_order *o = &p->orders[i];
        if (o->entry == entry && (o->any || (!text && o->value == number)) && (!o->in_one || o->state == before))
            obey(unit, o);
    }
}

static uint64_t live(const sim_unit *unit, const sim_entry *entry)
{
    const played_model *p = of(unit);
    enum { BEFORE_S = 3600 }; /* it has been at work for a while when it is met first */
    if (entry == p->uptime)
        return (unit->starts ? 0 : BEFORE_S) + (unit->now - (unit->up_at < unit->now ? unit->up_at : unit->now)) / 1000;
    if (entry == p->starts)
        return shown(unit, entry) + unit->starts;
    if (entry == p->changes)
        return shown(unit, entry) + unit->changes;
    if (entry == p->unstored)
        return sim_all_stored(unit) ? p->stored : p->not_stored;
    return entry->role == SIM_LIVE && entry->kind[0] != 't' ? shown(unit, entry) : UINT64_MAX;
}

void sim_played_begin(played_model *played, const char *name)
{
    *played = (played_model){.model = {.name = name,
                                       .boot_ms = 3000,
                                       .reply_ms = 5,
                                       .most_read = 125,
                                       .most_write = 123,
                                       .start = start,
                                       .tick = tick,
                                       .may = may,
                                       .there = there,
                                       .written = written,
                                       .live = live}};
    memset(played->pages, 0xff, sizeof played->pages);
    played->model.pages = (const uint16_t(*)[256])played->pages;
    played->model.doors = played->doors;
}

bool sim_played_place(played_model *played, sim_entry *entry, uint16_t *next_page)
{
    uint32_t first = entry->address / SIM_PAGE, last = (entry->address + (uint32_t)sim_cells_of(entry) - 1) / SIM_PAGE;
    uint16_t *pages = played->pages[entry->space];
    for (uint32_t page = first; page <= last && page < 256; page++) {
        if (pages[page] != UINT16_MAX)
            continue;
        if (next_page[entry->space] >= SIM_CELLS / SIM_PAGE)
            return false;
        pages[page] = (uint16_t)(next_page[entry->space]++ * SIM_PAGE);
    }
    entry->address = (uint16_t)(pages[first] + entry->address % SIM_PAGE);
    return last < 256;
}

void sim_played_free(played_model *p)
{
    if (!p)
        return;
    free(p->entries);
    free(p->texts);
    free(p->set_up);
    free(p->kinds);
    for (size_t i = 0; i < p->count && p->modes; i++)
        free(p->modes[i].cells);
    free(p->modes);
    free(p->files);
    free(p);
}

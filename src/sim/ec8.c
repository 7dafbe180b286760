/* The kneading controller EC-8: high cell first, text with the low byte first; identity and state in input cells; takes
 * values only while held, stays held over a restart that was ordered, not over a power cut. */
#include <stdio.h>
#include <string.h>
#include <threads.h>

#include "entry.h"
#include "unit.h"

enum { STANDBY, KNEADING, HELD, STARTING };
enum { KNEADERS = 8, FACTORY_KEY = 4660 };

#define ANY 1, 0

/* clang-format off */
static const sim_entry general[] = {
    {"id.vendor", 1, 0, "t10", SIM_IDENTITY, 0, false, ANY, "Esempio", NULL},
    {"id.model", 1, 5, "t10", SIM_IDENTITY, 0, false, ANY, "EC-8", NULL},
    {"id.hardware", 1, 10, "t2", SIM_IDENTITY, 0, false, ANY, "2", NULL},
    {"id.firmware", 1, 11, "t6", SIM_IDENTITY, 0, false, ANY, "1.9", NULL},
    {"id.serial", 1, 14, "u32", SIM_IDENTITY, 0, false, ANY, "801207", NULL},
    {"hours.power", 1, 16, "u32", SIM_IDENTITY, 0, false, ANY, "0", "30551"},
    {"hours.batches", 1, 18, "u32", SIM_IDENTITY, 0, false, ANY, "0", "4120"},
    {"hours.changes", 1, 20, "u32", SIM_IDENTITY, 0, false, ANY, "0", NULL},
    {"process.uptime", 1, 22, "u32", SIM_IDENTITY, 0, false, ANY, NULL, NULL},
    {"keeps.hours_1", 1, 30, "u32", SIM_LIVE, 0, false, ANY, NULL, NULL},
    {"keeps.hours_2", 1, 32, "u32", SIM_LIVE, 0, false, ANY, NULL, NULL},
    {"process.state", 1, 100, "u16", SIM_LIVE, 0, false, ANY, NULL, NULL},
    {"process.storing", 1, 101, "u8", SIM_LIVE, 0, false, ANY, NULL, NULL},
    {"process.temperature", 1, 102, "i16", SIM_LIVE, 1, false, ANY, NULL, NULL},
    {"command.hold", 0, 3000, "u16", SIM_COMMAND, 0, false, 0, 2, NULL, NULL},
    {"command.store", 0, 3001, "u16", SIM_COMMAND, 0, false, 1, 1, NULL, NULL},
    {"command.restart", 0, 3002, "u16", SIM_COMMAND, 0, false, 1, 1, NULL, NULL},
    {"command.factory", 0, 3003, "u16", SIM_COMMAND, 0, false, FACTORY_KEY, FACTORY_KEY, NULL, NULL},
    {"plant.name", 0, 2000, "t20", SIM_SETTING, 0, true, ANY, "", "kneading"},
    {"plant.address", 0, 2010, "u8", SIM_SETTING, 0, true, 1, 247, "1", "8"},
    {"plant.language", 0, 2011, "u8", SIM_SETTING, 0, true, 0, 2, "1", "0"},
    {"plant.units", 0, 2012, "u8", SIM_SETTING, 0, true, 0, 1, "0", NULL},
    {"plant.alarm_delay", 0, 2013, "u16", SIM_SETTING, 0, true, 0, 900, "10", "45"},
    {"plant.water_price", 0, 2014, "u32", SIM_SETTING, 4, true, ANY, "0.0000", "0.0031"},
    {"plant.door_lock", 0, 2016, "u8", SIM_SETTING, 0, true, 0, 1, "0", "1"},
    {"plant.zone", 0, 2017, "i16", SIM_SETTING, 0, true, -720, 840, "0", "60"},
    {"plant.energy_limit", 0, 2018, "u32", SIM_SETTING, 2, true, ANY, "0.00", "12.75"},
};
/* clang-format on */

static void add(sim_entry *entry, int kneader, const char *name, uint16_t offset, const char *kind, uint8_t decimals,
                int64_t low, int64_t high, const char *factory, const char *plant)
{
    *entry = (sim_entry){.address = (uint16_t)(1000 + 20 * kneader + offset),
                         .kind = kind,
                         .role = SIM_SETTING,
                         .decimals = decimals,
                         .held = true,
                         .low = low,
                         .high = high,
                         .factory = factory,
                         .plant = plant};
    snprintf(entry->name, sizeof entry->name, "kneader_%d.%s", kneader + 1, name);
}

enum { ENTRIES = sizeof general / sizeof general[0] + KNEADERS * 15 };
static sim_entry entries[ENTRIES];
static once_flag filled = ONCE_FLAG_INIT;

static void fill(void)
{
    static const char *const targets[KNEADERS] = {"27.0", "27.0", "26.5", "26.5", "28.0", "28.0", "25.5", "25.5"};
    static const char *const offsets[KNEADERS] = {"0.12", "-0.30", "0.05", "0.00", "0.41", "-0.08", "0.00", "0.22"};
    memcpy(entries, general, sizeof general);
    size_t n = sizeof general / sizeof general[0];
    for (int k = 0; k < KNEADERS; k++) {
        add(&entries[n++], k, "enabled", 0, "u8", 0, 0, 1, "0", k < 6 ? "1" : "0");
        add(&entries[n++], k, "direction", 1, "u8", 0, 0, 2, "0", k % 2 ? "1" : "2");
        add(&entries[n++], k, "target", 2, "i16", 1, 50, 450, "25.0", targets[k]);
        add(&entries[n++], k, "low", 3, "i16", 1, -100, 600, "15.0", "22.0");
        add(&entries[n++], k, "high", 4, "i16", 1, -100, 600, "35.0", "30.5");
        add(&entries[n++], k, "time", 5, "u16", 0, 60, 7200, "1800", "2400");
        add(&entries[n++], k, "speed", 6, "u16", 1, 10, 400, "10.0", "18.5");
        add(&entries[n++], k, "water", 7, "u32", 2, 0, 20000, "0.00", "12.25");
        add(&entries[n++], k, "ramp", 9, "u16", 1, 0, 600, "5.0", "8.0");
        add(&entries[n++], k, "gain", 10, "f32", 0, ANY, "1", "2.6");
        add(&entries[n++], k, "sensor", 12, "u8", 0, 0, 2, "0", "1");
        add(&entries[n++], k, "lid_stop", 13, "u8", 0, 0, 1, "1", NULL);
        add(&entries[n++], k, "offset", 14, "i16", 2, -500, 500, "0.00", offsets[k]);
        entries[n - 1].role = SIM_CALIBRATION;
        add(&entries[n++], k, "reserved_a", 15, "u64", 0, ANY, NULL, NULL);
        entries[n - 1].role = SIM_GAP;
        add(&entries[n++], k, "reserved_b", 19, "u16", 0, ANY, NULL, NULL);
        entries[n - 1].role = SIM_GAP;
    }
}

static const sim_entry *entries_of(const sim_model *model, size_t *count)
{
    (void)model;
    call_once(&filled, fill);
    *count = ENTRIES;
    return entries;
}

static void start(sim_unit *unit)
{
    unit->state = unit->hold_at_boot ? HELD : STANDBY;
    unit->hold_at_boot = false;
    unit->storing = false;
    unit->state_at = 0;             /* what it was about to do is forgotten */
    if (unit->kept_hours[0] == 0) { /* a unit that has been at work for a while */
        uint32_t hours = (uint32_t)sim_number(unit, sim_find(unit, "hours.power"), &unit->running[1][16]);
        unit->kept_hours[0] = hours > 40 ? hours - 40 : 0;
        unit->kept_hours[1] = hours > 212 ? hours - 212 : 0;
    }
}

/* Each store keeps what was stored before; the two last ones can be read. */
static void keep_and_store(sim_unit *unit)
{
    memcpy(unit->kept[1], unit->kept[0], sizeof unit->kept[1]);
    memcpy(unit->kept[0], unit->stored[0], sizeof unit->kept[0]);
    unit->kept_hours[1] = unit->kept_hours[0];
    unit->kept_hours[0] = (uint32_t)sim_number(unit, sim_find(unit, "hours.power"), &unit->running[1][16]);
    sim_store(unit);
}

/* What survives a power cut, and the copies kept, can be read behind the values in force. */
static const uint16_t *bank(const sim_unit *unit, uint8_t space, uint16_t address, uint16_t *home)
{
    for (uint16_t i = 0; space == 0 && i < 3; i++) {
        uint16_t to = (uint16_t)(1200 + 200 * i), from = (uint16_t)(address - to);
        if (address >= to && ((from >= 1000 && from < 1160) || (from >= 2000 && from < 2020))) {
            *home = from;
            return i == 0 ? unit->stored[0] : unit->kept[i - 1];
        }
    }
    return NULL;
}

static void tick(sim_unit *unit)
{
    if (unit->state_at && unit->now >= unit->state_at) {
        unit->state = unit->state_next;
        unit->state_at = 0;
    }
    if (unit->storing && unit->now >= unit->store_at) {
        unit->storing = false;
        keep_and_store(unit);
    }
}

static bool is(const sim_entry *entry, const char *name)
{
    return strcmp(entry->name, name) == 0;
}

static sim_reply may(const sim_unit *unit, const sim_entry *entry, const uint16_t *cells)
{
    if (unit->storing)
        return SIM_BUSY;
    if (is(entry, "command.hold"))
        return cells[0] == 0 && unit->state != HELD                             ? SIM_NOT_NOW
               : cells[0] == 2 && unit->state != HELD && unit->state != STANDBY ? SIM_NOT_NOW
                                                                                : SIM_OK;
    return unit->state == HELD ? SIM_OK : SIM_NOT_NOW;
}

static void written(sim_unit *unit, const sim_entry *entry, const uint16_t *cells, bool changed)
{
    (void)changed;
    if (is(entry, "command.hold")) {
        static const uint32_t next[] = {STANDBY, HELD, KNEADING};
        unit->state_next = next[cells[0]];
        unit->state_at = unit->now + (unit->state == KNEADING ? 3000 : 500);
    } else if (is(entry, "command.store")) {
        unit->storing = true;
        unit->store_at = unit->now + 1200;
    } else if (is(entry, "command.restart")) {
        unit->hold_at_boot = true;
        sim_restart(unit);
    } else if (is(entry, "command.factory")) {
        sim_factory_reset(unit, unit->now);
    }
}

static uint64_t live(const sim_unit *unit, const sim_entry *entry)
{
    if (is(entry, "process.state"))
        return unit->state;
    if (is(entry, "process.storing"))
        return unit->storing;
    if (is(entry, "process.uptime"))
        return (unit->now - (unit->up_at < unit->now ? unit->up_at : unit->now)) / 1000;
    if (is(entry, "hours.changes"))
        return unit->changes;
    if (is(entry, "keeps.hours_1"))
        return unit->kept_hours[0];
    if (is(entry, "keeps.hours_2"))
        return unit->kept_hours[1];
    if (is(entry, "process.temperature"))
        return 184 + unit->now / 1000 % 5;
    return UINT64_MAX;
}

const sim_model sim_ec8 = {"ec-8", "plant.address", NULL,  NULL, false, true,    4000, 5,    100,
                           60,     entries_of,      start, tick, may,   written, live, bank, NULL};

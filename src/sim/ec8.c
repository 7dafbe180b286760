/* The kneading controller EC-8: high cell first, text with the low byte first; identity and state in input cells; takes
 * values only while held, stays held over a restart that was ordered, not over a power cut. */
#include <string.h>

#include "entry.h"
#include "unit.h"

enum { STANDBY, KNEADING, HELD, STARTING };
enum { FACTORY_KEY = 4660 };

#define ANY 1, 0

/* clang-format off */
#define KNEADER_VALUE(n, name, offset, kind, role, decimals, low, high, factory, plant) \
    {"kneader_" #n "." name, 0, 1000 + 20 * (n - 1) + offset, kind, role, decimals, true, low, high, factory, plant},
#define KNEADER_FREE(n, name, offset, kind, role, decimals, factory, plant) \
    KNEADER_VALUE(n, name, offset, kind, role, decimals, 1, 0, factory, plant)
#define KNEADER(n, enabled, direction, target, correction) \
    KNEADER_VALUE(n, "enabled", 0, "u8", SIM_SETTING, 0, 0, 1, "0", enabled) \
    KNEADER_VALUE(n, "direction", 1, "u8", SIM_SETTING, 0, 0, 2, "0", direction) \
    KNEADER_VALUE(n, "target", 2, "i16", SIM_SETTING, 1, 50, 450, "25.0", target) \
    KNEADER_VALUE(n, "low", 3, "i16", SIM_SETTING, 1, -100, 600, "15.0", "22.0") \
    KNEADER_VALUE(n, "high", 4, "i16", SIM_SETTING, 1, -100, 600, "35.0", "30.5") \
    KNEADER_VALUE(n, "time", 5, "u16", SIM_SETTING, 0, 60, 7200, "1800", "2400") \
    KNEADER_VALUE(n, "speed", 6, "u16", SIM_SETTING, 1, 10, 400, "10.0", "18.5") \
    KNEADER_VALUE(n, "water", 7, "u32", SIM_SETTING, 2, 0, 20000, "0.00", "12.25") \
    KNEADER_VALUE(n, "ramp", 9, "u16", SIM_SETTING, 1, 0, 600, "5.0", "8.0") \
    KNEADER_FREE(n, "gain", 10, "f32", SIM_SETTING, 0, "1", "2.6") \
    KNEADER_VALUE(n, "sensor", 12, "u8", SIM_SETTING, 0, 0, 2, "0", "1") \
    KNEADER_VALUE(n, "lid_stop", 13, "u8", SIM_SETTING, 0, 0, 1, "1", NULL) \
    KNEADER_VALUE(n, "offset", 14, "i16", SIM_CALIBRATION, 2, -500, 500, "0.00", correction) \
    KNEADER_FREE(n, "reserved_a", 15, "u64", SIM_GAP, 0, NULL, NULL) \
    KNEADER_FREE(n, "reserved_b", 19, "u16", SIM_GAP, 0, NULL, NULL)

static const sim_entry map[] = {
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
    KNEADER(1, "1", "2", "27.0", "0.12")
    KNEADER(2, "1", "1", "27.0", "-0.30")
    KNEADER(3, "1", "2", "26.5", "0.05")
    KNEADER(4, "1", "1", "26.5", "0.00")
    KNEADER(5, "1", "2", "28.0", "0.41")
    KNEADER(6, "1", "1", "28.0", "-0.08")
    KNEADER(7, "0", "2", "25.5", "0.00")
    KNEADER(8, "0", "1", "25.5", "0.22")
};
/* clang-format on */

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

static sim_reply may(const sim_unit *unit, const sim_entry *entry, const uint16_t *cells)
{
    if (unit->storing)
        return SIM_BUSY;
    if (sim_is(entry, "command.hold"))
        return cells[0] == 0 && unit->state != HELD                             ? SIM_NOT_NOW
               : cells[0] == 2 && unit->state != HELD && unit->state != STANDBY ? SIM_NOT_NOW
                                                                                : SIM_OK;
    return unit->state == HELD ? SIM_OK : SIM_NOT_NOW;
}

static void written(sim_unit *unit, const sim_entry *entry, const uint16_t *cells, bool changed)
{
    (void)changed;
    if (sim_is(entry, "command.hold")) {
        static const uint32_t next[] = {STANDBY, HELD, KNEADING};
        unit->state_next = next[cells[0]];
        unit->state_at = unit->now + (unit->state == KNEADING ? 3000 : 500);
    } else if (sim_is(entry, "command.store")) {
        unit->storing = true;
        unit->store_at = unit->now + 1200;
    } else if (sim_is(entry, "command.restart")) {
        unit->hold_at_boot = true;
        sim_restart(unit);
    } else if (sim_is(entry, "command.factory")) {
        sim_factory_reset(unit, unit->now);
    }
}

static uint64_t live(const sim_unit *unit, const sim_entry *entry)
{
    if (sim_is(entry, "process.state"))
        return unit->state;
    if (sim_is(entry, "process.storing"))
        return unit->storing;
    if (sim_is(entry, "process.uptime"))
        return (unit->now - (unit->up_at < unit->now ? unit->up_at : unit->now)) / 1000;
    if (sim_is(entry, "hours.changes"))
        return unit->changes;
    if (sim_is(entry, "keeps.hours_1"))
        return unit->kept_hours[0];
    if (sim_is(entry, "keeps.hours_2"))
        return unit->kept_hours[1];
    if (sim_is(entry, "process.temperature"))
        return 184 + unit->now / 1000 % 5;
    return UINT64_MAX;
}

const sim_model sim_ec8 = {.name = "ec-8",
                           .address = "plant.address",
                           .serial = "id.serial",
                           .firmware = "id.firmware",
                           .called = "plant.name",
                           .text_low_byte_first = true,
                           .boot_ms = 4000,
                           .reply_ms = 5,
                           .most_read = 100,
                           .most_write = 60,
                           .entries = map,
                           .count = sizeof map / sizeof map[0],
                           .start = start,
                           .tick = tick,
                           .may = may,
                           .written = written,
                           .live = live,
                           .bank = bank};

/* The wash-water station EW-4: takes one value a request (functions 5 and 6); what is written between "begin" and
 * "take" comes into force together, and nothing is written otherwise; values only with the access code, which is
 * forgotten after five minutes, and with a wrong one; some only in service, and one only while the heater is used. Its
 * table of products is reached through a mailbox, its panel is a board with the unit number above its own. */
#include <string.h>

#include "entry.h"
#include "unit.h"

enum { STOPPED, WASHING, SERVICE };
enum { FORGET, BEGIN, TAKE };
enum { OPEN_MS = 300000, STORE_MS = 800, PRODUCTS = SIM_DOORS, PANEL };
enum { STORE_KEY = 17, RESTART_KEY = 85, FACTORY_KEY = 43690 };

#define ANY 1, 0

/* clang-format off */
#define CHANNEL_CELL(n, name, offset, kind, role, decimals, low, high, factory, plant) \
    {"channel_" #n "." name, SIM_HOLDING, 200 + 10 * (n - 1) + offset, kind, role, decimals, false, low, high, factory, \
     plant},
#define CHANNEL(n, used, product, amount, delay, gain) \
    {"channel_" #n ".used", SIM_COILS, 16 + n - 1, "u1", SIM_SETTING, 0, false, ANY, "0", used}, \
    {"channel_" #n ".empty", SIM_DISCRETE, 16 + n - 1, "u1", SIM_LIVE, 0, false, ANY, NULL, NULL}, \
    CHANNEL_CELL(n, "product", 0, "u16", SIM_SETTING, 0, 0, 8, "0", product) \
    CHANNEL_CELL(n, "amount", 1, "u16", SIM_SETTING, 1, 0, 2500, "0.0", amount) \
    CHANNEL_CELL(n, "delay", 2, "d4", SIM_SETTING, 0, 0, 3600, "10", delay) \
    CHANNEL_CELL(n, "pressure", 3, "s16", SIM_SETTING, 2, -100, 800, "2.00", "2.40") \
    CHANNEL_CELL(n, "ways", 4, "x1", SIM_SETTING, 0, 1, 0, "0001", "0021") /* bits 0 to 3 valve, 4 to 6 mode */ \
    CHANNEL_CELL(n, "gain", 5, "u16", SIM_CALIBRATION, 4, 5000, 20000, "1.0000", gain) \
    CHANNEL_CELL(n, "reserved", 6, "u64", SIM_GAP, 0, 1, 0, NULL, NULL)
#define PRODUCT(n, density, strongest) \
    {"product_" #n ".density", PRODUCTS, (10 * n + 1), "u16", SIM_SETTING, 3, false, 500, 2500, "1.000", density}, \
    {"product_" #n ".strongest", PRODUCTS, (10 * n + 2), "u16", SIM_SETTING, 1, false, 0, 1000, "10.0", strongest},

/* What it does in turn, twelve lines of twenty bytes. */
#define STEP(n, what, minutes) n " " what " " minutes " min\n"
#define STEPS(tens) \
    STEP("01", "fill   ", tens "2") STEP("02", "heat   ", tens "8") STEP("03", "dose   ", tens "1") \
    STEP("04", "wash   ", tens "9") STEP("05", "drain  ", tens "2") STEP("06", "rinse  ", tens "4") \
    STEP("07", "drain  ", tens "2") STEP("08", "rinse  ", tens "4") STEP("09", "drain  ", tens "2") \
    STEP("10", "dry    ", tens "6") STEP("11", "rest   ", tens "3") STEP("12", "end    ", tens "0")

static const sim_entry map[] = {
    {"id.vendor", SIM_OBJECTS, 0 * SIM_OBJECT, "t12", SIM_IDENTITY, 0, false, ANY, "Esempio", NULL},
    {"id.model", SIM_OBJECTS, 1 * SIM_OBJECT, "t12", SIM_IDENTITY, 0, false, ANY, "EW-4", NULL},
    {"id.firmware", SIM_OBJECTS, 2 * SIM_OBJECT, "t12", SIM_IDENTITY, 0, false, ANY, "1.3", NULL},
    {"id.hardware", SIM_INPUT, 0, "u16", SIM_IDENTITY, 0, false, ANY, "2", NULL},
    {"id.serial", SIM_INPUT, 1, "d8", SIM_IDENTITY, 0, false, ANY, "440118", NULL},
    {"hours.starts", SIM_INPUT, 3, "u16", SIM_IDENTITY, 0, false, ANY, "0", "318"},
    {"hours.pump", SIM_INPUT, 4, "d8", SIM_IDENTITY, 0, false, ANY, "0", "7204"},
    {"hours.serviced", SIM_INPUT, 6, "d12", SIM_IDENTITY, 0, false, ANY, "200101000000", "260312091500"},
    {"clock.now", SIM_INPUT, 9, "d12", SIM_LIVE, 0, false, ANY, NULL, NULL},
    {"station.state", SIM_INPUT, 12, "u16", SIM_LIVE, 0, false, ANY, NULL, NULL},
    {"water.temperature", SIM_INPUT, 13, "s16", SIM_LIVE, 1, false, ANY, NULL, NULL},
    {"water.conductivity", SIM_INPUT, 14, "u16", SIM_LIVE, 0, false, ANY, NULL, NULL},
    {"door.closed", SIM_DISCRETE, 0, "u1", SIM_LIVE, 0, false, ANY, NULL, NULL},
    {"tank.low", SIM_DISCRETE, 1, "u1", SIM_LIVE, 0, false, ANY, NULL, NULL},
    {"access.open", SIM_DISCRETE, 2, "u1", SIM_LIVE, 0, false, ANY, NULL, NULL},
    {"settings.open", SIM_DISCRETE, 3, "u1", SIM_LIVE, 0, false, ANY, NULL, NULL},
    {"settings.storing", SIM_DISCRETE, 4, "u1", SIM_LIVE, 0, false, ANY, NULL, NULL},
    {"filter.backwash", SIM_COILS, 0, "u1", SIM_SETTING, 0, false, ANY, "1", NULL},
    {"tank.heater", SIM_COILS, 1, "u1", SIM_SETTING, 0, true, ANY, "0", "1"},
    {"tank.level_alarm", SIM_COILS, 2, "u1", SIM_SETTING, 0, false, ANY, "1", NULL},
    {"pump.soft_start", SIM_COILS, 3, "u1", SIM_SETTING, 0, true, ANY, "0", "1"},
    {"plant.address", SIM_HOLDING, 100, "u8", SIM_SETTING, 0, false, 1, 246, "1", "12"},
    {"plant.units", SIM_HOLDING, 101, "u16", SIM_SETTING, 0, false, 0, 1, "0", NULL},
    {"tank.target", SIM_HOLDING, 110, "i16", SIM_SETTING, 1, false, 50, 600, "20.0", "32.5"},
    {"tank.least", SIM_HOLDING, 111, "u16", SIM_SETTING, 0, false, 0, 100, "20", "35"},
    {"tank.most", SIM_HOLDING, 112, "u16", SIM_SETTING, 0, false, 0, 100, "80", "92"},
    {"rinse.time", SIM_HOLDING, 113, "d4", SIM_SETTING, 0, false, 10, 3600, "60", "240"},
    {"rinse.start", SIM_HOLDING, 114, "d4", SIM_SETTING, 0, false, 0, 2359, "600", "1830"}, /* hours and minutes */
    {"rinse.ways", SIM_HOLDING, 115, "x1", SIM_SETTING, 0, false, ANY, "0000", "023e"}, /* 0 to 6 days, 8 to 10 program */
    {"pump.speed", SIM_HOLDING, 120, "u16", SIM_SETTING, 1, true, 100, 600, "45.0", "52.5"},
    {"pump.pressure", SIM_HOLDING, 121, "s16", SIM_SETTING, 2, true, -100, 800, "2.50", "3.15"},
    CHANNEL(1, "1", "1", "12.5", "15", "1.0121")
    CHANNEL(2, "1", "1", "12.5", "15", "0.9930")
    CHANNEL(3, "1", "3", "40.0", "120", "1.0044")
    CHANNEL(4, "1", "4", "8.2", "30", "1.0000")
    CHANNEL(5, "0", "0", "0.0", "10", "1.0000")
    CHANNEL(6, "1", "6", "150.0", "600", "1.0310")
    CHANNEL(7, "0", "0", "0.0", "10", "1.0000")
    CHANNEL(8, "1", "8", "22.0", "45", "0.9871")
    PRODUCT(1, "1.120", "25.0")
    PRODUCT(2, "1.000", "10.0")
    PRODUCT(3, "1.045", "60.0")
    PRODUCT(4, "0.987", "12.0")
    PRODUCT(5, "1.000", "10.0")
    PRODUCT(6, "1.310", "80.0")
    PRODUCT(7, "1.000", "10.0")
    PRODUCT(8, "1.022", "30.0")
    {"panel.brightness", PANEL, 0, "u16", SIM_SETTING, 0, false, 0, 100, "80", "65"},
    {"panel.language", PANEL, 1, "u16", SIM_SETTING, 0, false, 0, 2, "1", "0"},
    {"panel.dims_after", PANEL, 2, "d4", SIM_SETTING, 0, false, 0, 3600, "300", "120"},
    {"panel.sound", PANEL, 3, "u16", SIM_SETTING, 0, false, 0, 1, "1", NULL},
    {"program.steps", SIM_RECORDS, 0, "b240", SIM_SETTING, 0, false, ANY, STEPS("0"), STEPS("5")},
    {"access.code", SIM_HOLDING, 950, "u16", SIM_SECRET, 0, false, 0, 9999, "2604", NULL},
    {"access.enter", SIM_HOLDING, 951, "u16", SIM_COMMAND, 0, false, ANY, NULL, NULL},
    {"command.service", SIM_HOLDING, 952, "u16", SIM_COMMAND, 0, false, 0, 2, NULL, NULL},
    {"command.settings", SIM_HOLDING, 953, "u16", SIM_COMMAND, 0, false, FORGET, TAKE, NULL, NULL},
    {"command.store", SIM_HOLDING, 954, "u16", SIM_COMMAND, 0, false, STORE_KEY, STORE_KEY, NULL, NULL},
    {"command.restart", SIM_HOLDING, 955, "u16", SIM_COMMAND, 0, false, RESTART_KEY, RESTART_KEY, NULL, NULL},
    {"command.factory", SIM_HOLDING, 956, "u16", SIM_COMMAND, 0, false, FACTORY_KEY, FACTORY_KEY, NULL, NULL},
};
/* clang-format on */

static const sim_records files[] = {{1, "program.steps"}, {0, NULL}};

static const sim_door doors[] = {
    {.table = SIM_HOLDING, .index = 900, .value = 901, .stride = 1},
    {.number = -1, .table = SIM_HOLDING},
};

static void start(sim_unit *unit)
{
    unit->state = STOPPED;
    unit->state_at = 0;
    unit->level = 0;
    unit->storing = false;
}

static void tick(sim_unit *unit)
{
    if (unit->state_at && unit->now >= unit->state_at) {
        unit->state = unit->state_next;
        unit->state_at = 0;
    }
    if (unit->storing && unit->now >= unit->store_at) {
        unit->storing = false;
        sim_store(unit);
    }
    if (unit->level && unit->now >= unit->powered_at + OPEN_MS) { /* `powered_at`: when it was opened */
        unit->level = 0;
        sim_take_gathered(unit, false);
    }
}

/* Without a heater nobody asks for a temperature. */
static bool there(const sim_unit *unit, const sim_entry *entry)
{
    const sim_entry *heater = sim_is(entry, "tank.target") ? sim_find(unit, "tank.heater") : NULL;
    return !heater || unit->running[heater->space][heater->address];
}

/* What this cell will be once it takes what was gathered. */
static uint16_t coming(const sim_unit *unit, const char *name)
{
    const sim_entry *entry = sim_find(unit, name);
    uint16_t cell = unit->running[entry->space][entry->address];
    for (uint16_t i = 0; i < unit->gathered_count; i++)
        if (unit->gathered[i].space == entry->space && unit->gathered[i].address == entry->address)
            cell = unit->gathered[i].cell;
    return cell;
}

static sim_reply may(const sim_unit *unit, const sim_entry *entry, const uint16_t *cells)
{
    if (unit->storing)
        return SIM_BUSY;
    if (sim_is(entry, "access.enter"))
        return SIM_OK; /* what is wrong opens nothing, and isn't told */
    if (!unit->level)
        return SIM_NOT_NOW;
    if (sim_is(entry, "command.settings") && cells[0] == TAKE && !unit->gathers)
        return SIM_NOT_NOW;
    if (sim_is(entry, "command.settings") && cells[0] == TAKE && coming(unit, "tank.least") > coming(unit, "tank.most"))
        return SIM_BAD_VALUE;
    if (sim_is(entry, "command.factory") && unit->state != SERVICE)
        return SIM_NOT_NOW;
    if (entry->role != SIM_COMMAND && (!unit->gathers || unit->gathered_count == SIM_GATHERED))
        return SIM_NOT_NOW;
    return entry->held && unit->state != SERVICE ? SIM_NOT_NOW : SIM_OK;
}

static void go(sim_unit *unit, uint32_t to)
{
    unit->state_next = to;
    unit->state_at = unit->now + (unit->state == WASHING ? 4000 : 300);
}

static void written(sim_unit *unit, const sim_entry *entry, const uint16_t *cells, bool changed)
{
    static const uint32_t states[] = {STOPPED, SERVICE, WASHING};
    (void)changed;
    if (sim_is(entry, "access.enter")) {
        const sim_entry *code = sim_find(unit, "access.code");
        unit->level = cells[0] == unit->running[code->space][code->address];
        unit->powered_at = unit->now;
    } else if (sim_is(entry, "command.service")) {
        go(unit, states[cells[0]]);
    } else if (sim_is(entry, "command.settings")) {
        sim_take_gathered(unit, cells[0] == TAKE);
        unit->gathers = cells[0] == BEGIN;
    } else if (sim_is(entry, "command.store")) {
        unit->storing = true;
        unit->store_at = unit->now + STORE_MS;
    } else if (sim_is(entry, "command.restart")) {
        sim_restart(unit);
    } else if (sim_is(entry, "command.factory")) {
        sim_factory_reset(unit, unit->now);
    }
}

/* Its clock: the 30th of November 2026, from a quarter past six in the morning on. */
static uint64_t clock_of(const sim_unit *unit)
{
    uint64_t s = unit->now / 1000 % 36000 + 22500;
    return UINT64_C(261130000000) + s / 3600 * 10000 + s / 60 % 60 * 100 + s % 60;
}

static uint64_t live(const sim_unit *unit, const sim_entry *entry)
{
    if (sim_is(entry, "station.state"))
        return unit->state;
    if (sim_is(entry, "clock.now"))
        return clock_of(unit);
    if (sim_is(entry, "hours.starts"))
        return sim_number(unit, entry, &unit->running[entry->space][entry->address]) + unit->starts;
    if (sim_is(entry, "water.temperature"))
        return 312 + unit->now / 1000 % 7;
    if (sim_is(entry, "water.conductivity"))
        return 640;
    if (sim_is(entry, "access.open"))
        return unit->level;
    if (sim_is(entry, "settings.open"))
        return unit->gathers;
    if (sim_is(entry, "settings.storing"))
        return unit->storing;
    if (sim_is(entry, "door.closed"))
        return 1;
    return entry->role == SIM_LIVE ? 0 : UINT64_MAX;
}

const sim_model sim_ew4 = {.name = "ew-4",
                           .address = "plant.address",
                           .serial = "id.serial",
                           .firmware = "id.firmware",
                           .boot_ms = 5000,
                           .reply_ms = 5,
                           .most_read = 64,
                           .most_write = 1,
                           .entries = map,
                           .count = sizeof map / sizeof map[0],
                           .start = start,
                           .tick = tick,
                           .may = may,
                           .there = there,
                           .written = written,
                           .live = live,
                           .files = files,
                           .doors = doors,
                           .door_count = sizeof doors / sizeof doors[0],
                           .single = true};

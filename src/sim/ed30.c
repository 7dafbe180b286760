/* The drive ED-30: low cell first; takes values only with the password, some only while held; its mode resets ramps,
 * torque limits and regulator; it rounds ramps to 10 ms; what isn't stored is gone after a restart. */
#include <string.h>

#include "entry.h"
#include "unit.h"

enum { READY, RUNNING, HELD, STOPPING };
enum { STORE_KEY = 23205, FACTORY_KEY = 51966 };

#define ANY 1, 0
#define HOLD true
#define FREE false

/* clang-format off */
static const sim_entry map[] = {
    {"id.vendor", 0, 0, "t8", SIM_IDENTITY, 0, FREE, ANY, "Esempio", NULL},
    {"id.model", 0, 4, "t6", SIM_IDENTITY, 0, FREE, ANY, "ED-30", NULL},
    {"id.hardware", 0, 7, "t2", SIM_IDENTITY, 0, FREE, ANY, "B", NULL},
    {"id.firmware", 0, 8, "t6", SIM_IDENTITY, 0, FREE, ANY, "2.4.1", NULL},
    {"id.serial", 0, 11, "t10", SIM_IDENTITY, 0, FREE, ANY, "ED30-0417", NULL},
    {"hours.run", 0, 16, "u32", SIM_IDENTITY, 1, FREE, ANY, "0", "8123.4"},
    {"hours.power", 0, 18, "u32", SIM_IDENTITY, 1, FREE, ANY, "0", "15220.7"},
    {"hours.starts", 0, 20, "u32", SIM_IDENTITY, 0, FREE, ANY, "0", "2210"},
    {"drive.mode", 0, 100, "u16", SIM_SETTING, 0, HOLD, 0, 2, "0", "1"},
    {"drive.direction", 0, 101, "u16", SIM_SETTING, 0, HOLD, 0, 2, "0", NULL},
    {"motor.voltage", 0, 102, "u16", SIM_SETTING, 0, HOLD, 100, 500, "400", NULL},
    {"motor.current", 0, 103, "u16", SIM_SETTING, 2, HOLD, 20, 4000, "5.00", "11.40"},
    {"motor.power", 0, 104, "u32", SIM_SETTING, 0, HOLD, 90, 18500, "2200", "5500"},
    {"motor.frequency", 0, 106, "u16", SIM_SETTING, 1, HOLD, 100, 4000, "50.0", NULL},
    {"motor.poles", 0, 107, "u16", SIM_SETTING, 0, HOLD, 2, 12, "4", "6"},
    {"motor.inertia", 0, 108, "f32", SIM_SETTING, 0, HOLD, ANY, "0.01", "0.0625"},
    {"motor.resistance", 0, 110, "f32", SIM_SETTING, 0, HOLD, ANY, "2.2", "0.874"},
    {"motor.cos_phi", 0, 112, "u16", SIM_SETTING, 3, HOLD, 500, 1000, "0.820", "0.850"},
    {"motor.cooling", 0, 113, "u16", SIM_SETTING, 0, HOLD, 0, 1, "0", "1"},
    {"motor.thermal_limit", 0, 114, "u8", SIM_SETTING, 0, FREE, 30, 150, "100", "95"},
    {"reserved.a", 0, 115, "u32", SIM_GAP, 0, FREE, ANY, NULL, NULL},
    {"ramp.up", 0, 117, "u32", SIM_SETTING, 3, FREE, 50, 600000, "3.000", "12.500"},
    {"ramp.down", 0, 119, "u32", SIM_SETTING, 3, FREE, 50, 600000, "3.000", "8.000"},
    {"ramp.shape", 0, 121, "u16", SIM_SETTING, 0, FREE, 0, 1, "0", "1"},
    {"ramp.jerk", 0, 122, "u16", SIM_SETTING, 0, FREE, 0, 5000, "0", "350"},
    {"speed.maximum", 0, 123, "i32", SIM_SETTING, 1, HOLD, -60000, 60000, "1500.0", "1000.0"},
    {"speed.minimum", 0, 125, "i32", SIM_SETTING, 1, HOLD, -60000, 60000, "0.0", "-120.0"},
    {"speed.fixed_1", 0, 127, "i16", SIM_SETTING, 1, FREE, -1000, 1000, "0.0", "35.5"},
    {"speed.fixed_2", 0, 128, "i16", SIM_SETTING, 1, FREE, -1000, 1000, "0.0", "62.0"},
    {"speed.fixed_3", 0, 129, "i16", SIM_SETTING, 1, FREE, -1000, 1000, "0.0", "-10.0"},
    {"speed.skip_band", 0, 130, "u16", SIM_SETTING, 0, FREE, 0, 500, "0", "40"},
    {"ramp.emergency", 0, 131, "u16", SIM_SETTING, 0, FREE, 50, 10000, "500", "800"},
    {"reserved.b", 0, 132, "u16", SIM_GAP, 0, FREE, ANY, NULL, NULL},
    {"limit.current", 0, 133, "u16", SIM_SETTING, 2, FREE, 20, 6000, "7.50", "17.10"},
    {"limit.torque", 0, 134, "u16", SIM_SETTING, 1, FREE, 0, 2500, "150.0", "180.0"},
    {"limit.torque_reverse", 0, 135, "u16", SIM_SETTING, 1, FREE, 0, 2500, "150.0", "60.0"},
    {"limit.energy", 0, 136, "u32", SIM_SETTING, 0, FREE, 0, 500000, "1000", "72000"},
    {"limit.temperature", 0, 138, "i8", SIM_SETTING, 0, FREE, -30, 20, "-10", "-5"},
    {"limit.overload_time", 0, 139, "u8", SIM_SETTING, 0, FREE, 1, 60, "10", "25"},
    {"regulator.gain", 0, 140, "f32", SIM_SETTING, 0, FREE, ANY, "1", "4.35"},
    {"regulator.integral", 0, 142, "f32", SIM_SETTING, 0, FREE, ANY, "0.1", "0.275"},
    {"regulator.filter", 0, 144, "u16", SIM_SETTING, 1, FREE, 0, 1000, "2.0", "5.5"},
    {"regulator.boost", 0, 145, "u16", SIM_SETTING, 1, FREE, 0, 300, "0.0", "7.5"},
    {"regulator.deadband", 0, 146, "i32", SIM_SETTING, 2, FREE, -5000, 5000, "0.00", "-1.25"},
    {"reserved.c", 0, 148, "u32", SIM_GAP, 0, FREE, ANY, NULL, NULL},
    {"terminal.input_1", 0, 150, "u16", SIM_SETTING, 0, HOLD, 0, 5, "1", NULL},
    {"terminal.input_2", 0, 151, "u16", SIM_SETTING, 0, HOLD, 0, 5, "0", "4"},
    {"terminal.input_3", 0, 152, "u16", SIM_SETTING, 0, HOLD, 0, 5, "0", "5"},
    {"terminal.output_1", 0, 153, "u16", SIM_SETTING, 0, FREE, 0, 4, "1", NULL},
    {"terminal.output_2", 0, 154, "u16", SIM_SETTING, 0, FREE, 0, 4, "0", "4"},
    {"terminal.filter", 0, 155, "u8", SIM_SETTING, 0, FREE, 0, 100, "5", "12"},
    {"terminal.invert", 0, 156, "u8", SIM_SETTING, 0, HOLD, 0, 7, "0", "4"},
    {"watch.enabled", 0, 157, "u8", SIM_SETTING, 0, FREE, 0, 1, "0", "1"},
    {"watch.action", 0, 158, "u8", SIM_SETTING, 0, FREE, 0, 2, "0", "1"},
    {"watch.mask", 0, 159, "u16", SIM_SETTING, 0, FREE, 0, 783, "0", "267"},
    {"watch.pattern", 0, 160, "u64", SIM_SETTING, 0, FREE, ANY, "0", "11068047695208850521"},
    {"watch.restart_lock", 0, 164, "u8", SIM_SETTING, 0, FREE, 0, 1, "0", "1"},
    {"bus.address", 0, 200, "u8", SIM_SETTING, 0, FREE, 1, 247, "1", "3"},
    {"bus.rate", 0, 201, "u8", SIM_SETTING, 0, FREE, 0, 3, "1", NULL},
    {"bus.name", 0, 202, "t16", SIM_SETTING, 0, FREE, ANY, "", "crusher"},
    {"calibration.current_offset", 0, 300, "i16", SIM_CALIBRATION, 0, HOLD, ANY, "-37", NULL},
    {"calibration.current_gain", 0, 301, "u16", SIM_CALIBRATION, 4, HOLD, 5000, 15000, "1.0123", NULL},
    {"calibration.position", 0, 302, "i64", SIM_CALIBRATION, 0, HOLD, ANY, "-5120034", NULL},
    {"drive.state", 0, 400, "u8", SIM_LIVE, 0, FREE, ANY, NULL, NULL},
    {"access.level", 0, 401, "u8", SIM_LIVE, 0, FREE, ANY, NULL, NULL},
    {"live.current", 0, 402, "u16", SIM_LIVE, 2, FREE, ANY, NULL, NULL},
    {"live.temperature", 0, 403, "i8", SIM_LIVE, 0, FREE, ANY, NULL, NULL},
    {"live.speed", 0, 404, "f32", SIM_LIVE, 0, FREE, ANY, NULL, NULL},
    {"store.state", 0, 406, "u8", SIM_LIVE, 0, FREE, ANY, NULL, NULL},
    {"command.hold", 0, 500, "u8", SIM_COMMAND, 0, FREE, 0, 1, NULL, NULL},
    {"command.run", 0, 501, "u8", SIM_COMMAND, 0, FREE, 0, 1, NULL, NULL},
    {"command.store", 0, 502, "u16", SIM_COMMAND, 0, FREE, STORE_KEY, STORE_KEY, NULL, NULL},
    {"command.restart", 0, 503, "u16", SIM_COMMAND, 0, FREE, 1, 1, NULL, NULL},
    {"command.factory", 0, 504, "u16", SIM_COMMAND, 0, FREE, FACTORY_KEY, FACTORY_KEY, NULL, NULL},
    {"access.password", 0, 600, "t8", SIM_SECRET, 0, FREE, ANY, "mill-30", NULL},
    {"access.key", 0, 610, "t8", SIM_COMMAND, 0, FREE, ANY, NULL, NULL},
};
/* clang-format on */

static void start(sim_unit *unit)
{
    unit->state = READY;
    unit->state_at = 0;
    unit->level = 0;
    unit->storing = false;
}

static void tick(sim_unit *unit)
{
    if (unit->state == STOPPING && unit->now >= unit->state_at)
        unit->state = HELD;
    if (unit->storing && unit->now >= unit->store_at) {
        unit->storing = false;
        sim_store(unit);
    }
}

static sim_reply may(const sim_unit *unit, const sim_entry *entry, const uint16_t *cells)
{
    (void)cells;
    if (unit->storing)
        return SIM_BUSY;
    if (sim_is(entry, "access.key") || sim_is(entry, "command.hold") || sim_is(entry, "command.run"))
        return SIM_OK;
    if (unit->level == 0 || (entry->held && !unit->free && unit->state != HELD))
        return SIM_NOT_NOW;
    if ((sim_is(entry, "command.restart") || sim_is(entry, "command.factory")) && unit->state == RUNNING)
        return SIM_NOT_NOW;
    return SIM_OK;
}

static void reset_by_mode(sim_unit *unit, unsigned mode)
{
    static const char *const values[3][6] = {
        {"3.000", "3.000", "150.0", "150.0", "1", "0.1"},
        {"1.000", "1.000", "100.0", "100.0", "0.5", "0.05"},
        {"20.000", "30.000", "110.0", "0.0", "2", "1.5"},
    };
    static const char *const names[6] = {"ramp.up",        "ramp.down",         "limit.torque", "limit.torque_reverse",
                                         "regulator.gain", "regulator.integral"};
    for (int i = 0; i < 6; i++)
        sim_put(unit, names[i], values[mode][i]);
}

static void round_ramp(sim_unit *unit, const sim_entry *entry)
{
    uint16_t *cells = &unit->running[0][entry->address];
    uint32_t ms = ((uint32_t)cells[1] << 16 | cells[0]) + 5;
    ms -= ms % 10;
    cells[0] = (uint16_t)(ms & 0xffff);
    cells[1] = (uint16_t)(ms >> 16);
}

static void hold(sim_unit *unit, bool on)
{
    if (on && unit->state == RUNNING) {
        unit->state = STOPPING;
        unit->state_at = unit->now + 1500;
    } else if (on && unit->state == READY) {
        unit->state = HELD;
    } else if (!on && (unit->state == HELD || unit->state == STOPPING)) {
        unit->state = READY;
    }
}

static void written(sim_unit *unit, const sim_entry *entry, const uint16_t *cells, bool changed)
{
    if (sim_is(entry, "drive.mode") && changed)
        reset_by_mode(unit, cells[0]);
    else if (sim_is(entry, "ramp.up") || sim_is(entry, "ramp.down"))
        round_ramp(unit, entry);
    else if (sim_is(entry, "access.key"))
        unit->level = memcmp(cells, &unit->running[0][600], 4 * sizeof cells[0]) == 0;
    else if (sim_is(entry, "command.hold"))
        hold(unit, cells[0]);
    else if (sim_is(entry, "command.run") && (unit->state == READY || unit->state == RUNNING))
        unit->state = cells[0] ? RUNNING : READY;
    else if (sim_is(entry, "command.store")) {
        unit->storing = true;
        unit->store_at = unit->now + 800;
    } else if (sim_is(entry, "command.restart"))
        sim_restart(unit);
    else if (sim_is(entry, "command.factory"))
        sim_factory_reset(unit, unit->now);
}

static uint64_t live(const sim_unit *unit, const sim_entry *entry)
{
    if (sim_is(entry, "drive.state"))
        return unit->state;
    if (sim_is(entry, "access.level"))
        return unit->level;
    if (sim_is(entry, "store.state"))
        return unit->storing ? 1 : sim_all_stored(unit) ? 0 : 2;
    if (sim_is(entry, "live.current"))
        return unit->state == RUNNING ? 900 + unit->now % 37 : 0;
    if (sim_is(entry, "live.temperature"))
        return unit->state == RUNNING ? 41 : 18;
    if (sim_is(entry, "live.speed"))
        return unit->state == RUNNING ? 0x44610000 : 0; /* 900.0 rpm */
    if (sim_is(entry, "hours.starts")) {
        const uint16_t *cells = &unit->running[0][20];
        return ((uint64_t)cells[1] << 16 | cells[0]) + unit->starts;
    }
    if (sim_is(entry, "hours.power")) {
        const uint16_t *cells = &unit->running[0][18];
        return ((uint64_t)cells[1] << 16 | cells[0]) + unit->now / 360000;
    }
    return UINT64_MAX;
}

const sim_model sim_ed30 = {.name = "ed-30",
                            .address = "bus.address",
                            .serial = "id.serial",
                            .firmware = "id.firmware",
                            .called = "bus.name",
                            .low_cell_first = true,
                            .boot_ms = 3000,
                            .reply_ms = 8,
                            .most_read = 32,
                            .most_write = 16,
                            .entries = map,
                            .count = sizeof map / sizeof map[0],
                            .start = start,
                            .tick = tick,
                            .may = may,
                            .written = written,
                            .live = live};

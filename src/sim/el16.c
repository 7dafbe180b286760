/* The tank logger EL-16, asked in words: a table of sixteen channels that is printed whole and takes values only while
 * it is being set up; samples that a new table clears; a script that goes in pieces and counts once it is whole; access
 * that ends with the session, of which it bears one, and which ends by itself when nobody types. */
#include <stdio.h>
#include <stdlib.h>
#include <string.h>

#include "console.h"
#include "entry.h"

enum { STANDING, LOGGING, SETUP };
enum { KEEP_MS = 600, IDLE_MS = 120000, ROWS = 16, ROW_CELLS = 18 };
/* reasons that it gives beside those of unit.h */
enum { WHAT = 1, WHICH = 2 };
/* samples: most of them, those from before it was first asked, bytes of a line */
enum { SAMPLES = 60000, STORED_BEFORE = 240, SAMPLE = 32, PIECE = 64 };

#define ANY 1, 0

/* clang-format off */
#define ROW(n, sensor, low, high, alarm, unit_, label) \
    {"channel_" #n ".sensor", SIM_HOLDING, ROW_CELLS * (n - 1), "u8", SIM_SETTING, 0, true, 0, 4, "0", sensor}, \
    {"channel_" #n ".low", SIM_HOLDING, ROW_CELLS * (n - 1) + 1, "i32", SIM_SETTING, 3, true, ANY, "0.000", low}, \
    {"channel_" #n ".high", SIM_HOLDING, ROW_CELLS * (n - 1) + 3, "i32", SIM_SETTING, 3, true, ANY, "100.000", high}, \
    {"channel_" #n ".filter", SIM_HOLDING, ROW_CELLS * (n - 1) + 5, "u16", SIM_SETTING, 0, true, 0, 600, "10", NULL}, \
    {"channel_" #n ".alarm", SIM_HOLDING, ROW_CELLS * (n - 1) + 6, "i32", SIM_SETTING, 3, true, ANY, "0.000", alarm}, \
    {"channel_" #n ".trim", SIM_HOLDING, ROW_CELLS * (n - 1) + 8, "i16", SIM_CALIBRATION, 4, true, ANY, "0.0000", "0.0" #n "7"}, \
    {"channel_" #n ".unit", SIM_HOLDING, ROW_CELLS * (n - 1) + 9, "t6", SIM_SETTING, 0, true, ANY, "", unit_}, \
    {"channel_" #n ".label", SIM_HOLDING, ROW_CELLS * (n - 1) + 12, "t12", SIM_SETTING, 0, true, ANY, "", label},
enum { SET = ROWS * ROW_CELLS, INTERVAL = SET, LINES = SET + 20, SCRIPT = SET + 160, SCRIPT_CELLS = 301 };
#define LINE_1 "total = c1 + c2 + c3\n"
#define LINE_2 "full = total > 30 ? 1 : 0\n"
#define LINE_3 "warm = max(c5, c6) > 34.25 ? 1 : 0\n"

static const sim_entry map[] = {
    ROW(1, "1", "0.000", "12.500", "11.800", "m3", "Oil tank 1")
    ROW(2, "1", "0.000", "12.500", "11.800", "m3", "Oil tank 2")
    ROW(3, "1", "0.000", "8.250", "7.900", "m3", "Oil tank 3")
    ROW(4, "2", "-10.000", "60.000", "28.500", "C", "Tank room")
    ROW(5, "3", "-50.000", "250.000", "34.250", "C", "Kneader 1")
    ROW(6, "3", "-50.000", "250.000", "34.250", "C", "Kneader 2")
    ROW(7, "4", "0.000", "1000.000", "0.000", "l", "Water")
    ROW(8, "0", NULL, NULL, NULL, NULL, NULL)
    ROW(9, "0", NULL, NULL, NULL, NULL, NULL)
    ROW(10, "2", "0.000", "16.000", "15.500", "bar", "Press")
    ROW(11, "0", NULL, NULL, NULL, NULL, NULL)
    ROW(12, "0", NULL, NULL, NULL, NULL, NULL)
    ROW(13, "1", "0.000", "100.000", "95.000", "%", "Humidity")
    ROW(14, "0", NULL, NULL, NULL, NULL, NULL)
    ROW(15, "0", NULL, NULL, NULL, NULL, NULL)
    ROW(16, "4", "0.000", "99999.000", "0.000", "kWh", "Energy in")
    {"logger.interval", SIM_HOLDING, INTERVAL, "u16", SIM_SETTING, 0, false, 1, 3600, "60", "30"},
    {"logger.memory", SIM_HOLDING, SET + 1, "u8", SIM_SETTING, 0, false, 0, 1, "0", "1"},
    {"logger.mean", SIM_HOLDING, SET + 2, "u8", SIM_SETTING, 0, false, 0, 1, "0", "1"},
    {"clock.offset", SIM_HOLDING, SET + 3, "i16", SIM_SETTING, 0, false, -720, 840, "0", "60"},
    {"clock.summer", SIM_HOLDING, SET + 4, "u8", SIM_SETTING, 0, false, 0, 1, "0", "1"},
    {"alarm.delay", SIM_HOLDING, SET + 5, "u16", SIM_SETTING, 0, false, 0, 3600, "10", "45"},
    {"alarm.gap", SIM_HOLDING, SET + 6, "u16", SIM_SETTING, 1, false, 0, 1000, "0.5", "1.5"},
    {"alarm.relay", SIM_HOLDING, SET + 7, "u8", SIM_SETTING, 0, false, 0, 2, "0", "2"},
    {"alarm.text", SIM_HOLDING, SET + 8, "t24", SIM_SETTING, 0, false, ANY, "", "Call the mill master"},
    {"display.lines", SIM_HOLDING, LINES, "u8", SIM_SETTING, 0, false, 0, 50, "24", NULL},
    {"display.language", SIM_HOLDING, SET + 21, "u8", SIM_SETTING, 0, false, 0, 2, "0", "1"},
    {"display.contrast", SIM_HOLDING, SET + 22, "u8", SIM_SETTING, 0, false, 0, 100, "50", "62"},
    {"calc.script", SIM_HOLDING, SCRIPT, "b600", SIM_SETTING, 0, true, ANY, "", LINE_1 LINE_2 LINE_3},
    {"plant.name", SIM_HOLDING, SET + 103, "t16", SIM_SETTING, 0, false, ANY, "logger", "tank-room"},
    {"plant.number", SIM_HOLDING, SET + 111, "u16", SIM_SETTING, 0, false, 0, 9999, "0", "16"},
    {"access.code", SIM_HOLDING, SET + 112, "t12", SIM_SECRET, 0, false, ANY, "olive", NULL},
    {"access.enter", SIM_HOLDING, SET + 130, "t12", SIM_COMMAND, 0, false, ANY, NULL, NULL},
    {"command.setup", SIM_HOLDING, SET + 140, "u8", SIM_COMMAND, 0, false, 0, 2, NULL, NULL},
    {"command.keep", SIM_HOLDING, SET + 141, "u8", SIM_COMMAND, 0, false, 1, 1, NULL, NULL},
    {"command.restart", SIM_HOLDING, SET + 142, "u8", SIM_COMMAND, 0, false, 1, 1, NULL, NULL},
    {"command.factory", SIM_HOLDING, SET + 143, "u8", SIM_COMMAND, 0, false, 1, 1, NULL, NULL},
    {"id.vendor", SIM_INPUT, 0, "t12", SIM_IDENTITY, 0, false, ANY, "Esempio", NULL},
    {"id.model", SIM_INPUT, 6, "t12", SIM_IDENTITY, 0, false, ANY, "EL-16", NULL},
    {"id.hardware", SIM_INPUT, 12, "t4", SIM_IDENTITY, 0, false, ANY, "A", NULL},
    {"id.firmware", SIM_INPUT, 14, "t8", SIM_IDENTITY, 0, false, ANY, "2.0", NULL},
    {"id.serial", SIM_INPUT, 18, "t12", SIM_IDENTITY, 0, false, ANY, "EL16-2209", NULL},
    {"hours.starts", SIM_INPUT, 24, "u32", SIM_IDENTITY, 0, false, ANY, "0", "77"},
    {"hours.logged", SIM_INPUT, 26, "u32", SIM_IDENTITY, 0, false, ANY, "0", "15210"},
    {"logger.state", SIM_INPUT, 40, "u8", SIM_LIVE, 0, false, ANY, NULL, NULL},
    {"samples.count", SIM_INPUT, 41, "u32", SIM_LIVE, 0, false, ANY, NULL, NULL},
    {"access.open", SIM_INPUT, 43, "u8", SIM_LIVE, 0, false, ANY, NULL, NULL},
    {"settings.kept", SIM_INPUT, 44, "u8", SIM_LIVE, 0, false, ANY, NULL, NULL},
    {"clock.now", SIM_INPUT, 45, "u64", SIM_LIVE, 0, false, ANY, NULL, NULL},
};
/* clang-format on */

/* What it is called in what is said, and in which words its values are; the rest is a number or a text. */
static const char *const sensors[] = {"off", "4-20mA", "0-10V", "pt100", "pulse", NULL},
                         *const switches[] = {"off", "on", NULL}, *const memories[] = {"ring", "stop", NULL},
                         *const languages[] = {"it", "en", "de", NULL},
                         *const relays[] = {"none", "pulse", "steady", NULL},
                         *const states[] = {"standing", "logging", "setup", NULL};
static const struct {
    const char *key, *name;
    const char *const *words;
} keys[] = {
    {"interval", "logger.interval", NULL},
    {"memory", "logger.memory", memories},
    {"mean", "logger.mean", switches},
    {"offset", "clock.offset", NULL},
    {"summer", "clock.summer", switches},
    {"alarm delay", "alarm.delay", NULL},
    {"alarm gap", "alarm.gap", NULL},
    {"alarm relay", "alarm.relay", relays},
    {"alarm text", "alarm.text", NULL},
    {"lines", "display.lines", NULL},
    {"language", "display.language", languages},
    {"contrast", "display.contrast", NULL},
    {"name", "plant.name", NULL},
    {"number", "plant.number", NULL},
    {"code", "access.code", NULL},
    {"state", "logger.state", states},
    {"samples", "samples.count", NULL},
    {"access", "access.open", switches},
    {"kept", "settings.kept", switches},
    {"time", "clock.now", NULL},
    {"enter", "access.enter", NULL},
};
enum { KEYS = sizeof keys / sizeof keys[0] };
static const char *const columns[] = {"sensor", "low", "high", "filter", "alarm", "trim", "unit", "label"};
enum { COLUMNS = sizeof columns / sizeof columns[0] };

static const char *const *words_of(const sim_entry *entry)
{
    if (entry < map + ROWS * COLUMNS)
        return (entry - map) % COLUMNS == 0 ? sensors : NULL;
    for (size_t i = 0; i < KEYS; i++)
        if (sim_is(entry, keys[i].name))
            return keys[i].words;
    return NULL;
}

/* ---- what it does ---- */

/* What was measured lasts without supply, and means something only while a channel is there. */
static uint32_t samples(const sim_unit *unit)
{
    uint64_t since = unit->state == LOGGING && unit->powered_at < unit->now ? unit->now - unit->powered_at : 0;
    bool any = false;
    for (int n = 0; n < ROWS; n++)
        any = any || unit->running[SIM_HOLDING][ROW_CELLS * n] != 0;
    uint64_t count = unit->state_before + since / 1000 / unit->running[SIM_HOLDING][INTERVAL];
    return !any ? 0 : count < SAMPLES ? (uint32_t)count : SAMPLES;
}

/* What it does from now on; it measures only while it is logging. */
static void go(sim_unit *unit, uint32_t state)
{
    unit->state_before = samples(unit);
    unit->state = state;
    unit->powered_at = unit->now;
}

static void start(sim_unit *unit)
{
    unit->state_before = unit->starts ? samples(unit) : STORED_BEFORE;
    unit->state = LOGGING;
    unit->level = 0;
    unit->storing = false;
    unit->talks_to = NULL;
    unit->powered_at = unit->up_at;
}

static void tick(sim_unit *unit)
{
    if (unit->storing && unit->now >= unit->store_at) {
        unit->storing = false;
        sim_store(unit);
    }
}

static void left(sim_unit *unit)
{
    unit->level = 0;
}

static sim_reply may(const sim_unit *unit, const sim_entry *entry, const uint16_t *cells)
{
    (void)cells;
    if (unit->storing)
        return SIM_BUSY;
    if (sim_is(entry, "access.enter"))
        return SIM_OK;
    if (!unit->level)
        return SIM_NOT_NOW;
    if (sim_is(entry, "command.factory") && unit->state != SETUP)
        return SIM_NOT_NOW;
    return entry->held && unit->state != SETUP && !unit->free ? SIM_NOT_NOW : SIM_OK;
}

/* A table that isn't the one before: what was sampled means nothing any more. */
static void clear_samples(sim_unit *unit)
{
    unit->powered_at = unit->now;
    unit->state_before = 0;
}

static void written(sim_unit *unit, const sim_entry *entry, const uint16_t *cells, bool changed)
{
    static const uint32_t to[] = {STANDING, SETUP, LOGGING};
    if (sim_is(entry, "access.enter")) {
        const sim_entry *code = sim_find(unit, "access.code");
        unit->level = memcmp(cells, &unit->running[code->space][code->address], 2 * sim_cells_of(code)) == 0;
    } else if (sim_is(entry, "command.setup")) {
        go(unit, to[cells[0]]);
    } else if (sim_is(entry, "command.keep")) {
        unit->storing = true;
        unit->store_at = unit->now + KEEP_MS;
    } else if (sim_is(entry, "command.restart")) {
        sim_restart(unit);
    } else if (sim_is(entry, "command.factory")) {
        sim_factory_reset(unit, unit->now);
    } else if (changed && strncmp(entry->name, "channel_", 8) == 0) {
        clear_samples(unit);
    }
}

static uint64_t live(const sim_unit *unit, const sim_entry *entry)
{
    uint64_t seconds = unit->now / 1000 % 36000 + 22500; /* of the day, from a quarter past six on */
    if (sim_is(entry, "logger.state"))
        return unit->state;
    if (sim_is(entry, "samples.count"))
        return samples(unit);
    if (sim_is(entry, "access.open"))
        return unit->level;
    if (sim_is(entry, "settings.kept"))
        return !unit->storing && sim_all_stored(unit);
    if (sim_is(entry, "clock.now"))
        return UINT64_C(20261130000000) + seconds / 3600 * 10000 + seconds / 60 % 60 * 100 + seconds % 60;
    if (sim_is(entry, "hours.starts"))
        return sim_number(unit, entry, &unit->running[entry->space][entry->address]) + unit->starts;
    return UINT64_MAX;
}

/* ---- what it says ---- */

static const char *text_of(const sim_unit *unit, const sim_entry *entry, const uint16_t *cells, char *out, size_t size)
{
    const char *const *words = words_of(entry);
    if (words)
        return words[cells[0]];
    sim_show(unit, entry, cells, out, size);
    return out[0] ? out : "-";
}

/* A request: what comes of entries side by side, from this one on. */
static sim_reply ask(sim_session *s, const sim_entry *first, const sim_entry *last, uint16_t *cells)
{
    uint16_t count = (uint16_t)(last->address + sim_cells_of(last) - first->address);
    return sim_read(s->unit, s->unit->now, first->space, first->address, count, cells);
}

/* As it was said last, and of what: a test asks some million times. */
static void show_table(sim_session *s)
{
    static _Thread_local uint16_t last[ROWS * ROW_CELLS];
    static _Thread_local char last_said[4000];
    uint16_t cells[ROWS * ROW_CELLS];
    char text[60];
    const sim_entry *e = map;
    if (sim_refused(s, ask(s, e, e + ROWS * COLUMNS - 1, cells)))
        return;
    if (last_said[0] && memcmp(last, cells, sizeof last) == 0) {
        sim_say(s, "%s", last_said);
        return;
    }
    size_t from = s->said_to;
    sim_say(s, "ch");
    for (size_t k = 0; k < COLUMNS; k++)
        sim_say(s, "  %-8s", columns[k]);
    sim_say(s, "\r\n");
    for (int n = 1; n <= ROWS; n++) {
        sim_say(s, "c%-2d", n);
        for (size_t k = 0; k < COLUMNS; k++, e++)
            sim_say(s, k + 1 < COLUMNS ? "  %-8s" : "  %s", text_of(s->unit, e, cells + e->address, text, sizeof text));
        sim_say(s, "\r\n");
    }
    memcpy(last, cells, sizeof last);
    snprintf(last_said, sizeof last_said, "%.*s", (int)(s->said_to - from), s->said + from);
}

static void show_unit(sim_session *s)
{
    static const char *const names[] = {"vendor", "model", "hardware", "firmware", "serial", "starts", "hours"};
    uint16_t cells[40];
    char text[60];
    const sim_entry *e = sim_find(s->unit, "id.vendor");
    if (sim_refused(s, ask(s, e, e + 6, cells)))
        return;
    for (size_t i = 0; i < sizeof names / sizeof names[0]; i++)
        sim_say(s, "%-9s: %s\r\n", names[i], text_of(s->unit, e + i, cells + e[i].address, text, sizeof text));
}

static const sim_entry *called(const sim_unit *unit, const char *key)
{
    for (size_t i = 0; i < KEYS; i++)
        if (strcmp(keys[i].key, key) == 0)
            return sim_find(unit, keys[i].name);
    return NULL;
}

static void show_one(sim_session *s, const char *key)
{
    uint16_t cells[64];
    char text[100];
    const sim_entry *e = called(s->unit, key);
    if (!e)
        sim_say(s, "NO %d\r\n", WHICH);
    else if (!sim_refused(s, ask(s, e, e, cells)))
        sim_say(s, "%s = %s\r\n", key, text_of(s->unit, e, cells, text, sizeof text));
}

static void put(sim_session *s, const sim_entry *e, const char *value)
{
    uint16_t cells[64] = {0};
    const char *const *words = e ? words_of(e) : NULL;
    bool good = e && !words && sim_parse(s->unit, e, strcmp(value, "-") == 0 ? "" : value, cells);
    for (uint16_t i = 0; words && words[i] && !good; i++) {
        good = strcmp(words[i], value) == 0;
        cells[0] = i;
    }
    if (!good)
        sim_say(s, "NO %d\r\n", e ? (int)SIM_BAD_VALUE : WHICH);
    else if (!sim_refused(s, sim_write(s->unit, s->unit->now, e->space, e->address, (uint16_t)sim_cells_of(e), cells)))
        sim_say(s, "OK\r\n");
}

/* "let KEY=VALUE" */
static void let(sim_session *s, char *rest)
{
    char *equals = strchr(rest, '=');
    if (equals)
        *equals = '\0';
    put(s, equals ? called(s->unit, rest) : NULL, equals ? equals + 1 : "");
}

/* "ch c3 low 0.500" */
static void channel(sim_session *s, const char *rest)
{
    char name[40], column[12];
    int row = 0, used = 0;
    bool good = sscanf(rest, "c%d %11[a-z] %n", &row, column, &used) == 2 && used;
    snprintf(name, sizeof name, "channel_%d.%s", row, good ? column : "");
    put(s, good ? sim_find(s->unit, name) : NULL, rest + used);
}

/* ---- files ---- */

/* The bytes of the samples from one on, up to a piece: a line each, of one length. */
static size_t samples_at(const sim_unit *unit, uint32_t from, uint8_t bytes[PIECE])
{
    size_t count = 0;
    for (uint32_t all = samples(unit) * SAMPLE; count < PIECE && from + count < all; count++) {
        char line[SAMPLE + 20];
        unsigned n = (from + (unsigned)count) / SAMPLE;
        snprintf(line, sizeof line, "%08u;%7.3f;%6.2f;%7.1f\n", n + 1, 11.2 + n % 40 / 100.0, 27.5 + n % 7 / 10.0,
                 400.0 + n % 500 / 2.0);
        bytes[count] = (uint8_t)line[(from + count) % SAMPLE];
    }
    return count;
}

/* "part script 64": the bytes from there on, up to a piece */
static void show_part(sim_session *s, const char *rest)
{
    uint16_t cells[SCRIPT_CELLS];
    uint8_t bytes[2 * SCRIPT_CELLS];
    char name[12];
    unsigned from = 0;
    bool good = sscanf(rest, "%11[a-z] %7u", name, &from) == 2, script = good && strcmp(name, "script") == 0;
    const sim_entry *e = sim_find(s->unit, script ? "calc.script" : "samples.count");
    if (!good || (!script && strcmp(name, "samples") != 0)) {
        sim_say(s, "NO %d\r\n", WHICH);
        return;
    }
    if (sim_refused(s, ask(s, e, e, cells)))
        return;
    size_t size = script ? sim_take_file(cells, bytes) : 0, begin = from < size ? from : size;
    size_t count = script ? size - begin : samples_at(s->unit, from, bytes);
    sim_say(s, "%u: ", from);
    for (size_t i = 0; i < count && i < PIECE; i++)
        sim_say(s, "%02x", bytes[begin + i]);
    sim_say(s, "\r\n");
}

static bool take_digits(sim_session *s, const char *text)
{
    size_t length = strlen(text);
    bool good = length % 2 == 0 && strspn(text, "0123456789abcdef") == length;
    good = good && s->piece_count + length / 2 <= sizeof s->pieces;
    for (size_t i = 0; i < length && good; i += 2) {
        unsigned byte = 0;
        sscanf(text + i, "%2x", &byte);
        s->pieces[s->piece_count++] = (uint8_t)byte;
    }
    return good;
}

/* "put script 64 0a0b0c": what was gathered counts with a piece of no bytes, and not before */
static void put_part(sim_session *s, const char *rest)
{
    uint16_t cells[SCRIPT_CELLS] = {0};
    unsigned from = 0;
    int used = 0;
    const sim_entry *e = sim_find(s->unit, "calc.script");
    bool script = sscanf(rest, "script %7u%n", &from, &used) == 1 && used && rest[used] == ' ';
    s->piece_count = from ? s->piece_count : 0;
    bool good = script && from == s->piece_count && take_digits(s, rest + used + 1);
    bool whole = good && s->piece_count == from;
    good = good && (!whole || sim_put_file(e, from ? s->pieces : NULL, from, cells));
    if (!good) {
        s->piece_count = 0;
        sim_say(s, "NO %d\r\n", script ? (int)SIM_BAD_VALUE : WHICH);
        return;
    }
    const sim_value value = {e, cells};
    uint16_t seen[SCRIPT_CELLS]; /* each piece is a request */
    if (!sim_refused(s, whole ? sim_write_these(s->unit, s->unit->now, &value, 1) : ask(s, e, e, seen)))
        sim_say(s, "OK\r\n");
}

static void obey(sim_session *s, char *line)
{
    static const struct {
        const char *said, *name, *value;
    } orders[] = {{"setup on", "command.setup", "1"},  {"setup off", "command.setup", "0"},
                  {"log", "command.setup", "2"},       {"keep", "command.keep", "1"},
                  {"restart", "command.restart", "1"}, {"as delivered", "command.factory", "1"}};
    for (size_t i = 0; i < sizeof orders / sizeof orders[0]; i++)
        if (strcmp(line, orders[i].said) == 0) {
            put(s, sim_find(s->unit, orders[i].name), orders[i].value);
            return;
        }
    if (strcmp(line, "table") == 0)
        show_table(s);
    else if (strcmp(line, "unit") == 0)
        show_unit(s);
    else if (strncmp(line, "show ", 5) == 0)
        show_one(s, line + 5);
    else if (strncmp(line, "let ", 4) == 0)
        let(s, line + 4);
    else if (strncmp(line, "ch ", 3) == 0)
        channel(s, line + 3);
    else if (strncmp(line, "part ", 5) == 0)
        show_part(s, line + 5);
    else if (strncmp(line, "put ", 4) == 0)
        put_part(s, line + 4);
    else if (strncmp(line, "enter ", 6) == 0)
        put(s, sim_find(s->unit, "access.enter"), line + 6);
    else
        sim_say(s, "NO %d\r\n", WHAT);
}

static unsigned page(const sim_unit *unit)
{
    return unit->running[SIM_HOLDING][LINES];
}

static const sim_dialogue dialogue = {.prompt = "EL-16> ",
                                      .user = "setup",
                                      .code = "access.code",
                                      .wrong_most = 5,
                                      .closed_ms = 600000,
                                      .echo = true,
                                      .idle_ms = IDLE_MS,
                                      .page = page,
                                      .obey = obey,
                                      .left = left};

const sim_model sim_el16 = {.name = "el-16",
                            .serial = "id.serial",
                            .firmware = "id.firmware",
                            .called = "plant.name",
                            .boot_ms = 4000,
                            .reply_ms = 5,
                            .most_read = 1000,
                            .most_write = 64,
                            .entries = map,
                            .count = sizeof map / sizeof map[0],
                            .start = start,
                            .tick = tick,
                            .may = may,
                            .written = written,
                            .live = live,
                            .dialogue = &dialogue};

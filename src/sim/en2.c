/* The labeller EN-2, asked by HTTP: five documents, of which four have settings; a key of its broker that can be
 * written and not read; an account that locks after wrong passwords. Products and heads take values only while it is
 * set up. */
#include <string.h>

#include "entry.h"
#include "web.h"

enum { READY, LABELLING, SETUP };
enum { SAVE_MS = 600, WRONG_MOST = 5, LOCKED_MS = 300000, HEADS = 4, PRODUCTS = 12 };

#define ANY 1, 0

/* clang-format off */
enum { PRODUCT_CELLS = 26, HEAD_CELLS = 8, PRINT = PRODUCTS * PRODUCT_CELLS, HEAD = PRINT + 40, NET = HEAD + 60, SYSTEM = NET + 62 };
#define PRODUCT(n, name_, length, width, lift, left, copies, layout) \
    {"product_" #n ".name", SIM_HOLDING, PRODUCT_CELLS * (n - 1), "t20", SIM_SETTING, 0, true, ANY, "", name_}, \
    {"product_" #n ".length", SIM_HOLDING, PRODUCT_CELLS * (n - 1) + 10, "u16", SIM_SETTING, 1, true, 100, 4000, "80.0", length}, \
    {"product_" #n ".width", SIM_HOLDING, PRODUCT_CELLS * (n - 1) + 11, "u16", SIM_SETTING, 1, true, 100, 1200, "60.0", width}, \
    {"product_" #n ".lift", SIM_HOLDING, PRODUCT_CELLS * (n - 1) + 12, "i16", SIM_SETTING, 1, true, -500, 500, "0.0", lift}, \
    {"product_" #n ".left", SIM_HOLDING, PRODUCT_CELLS * (n - 1) + 13, "i16", SIM_SETTING, 1, true, -500, 500, "0.0", left}, \
    {"product_" #n ".copies", SIM_HOLDING, PRODUCT_CELLS * (n - 1) + 14, "u8", SIM_SETTING, 0, true, 1, 9, "1", copies}, \
    {"product_" #n ".best_before", SIM_HOLDING, PRODUCT_CELLS * (n - 1) + 15, "u16", SIM_SETTING, 0, true, 0, 2000, "540", NULL}, \
    {"product_" #n ".turned", SIM_HOLDING, PRODUCT_CELLS * (n - 1) + 16, "u8", SIM_SETTING, 0, true, 0, 1, "0", NULL}, \
    {"product_" #n ".layout", SIM_HOLDING, PRODUCT_CELLS * (n - 1) + 17, "t16", SIM_SETTING, 0, true, ANY, "plain", layout}, \
    {"product_" #n ".grade", SIM_HOLDING, PRODUCT_CELLS * (n - 1) + 25, "u8", SIM_SETTING, 0, true, 0, 3, "0", NULL},
#define HEAD_AT(n, offset, pressure, energy) \
    {"head_" #n ".on", SIM_HOLDING, HEAD + HEAD_CELLS * (n - 1), "u8", SIM_SETTING, 0, true, 0, 1, "1", NULL}, \
    {"head_" #n ".offset", SIM_HOLDING, HEAD + HEAD_CELLS * (n - 1) + 1, "i16", SIM_CALIBRATION, 2, true, -999, 999, "0.00", offset}, \
    {"head_" #n ".pressure", SIM_HOLDING, HEAD + HEAD_CELLS * (n - 1) + 2, "u16", SIM_SETTING, 1, true, 0, 100, "4.0", pressure}, \
    {"head_" #n ".energy", SIM_HOLDING, HEAD + HEAD_CELLS * (n - 1) + 3, "u16", SIM_SETTING, 1, true, 0, 1000, "55.0", energy}, \
    {"head_" #n ".delay", SIM_HOLDING, HEAD + HEAD_CELLS * (n - 1) + 4, "u16", SIM_SETTING, 0, true, 0, 5000, "120", NULL}, \
    {"head_" #n ".peel", SIM_HOLDING, HEAD + HEAD_CELLS * (n - 1) + 5, "u16", SIM_SETTING, 1, true, 0, 500, "2.5", NULL}, \
    {"head_" #n ".retries", SIM_HOLDING, HEAD + HEAD_CELLS * (n - 1) + 6, "u8", SIM_SETTING, 0, true, 0, 9, "2", NULL}, \
    {"head_" #n ".side", SIM_HOLDING, HEAD + HEAD_CELLS * (n - 1) + 7, "u8", SIM_SETTING, 0, true, 0, 2, "0", NULL},

/* What it prints: a line a field, and a picture (a plain PBM). */
#define PLAIN "label 60 40\ntext 4 8 {name}\ntext 4 20 {batch}\ndate 4 32 {best_before}\n"
#define BOTTLE(length, width, name_) \
    "label " length " " width "\npicture 4 4 logo\ntext 30 8 " name_ "\ntext 4 30 {name}\ncode 4 40 {batch}\ndate 4 60 {best_before}\n"
#define LOGO "P1\n# an olive\n12 9\n000001110000\n000010001000\n001100000100\n010000000010\n010000110010\n010000110010\n001000000100\n000110011000\n000001100000\n"

static const sim_entry map[] = {
    {"access.code", SIM_HOLDING, 1000, "t16", SIM_SECRET, 0, false, ANY, "label-1", NULL},
    PRODUCT(1, "Extra vergine 0.75", "96.0", "72.0", "12.5", "0.0", "1", "bottle-75")
    PRODUCT(2, "Extra vergine 0.5", "84.0", "64.0", "10.0", "0.5", "1", "bottle-50")
    PRODUCT(3, "Extra vergine 0.25", "70.0", "52.0", "8.0", "0.5", "1", "bottle-25")
    PRODUCT(4, "Tin 5 l", "180.0", "110.0", "-4.5", "2.0", "2", "tin-5")
    PRODUCT(5, "Tin 3 l", "150.0", "98.0", "-4.5", "2.0", "2", "tin-3")
    PRODUCT(6, "Lemon oil", "70.0", "52.0", "8.0", "0.0", "1", "bottle-25")
    PRODUCT(7, NULL, NULL, NULL, NULL, NULL, NULL, NULL)
    PRODUCT(8, NULL, NULL, NULL, NULL, NULL, NULL, NULL)
    PRODUCT(9, "Olives in brine", "120.0", "60.0", "0.0", "-1.5", "1", "jar")
    PRODUCT(10, NULL, NULL, NULL, NULL, NULL, NULL, NULL)
    PRODUCT(11, NULL, NULL, NULL, NULL, NULL, NULL, NULL)
    PRODUCT(12, "Sample", "60.0", "40.0", "0.0", "0.0", "1", "plain")
    {"print.speed", SIM_HOLDING, PRINT, "u16", SIM_SETTING, 1, false, 50, 3000, "120.0", "180.0"},
    {"print.contrast", SIM_HOLDING, PRINT + 1, "u8", SIM_SETTING, 0, false, 0, 100, "50", "64"},
    {"print.ribbon", SIM_HOLDING, PRINT + 2, "u8", SIM_SETTING, 0, false, 0, 2, "0", "1"},
    {"print.ribbon_warn", SIM_HOLDING, PRINT + 3, "u16", SIM_SETTING, 0, false, 0, 500, "50", "80"},
    {"print.gap", SIM_HOLDING, PRINT + 4, "u16", SIM_SETTING, 1, false, 0, 200, "3.0", NULL},
    {"print.sensor", SIM_HOLDING, PRINT + 5, "u8", SIM_SETTING, 0, false, 0, 2, "0", NULL},
    {"print.threshold", SIM_HOLDING, PRINT + 6, "u16", SIM_SETTING, 2, false, 0, 500, "1.80", "2.15"},
    {"print.feed", SIM_HOLDING, PRINT + 7, "i16", SIM_SETTING, 1, false, -200, 200, "0.0", "-2.5"},
    {"print.darkness", SIM_HOLDING, PRINT + 8, "u8", SIM_SETTING, 0, false, 0, 30, "15", "18"},
    {"print.verify", SIM_HOLDING, PRINT + 9, "u8", SIM_SETTING, 0, false, 0, 1, "0", "1"},
    {"print.stop_on_bad", SIM_HOLDING, PRINT + 10, "u8", SIM_SETTING, 0, false, 0, 1, "1", NULL},
    {"print.bad_in_row", SIM_HOLDING, PRINT + 11, "u8", SIM_SETTING, 0, false, 1, 99, "3", "5"},
    {"print.batch_digits", SIM_HOLDING, PRINT + 12, "u8", SIM_SETTING, 0, false, 1, 12, "6", NULL},
    {"print.batch_prefix", SIM_HOLDING, PRINT + 13, "t8", SIM_SETTING, 0, false, ANY, "L", "PF"},
    {"print.count_limit", SIM_HOLDING, PRINT + 17, "u32", SIM_SETTING, 0, false, 0, 1000000, "0", "12000"},
    {"print.warm_up", SIM_HOLDING, PRINT + 19, "u16", SIM_SETTING, 0, false, 0, 600, "30", "45"},
    {"print.save_ribbon", SIM_HOLDING, PRINT + 20, "u8", SIM_SETTING, 0, false, 0, 1, "0", NULL},
    {"print.head_up_after", SIM_HOLDING, PRINT + 21, "u16", SIM_SETTING, 0, false, 0, 3600, "300", NULL},
    {"print.offset_all", SIM_HOLDING, PRINT + 22, "i16", SIM_SETTING, 1, false, -200, 200, "0.0", "1.5"},
    HEAD_AT(1, "0.12", "4.5", "58.0")
    HEAD_AT(2, "-0.08", "4.2", "56.5")
    HEAD_AT(3, "0.31", "3.9", "60.0")
    HEAD_AT(4, "0.05", "4.0", "57.0")
    {"network.dhcp", SIM_HOLDING, NET, "u8", SIM_SETTING, 0, false, 0, 1, "1", "0"},
    {"network.address", SIM_HOLDING, NET + 1, "t16", SIM_SETTING, 0, false, ANY, "", "10.20.0.42"},
    {"network.mask", SIM_HOLDING, NET + 9, "t16", SIM_SETTING, 0, false, ANY, "", "255.255.255.0"},
    {"network.gateway", SIM_HOLDING, NET + 17, "t16", SIM_SETTING, 0, false, ANY, "", "10.20.0.1"},
    {"network.port", SIM_HOLDING, NET + 25, "u16", SIM_SETTING, 0, false, 1, 65535, "80", NULL},
    {"broker.on", SIM_HOLDING, NET + 26, "u8", SIM_SETTING, 0, false, 0, 1, "0", "1"},
    {"broker.host", SIM_HOLDING, NET + 27, "t32", SIM_SETTING, 0, false, ANY, "", "broker.mill.test"},
    {"broker.port", SIM_HOLDING, NET + 43, "u16", SIM_SETTING, 0, false, 1, 65535, "8883", NULL},
    {"broker.topic", SIM_HOLDING, NET + 44, "t32", SIM_SETTING, 0, false, ANY, "labels", "mill/labeller-1"},
    {"broker.every", SIM_HOLDING, NET + 60, "u16", SIM_SETTING, 0, false, 1, 3600, "60", "15"},
    {"broker.quality", SIM_HOLDING, NET + 61, "u8", SIM_SETTING, 0, false, 0, 2, "1", NULL},
    {"clock.zone", SIM_HOLDING, SYSTEM, "i16", SIM_SETTING, 0, false, -720, 840, "0", "60"},
    {"clock.summer", SIM_HOLDING, SYSTEM + 1, "u8", SIM_SETTING, 0, false, 0, 1, "0", "1"},
    {"clock.server", SIM_HOLDING, SYSTEM + 2, "t32", SIM_SETTING, 0, false, ANY, "", "time.mill.test"},
    {"panel.language", SIM_HOLDING, SYSTEM + 18, "u8", SIM_SETTING, 0, false, 0, 2, "0", "1"},
    {"panel.bright", SIM_HOLDING, SYSTEM + 19, "u8", SIM_SETTING, 0, false, 0, 100, "80", "70"},
    {"panel.lock_after", SIM_HOLDING, SYSTEM + 20, "u16", SIM_SETTING, 0, false, 0, 3600, "0", "120"},
    {"panel.sound", SIM_HOLDING, SYSTEM + 21, "u8", SIM_SETTING, 0, false, 0, 1, "1", "0"},
    {"alarm.lamp", SIM_HOLDING, SYSTEM + 22, "u8", SIM_SETTING, 0, false, 0, 2, "1", "2"},
    {"alarm.delay", SIM_HOLDING, SYSTEM + 23, "u16", SIM_SETTING, 0, false, 0, 600, "5", "8"},
    {"alarm.stops", SIM_HOLDING, SYSTEM + 24, "u8", SIM_SETTING, 0, false, 0, 1, "1", NULL},
    {"alarm.text", SIM_HOLDING, SYSTEM + 25, "t40", SIM_SETTING, 0, false, ANY, "", "Roll empty: call \"Line 2\""},
    {"plant.name", SIM_HOLDING, SYSTEM + 45, "t16", SIM_SETTING, 0, false, ANY, "labeller", "labeller-1"},
    {"plant.line", SIM_HOLDING, SYSTEM + 53, "u8", SIM_SETTING, 0, false, 0, 99, "0", "2"},
    {"media.logo", SIM_HOLDING, 1100, "b250", SIM_SETTING, 0, true, ANY, "", LOGO},
    {"media.layout_1", SIM_HOLDING, 1230, "b250", SIM_SETTING, 0, true, ANY, PLAIN, PLAIN},
    {"media.layout_2", SIM_HOLDING, 1360, "b250", SIM_SETTING, 0, true, ANY, "", BOTTLE("96", "72", "Extra vergine")},
    {"media.layout_3", SIM_HOLDING, 1490, "b250", SIM_SETTING, 0, true, ANY, "", BOTTLE("70", "52", "Limone")},
    {"media.layout_4", SIM_HOLDING, 1620, "b250", SIM_SETTING, 0, true, ANY, "", NULL},
    {"broker.key", SIM_HOLDING, 1010, "t32", SIM_SECRET, 0, false, ANY, "", "green-gold"},
    {"command.order", SIM_HOLDING, 1030, "u8", SIM_COMMAND, 0, false, 0, 5, NULL, NULL},
    {"id.vendor", SIM_INPUT, 0, "t12", SIM_IDENTITY, 0, false, ANY, "Esempio", NULL},
    {"id.model", SIM_INPUT, 6, "t12", SIM_IDENTITY, 0, false, ANY, "EN-2", NULL},
    {"id.hardware", SIM_INPUT, 12, "t4", SIM_IDENTITY, 0, false, ANY, "1", NULL},
    {"id.firmware", SIM_INPUT, 14, "t8", SIM_IDENTITY, 0, false, ANY, "5.1", NULL},
    {"id.serial", SIM_INPUT, 18, "t12", SIM_IDENTITY, 0, false, ANY, "EN2-8841", NULL},
    {"hours.starts", SIM_INPUT, 24, "u32", SIM_IDENTITY, 0, false, ANY, "0", "31"},
    {"hours.labels", SIM_INPUT, 26, "u32", SIM_IDENTITY, 0, false, ANY, "0", "884120"},
    {"hours.changes", SIM_INPUT, 28, "u32", SIM_IDENTITY, 0, false, ANY, "0", NULL},
    {"keeps.labels_1", SIM_INPUT, 30, "u32", SIM_IDENTITY, 0, false, ANY, "0", NULL},
    {"keeps.labels_2", SIM_INPUT, 32, "u32", SIM_IDENTITY, 0, false, ANY, "0", NULL},
    {"state.now", SIM_INPUT, 34, "u8", SIM_LIVE, 0, false, ANY, NULL, NULL},
    {"state.saved", SIM_INPUT, 35, "u8", SIM_LIVE, 0, false, ANY, NULL, NULL},
};
/* clang-format on */

static const char
    *const states[] = {"ready", "labelling", "setup", NULL},
           *const orders[] = {"setup_off", "setup_on", "label", "save", "restart", "factory", NULL},
           *const ribbons[] = {"none", "wax", "resin", NULL}, *const sensors[] = {"gap", "mark", "none", NULL},
           *const sides[] = {"front", "back", "both", NULL}, *const grades[] = {"a", "b", "c", "off", NULL},
           *const languages[] = {"it", "en", "de", NULL}, *const lamps[] = {"off", "steady", "flash", NULL};

static bool ends_with(const sim_entry *entry, const char *end)
{
    size_t length = strlen(entry->name), size = strlen(end);
    return length >= size && strcmp(entry->name + length - size, end) == 0;
}

static const char *const *words_of(const sim_entry *entry)
{
    static const struct {
        const char *end;
        const char *const *words;
    } all[] = {{"state.now", states},         {"command.order", orders}, {"print.ribbon", ribbons},
               {"print.sensor", sensors},     {".side", sides},          {".grade", grades},
               {"panel.language", languages}, {"alarm.lamp", lamps}};
    for (size_t i = 0; i < sizeof all / sizeof all[0]; i++)
        if (ends_with(entry, all[i].end))
            return all[i].words;
    return NULL;
}

static bool yes_no(const sim_entry *entry)
{
    static const char *const ends[] = {".turned", ".on",     ".verify", ".stop_on_bad", ".save_ribbon",
                                       ".dhcp",   ".summer", ".sound",  ".stops",       ".saved"};
    for (size_t i = 0; i < sizeof ends / sizeof ends[0]; i++)
        if (ends_with(entry, ends[i]))
            return true;
    return false;
}

/* ---- what it does ---- */

static uint32_t labels_of(const sim_unit *unit)
{
    const sim_entry *labels = sim_find(unit, "hours.labels");
    return (uint32_t)sim_number(unit, labels, &unit->running[labels->space][labels->address]);
}

/* Each save keeps what was saved before; the two last ones can be read. */
static void keep_and_save(sim_unit *unit)
{
    memcpy(unit->kept[1], unit->kept[0], sizeof unit->kept[1]);
    memcpy(unit->kept[0], unit->stored[SIM_HOLDING], sizeof unit->kept[0]);
    unit->kept_hours[1] = unit->kept_hours[0];
    unit->kept_hours[0] = labels_of(unit);
    sim_store(unit);
}

static const uint16_t *saved(const sim_unit *unit)
{
    return unit->stored[SIM_HOLDING];
}

static const uint16_t *kept_1(const sim_unit *unit)
{
    return unit->kept[0];
}

static const uint16_t *kept_2(const sim_unit *unit)
{
    return unit->kept[1];
}

static void start(sim_unit *unit)
{
    unit->state = READY;
    unit->level = 0;
    unit->powered_at = 0;
    unit->storing = false;
}

static void tick(sim_unit *unit)
{
    if (unit->storing && unit->now >= unit->store_at) {
        unit->storing = false;
        keep_and_save(unit);
    }
}

static sim_reply may(const sim_unit *unit, const sim_entry *entry, const uint16_t *cells)
{
    if (unit->storing)
        return SIM_BUSY;
    if (sim_is(entry, "command.order") && cells[0] == 5 && unit->state != SETUP) /* as delivered */
        return SIM_NOT_NOW;
    return entry->held && unit->state != SETUP && !unit->free ? SIM_NOT_NOW : SIM_OK;
}

static void written(sim_unit *unit, const sim_entry *entry, const uint16_t *cells, bool changed)
{
    static const uint32_t to[] = {READY, SETUP, LABELLING};
    (void)changed;
    if (!sim_is(entry, "command.order"))
        return;
    if (cells[0] < 3) {
        unit->state = to[cells[0]];
    } else if (cells[0] == 3) {
        unit->storing = true;
        unit->store_at = unit->now + SAVE_MS;
    } else if (cells[0] == 4) {
        sim_restart(unit);
    } else {
        sim_factory_reset(unit, unit->now);
    }
}

static uint64_t live(const sim_unit *unit, const sim_entry *entry)
{
    if (sim_is(entry, "state.now"))
        return unit->state;
    if (sim_is(entry, "state.saved"))
        return !unit->storing && sim_all_stored(unit);
    if (sim_is(entry, "hours.changes"))
        return unit->changes;
    if (sim_is(entry, "keeps.labels_1"))
        return unit->kept_hours[0];
    if (sim_is(entry, "keeps.labels_2"))
        return unit->kept_hours[1];
    if (sim_is(entry, "hours.starts"))
        return sim_number(unit, entry, &unit->running[entry->space][entry->address]) + unit->starts;
    return UINT64_MAX;
}

static const char *const unit_groups[] = {"id", "hours", "keeps", "state", NULL},
                         *const products[] = {"product_", NULL}, *const prints[] = {"print", NULL},
                         *const heads[] = {"head_", NULL}, *const systems[] = {"network", "broker", "clock", "panel",
                                                                               "alarm",   "plant",  NULL};
static const sim_resource resources[] = {
    {.path = "/api/unit", .groups = unit_groups},
    {.path = "/api/products", .method = "PATCH", .groups = products},
    {.path = "/api/print", .method = "PATCH", .groups = prints},
    {.path = "/api/heads", .method = "PUT", .groups = heads, .array = "heads"},
    {.path = "/api/system", .method = "PATCH", .groups = systems},
    {.path = "/api/order", .method = "POST", .alone = "command.order"},
    {.path = "/api/access", .closed = true},
    {.path = "/media", .files = "media."},
    {.path = NULL},
};

static const sim_shelf shelves[] = {
    {"/api/saved", saved}, {"/api/kept/1", kept_1}, {"/api/kept/2", kept_2}, {NULL, NULL}};

static const sim_web web = {.resources = resources,
                            .root = "/api",
                            .shelves = shelves,
                            .user = "setup",
                            .code = "access.code",
                            .realm = "EN-2 labels",
                            .words = words_of,
                            .yes_no = yes_no,
                            .wrong_most = WRONG_MOST,
                            .locked_ms = LOCKED_MS};

const sim_model sim_en2 = {.name = "en-2",
                           .serial = "id.serial",
                           .firmware = "id.firmware",
                           .called = "plant.name",
                           .boot_ms = 5000,
                           .reply_ms = 8,
                           .most_read = 4000,
                           .most_write = 64,
                           .entries = map,
                           .count = sizeof map / sizeof map[0],
                           .start = start,
                           .tick = tick,
                           .may = may,
                           .written = written,
                           .live = live,
                           .web = &web};

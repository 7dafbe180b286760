/* Every write that can break: each way of writing, broken off before each action, its record cut at each byte, struck
 * by each fault at each request, then gone on with or undone and broken off again, until both ways end well. What the
 * unit holds is compared cell by cell with its own memory as it was set up and as it was before. The records are real
 * files, read as the tool reads them. */
#include <dirent.h>
#include <unistd.h>

#include "bilancia/words.h"
#include "help.h"
#include "host/copy/record.h"
#include "sim/control.h"
#include "sim/entry.h"
#include "sim/fault.h"

enum {
    NEVER = 100000000,
    OF_PLAYS = SAMPLING > 1 ? 7 : 1 /* where each play takes all there is: each, or one of so many */
};

/* ---- the ways of writing ---- */

typedef struct setting {
    const char *name;
    const sim_model *sim;
    const bil_description *description;
    bool on_line; /* reached by a unit number, which the values change */
    const char *run, *stop;
    uint32_t running;
    const char *groups, *other_serial, *contested[2], *hand, *hand_value, *clamp, *clamp_value, *refuse;
    /* variants of the drive */
    bool free;        /* it takes all values without being held */
    bool lasting;     /* a value lasts as soon as it is written */
    bil_verdict best; /* what an undisturbed write comes to */
    bool nameless;    /* nothing tells it from others */
    /* of the requests at which something goes wrong, and of the actions, from any on: every so many; 0: each */
    uint64_t stride, actions;
    bool shut;                 /* it shows its settings only to who has its code, and wants time after each reply */
    bool line;                 /* asked in words, over a line that is always there */
    bool guarded;              /* it tells nobody anything before a login */
    const char *pages;         /* and so many lines of an answer at a time */
    const char *sealed, *seal; /* a secret that comes with the copy, and what it is; NULL: none does */
    uint64_t look;             /* requests beyond the one with the serial number until it is clear who answers */
} setting;

typedef struct play {
    const setting *on;
    bil_purpose purpose;
    bool calibration, some, running, resets, trial;
    bool calm; /* it is to go on working: nothing is held or restarted that need not be */
    bil_restart restart;
} play;

static bil_description drive_on_line; /* the drive, with a restart after its mode, on a line */
/* and drives with less: no hold, no store, no restart, nothing that shows a restart, only a lost hold or an absence
 * that shows it, no serial number, a hardware address instead, commands that may not be repeated */
static bil_description unheld, unstored, unrestarted, unshown, by_hold, by_absence, nameless, addressed, once;

/* the station, for whom reading wants its code, too, and parts of cells are written with a mask */
static bil_description shut;

/* the labeller, whose documents take one value a request, and which wants a login first */
static bil_description singly;

#define DRIVE(called, table)                                                                                           \
    .name = called, .sim = &sim_ed30, .description = &table, .run = "set command.run 1", .stop = "set command.run 0",  \
    .running = 1, .groups = "drive,limit,ramp,regulator,watch", .other_serial = "ED30-0999",                           \
    .contested = {"limit.energy", "limit.temperature"}, .hand = "limit.energy", .hand_value = "4321",                  \
    .clamp = "limit.overload_time", .clamp_value = "17", .refuse = "motor.cos_phi", .stride = 5, .actions = 4

/* values that come together, or are forgotten, coils, parts of cells, a mailbox, another unit number, one value a
 * request, one that is there only in a mode, some that only this hardware has, a lock at the end */
#define STATION(called, table)                                                                                         \
    .name = called, .sim = &sim_ew4, .description = &table, .running = 1,                                              \
    .groups = "tank,panel,product_3,channel_2,rinse", .other_serial = "440999",                                        \
    .contested = {"tank.target", "rinse.time"}, .hand = "rinse.time", .hand_value = "321",                             \
    .clamp = "channel_2.amount", .clamp_value = "5.0", .refuse = "product_3.density", .stride = 9, .actions = 5,       \
    .look = 1

/* asked in words, one value a request but for a table, in a session that ends with the connection, or by itself; at
 * work again as soon as it is on */
#define LOGGER(called)                                                                                                 \
    .name = called, .sim = &sim_el16, .description = &bil_description_el_16, .running = 1,                             \
    .groups = "channel_3,channel_10,calc,alarm", .other_serial = "EL16-0999",                                          \
    .contested = {"channel_3.high", "alarm.delay"}, .hand = "alarm.delay", .hand_value = "321", .clamp = "alarm.gap",  \
    .clamp_value = "5.0", .refuse = "channel_3.high"

/* documents, of which one is written whole; orders that are one; an account */
#define LABELLER(called, table)                                                                                        \
    .name = called, .sim = &sim_en2, .description = &table, .running = 1,                                              \
    .groups = "product_3,product_4,head_2,print,network", .other_serial = "EN2-0999",                                  \
    .contested = {"product_3.lift", "print.speed"}, .hand = "print.warm_up", .hand_value = "321",                      \
    .clamp = "print.contrast", .clamp_value = "5", .refuse = "product_3.length"

static const setting settings[] = {
    {DRIVE("drive", bil_description_ed_30)},
    {.name = "controller",
     .sim = &sim_ec8,
     .description = &bil_description_ec_8,
     .running = 1,
     .groups = "plant,kneader_1,kneader_4",
     .other_serial = "700999",
     .contested = {"kneader_1.time", "kneader_1.speed"},
     .hand = "plant.alarm_delay",
     .hand_value = "321",
     .clamp = "kneader_1.water",
     .clamp_value = "5.00",
     .refuse = "kneader_4.gain",
     .stride = 2},
    {DRIVE("drive on a line", drive_on_line), .on_line = true},
    {DRIVE("drive without hold", unheld), .free = true},
    {DRIVE("drive that stores by itself", unstored), .lasting = true},
    {DRIVE("drive without restart", unrestarted), .best = BIL_VERDICT_NOT_PROVED},
    {DRIVE("drive that shows no restart", unshown), .best = BIL_VERDICT_NOT_PROVED},
    {DRIVE("drive whose lost hold shows it", by_hold)},
    {DRIVE("drive whose absence shows it", by_absence)},
    {DRIVE("drive without serial number", nameless), .best = BIL_VERDICT_WITH_EXCEPTIONS, .nameless = true},
    {DRIVE("drive with an address for good", addressed)},
    {DRIVE("drive that is told nothing twice", once)},
    {STATION("station", bil_description_ew_4)},
    {STATION("station on a line", bil_description_ew_4), .on_line = true},
    {STATION("station that is shut", shut), .shut = true},
    {LOGGER("logger")},
    {LOGGER("logger on a line"), .line = true, .guarded = true},
    {LOGGER("logger that shows pages"), .pages = "9", .guarded = true, .stride = 2},
    {LABELLER("labeller", bil_description_en_2)},
    {LABELLER("labeller, one value a request", singly), .guarded = true, .look = 2, /* of the login */
     .sealed = "broker.key", .seal = "under-green-leaves"},
};

/* All purposes, scopes, with and without calibration, standing and running; each kind of restart; reset and trial. */
enum {
    FULL = 3,
    SETTINGS = sizeof settings / sizeof settings[0],
    LABELLERS = SETTINGS - 2,
    LOGGERS = LABELLERS - 3,
    STATIONS = LOGGERS - 3
};

static size_t all_plays(play *plays)
{
    size_t count = 0;
    for (size_t s = FULL; s < SETTINGS; s++)
        for (int i = 0; i < (settings[s].free ? 1 : 2); i++) /* what isn't held for it has to stand */
            plays[count++] = (play){.on = &settings[s], .running = i, .restart = BIL_RESTART_NOW};
    static const play stations[] = {{.purpose = BIL_REPLACEMENT, .calibration = true},
                                    {.resets = true, .running = true},
                                    {.trial = true},
                                    {.calm = true, .running = true}};
    static const play loggers[] = {{.some = true, .running = true},
                                   {.purpose = BIL_CLONE, .some = true},
                                   {.restart = BIL_RESTART_BY_HAND},
                                   {.restart = BIL_RESTART_AT, .running = true}};
    for (size_t i = 0; i < 4; i++) {
        plays[count] = loggers[i];
        plays[count].on = &settings[LOGGERS + i % 3];
        if (!plays[count].restart)
            plays[count].restart = BIL_RESTART_NOW;
        plays[count + 1] = plays[count];
        plays[count + 1].on = &settings[LABELLERS + i % 2];
        count += 2;
    }
    for (size_t i = 0; i < 12; i++) { /* they take long: each of these on one of three */
        plays[count] = stations[i % 4];
        plays[count].on = &settings[i < 4 ? LOGGERS - 1 - i % 3 : i < 8 ? LABELLERS - 1 - i % 3 : SETTINGS - 1 - i % 2];
        plays[count++].restart = BIL_RESTART_NOW;
    }
    for (int i = 0; i < 12; i++) /* few requests a write: more ways of writing */
        plays[count++] = (play){.on = &settings[LABELLERS + (i + i / 4) % 2],
                                .purpose = (bil_purpose)(i / 4),
                                .calibration = i & 1,
                                .some = i & 2,
                                .running = i % 3,
                                .restart = BIL_RESTART_NOW};
    for (size_t s = 0; s < FULL; s++)
        for (int i = 0; i < BIL_PURPOSE_COUNT * 8; i++)
            plays[count++] = (play){.on = &settings[s],
                                    .purpose = (bil_purpose)(i / 8),
                                    .calibration = i & 1,
                                    .some = i & 2,
                                    .running = i & 4,
                                    .restart = BIL_RESTART_NOW};
    for (size_t s = 0; s < FULL; s++)
        for (int i = 0; i < 10; i++) {
            static const bil_restart when[] = {BIL_RESTART_IDLE, BIL_RESTART_AT, BIL_RESTART_BY_HAND};
            play p = {.on = &settings[s], .running = i & 1, .restart = i < 6 ? when[i / 2] : BIL_RESTART_NOW};
            p.resets = i / 2 == 3;
            p.trial = i / 2 == 4;
            plays[count++] = p;
        }
    for (size_t s = 0; s < FULL; s++)
        for (int i = 0; i < 4; i++) /* what needs hold is among it, or not */
            plays[count++] =
                (play){.on = &settings[s], .some = i & 1, .running = i & 2, .calm = true, .restart = BIL_RESTART_NOW};
    return count;
}

/* Those of a drive that goes on need no hold. */
static const char *groups_of(const play *p)
{
    return p->calm && p->on->run ? "ramp,limit,regulator" : p->on->groups;
}

/* How it ends where nothing is in its way. */
static bool is_best(const play *p, bil_verdict verdict)
{
    return verdict == p->on->best || (p->on->sealed && verdict == BIL_VERDICT_WITH_EXCEPTIONS) ||
           (p->calm && verdict == BIL_VERDICT_IN_FORCE);
}

static const char *play_text(const play *p)
{
    static char text[200];
    static const char *const restarts[] = {
#define NAME(NAME_, name, what) name,
        BIL_RESTARTS(NAME)
#undef NAME
    };
    snprintf(text, sizeof text, "%s: %s%s%s%s%s%s, restart %s", p->on->name,
             p->resets ? "reset" : bil_purpose_name(p->purpose), p->calibration ? ", with calibration" : "",
             p->some ? ", some groups" : "", p->running ? ", running" : "", p->trial ? ", on trial" : "",
             p->calm ? ", going on" : "", restarts[p->restart]);
    return text;
}

/* ---- a unit, what it holds, and what it is to hold ---- */

typedef struct memory {
    uint16_t cells[SIM_SPACES][SIM_CELLS];
} memory;

typedef struct world world;
struct world {
    bench b;
    play p;
    char folder[64];
    sim_unit start;           /* as every case begins */
    uint32_t number;          /* on the line at which it answers then */
    memory old, wanted;       /* what lasts of it before, and what it has to be afterwards */
    bil_image safety;         /* the first safety copy of the story */
    const char *hand;         /* what somebody else changed meanwhile, or NULL */
    const sim_entry *by_hand; /* what somebody may change, in the unit and in its description */
    uint16_t hand_index;
    const memory *towards; /* where the last job that went on was to come to */
    memory before;         /* the unit's own memory when that was saved */
    bool has_safety;
    /* the present job */
    record rec;
    record_intent intent;
    uint64_t at, count; /* dies before this action */
    size_t torn;        /* and leaves so many bytes of the line that it was about to record */
    jmp_buf out;
    bool waiting;
    unsigned waits, records, no_record; /* this one can't be saved, counted from 1; 0: all can */
    uint64_t looked_at;                 /* number of the request that read the value of `hand` last */
    uint64_t record_at[40];             /* numbers of the actions that record something behind the intent */
    size_t record_count;
    /* what happens beside it */
    sim_unit *other;         /* takes its place */
    unsigned asked, written; /* of the other: requests for more than who it is; writes */
    unsigned year;           /* by the clock of the present command */
    bool let_go;             /* by this job */
    unsigned started;        /* orders that set a machine to work, to either */
    uint64_t event_at;       /* before this action */
    void (*event)(world *w);
    uint64_t cancel_at; /* the job is cancelled while this action is performed; NEVER */
    bool happened;
    uint64_t happened_at; /* number of the unit's request */
    uint32_t starts_at;   /* of the unit, when the present job began */
    uint32_t starts_then; /* of the unit, when its restart was announced */
};

static void listen(void *ctx, const sim_unit *unit, bool write, uint8_t space, uint16_t address, uint16_t count,
                   const uint16_t *cells)
{
    world *w = ctx;
    bool who = !write;
    for (uint16_t i = 0; i < count && (write || who); i++) {
        int16_t owner = unit->owner[space][address + i];
        const sim_entry *entry = owner < 0 ? NULL : &unit->entries[owner];
        who = who && entry && (entry->role == SIM_IDENTITY || (unit->model->web && entry->role == SIM_LIVE));
        if (write && entry && entry->role == SIM_COMMAND &&
            ((strcmp(entry->name, "command.run") == 0 && cells[i]) ||
             (unit->model == &sim_ec8 && strcmp(entry->name, "command.hold") == 0 && cells[i] == 2)))
            w->started++;
    }
    if (unit == w->other) {
        w->asked += !who;
        w->written += write;
    }
}

/* Cells that last: settings, calibration, secrets, but for one that a reset takes away: it is in no copy. */
static bool lasts(const sim_entry *entry)
{
    return entry->role == SIM_SETTING || entry->role == SIM_CALIBRATION || (entry->role == SIM_SECRET && !entry->plant);
}

static void remember(const sim_unit *unit, uint16_t cells[SIM_SPACES][SIM_CELLS], memory *to)
{
    memset(to, 0, sizeof *to);
    for (size_t i = 0; i < unit->count; i++) {
        const sim_entry *entry = &unit->entries[i];
        for (size_t k = 0; k < sim_cells_of(entry) && lasts(entry); k++)
            to->cells[entry->space][entry->address + k] = cells[entry->space][entry->address + k];
    }
}

/* A target without a heater is kept by the station, and there for nobody. */
static bool is_there(const sim_unit *unit, const sim_entry *entry, const memory *from)
{
    const sim_entry *heater = strcmp(entry->name, "tank.target") == 0 ? sim_find(unit, "tank.heater") : NULL;
    return !heater || from->cells[heater->space][heater->address];
}

/* Is the memory this? Else the name of the first entry that isn't. `but` may differ. */
static const char *differs(const sim_unit *unit, uint16_t cells[SIM_SPACES][SIM_CELLS], const memory *from,
                           const char *but)
{
    for (size_t i = 0; i < unit->count; i++) {
        const sim_entry *entry = &unit->entries[i];
        if (!is_there(unit, entry, from))
            continue;
        for (size_t k = 0; k < sim_cells_of(entry) && lasts(entry); k++)
            if (cells[entry->space][entry->address + k] != from->cells[entry->space][entry->address + k] &&
                !(but && strcmp(entry->name, but) == 0))
                return entry->name;
    }
    return NULL;
}

static bool in_groups(const char *id, const char *groups)
{
    size_t length = strcspn(id, ".");
    for (const char *g = groups; *g; g += strcspn(g, ",") + (g[strcspn(g, ",")] == ','))
        if (strcspn(g, ",") == length && strncmp(g, id, length) == 0)
            return true;
    return false;
}

/* The cells of a value in the unit's own memory. */
static uint16_t *cells_of(memory *m, const sim_unit *unit, const bil_param *param, uint16_t *count)
{
    bool names = unit->model->dialogue || unit->model->web || param->format->type == BIL_FILE;
    const sim_entry *entry = names ? sim_find(unit, param->id) : NULL;
    *count = names ? (uint16_t)(entry ? sim_cells_of(entry) : 0) : param->cells;
    return entry ? &m->cells[entry->space][entry->address] : *count ? &m->cells[param->space][param->at.number] : NULL;
}

/* Which value goes where, once more and by itself: the table of classes and purposes. */
static bool goes(const play *p, const bil_param *param)
{
    if ((p->some && !in_groups(param->id, groups_of(p))) || !param->flags)
        return false;
    switch ((bil_class)param->cls) {
    case BIL_CLASS_SETUP:
        return true;
    case BIL_CLASS_PLACE:
        return p->purpose == BIL_RESTORE || p->purpose == BIL_REPLACEMENT;
    case BIL_CLASS_CALIBRATION:
        return p->calibration &&
               (p->purpose == BIL_RESTORE || (p->purpose == BIL_REPLACEMENT && param->flags & BIL_OF_PLACE));
    default:
        return false;
    }
}

/* Nothing would take it back after a trial, and what is reset has the one from the manual. */
static bool has_secret(const play *p)
{
    return p->on->sealed && !p->trial && !p->resets;
}

/* As set up in the mill and saved; then another or a reset unit with other calibration, on which the write begins. */
static void make_world(world *w, const play *p)
{
    const setting *on = p->on;
    char answer[100];
    memory mill;
    memset(w, 0, sizeof *w);
    w->p = *p;
    if (on->line)
        bench_open_line(&w->b, on->sim, on->description);
    else
        bench_open(&w->b, on->sim, on->description, false);
    sim_unit *unit = w->b.unit;
    w->by_hand = sim_find(unit, on->hand);
    w->hand_index = index_of(on->description, on->hand);
    if (on->pages) {
        sim_put(unit, "display.lines", on->pages);
        sim_store(unit);
    }
    unit->lasting = on->lasting;
    unit->free = on->free;
    unit->shuts = on->shut;
    unit->guarded = on->guarded;
    if (on->guarded && on->line)
        sim_session_open(&w->b.stream.session, unit, 0, true);
    w->b.sim.deaf_ms = on->description->link.pause_ms;
    w->other = malloc(sizeof *w->other);
    remember(unit, unit->running, &mill);
    assert_int_equal(bench_read(&w->b, true).u.end.cause, BIL_OK);
    sim_unit *set_up = malloc(sizeof *set_up);
    *set_up = *unit;
    if (!p->resets)
        sim_factory_reset(unit, w->b.sim.now);
    w->b.sim.now += 20000;
    sim_is_up(unit, w->b.sim.now);
    if (p->purpose != BIL_RESTORE)
        sim_put(unit, "id.serial", on->other_serial);
    for (size_t i = 0; i < unit->count; i++)
        if (unit->entries[i].role == SIM_CALIBRATION)
            unit->running[unit->entries[i].space][unit->entries[i].address] ^= 3;
    sim_store(unit);
    if (p->running && on->run)
        sim_control(unit, w->b.sim.now, on->run, answer, sizeof answer);
    else if (p->running)
        unit->state = on->running;
    remember(unit, unit->running, &w->old);
    w->wanted = w->old;
    if (p->resets) { /* what it was delivered with, by its own map */
        sim_unit *delivered = malloc(sizeof *delivered);
        sim_start(delivered, on->sim, true, NULL, NULL);
        for (size_t i = 0; i < unit->count; i++)
            if (unit->entries[i].role != SIM_CALIBRATION && lasts(&unit->entries[i]))
                memcpy(&w->wanted.cells[unit->entries[i].space][unit->entries[i].address],
                       &delivered->running[unit->entries[i].space][unit->entries[i].address],
                       sim_cells_of(&unit->entries[i]) * sizeof(uint16_t));
        free(delivered);
        for (uint16_t i = 0; i < on->description->count; i++) {
            w->b.want.state[i] = on->description->factory_known[i] ? BIL_PRESENT : BIL_ABSENT;
            if (on->description->factory_known[i])
                bil_image_put(&w->b.want, i, on->description->factory + on->description->params[i].raw_at);
        }
        if (on->sim == &sim_ew4) /* delivered without the heater */
            w->b.want.state[index_of(on->description, "tank.target")] = BIL_ABSENT;
    } else {
        for (uint16_t i = 0; i < on->description->count; i++) {
            const bil_param *param = &on->description->params[i];
            uint16_t count;
            const uint16_t *from = cells_of(&mill, unit, param, &count);
            if (goes(p, param) && count)
                memcpy(cells_of(&w->wanted, unit, param, &count), from, count * sizeof *from);
            if (p->some && !in_groups(param->id, groups_of(p)))
                w->b.want.state[i] = BIL_ABSENT;
        }
    }
    free(set_up);
    if (has_secret(p)) {
        const sim_entry *secret = sim_find(unit, on->sealed);
        uint16_t *cells = &w->wanted.cells[secret->space][secret->address];
        memset(cells, 0, sim_cells_of(secret) * sizeof *cells);
        for (size_t i = 0; i < strlen(on->seal); i++) /* two letters a cell, the first one in its high half */
            cells[i / 2] |= (uint16_t)(on->seal[i] << (i % 2 ? 0 : 8));
    }
    unit->listener = listen;
    unit->listener_ctx = w;
    w->number = unit->answers_at;
    w->start = *unit;
    w->safety = new_image(on->description);
    snprintf(w->folder, sizeof w->folder, "%s/bilancia-breaks-XXXXXX",
             access("/dev/shm", W_OK) == 0 ? "/dev/shm" : "/tmp");
    assert_non_null(mkdtemp(w->folder));
}

static void forget_records(const world *w)
{
    DIR *dir = opendir(w->folder);
    struct dirent *entry;
    while ((entry = readdir(dir)))
        if (entry->d_name[0] != '.') {
            char path[400];
            snprintf(path, sizeof path, "%s/%s", w->folder, entry->d_name);
            unlink(path);
        }
    closedir(dir);
}

static unsigned cases;

/* The same, by the kind of device. */
enum { DEVICES = 5 };
static const struct {
    const sim_model *model;
    const char *name;
} devices[DEVICES] = {{&sim_ed30, "drive"},
                      {&sim_ec8, "controller"},
                      {&sim_ew4, "station"},
                      {&sim_el16, "logger"},
                      {&sim_en2, "labeller"}};
static unsigned cases_of[DEVICES];

static void end_world(world *w)
{
    static unsigned before;
    for (int i = 0; i < DEVICES; i++)
        cases_of[i] += devices[i].model == w->p.on->sim ? cases - before : 0;
    before = cases;
    forget_records(w);
    rmdir(w->folder);
    free_image(&w->safety);
    free(w->other);
    bench_close(&w->b);
}

/* ---- whoever runs the jobs ---- */

static bool keep_record(void *ctx, const bil_action *action)
{
    world *w = ctx;
    static unsigned moment;
    static dice clocks = {73};
    char when[48], name[60];
    /* each command under another time: clocks are set back and forth, and tell nothing */
    if (action->u.record.event == BIL_EV_INTENT || moment == 0)
        w->year = 1970 + roll_below(&clocks, 130);
    snprintf(when, sizeof when, "%u-11-23T07:00:00.%09uZ", w->year, ++moment);
    if (++w->records == w->no_record)
        return false;
    w->waiting = action->u.record.event == BIL_EV_RELEASED || action->u.record.event == BIL_EV_WAITING;
    w->let_go = w->let_go || action->u.record.event == BIL_EV_RELEASING;
    if (action->u.record.event == BIL_EV_RESTARTING || action->u.record.event == BIL_EV_RESETTING)
        w->starts_then = w->b.unit->starts;
    if (action->u.record.event == BIL_EV_INTENT) {
        w->intent.found = action->u.record.code;
        w->intent.have = &w->b.have;
        w->intent.purpose = w->b.purpose;
        snprintf(name, sizeof name, "%u-%09u.brec", w->year, moment);
        json_t *after = story_heads(w->folder, NULL, NULL, NULL);
        w->intent.after = after;
        bool good = record_begin(&w->rec, w->folder, name, record_intent_line(&w->intent, when), false) == BIL_OK;
        json_decref(after);
        w->intent.after = NULL;
        return good;
    }
    return !w->rec.file || record_add(&w->rec, record_event_line(w->b.description, action, when)) == BIL_OK;
}

static bool keep_safety_copy(void *ctx, const bil_image *have)
{
    world *w = ctx;
    char path[100] = "x.bset";
    if (!w->intent.chain[0] && !w->intent.undoes) {
        bil_image_copy(&w->safety, have);
        remember(w->b.unit, w->b.unit->running, &w->before);
    }
    if (++w->records == w->no_record)
        return false;
    w->has_safety = true;
    return record_add(&w->rec, record_safety_line(path, "")) == BIL_OK;
}

static void die(world *w, const bil_action *action)
{
    if (action->kind == BIL_ACT_RECORD && w->rec.file && action->u.record.event != BIL_EV_INTENT) {
        /* the line that was about to be written, as far as it came */
        char when[] = "2026-11-23T07:00:00.000000000Z";
        json_t *line = record_event_line(w->b.description, action, when);
        char *text = json_dumps(line, JSON_COMPACT);
        size_t size = strlen(text);
        fwrite(text, 1, w->torn < size ? w->torn : size, w->rec.file);
        fflush(w->rec.file);
        free(text);
        json_decref(line);
    }
    longjmp(w->out, 1);
}

/* ---- what a person or the computer does meanwhile ---- */

static bool is_held(const world *w)
{
    return w->b.unit->state == 2;
}

static void takes_it(world *w)
{
    w->b.unit->state = 2;
}

static void lets_it_go(world *w)
{
    if (is_held(w))
        w->b.unit->state = 0;
}

static void starts_it(world *w)
{
    w->b.unit->state = 1;
}

static void switches_it(world *w)
{
    sim_power_cut(w->b.unit, w->b.sim.now);
}

static void changes_a_value(world *w)
{
    char answer[100];
    w->hand = w->p.on->hand;
    sim_set(w->b.unit, w->p.on->hand, w->p.on->hand_value, answer, sizeof answer);
}

/* The lid was closed for two hours; meanwhile another unit came to the place. */
static void sleeps(world *w)
{
    w->b.sim.now += 7200000;
    if (w->b.sim.swap)
        w->b.sim.unit = w->other;
}

/* All actions of all plays, in one sum: with BILANCIA_ACTIONS=FILE, a line of that for each thousand. What is meant to
 * change only the shape of the jobs leaves that file as it was. */
static void sum_up(const bil_action *a)
{
    static FILE *file;
    static uint64_t sum = 14695981039346656037u, count; /* FNV-1a */
    const char *path = getenv("BILANCIA_ACTIONS");
    if (!path || (!file && !(file = fopen(path, "w"))))
        return;
    uint64_t said[140] = {a->number, a->kind};
    size_t n = 2;
    if (a->kind == BIL_ACT_TRANSFER) {
        const bil_transfer *t = &a->u.transfer;
        const bil_span span = t->description->console ? (bil_span){.count = t->count} : bil_cells_span(t);
        const uint64_t own[] = {t->write, t->value, span.space, t->secret, span.first, span.count, t->items[0]};
        memcpy(said + n, own, sizeof own);
        n += sizeof own / sizeof own[0];
        const uint8_t *raw = t->raw;
        for (uint16_t i = 0; t->write && !t->secret && i < t->count; i++) {
            const bil_param *param = &t->description->params[t->items[i]];
            uint16_t cells[BIL_TEXT_MAX];
            if (param->cells)
                bil_value_to_cells(param->format, raw, cells);
            for (uint8_t k = 0; k < param->cells; k++)
                said[n++] = cells[k];
            raw += param->format->size;
        }
    } else if (a->kind == BIL_ACT_WAIT) {
        said[n++] = a->u.wait.until_ms;
    } else if (a->kind == BIL_ACT_CONNECT) {
        said[n++] = a->u.connect.until_ms;
        const bil_connect *to = &a->u.connect;
        uint64_t unit = 0;
        for (uint8_t i = 0; to->raw && i < to->description->params[to->at].format->size; i++)
            unit = unit << 8 | to->raw[i];
        said[n++] = to->raw ? unit + 1 : 0;
    } else if (a->kind == BIL_ACT_ASK) {
        said[n++] = a->u.ask.question;
        said[n++] = a->u.ask.found;
    } else if (a->kind == BIL_ACT_RECORD) {
        const uint64_t own[] = {a->u.record.event, (uint64_t)a->u.record.cause, a->u.record.param, a->u.record.code};
        memcpy(said + n, own, sizeof own);
        n += 4;
    } else if (a->kind == BIL_ACT_END) {
        const uint64_t own[] = {a->u.end.verdict,   a->u.end.held,    a->u.end.wrote,           a->u.end.stored,
                                a->u.end.restarted, a->u.end.stopped, (uint64_t)a->u.end.cause, a->u.end.param,
                                a->u.end.other,     a->u.end.code};
        memcpy(said + n, own, sizeof own);
        n += 10;
    }
    for (size_t i = 0; i < n; i++)
        for (unsigned k = 0; k < 64; k += 8)
            sum = (sum ^ (said[i] >> k & 0xff)) * 1099511628211u;
    if (++count % 1000 == 0)
        fprintf(file, "%llu %016llx\n", (unsigned long long)count, (unsigned long long)sum);
}

/* Does the request ask for what somebody may change? */
static bool asks_for_hand(const world *w, const bil_transfer *t)
{
    const sim_entry *entry = w->by_hand;
    bool any = false;
    for (uint16_t i = 0; t->description->console && i < t->count; i++)
        any = any || t->items[i] == w->hand_index;
    if (t->description->console)
        return any;
    const bil_span span = bil_cells_span(t);
    return span.space == entry->space && span.first <= entry->address && entry->address < span.first + span.count;
}

static void before_each(void *ctx, const bil_job *job, const bil_action *action)
{
    world *w = ctx;
    w->intent.goes_on = bil_job_goes_on(job);
    char answer[100];
    sum_up(action);
    if (action->kind == BIL_ACT_TRANSFER && action->u.transfer.write && action->u.transfer.value)
        assert_true(w->has_safety); /* no value before there is a way back */
    const bil_transfer *t = action->kind == BIL_ACT_TRANSFER ? &action->u.transfer : NULL;
    if (t && !t->write && asks_for_hand(w, t))
        w->looked_at = w->b.unit->requests;
    if (action->kind == BIL_ACT_RECORD && action->u.record.event == BIL_EV_INTENT) {
        w->b.purpose = bil_job_purpose(job);
        w->intent.unit_after = bil_job_unit_after(job);
    }
    if (w->waiting && action->kind == BIL_ACT_WAIT && w->waits++ == 3 &&
        w->p.running) { /* somebody stops the machine */
        if (w->p.on->stop)
            sim_control(w->b.unit, w->b.sim.now, w->p.on->stop, answer, sizeof answer);
        else
            w->b.unit->state = 0;
    }
    if (action->kind == BIL_ACT_RECORD && w->rec.file && w->record_count < 40)
        w->record_at[w->record_count++] = w->count;
    if (w->event && !w->happened && w->count >= w->event_at &&
        (w->event != sleeps || action->kind != BIL_ACT_TRANSFER)) {
        w->happened = true;
        w->happened_at = w->b.unit->requests;
        w->event(w);
    }
    if (w->count == w->cancel_at)
        bil_job_cancel((bil_job *)(uintptr_t)job);
    if (w->count++ == w->at)
        die(w, action);
}

/* A person who does as told. */
static bool ask(void *ctx, const bil_action *action)
{
    world *w = ctx;
    if (action->u.ask.question == BIL_ASK_PERSON)
        sim_power_cut(w->b.unit, w->b.sim.now);
    return true;
}

/* The computer dies before action `at` of this job, or the job comes to its end: then true. */
static bool run_until(world *w, const bil_image *want, bil_job_config config, uint64_t at, size_t torn, bil_action *end)
{
    config.want = want;
    config.has_password = true;
    w->at = at;
    w->torn = torn;
    w->count = 0;
    w->waits = 0;
    w->waiting = w->let_go = false;
    w->records = 0;
    w->looked_at = 0;
    w->record_count = 0;
    w->rec.file = NULL;
    w->intent.config = &config;
    w->starts_at = w->b.unit->starts;
    bool alive = setjmp(w->out) == 0;
    if (alive) {
        *end = bench_write(&w->b, config);
        if (w->rec.file) {
            record_add(&w->rec, record_outcome_line(end, 0, "", NULL));
            record_end(&w->rec);
        }
    }
    record_close(&w->rec);
    return alive;
}

/* What goes out beside the values of the copy. */
static void put_secret(world *w, bil_job_config *config)
{
    static bil_proc_step step;
    static const bil_procedure puts = {.kind = BIL_PROC_COMMIT, .steps = &step, .step_count = 1};
    if (!has_secret(&w->p))
        return;
    step = (bil_proc_step){.kind = BIL_STEP_SECRET,
                           .repeatable = true,
                           .param = index_of(w->b.description, w->p.on->sealed),
                           .value = BIL_SECRETS_MAX + 1};
    w->b.sealed = w->p.on->seal;
    config->secrets = &puts;
}

static void speak_to(world *w, uint32_t number, bil_job_config *config)
{
    static char text[12];
    if (!w->p.on->on_line)
        return;
    snprintf(text, sizeof text, "%u", number);
    w->intent.address = text;
    sim_link_on_line(&w->b.sim, number);
    config->unit = BIL_UNIT(number);
}

static void begin(world *w)
{
    *w->b.unit = w->start;
    w->b.unit->requests = 0;
    w->b.sim.unit = w->b.unit;
    w->b.sim.swap = NULL;
    w->event = NULL;
    w->cancel_at = UINT64_MAX;
    w->happened = false;
    w->asked = w->written = w->started = 0;
    w->b.sim.number = w->b.sim.usual = 0;
    w->has_safety = false;
    w->hand = NULL;
    w->towards = NULL;
    w->b.ask = ask;
    w->b.record = keep_record;
    w->b.save = keep_safety_copy;
    w->b.before = before_each;
    w->b.ctx = w;
    w->intent =
        (record_intent){.who = "test", .why = "", .address = "", .copy = "", .digest = "", .groups = "", .chain = ""};
    forget_records(w);
}

static bool write_until(world *w, uint64_t at, size_t torn, bil_action *end)
{
    bil_job_config config = bench_config(&w->b);
    config.kind = w->p.resets ? BIL_JOB_RESET : BIL_JOB_WRITE;
    config.purpose = w->p.purpose;
    config.purpose_given = w->p.purpose != BIL_RESTORE || w->p.on->nameless;
    config.with_calibration = w->p.calibration;
    config.restart = w->p.restart;
    config.restart_ms = w->b.sim.now + 3600000;
    config.trial = w->p.trial;
    config.goes_on = w->p.calm;
    config.despite = UINT32_C(1) << BIL_CHECK_RULES; /* with calibration and groups at random, some would not hold */
    put_secret(w, &config);
    speak_to(w, w->number, &config);
    return run_until(w, &w->b.want, config, at, torn, end);
}

static uint32_t number_of(uint32_t unit)
{
    return unit ? BIL_UNIT_NUMBER(unit) : 0;
}

/* As the commands do it: from what the records say. False: there is nothing to go on with. */
static bool go_on(world *w, bool undoes, uint64_t at, size_t torn, bil_action *end, bool *alive)
{
    record_story last, first;
    char serial[64];
    static char chain[300];
    if (!story_newest(w->folder, NULL, NULL, NULL, undoes, &last))
        return false;
    story_first(w->folder, NULL, &last, &first);
    if (undoes && !first.safety[0])
        return false;
    if (!undoes && last.finished)
        return false;
    bil_job_config config = bench_config(&w->b);
    bool back = record_again(&first, undoes, &config);
    record_story before;
    if (undoes)
        story_newest(w->folder, NULL, NULL, NULL, false, &before);
    else
        before = last;
    record_go_on(&before, &config);
    snprintf(chain, sizeof chain, "%s", before.settled ? "" : before.chain);
    bil_image_identity(&w->safety, BIL_ID_SERIAL, serial, sizeof serial);
    bool old = back || strcmp(first.copy, "old") == 0;
    if (old)
        config.serial = serial;
    else
        put_secret(w, &config);
    config.restart_ms = w->b.sim.now + 3600000;
    w->intent = (record_intent){.who = "test",
                                .why = "",
                                .address = "",
                                .copy = "",
                                .digest = "",
                                .groups = "",
                                .chain = chain,
                                .undoes = undoes,
                                .still_held = before.held,
                                .found_first = before.found_first};
    const uint32_t numbers[] = {w->number, number_of(last.unit_after), (uint32_t)atoi(last.address),
                                number_of(last.unit_before), number_of(first.unit_after)};
    for (size_t i = 0; i < 5; i++)
        if (w->b.unit->answers_at == numbers[i])
            speak_to(w, numbers[i], &config);
    static bil_image target;
    target = old ? w->safety : w->b.want;
    w->intent.copy = old ? "old" : "want";
    w->towards = old ? &w->before : &w->wanted;
    *alive = run_until(w, &target, config, at, torn, end);
    return true;
}

static void later(world *w)
{
    sim_fault_clear(w->b.unit);
    w->b.sim.unit = w->b.unit; /* whatever was there meanwhile: the right one is back */
    w->b.sim.swap = NULL;
    w->asked = w->written = 0;
    w->b.sim.now += 20000;
    sim_is_up(w->b.unit, w->b.sim.now);
}

/* ---- what must hold ---- */

static void complain_of(const world *w, const char *what, const char *where, const bil_action *end)
{
    char command[200]; /* the whole story, for whoever has to understand it */
    snprintf(command, sizeof command, "cd %s && for f in *; do echo $f; cut -c 1-1000 $f; done", w->folder);
    if (system(command) != 0)
        print_message("no records\n");
    fail_msg("%s: %s: %s %s (%s, %s)", play_text(&w->p), what, where, end->u.end.held ? "held" : "",
             bil_verdict_name(end->u.end.verdict), bil_error_name((int)end->u.end.cause));
}

/* A value that the device refused to read once, alone in its request, isn't in the safety copy: a way back without it
 * is an exception that is named. */
static bool goes_back_without(const world *w, const bil_action *end, const memory *towards)
{
    bool lacks = false;
    for (uint16_t i = 0; i < w->safety.description->count; i++)
        lacks = lacks || (w->safety.state[i] == BIL_UNREADABLE && bil_job_exception(w->b.job, i) == BIL_E_LACKS);
    return lacks && towards == &w->before &&
           (end->u.end.verdict == BIL_VERDICT_WITH_EXCEPTIONS || end->u.end.verdict == BIL_VERDICT_IN_FORCE);
}

/* A file, or a secret, that the device refused is an exception that is named, and not the end. */
static const char *refused_file(const world *w, const bil_action *end)
{
    const bil_description *d = w->b.description;
    for (uint16_t i = 0; i < d->count && end->u.end.verdict != BIL_VERDICT_VERIFIED; i++)
        if ((d->params[i].format->type == BIL_FILE || d->params[i].cls == BIL_CLASS_SECRET) &&
            bil_job_exception(w->b.job, i) == BIL_E_REFUSED)
            return d->params[i].id;
    return NULL;
}

/* A secret doesn't go back: no copy has what was there before. */
static const char *differs_but_secrets(const world *w, uint16_t cells[SIM_SPACES][SIM_CELLS], const memory *from,
                                       const char *but)
{
    const sim_entry *secret = w->p.on->sealed ? sim_find(w->b.unit, w->p.on->sealed) : NULL;
    static memory any;
    if (!secret)
        return differs(w->b.unit, cells, from, but);
    any = *from;
    memcpy(&any.cells[secret->space][secret->address], &cells[secret->space][secret->address],
           sim_cells_of(secret) * sizeof(uint16_t));
    return differs(w->b.unit, cells, &any, but);
}

/* After a job that came to its end: what it says is so, and a device that was let go is wholly old or wholly new. */
static void judge(const world *w, const bil_action *end, const memory *towards, const char *but)
{
    sim_unit *unit = w->b.unit;
    const char *wrong, *refused = refused_file(w, end);
    but = but ? but : refused;
    bool verified = end->u.end.verdict == BIL_VERDICT_VERIFIED || end->u.end.verdict == BIL_VERDICT_WITH_EXCEPTIONS;
    /* one that comes once it was let go, in the middle of the look before the lock, is asked what it does, and locked
     */
    bool other = w->b.sim.unit != unit;
    if (verified && other && (w->p.on->look ? w->asked > 2 : w->b.sim.unit->requests > 0))
        complain_of(w, "said to be verified", "of another unit", end);
    if (verified && unit->starts == w->starts_then)
        complain_of(w, "said to be verified", "without a restart", end);
    if (end->u.end.restarted && unit->starts == w->starts_then)
        complain_of(w, "said to have restarted", "", end);
    if (!end->u.end.held && is_held(w) && w->event != takes_it)
        complain_of(w, "said to be free", "but held", end);
    if (w->started)
        complain_of(w, "set to work unasked", "", end);
    bool calm = !w->event && !unit->fault_count && !other && sim_is_up(unit, unit->now) && !w->p.on->free;
    if (end->u.end.stopped && calm && unit->state == w->p.on->running)
        complain_of(w, "said to stand", "but at work", end);
    if (verified && calm && w->p.running && !end->u.end.stopped && !end->u.end.held &&
        unit->state != w->p.on->running && !w->p.calm && w->towards == NULL)
        complain_of(w, "stands", "and that isn't said", end);
    if (w->b.sim.hurried)
        complain_of(w, "hurried", "", end);
    if (verified && unit->model == &sim_ew4 && unit->level && !unit->fault_count && w->b.sim.unit == unit && !w->event)
        complain_of(w, "left unlocked", "", end);
    bool in_force = end->u.end.verdict == BIL_VERDICT_IN_FORCE;
    if (in_force && unit->starts != w->starts_at && !w->event && !unit->fault_count)
        complain_of(w, "went on", "and was restarted", end);
    if (goes_back_without(w, end, towards))
        return;
    bool back = towards == &w->before; /* else a secret has to be there, too, though nobody is told that it is */
    if (w->p.on->sealed && !back && end->u.end.verdict == BIL_VERDICT_VERIFIED && has_secret(&w->p))
        complain_of(w, "said to be verified", "with a secret that nobody can read", end);
    if ((verified || in_force) && (wrong = back ? differs_but_secrets(w, unit->running, towards, but)
                                                : differs(unit, unit->running, towards, but)))
        complain_of(w, "said to be verified, but not in force", wrong, end);
    if ((verified || in_force) &&
        (wrong = back ? differs_but_secrets(w, unit->stored, towards, but) : differs(unit, unit->stored, towards, but)))
        complain_of(w, "said to be verified, but not stored", wrong, end);
    const char *apart = refused ? refused : w->hand;
    if (w->let_go && !end->u.end.held && !unit->pulled && !w->p.on->free && sim_is_up(unit, unit->now) &&
        differs_but_secrets(w, unit->running, &w->old, apart) &&
        differs_but_secrets(w, unit->running, &w->wanted, apart) &&
        differs_but_secrets(w, unit->running, &w->before, apart))
        complain_of(w, "let go, but neither old nor new", differs(unit, unit->running, towards, apart), end);
}

/* Whatever happened: now it must end well, this way. */
static void finish(world *w, bool undoes, const char *but)
{
    bil_action end = {0};
    bool alive;
    uint32_t standing = 0;
    later(w);
    w->towards = &w->wanted;
    if (!go_on(w, undoes, NEVER, 0, &end, &alive)) {
        if (undoes && !go_on(w, false, NEVER, 0, &end, &alive)) /* nothing was meant yet: as if it hadn't begun */
            write_until(w, NEVER, 0, &end);
        if (!undoes && differs(w->b.unit, w->b.unit->stored, &w->wanted, but) && !w->p.trial)
            write_until(w, NEVER, 0, &end);
        undoes = false;
    }
    if (end.kind != BIL_ACT_END)
        return; /* it had come to its end already */
    bool tried = end.u.end.verdict == BIL_VERDICT_ON_TRIAL;
    bool told = is_best(&w->p, end.u.end.verdict) || goes_back_without(w, &end, w->towards);
    if ((!told && !tried) || end.u.end.held)
        complain_of(w, undoes ? "undo" : "resume",
                    end.u.end.param == BIL_NONE ? "" : w->b.description->params[end.u.end.param].id, &end);
    if (!tried)
        judge(w, &end, w->towards, but);
    bool by_itself = w->p.on->sim == &sim_el16 && w->b.unit->state == 1; /* once it is on, it is at work */
    if (w->b.unit->state != standing && w->b.unit->state != w->start.state && !by_itself && !w->event)
        complain_of(w, "neither standing nor as found", "", &end);
}

/* ---- the tests ---- */

/* The description without procedures of these kinds. */
static void without(bil_description *d, bil_procedure *kept, unsigned kinds)
{
    uint16_t count = 0;
    for (uint16_t i = 0; i < d->procedure_count; i++)
        if (!(kinds >> d->procedures[i].kind & 1))
            kept[count++] = d->procedures[i];
    d->procedures = kept;
    d->procedure_count = count;
}

/* What runs beside each other: which tests, of devices with cells, asked in words, or with documents, and how many
 * cases of each kind of device CI plays at least; 50,000 in all of each that has a kind of its own. */
typedef struct part_of_all {
    const char *name;
    bool moments, has[3];
    unsigned least[DEVICES];
} part_of_all;
static const part_of_all parts[] = {
    {"", true, {true, true, true}, {0}},
    {"moments_in_cells", true, {true, false, false}, {20000, 25000, 3000, 0, 0}},
    {"moments_in_others", true, {false, true, true}, {0, 0, 0, 15000, 16000}},
    {"faults_in_cells", false, {true, false, false}, {30000, 25000, 8000, 0, 0}},
    {"faults_in_words", false, {false, true, false}, {0, 0, 0, 35000, 0}},
    {"faults_in_documents", false, {false, false, true}, {0, 0, 0, 0, 34000}},
};
static const part_of_all *part = &parts[0];

static void begin_plays(play *plays, size_t *count)
{
    static bil_procedure kept[5][20];
    static bil_proc_step steps[20][10];
    static uint16_t hours;
    const bil_description *d = &bil_description_ed_30;
    drive_on_line = unheld = unstored = unrestarted = unshown = by_hold = by_absence = nameless = addressed = once = *d;
    drive_on_line.restart_after = 1;
    without(&unheld, kept[0], 1u << BIL_PROC_HOLD | 1u << BIL_PROC_RELEASE | 1u << BIL_PROC_START);
    unheld.restart_ends_hold = false;
    without(&unstored, kept[1], 1u << BIL_PROC_STORE);
    without(&unrestarted, kept[2], 1u << BIL_PROC_RESTART);
    unshown.starts = by_hold.starts = by_absence.starts = BIL_NONE;
    unshown.restart_ends_hold = by_absence.restart_ends_hold = false;
    by_absence.restart_absent_ms = 1000;
    nameless.identity[BIL_ID_SERIAL] = addressed.identity[BIL_ID_SERIAL] = BIL_NONE;
    hours = index_of(d, "id.serial"); /* in the place of a hardware address */
    addressed.unit_same = &hours;
    addressed.unit_same_count = 1;
    without(&once, kept[3], 0);
    for (uint16_t i = 0; i < once.procedure_count; i++) {
        memcpy(steps[i], kept[3][i].steps, kept[3][i].step_count * sizeof steps[i][0]);
        for (uint16_t k = 0; k < kept[3][i].step_count; k++)
            steps[i][k].repeatable = false;
        kept[3][i].steps = steps[i];
    }
    static bil_space spaces[20];
    singly = bil_description_en_2;
    memcpy(spaces, singly.spaces, singly.space_count * sizeof spaces[0]);
    for (uint16_t i = 0; i < singly.space_count; i++)
        spaces[i].write_most = 1;
    singly.spaces = spaces;
    static bil_http entered;
    entered = *singly.http;
    entered.enter = "/api/unit";
    entered.greets = "EN-2 {what}";
    singly.http = &entered;
    singly.login_slot = 1;
    assert_int_equal(bil_description_check(&singly, NULL), BIL_OK);
    static bil_param plain[220]; /* without its files, which the other labeller has */
    memcpy(plain, singly.params, singly.count * sizeof plain[0]);
    for (uint16_t i = 0; i < singly.count; i++)
        if (plain[i].format->type == BIL_FILE)
            plain[i].flags = 0;
    singly.params = plain;
    static bil_param masked[200];
    shut = bil_description_ew_4;
    memcpy(masked, shut.params, shut.count * sizeof masked[0]);
    for (uint16_t i = 0; i < shut.count; i++) /* by the function for some bits of a cell */
        if (masked[i].format->width && masked[i].flags & BIL_WRITABLE)
            masked[i].way = BIL_WAY_MASKED;
    shut.params = masked;
    assert_int_equal(bil_description_check(&shut, NULL), BIL_OK);
    without(&shut, kept[4], 0);
    for (uint16_t i = 0; i < shut.procedure_count; i++)
        if (kept[4][i].kind == BIL_PROC_UNLOCK) {
            kept[4][shut.procedure_count] = kept[4][i];
            kept[4][shut.procedure_count].kind = BIL_PROC_UNLOCK_TO_READ;
        }
    shut.procedure_count++;
    shut.link.pause_ms = 20;
    shut.link.write_pause_ms = 45;
    *count = all_plays(plays);
    const char *only = getenv("BILANCIA_PLAYS"); /* those whose name has this, for whoever looks into one */
    size_t chosen = 0;
    for (size_t i = 0; i < *count; i++)
        if ((!only || strstr(plays[i].on->name, only)) &&
            part->has[(plays[i].on >= &settings[LOGGERS]) + (plays[i].on >= &settings[LABELLERS])])
            plays[chosen++] = plays[i];
    *count = chosen;
}

static uint32_t times(uint64_t stride)
{
    bool every = getenv("BILANCIA_EVERY") != NULL; /* scripts/campaign: nothing is left out */
    return SAMPLING * (stride && !every ? (uint32_t)stride : 1);
}

/* Where something goes wrong at requests; and at actions. Where it begins is by chance. */
static uint32_t each(const world *w)
{
    return times(w->p.on->stride);
}

static uint32_t each_action(const world *w)
{
    return times(w->p.on->actions);
}

/* Each play without any trouble first: what it has to come to is what it comes to. Then broken off before each action;
 * the way on is broken off, too, and then both ways have to end well. */
static void broken_off_before_each_action(void **state)
{
    (void)state;
    play plays[200];
    size_t count;
    dice d = {41};
    begin_plays(plays, &count);
    for (size_t i = 0; i < count * rounds(1); i++) {
        world w;
        bil_action end;
        make_world(&w, &plays[i % count]);
        begin(&w);
        if (!write_until(&w, NEVER, 0, &end) || (!w.p.trial && !is_best(&w.p, end.u.end.verdict)) || end.u.end.held)
            complain_of(&w, "undisturbed", "", &end);
        if (!w.p.trial)
            judge(&w, &end, &w.wanted, NULL);
        uint64_t actions = w.count;
        for (uint64_t at = roll_below(&d, each_action(&w)); at < actions; at += each_action(&w))
            for (int ways = 0; ways < 4; ways++, cases++) {
                bool alive;
                begin(&w);
                if (write_until(&w, at, roll_below(&d, 120), &end))
                    judge(&w, &end, &w.wanted, NULL);
                later(&w);
                if (go_on(&w, ways & 1, roll_below(&d, (uint32_t)actions), roll_below(&d, 120), &end, &alive) &&
                    alive && end.u.end.verdict != BIL_VERDICT_ON_TRIAL)
                    judge(&w, &end, w.towards, NULL);
                finish(&w, ways & 2, NULL);
            }
        end_world(&w);
    }
    print_message("broken off before each action of %zu ways of writing, and once more: %u cases\n", count, cases);
}

/* Cancelled while each action is performed: before the first value nothing happened, and the device is let go; later it
 * is as if it had been broken off. Then both ways end well. */
static void cancelled_at_each_action(void **state)
{
    (void)state;
    play plays[200];
    size_t count;
    dice d = {67};
    unsigned untouched = 0, held = 0, free_again = 0, over = 0, all = 0;
    begin_plays(plays, &count);
    for (size_t i = 0; i < count; i++) {
        world w;
        bil_action end;
        make_world(&w, &plays[i]);
        begin(&w);
        write_until(&w, NEVER, 0, &end);
        uint64_t actions = w.count;
        for (uint64_t at = roll_below(&d, each_action(&w)); at < actions; at += each_action(&w)) {
            begin(&w);
            w.cancel_at = at;
            assert_true(write_until(&w, NEVER, 0, &end));
            w.cancel_at = UINT64_MAX;
            judge(&w, &end, &w.wanted, NULL);
            bool cancelled = end.u.end.cause == BIL_E_CANCELLED;
            w.b.sim.now += 5000; /* what it was told just before may come to pass now */
            sim_is_up(w.b.unit, w.b.sim.now);
            if (cancelled &&
                (end.u.end.verdict != BIL_VERDICT_UNTOUCHED && end.u.end.verdict != BIL_VERDICT_INCOMPLETE))
                complain_of(&w, "cancelled", "", &end);
            if (end.u.end.verdict == BIL_VERDICT_UNTOUCHED && (end.u.end.wrote || is_held(&w) != end.u.end.held ||
                                                               differs(w.b.unit, w.b.unit->running, &w.old, NULL)))
                complain_of(&w, "cancelled and untouched, it says", is_held(&w) ? "held" : "free", &end);
            if (cancelled && end.u.end.verdict == BIL_VERDICT_INCOMPLETE && !end.u.end.held && is_held(&w))
                complain_of(&w, "cancelled, and left held in secret", "", &end);
            all++;
            cases++;
            untouched += end.u.end.verdict == BIL_VERDICT_UNTOUCHED && !end.u.end.held;
            held += cancelled && end.u.end.held;
            free_again += cancelled && end.u.end.verdict == BIL_VERDICT_INCOMPLETE && !end.u.end.held;
            over += !cancelled;
            later(&w);
            finish(&w, roll_below(&d, 2), NULL);
        }
        end_world(&w);
    }
    print_message(
        "cancelled: %u times over %zu ways of writing: %u untouched, %u held, %u written to and free, %u over "
        "already\n",
        all, count, untouched, held, free_again, over);
    assert_int_equal(untouched + held + free_again + over, all);
    assert_true(untouched > all / 10 && held > all / 10);
}

/* What goes wrong once: each fault at each request. */
static void each_fault_at_each_request(void **state)
{
    (void)state;
    static const char *const faults[] = {"power-cut %u", "cable %u",  "request-lost %u", "reply-lost %u",
                                         "late %u 900",  "busy %u 3", "refused %u",      "hand %u %s %s"};
    play plays[200];
    size_t count;
    dice d = {43};
    unsigned good[8] = {0}, all[8] = {0}, before = cases;
    begin_plays(plays, &count);
    for (size_t i = 0; i < count * rounds(1); i++) {
        world w;
        bil_action end;
        bool alive;
        make_world(&w, &plays[i % count]);
        begin(&w);
        write_until(&w, NEVER, 0, &end);
        uint64_t requests = w.b.unit->requests, actions = w.count;
        for (int kind = 0; kind < 8; kind++)
            for (uint64_t at = roll_below(&d, each(&w)); at < requests; at += each(&w), cases++) {
                char words[100], answer[100];
                const char *but = kind == 7 ? w.p.on->hand : NULL;
                begin(&w);
                snprintf(words, sizeof words, faults[kind], (unsigned)at, w.p.on->hand, w.p.on->hand_value);
                sim_fault_say(w.b.unit, words, answer, sizeof answer);
                assert_memory_equal(answer, "ok", 2);
                w.hand = but;
                assert_true(write_until(&w, NEVER, 0, &end));
                if (!w.p.trial) /* nobody can know of a hand that came after the last look */
                    judge(&w, &end, &w.wanted, at > w.looked_at ? but : NULL);
                bool overcome = is_best(&w.p, end.u.end.verdict) || end.u.end.verdict == BIL_VERDICT_ON_TRIAL;
                if (w.p.on < &settings[FULL] || w.p.on >= &settings[LOGGERS]) {
                    good[kind] += overcome && !end.u.end.held;
                    all[kind]++;
                }
                later(&w);
                bool undoes = roll_below(&d, 2);
                if (go_on(&w, undoes, roll_below(&d, (uint32_t)actions), roll_below(&d, 120), &end, &alive) && alive &&
                    end.u.end.verdict != BIL_VERDICT_ON_TRIAL)
                    judge(&w, &end, w.towards, NULL);
                finish(&w, roll_below(&d, 2), but);
            }
        end_world(&w);
    }
    for (int kind = 0; kind < 8; kind++)
        print_message("  %-16.*s %6u times, %6u of them overcome at once\n", (int)strcspn(faults[kind], " "),
                      faults[kind], all[kind], good[kind]);
    print_message("each fault at each request: %u cases\n", cases - before);
    if (!all[0])
        return;                                     /* none of those was asked for */
    assert_true(good[2] + 6 * rounds(1) >= all[2]); /* a reset whose order was lost: it is never sent twice blindly */
    assert_true(good[3] == all[3] && good[4] == all[4] && good[5] == all[5]);
    assert_true(good[1] < all[1] / 10 && good[6] < all[6]);
}

/* What stays wrong ends in the verdict that names it, and when it is over both ways lead on. */
static void faults_that_last_are_named(void **state)
{
    (void)state;
    if (!part->has[0])
        skip(); /* that is for cells, or for no device at all */
    enum { KINDS = 9 };
    static const char *const words[KINDS] = {
        "refuse", "clamp", "contest", "counts", "other-unit", "no-return", "other-address 77", "cable", "busy"};
    play plays[200];
    size_t count;
    dice d = {47};
    unsigned before = cases, seen[KINDS][128] = {{0}};
    begin_plays(plays, &count);
    for (size_t i = 0; i < count; i += OF_PLAYS) {
        const setting *on = plays[i].on;
        if (plays[i].trial || plays[i].resets || on >= &settings[FULL] ||
            (plays[i].some && !plays[i].on->on_line && i % 2))
            continue;
        world w;
        make_world(&w, &plays[i]);
        for (int kind = 0; kind < KINDS; kind++, cases++) {
            char said[120], answer[100];
            bil_action end;
            bool at_restart = kind >= 4 && kind <= 6; /* which doesn't come to what goes on */
            if ((kind == 0 && plays[i].some) || (kind == 6 && !on->on_line) || (at_restart && plays[i].calm))
                continue;
            begin(&w);
            unsigned when = 12 + roll_below(&d, 20);
            snprintf(said, sizeof said,
                     kind == 0   ? "refuse %s"
                     : kind == 1 ? "clamp %s %s"
                     : kind == 2 ? "contest %s %s"
                                 : "%s",
                     kind == 0   ? on->refuse
                     : kind == 1 ? on->clamp
                     : kind == 2 ? on->contested[0]
                                 : words[kind],
                     kind == 1 ? on->clamp_value : on->contested[1]);
            if (kind == 4)
                snprintf(said, sizeof said, "other-unit %s", on->sim == &sim_ed30 ? "ED30-0555" : "700555");
            if (kind >= 7)
                snprintf(said, sizeof said, kind == 7 ? "cable %u" : "busy %u 1000000", when);
            sim_fault_say(w.b.unit, said, answer, sizeof answer);
            assert_memory_equal(answer, "ok", 2);
            assert_true(write_until(&w, NEVER, 0, &end));
            judge(&w, &end, &w.wanted, NULL);
            seen[kind][end.u.end.cause]++;
            bool verified = is_best(&plays[i], end.u.end.verdict);
            if (verified != (kind == 3))
                complain_of(&w, "a fault that lasts", said, &end);
            if (kind < 2)
                assert_string_equal(w.b.description->params[end.u.end.param].id, kind ? on->clamp : on->refuse);
            if (kind < 3) { /* whoever goes on while it lasts comes no further, and lets nothing go */
                bool alive;
                if (go_on(&w, false, NEVER, 0, &end, &alive))
                    judge(&w, &end, &w.wanted, NULL);
            }
            sim_fault_clear(w.b.unit);
            if (kind == 4 || kind == 6) { /* the right unit again, in its place */
                uint16_t *cells = w.b.unit->stored[0];
                memcpy(cells, w.start.stored[0], 32 * sizeof *cells); /* who it is */
                memcpy(w.b.unit->stored[1], w.start.stored[1], 16 * sizeof *cells);
                sim_power_cut(w.b.unit, w.b.sim.now);
            }
            finish(&w, roll_below(&d, 2), NULL);
        }
        end_world(&w);
    }
    for (int kind = 0; kind < KINDS; kind++) {
        print_message("  %-16s", words[kind]);
        for (int cause = 0; cause < 128; cause++)
            if (seen[kind][cause])
                print_message(" %s %u", bil_error_name(cause), seen[kind][cause]);
        print_message("\n");
    }
    print_message("faults that last: %u cases\n", cases - before);
    assert_true(seen[0][BIL_E_REFUSED] && seen[1][BIL_E_DIFFERS] && seen[4][BIL_E_OTHER_UNIT] &&
                seen[5][BIL_E_RESTART] && seen[6][BIL_E_RESTART]);
}

/* Another unit is there from any request on: with a lost request, as when a cable is pulled; without any trace, as
 * behind a gateway; or since the computer slept. Then the right one is back, and both ways lead on. */
static void another_unit_from_any_request_on(void **state)
{
    (void)state;
    enum { LOST, TRACELESS, SLEPT, KINDS };
    play plays[200];
    size_t count;
    dice d = {61};
    unsigned before = cases, seen[KINDS] = {0};
    begin_plays(plays, &count);
    for (size_t i = 0; i < count * rounds(1); i++) {
        world w;
        bil_action end;
        const setting *on = plays[i % count].on;
        if (on->nameless)
            continue; /* where nothing tells them apart nobody can know, and that is said before */
        make_world(&w, &plays[i % count]);
        begin(&w);
        write_until(&w, NEVER, 0, &end);
        uint64_t requests = w.b.unit->requests, actions = w.count;
        for (int kind = 0; kind < KINDS; kind++)
            for (uint64_t at = 2 + on->look + roll_below(&d, each(&w));
                 at < (kind == SLEPT ? actions : requests); /* behind the first look */
                 at += each(&w) * (kind == LOST ? 1u : 2u), cases++) {
                begin(&w);
                sim_start(w.other, on->sim, roll_below(&d, 2), on->sim == &sim_ed30 ? "ED30-0777" : "700777", NULL);
                w.other->answers_at = w.b.unit->answers_at;
                w.other->guarded = on->guarded;
                w.other->up_at = 0;
                w.other->listener = listen;
                w.other->listener_ctx = &w;
                w.b.sim.swap = w.other;
                w.b.sim.requests = 0;
                w.b.sim.swap_at = kind == SLEPT ? UINT64_MAX : at;
                w.b.sim.swap_loses = kind == LOST;
                w.event = kind == SLEPT ? sleeps : NULL;
                w.event_at = at;
                assert_true(write_until(&w, NEVER, 0, &end));
                bool there = w.b.sim.unit == w.other;
                seen[kind] += there;
                judge(&w, &end, &w.wanted, NULL);
                if (there && kind != TRACELESS && w.asked)
                    complain_of(&w, "asks another unit for more than who it is", "", &end);
                later(&w);
                finish(&w, roll_below(&d, 2), NULL);
            }
        end_world(&w);
    }
    print_message("another unit from any request on: %u cases, in %u, %u, %u of them there\n", cases - before,
                  seen[LOST], seen[TRACELESS], seen[SLEPT]);
    assert_true(seen[LOST] && seen[TRACELESS] && seen[SLEPT]);
}

/* A person takes the machine by hand, lets it go, starts it, changes a value or switches it off and on, or the computer
 * sleeps: before any action. */
static void somebody_between_any_two_actions(void **state)
{
    (void)state;
    static void (*const events[])(world *) = {takes_it, lets_it_go, starts_it, switches_it, changes_a_value, sleeps};
    enum { KINDS = sizeof events / sizeof events[0] };
    play plays[200];
    size_t count;
    dice d = {67};
    unsigned before = cases, good[KINDS] = {0}, all[KINDS] = {0};
    begin_plays(plays, &count);
    for (size_t i = 0; i < count * rounds(1); i++) {
        world w;
        bil_action end;
        make_world(&w, &plays[i % count]);
        begin(&w);
        write_until(&w, NEVER, 0, &end);
        uint64_t actions = w.count;
        for (int kind = 0; kind < KINDS; kind++)
            for (uint64_t at = roll_below(&d, each(&w)); at < actions; at += each(&w), cases++) {
                if (events[kind] == starts_it && w.p.on->free)
                    break;
                begin(&w);
                w.event = events[kind];
                w.event_at = at;
                assert_true(write_until(&w, NEVER, 0, &end));
                const char *but = w.hand;
                if (!w.p.trial) /* nobody can know of a hand that came after the last look */
                    judge(&w, &end, &w.wanted, w.happened_at >= w.looked_at ? but : NULL);
                all[kind]++;
                good[kind] += is_best(&w.p, end.u.end.verdict) || end.u.end.verdict == BIL_VERDICT_ON_TRIAL;
                if (kind == 0 && is_held(&w))
                    w.b.unit->state = 0; /* whoever took it lets it go again */
                finish(&w, roll_below(&d, 2), but);
            }
        end_world(&w);
    }
    static const char *const names[] = {"takes it",    "lets it go",      "starts it",
                                        "switches it", "changes a value", "sleeps"};
    for (int kind = 0; kind < KINDS; kind++)
        print_message("  %-16s %6u times, %6u of them overcome at once\n", names[kind], all[kind], good[kind]);
    print_message("somebody between any two actions: %u cases\n", cases - before);
}

/* Each command of a procedure lost for good, carried out without an answer, or answered and not carried out. */
static void each_command_in_vain(void **state)
{
    (void)state;
    static const char *const commands[] = {"access.key",      "command.hold",    "command.run",
                                           "command.store",   "command.restart", "command.factory",
                                           "command.service", "command.setup",   "command.keep"};
    static const char *const how[] = {"deaf", "mute", "ignores"};
    play plays[200];
    size_t count;
    dice d = {71};
    unsigned before = cases, proved = 0;
    begin_plays(plays, &count);
    for (size_t i = 0; i < count; i += OF_PLAYS) {
        world w;
        bil_action end;
        make_world(&w, &plays[i]);
        for (size_t c = 0; c < sizeof commands / sizeof commands[0]; c++)
            for (size_t k = 0; k < 3; k++, cases++) {
                char words[100], answer[100];
                begin(&w);
                snprintf(words, sizeof words, "%s %s", how[k], commands[c]);
                sim_fault_say(w.b.unit, words, answer, sizeof answer);
                if (answer[0] != 'o')
                    continue; /* it has no such command */
                assert_true(write_until(&w, NEVER, 0, &end));
                if (!w.p.trial)
                    judge(&w, &end, &w.wanted, NULL);
                proved += end.u.end.verdict == BIL_VERDICT_VERIFIED;
                if (k == 0 && end.u.end.stored && strcmp(commands[c], "command.store") == 0)
                    complain_of(&w, "said to be stored", "and the order never arrived", &end);
                finish(&w, roll_below(&d, 2), NULL);
            }
        end_world(&w);
    }
    print_message("each command in vain: %u cases, %u of them proved all the same\n", cases - before, proved);
}

/* The line that was being written when the computer died, cut at each byte. */
static void records_cut_at_each_byte(void **state)
{
    (void)state;
    play plays[200];
    size_t count;
    dice d = {53};
    unsigned before = cases;
    begin_plays(plays, &count);
    for (size_t i = 0; i < count * rounds(1); i += 7) {
        world w;
        bil_action end;
        make_world(&w, &plays[i % count]);
        begin(&w);
        write_until(&w, NEVER, 0, &end);
        uint64_t at[40];
        size_t records = w.record_count;
        memcpy(at, w.record_at, sizeof at);
        for (size_t k = 0; k < records; k++)
            for (size_t cut = roll_below(&d, each_action(&w)); cut < 90; cut += each_action(&w), cases++) {
                begin(&w);
                assert_false(write_until(&w, at[k], cut, &end));
                finish(&w, roll_below(&d, 2), NULL);
            }
        end_world(&w);
    }
    print_message("records cut at each byte: %u cases\n", cases - before);
}

/* A full disk: each record and the safety copy in turn can't be saved. */
static void nothing_goes_on_without_its_record(void **state)
{
    (void)state;
    play plays[200];
    size_t count;
    dice d = {59};
    unsigned before = cases;
    begin_plays(plays, &count);
    for (size_t i = 0; i < count; i += OF_PLAYS) {
        world w;
        bil_action end;
        make_world(&w, &plays[i]);
        for (w.no_record = 1;; w.no_record++, cases++) {
            begin(&w);
            assert_true(write_until(&w, NEVER, 0, &end));
            if (w.records < w.no_record)
                break;
            if (!plays[i].trial)
                judge(&w, &end, &w.wanted, NULL);
            if (w.no_record <= 2 && (end.u.end.verdict != BIL_VERDICT_REFUSED || end.u.end.wrote))
                complain_of(&w, "goes on without intent or safety copy", "", &end);
            unsigned failed = w.no_record;
            w.no_record = 0;
            finish(&w, roll_below(&d, 2), NULL);
            w.no_record = failed;
        }
        end_world(&w);
    }
    print_message("records that can't be saved: %u cases\n", cases - before);
}

/* Stories under clocks that go back and forth: the newest is the last one that was begun, and of those that wrote the
 * last of them; two computers that didn't know of each other are told apart by the ledger of this one. */
static void the_newest_is_the_last_one(void **state)
{
    (void)state;
    if (!part->has[0])
        skip(); /* that is for cells, or for no device at all */
    enum { LONGEST = 9 };
    char dir[64], path[200];
    dice d = {79};
    unsigned stories = 0;
    snprintf(dir, sizeof dir, "%s/bilancia-stories-XXXXXX", access("/dev/shm", W_OK) == 0 ? "/dev/shm" : "/tmp");
    assert_non_null(mkdtemp(dir));
    bil_image have = new_image(&bil_description_ed_30);
    bil_job_config config = {.kind = BIL_JOB_WRITE};
    for (unsigned round = 0; stories < 10000 * rounds(1) / SAMPLING; round++) {
        char made[LONGEST][100], last_that_wrote[100] = "";
        unsigned length = 1 + roll_below(&d, LONGEST),
                 apart = roll_below(&d, 4) == 0 && length > 1 ? length - 1 : LONGEST;
        ledger known = {.entries = calloc(LONGEST, sizeof *known.entries)};
        for (unsigned i = 0; i < length; i++, stories++) {
            char when[48], name[60];
            snprintf(when, sizeof when, "%u-%02u-23T07:00:00.%06uZ", 1970 + roll_below(&d, 130), 1 + roll_below(&d, 12),
                     stories);
            snprintf(name, sizeof name, "%08x.brec", (unsigned)roll(&d));
            json_t *after = i == apart ? json_array() : story_heads(dir, NULL, NULL, NULL);
            record_intent in = {.who = "test",
                                .why = when,
                                .address = "",
                                .copy = "",
                                .digest = "",
                                .groups = "",
                                .chain = "",
                                .have = &have,
                                .config = &config,
                                .after = after};
            record rec;
            assert_int_equal(record_begin(&rec, dir, name, record_intent_line(&in, when), false), BIL_OK);
            bil_action end = {.kind = BIL_ACT_END};
            bool wrote = roll_below(&d, 2);
            bil_action writing = {.kind = BIL_ACT_RECORD};
            writing.u.record.event = BIL_EV_WRITING;
            writing.u.record.param = BIL_NONE;
            if (wrote)
                record_add(&rec, record_event_line(&bil_description_ed_30, &writing, when));
            end.u.end.verdict = BIL_VERDICT_VERIFIED;
            record_add(&rec, record_outcome_line(&end, 0, "", NULL));
            snprintf(made[i], sizeof made[i], "%s", strrchr(rec.path, '/') + 1);
            if (wrote)
                snprintf(last_that_wrote, sizeof last_that_wrote, "%s", made[i]);
            ledger_entry *e = &known.entries[known.count++];
            e->sequence = known.count;
            memcpy(e->intent, rec.intent, sizeof e->intent);
            record_end(&rec);
            json_decref(after);
        }
        record_story story;
        const ledger *ours = apart < LONGEST || roll_below(&d, 2) ? &known : NULL; /* what follows what tells it, too */
        assert_true(story_newest(dir, ours, NULL, NULL, false, &story));
        if (apart == LONGEST) /* else the longer one, whichever came last: both are settled */
            assert_string_equal(strrchr(story.path, '/') + 1, made[length - 1]);
        assert_int_equal(story_newest(dir, ours, NULL, NULL, true, &story), last_that_wrote[0] != 0);
        if (apart == LONGEST && last_that_wrote[0])
            assert_string_equal(strrchr(story.path, '/') + 1, last_that_wrote);
        for (unsigned i = 0; i < length; i++) {
            snprintf(path, sizeof path, "%s/%s", dir, made[i]);
            unlink(path);
        }
        free(known.entries);
    }
    rmdir(dir);
    free_image(&have);
    print_message("stories under any clock: %u\n", stories);
}

static void enough(void **state)
{
    (void)state;
    print_message("writes broken in all: %u cases\n", cases);
    for (int i = 0; i < DEVICES; i++) {
        print_message("  of the %s %u\n", devices[i].name, cases_of[i]);
        assert_true(SAMPLING > 1 || getenv("BILANCIA_PLAYS") || cases_of[i] >= part->least[i]);
    }
}

/* test_write_breaks [PART|TEST]: the parts run beside each other. */
int main(int argc, char **argv)
{
    const struct CMUnitTest moments[] = {
        cmocka_unit_test(broken_off_before_each_action),      cmocka_unit_test(cancelled_at_each_action),
        cmocka_unit_test(faults_that_last_are_named),         cmocka_unit_test(each_command_in_vain),
        cmocka_unit_test(the_newest_is_the_last_one),         cmocka_unit_test(records_cut_at_each_byte),
        cmocka_unit_test(nothing_goes_on_without_its_record), cmocka_unit_test(enough),
    };
    const struct CMUnitTest faults[] = {
        cmocka_unit_test(each_fault_at_each_request),
        cmocka_unit_test(another_unit_from_any_request_on),
        cmocka_unit_test(somebody_between_any_two_actions),
        cmocka_unit_test(enough),
    };
    const char *wanted = argc > 1 ? argv[1] : "";
    for (size_t i = 1; i < sizeof parts / sizeof parts[0]; i++)
        part = strcmp(parts[i].name, wanted) == 0 ? &parts[i] : part;
    if (wanted[0] && part == &parts[0])
        cmocka_set_test_filter(wanted);
    int failed = part->moments ? cmocka_run_group_tests_name("write_breaks", moments, NULL, NULL) : 0;
    bool other = !part->moments || part == &parts[0];
    return failed + (other ? cmocka_run_group_tests_name("write_breaks", faults, NULL, NULL) : 0);
}

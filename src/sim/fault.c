#include "fault.h"

#include <stdio.h>
#include <string.h>

#include "entry.h"

/* X(NAME, "word", what has to follow: n a number, e the name of an entry, t a text) */
/* clang-format off */
#define KINDS(X) \
    X(POWER_CUT, "power-cut", "n") X(CABLE, "cable", "n") X(REQUEST_LOST, "request-lost", "n") \
    X(REPLY_LOST, "reply-lost", "n") X(LATE, "late", "nn") X(BUSY, "busy", "nn") X(REFUSED, "refused", "n") \
    X(HAND, "hand", "net") X(REFUSE, "refuse", "e") X(CLAMP, "clamp", "et") X(CONTEST, "contest", "et") \
    X(COUNTS, "counts", "") X(OTHER_UNIT, "other-unit", "t") X(NO_RETURN, "no-return", "") \
    X(OTHER_ADDRESS, "other-address", "n") X(DEAF, "deaf", "e") X(MUTE, "mute", "e") X(SLOW, "slow", "e") X(IGNORES, "ignores", "e")
/* clang-format on */

enum {
#define KIND(NAME, word, follows) NAME,
    KINDS(KIND)
#undef KIND
        COUNT
};

static const struct {
    const char *word, *follows;
} kinds[COUNT] = {
#define KIND(NAME, word, follows) {word, follows},
    KINDS(KIND)
#undef KIND
};

void sim_fault_say(sim_unit *unit, const char *words, char *answer, size_t size)
{
    char word[32];
    int used = 0;
    sim_fault f = {.kind = COUNT};
    if (sscanf(words, "%31s%n", word, &used) == 1)
        for (int i = 0; i < COUNT; i++)
            if (strcmp(kinds[i].word, word) == 0)
                f.kind = (uint8_t)i;
    bool good = f.kind < COUNT && unit->fault_count < SIM_FAULTS, first = true;
    for (const char *follows = good ? kinds[f.kind].follows : ""; good && *follows; follows++) {
        unsigned number = 0;
        words += used;
        if (*follows == 'n') {
            good = sscanf(words, "%u%n", &number, &used) == 1;
            if (first)
                f.at = unit->requests + number;
            f.number = number;
            first = false;
        } else {
            char *to = *follows == 'e' ? f.name : f.text;
            good = sscanf(words, "%31s%n", to, &used) == 1 && (*follows != 'e' || sim_find(unit, to)) &&
                   (f.kind != CONTEST || *follows == 'e' || sim_find(unit, to));
        }
    }
    if (good)
        unit->faults[unit->fault_count++] = f;
    snprintf(answer, size, good ? "ok: %s" : "error: this is no fault: %s (or there are too many)", word);
}

void sim_fault_clear(sim_unit *unit)
{
    unit->fault_count = 0;
    unit->pulled = false;
    unit->late_ms = 0;
}

static const sim_fault *standing(const sim_unit *unit, uint8_t kind, const char *name)
{
    for (size_t i = 0; i < unit->fault_count; i++)
        if (unit->faults[i].kind == kind && (!name || strcmp(unit->faults[i].name, name) == 0))
            return &unit->faults[i];
    return NULL;
}

static void count_on(sim_unit *unit)
{
    static const char *const names[] = {"hours.run", "hours.batches"};
    for (size_t i = 0; i < 2; i++) {
        const sim_entry *entry = sim_find(unit, names[i]);
        if (entry) {
            char text[24];
            snprintf(text, sizeof text, "%u", 9000 + (unsigned)unit->requests);
            sim_put(unit, names[i], text);
            for (int k = 0; k < 2; k++) /* counters last by themselves */
                unit->stored[entry->space][entry->address + k] = unit->running[entry->space][entry->address + k];
        }
    }
}

sim_strike sim_fault_strikes(sim_unit *unit)
{
    uint64_t request = unit->requests++;
    sim_strike strike = {.reply = SIM_OK};
    unit->late_ms = 0;
    if (standing(unit, COUNTS, NULL))
        count_on(unit);
    for (size_t i = 0; i < unit->fault_count && strike.reply == SIM_OK; i++) {
        const sim_fault *f = &unit->faults[i];
        bool now = request == f->at;
        switch (f->kind) {
        case POWER_CUT:
            strike.cut = now;
            strike.reply = now ? SIM_DEAD : SIM_OK;
            break;
        case CABLE:
            unit->pulled = unit->pulled || request >= f->at;
            strike.reply = request >= f->at ? SIM_DEAD : SIM_OK;
            break;
        case REQUEST_LOST:
            strike.reply = now ? SIM_SILENT : SIM_OK;
            break;
        case REPLY_LOST:
            strike.mute = strike.mute || now;
            break;
        case LATE:
            unit->late_ms = now ? f->number : unit->late_ms;
            break;
        case BUSY:
            strike.reply = request >= f->at && request < f->at + f->number ? SIM_BUSY : SIM_OK;
            break;
        case REFUSED:
            strike.reply = now ? SIM_NOT_NOW : SIM_OK;
            break;
        case HAND:
            if (now)
                strike.hands[strike.hand_count++] = f;
            break;
        default:
            break;
        }
    }
    return strike;
}

bool sim_fault_refuses(const sim_unit *unit, const sim_entry *entry)
{
    return standing(unit, REFUSE, entry->name) != NULL;
}

sim_hearing sim_fault_hears(const sim_unit *unit, uint8_t space, uint16_t address)
{
    static const uint8_t faults[] = {DEAF, MUTE, SLOW, IGNORES};
    int16_t owner = space < SIM_SPACES && address < SIM_CELLS ? unit->owner[space][address] : -1;
    for (int i = 0; i < 4 && owner >= 0; i++)
        if (standing(unit, faults[i], unit->entries[owner].name))
            return (sim_hearing)(SIM_DEAF + i);
    return SIM_HEARS;
}

void sim_fault_written(sim_unit *unit, const sim_entry *entry, bool changed)
{
    const sim_fault *clamp = standing(unit, CLAMP, entry->name);
    uint16_t *cells = &unit->running[entry->space][entry->address], limit[4];
    if (clamp) {
        uint64_t wanted = sim_number(unit, entry, cells);
        sim_put(unit, entry->name, clamp->text);
        memcpy(limit, cells, sizeof limit);
        if (sim_number(unit, entry, limit) > wanted)
            sim_put_number(unit, entry, wanted, cells);
    }
    for (size_t i = 0; i < unit->fault_count && changed; i++) {
        const sim_fault *f = &unit->faults[i];
        bool one = f->kind == CONTEST && strcmp(f->name, entry->name) == 0;
        bool other = f->kind == CONTEST && strcmp(f->text, entry->name) == 0;
        if (one || other)
            sim_put(unit, one ? f->text : f->name, sim_find(unit, one ? f->text : f->name)->factory);
    }
}

void sim_fault_at_start(sim_unit *unit)
{
    const sim_fault *other = standing(unit, OTHER_UNIT, NULL), *moved = standing(unit, OTHER_ADDRESS, NULL);
    if (other) {
        sim_put(unit, unit->model->serial, other->text);
        sim_store(unit);
    }
    if (moved)
        unit->answers_at = (uint8_t)moved->number;
    if (standing(unit, NO_RETURN, NULL))
        unit->pulled = true;
}

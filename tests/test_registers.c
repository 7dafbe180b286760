/* Models as their manuals tell them, made by chance, written down as descriptions and loaded: tables of cells and of
 * bits, several unit numbers, parts of a cell, forms and orders of all kinds, single and masked writes. The device is
 * a row of bits with rules of its own, the decoder works on lists of bits: nothing here is shared with the library. */
#include <time.h>

#include "bilancia/words.h"
#include "help.h"
#include "host/describe/load.h"

enum {
    THINGS = 24,
    PLACES = 400,
    SPACES = 6,
    BOX = 5,
    OWN = 20,
    SEEN = 6,
    STARTS = 10,
    ORDER = 11,
    ABORT = 12,
    KEY = 13,
    BEGIN = 16,
    COMMIT = 17,
    LOCK = 18,
    SHOW = 19,
    MODES = 3,
    CALL = 1000
};

/* A key of six digits, as its cells have it. */
static const struct {
    const char *how;
    uint16_t cells[3];
} locks[] = {{NULL, {0}},
             {"type: u32", {1, 0x9d25}}, /* 105765 */
             {"type: u32, form: bcd", {0x0010, 0x5765}},
             {"type: u32, cell_order: low_first", {0x9d25, 1}},
             {"type: text, size: 6", {0x3130, 0x3537, 0x3635}},
             {"type: u48, form: bcd, byte_order: low_first", {0, 0x1000, 0x6557}},
             {"type: u16", {77}}}; /* its own serial number */
enum { LOCKS = sizeof locks / sizeof locks[0] };

/* Which units have a thing, and whether one with the hardware A and the firmware 1.10 does. */
static const struct {
    const char *only;
    bool holds;
} conditions[] = {{"hardware: [A]", true},
                  {"hardware: [B]", false},
                  {"hardware: [A, B]", true},
                  {"from: \"1.9\"", true},
                  {"from: \"1.10\"", true},
                  {"from: \"1.11\"", false},
                  {"from: \"2\"", false},
                  {"before: \"2.0\"", true},
                  {"before: \"1.10\"", false},
                  {"before: \"1.10.1\"", true},
                  {"firmware: [\"1.10\"]", true},
                  {"firmware: [\"1.1\", \"1.9\"]", false},
                  {"hardware: [A], from: \"1.2\", before: \"1.3\"", false}};
enum { CONDITIONS = sizeof conditions / sizeof conditions[0] };

/* Where things lie: the four tables of the device, the holding cells of the unit two numbers above it, and a mailbox,
 * which shows what was called up last. */
static const char *const space_names[SPACES] = {"holding", "input", "coils", "discrete", "annex", "box"};

typedef struct thing {
    int space;
    unsigned at, cells, bit, width; /* width 0: it has its cells for itself */
    const char *type, *form;
    unsigned size; /* bytes of its raw value */
    bool low_cells, low_bytes, writable;
    int way;          /* 0: several, 1: single, 2: masked */
    bool always;      /* every unit has it, in any mode */
    bool never, gone; /* this unit doesn't have it; or not in its mode */
    int decider;      /* the thing that decides whether it is there, while it has one of these values; -1 */
    unsigned mode_count;
    bool decides;
    uint8_t modes[MODES][160];
    uint8_t raw[160], wanted[160];
} thing;

typedef struct device {
    thing things[THINGS];
    unsigned count;
    uint16_t cells[SPACES][PLACES]; /* of the tables of bits, one bit each */
    bool there[SPACES][PLACES], mine[SPACES][PLACES];
    uint64_t now;
    unsigned reads, writes, of_values, functions[3];
    unsigned most_read, most_write, most_bits;
    unsigned shows, called, call_way; /* the cell where the mailbox shows it, and what was called up, in which way */
    bool echo;
    unsigned others, disturbed; /* somebody else calls up something every so often; so often that was just now */
    unsigned signs;             /* 0: its name tells the model, 1: a code, 2: two, 3: an object of its identification */
    unsigned objects, named, in_one; /* how many it has; which is the model; how many come in one reply */
    unsigned lock;                   /* 0: none; else how its key looks */
    bool open, locks;                /* is it unlocked; can it be locked again */
    unsigned lasts;                  /* it does that by itself after so long, 0: never */
    uint64_t opened, replied;
    unsigned unlocks;
    unsigned pause, write_pause, hurried; /* what it needs between two requests, and those that came sooner */
    bool wrote, together, begun;          /* values come between BEGIN and COMMIT, and are in force from then on */
    bool aborts, aborted;                 /* or it can be told to forget them, and was */
    bool hides, shown;                    /* it shows values only once it was told to, or is unlocked */
    uint16_t coming[SPACES][PLACES];
    unsigned swapped_at; /* the request with which another model takes its place, counted down; 0: never */
    unsigned fails_at;   /* the request with which something goes wrong, counted down; 0: none */
    dice d;
} device;

/* ---- the decoder: a value as a list of bits, the least significant first ---- */

static unsigned digits_of(const thing *t)
{
    return (t->width ? t->width : 16 * t->cells) / 4;
}

/* Makes the bits that stand on the wire for these raw bytes. */
static void to_wire(const thing *t, const uint8_t *raw, uint8_t bits[64], unsigned count)
{
    uint8_t own[64] = {0};
    bool with_sign = t->type[0] == 'i' && t->type[1] != 'p';
    for (unsigned i = 0; i < 8 * t->size; i++)
        own[i] = raw[t->size - 1 - i / 8] >> i % 8 & 1;
    uint8_t sign = with_sign ? own[8 * t->size - 1] : 0;
    for (unsigned i = 8 * t->size; i < 64; i++)
        own[i] = sign;
    memset(bits, 0, 64);
    if (strcmp(t->form, "bcd") == 0) {
        unsigned long long n = 0;
        for (int i = 63; i >= 0; i--)
            n = 2 * n + own[i];
        for (unsigned k = 0; k < digits_of(t); k++, n /= 10)
            for (unsigned b = 0; b < 4; b++)
                bits[4 * k + b] = (uint8_t)(n % 10 >> b & 1);
    } else if (strcmp(t->form, "sign_magnitude") == 0) {
        /* the magnitude of a negative number: every bit turned round, and one added */
        uint8_t carry = sign;
        for (unsigned i = 0; i < count - 1; i++) {
            uint8_t turned = own[i] ^ sign;
            bits[i] = turned ^ carry;
            carry = turned & carry;
        }
        bits[count - 1] = sign;
    } else {
        for (unsigned i = 0; i < count; i++)
            bits[i] = strcmp(t->form, "loose") == 0 && i >= 8 * t->size ? 0 : own[i];
    }
}

static unsigned turn(const thing *t, unsigned cell)
{
    return t->low_bytes ? (cell & 255) * 256 + cell / 256 : cell;
}

/* A time, with the C library's calendar. */
static void put_time(const thing *t, const uint8_t *raw, uint16_t *cells)
{
    unsigned long long digits = 0;
    struct tm tm;
    char text[20];
    unsigned parts[6];
    for (int i = 0; i < 6; i++)
        digits = 256 * digits + raw[i];
    snprintf(text, sizeof text, "%014llu", digits);
    memset(&tm, 0, sizeof tm);
    assert_non_null(strptime(text, "%Y%m%d%H%M%S", &tm));
    sscanf(text, "%4u%2u%2u%2u%2u%2u", &parts[0], &parts[1], &parts[2], &parts[3], &parts[4], &parts[5]);
    if (strcmp(t->form, "seconds") == 0) {
        unsigned seconds = (unsigned)timegm(&tm);
        parts[t->low_cells ? 1 : 0] = seconds / 65536;
        parts[t->low_cells ? 0 : 1] = seconds % 65536;
    } else if (strcmp(t->form, "bcd") == 0) {
        strftime(text, sizeof text, "%y%m %d%H %M%S", &tm);
        sscanf(text, "%4x %4x %4x", &parts[t->low_cells ? 2 : 0], &parts[1], &parts[t->low_cells ? 0 : 2]);
    }
    for (unsigned i = 0; i < t->cells; i++)
        cells[i] = (uint16_t)turn(t, parts[i]);
}

static void any_time(device *v, const thing *t, uint8_t *raw)
{
    bool bcd = strcmp(t->form, "bcd") == 0, seconds = strcmp(t->form, "seconds") == 0;
    time_t from = bcd ? 946684800 : 0, end = bcd ? 4102444800 : seconds ? 4294967296 : 253402300800;
    time_t when = from + (time_t)(roll(&v->d) % (uint64_t)(end - from));
    struct tm tm;
    char text[20];
    gmtime_r(&when, &tm);
    strftime(text, sizeof text, "%Y%m%d%H%M%S", &tm);
    unsigned long long digits = strtoull(text, NULL, 10);
    for (int i = 5; i >= 0; i--, digits >>= 8)
        raw[i] = (uint8_t)digits;
}

/* Puts a value into the device's cells; what isn't the value's stays. */
static void put(device *v, const thing *t, const uint8_t *raw, bool with_junk)
{
    uint16_t *cells = &v->cells[t->space][t->at];
    unsigned length = t->size;
    if (t->space == 2 || t->space == 3) {
        cells[0] = raw[0];
        return;
    }
    if (strcmp(t->type, "time") == 0) {
        put_time(t, raw, cells);
        return;
    }
    if (strcmp(t->type, "text") == 0) {
        while (length && raw[length - 1] == 0)
            length--;
        if (strcmp(t->form, "wide") == 0) {
            for (unsigned i = 0; i < t->size; i++)
                cells[i] = (uint16_t)turn(t, raw[i]);
            return;
        }
        if (strcmp(t->form, "length") == 0)
            *cells++ = (uint16_t)length;
        for (unsigned i = 0; i < (t->size + 1) / 2; i++) {
            unsigned pair[2];
            for (unsigned k = 0; k < 2; k++) {
                unsigned n = 2 * i + k;
                bool junk =
                    with_junk && (strcmp(t->form, "length") == 0 || (strcmp(t->form, "loose") == 0 && n >= t->size));
                pair[k] = n < length                       ? raw[n]
                          : junk                           ? roll_below(&v->d, 256)
                          : strcmp(t->form, "blanks") == 0 ? ' '
                                                           : 0;
            }
            cells[i] = (uint16_t)turn(t, pair[0] * 256 + pair[1]);
        }
        return;
    }
    uint8_t bits[64];
    unsigned count = t->width ? t->width : 16 * t->cells;
    to_wire(t, raw, bits, count);
    for (unsigned i = 0; i < count; i++) {
        unsigned from_low = (t->width ? t->bit : 0) + i, cell = from_low / 16;
        unsigned place = t->low_cells ? cell : t->cells - 1 - cell;
        unsigned b = from_low % 16;
        if (t->low_bytes)
            b = b < 8 ? b + 8 : b - 8;
        bool junk = with_junk && strcmp(t->form, "loose") == 0 && i >= 8 * t->size;
        uint8_t one = junk ? (uint8_t)roll_below(&v->d, 2) : bits[i];
        cells[place] = (uint16_t)((cells[place] & ~(1u << b)) | (unsigned)one << b);
    }
}

/* Do the device's cells hold this value? */
static bool has(device *v, const thing *t, const uint8_t *raw)
{
    uint16_t *cells = &v->cells[t->space][t->at], before[160];
    memcpy(before, cells, 2u * t->cells);
    put(v, t, raw, false);
    bool same = memcmp(before, cells, 2u * t->cells) == 0;
    memcpy(cells, before, 2u * t->cells);
    return same;
}

/* What is there follows from the modes in force. */
static void settle(device *v)
{
    for (unsigned i = 0; i < v->count; i++) {
        thing *t = &v->things[i];
        t->gone = t->never || t->decider >= 0;
        for (unsigned k = 0; k < t->mode_count && !t->never && t->gone; k++)
            t->gone = !has(v, &v->things[t->decider], t->modes[k]);
        for (unsigned k = 0; k < t->cells && t->decider >= 0; k++)
            v->there[t->space][t->at + k] = !t->gone;
    }
}

/* Any raw value that the thing can hold. */
static void any_value(device *v, const thing *t, uint8_t *raw)
{
    memset(raw, 0, 160);
    if (strcmp(t->type, "text") == 0) {
        unsigned length = roll_below(&v->d, t->size + 1);
        for (unsigned i = 0; i < length; i++)
            raw[i] = (uint8_t)(i + 1 == length ? 'a' + roll_below(&v->d, 26) : 32 + roll_below(&v->d, 90));
        return;
    }
    if (strcmp(t->type, "time") == 0) {
        any_time(v, t, raw);
        return;
    }
    if (strcmp(t->type, "bool") == 0) {
        raw[0] = (uint8_t)roll_below(&v->d, 2);
        return;
    }
    unsigned own = 8 * t->size, room = t->width && t->width < own ? t->width : own;
    unsigned long long n = roll(&v->d) >> (64 - room);
    if (roll_below(&v->d, 4) == 0)
        n &= 15;
    bool with_sign = t->type[0] == 'i' && t->type[1] != 'p';
    if (strcmp(t->form, "bcd") == 0) {
        unsigned long long most = 1;
        for (unsigned i = 0; i < digits_of(t); i++)
            most *= 10;
        n %= most;
    }
    if (with_sign) { /* as a number of 64 bits with that sign */
        if (n >> (room - 1) & 1)
            n |= room < 64 ? ~0ull << room : 0;
        if (strcmp(t->form, "sign_magnitude") == 0 && n == ~0ull << (room - 1))
            n = 0;
    }
    for (unsigned i = 0; i < t->size; i++, n >>= 8)
        raw[t->size - 1 - i] = (uint8_t)n;
}

/* ---- the device ---- */

static bil_outcome no(bil_result *result, unsigned why)
{
    result->cause = BIL_E_REFUSED;
    result->code = why;
    return BIL_REFUSED;
}

static int space_of(const bil_span *at)
{
    if (at->unit == 0 && at->table == 0 && at->first >= CALL)
        return BOX;
    return at->unit == -2 ? 4 : at->unit == 0 && at->table < 4 ? at->table : -1;
}

static bil_outcome dial(void *ctx, bil_result *result)
{
    (void)ctx;
    (void)result;
    return BIL_DONE;
}

static bool may(const device *v, const bil_span *at, bool write)
{
    int space = space_of(at);
    bool bits = space == 2 || space == 3;
    unsigned most = bits ? v->most_bits : write ? v->most_write : v->most_read;
    if (space < 0 || at->count < 1 || at->count > most || at->first + at->count > PLACES || (write && space % 2))
        return false;
    for (unsigned i = 0; i < at->count; i++)
        if (!v->there[space][at->first + i])
            return false;
    return true;
}

/* A request arrives, after the silence that is asked for. */
static void arrives(device *v, const bil_span *at, bool write)
{
    unsigned needs = v->wrote ? v->write_pause : v->pause;
    uint64_t from = v->replied ? v->replied + at->pause_ms : 0;
    v->now = v->now < from ? from : v->now;
    v->hurried += v->replied && v->now < v->replied + needs;
    v->now += 5;
    v->replied = v->now;
    v->wrote = write;
    if (v->lasts && v->lock && v->now >= v->opened + v->lasts)
        v->open = false;
}

/* Does something go wrong with this request? It may have been done all the same, with its reply lost. */
static bool goes_wrong(device *v, const bil_span *at, bil_result *result, bil_outcome *outcome, bool *done)
{
    static const struct {
        bil_outcome outcome;
        bil_error cause;
        bool done;
    } wrong[] = {{BIL_UNKNOWN, BIL_E_SILENT, false}, {BIL_UNKNOWN, BIL_E_SILENT, true},
                 {BIL_UNKNOWN, BIL_E_GARBLED, true}, {BIL_NOT_SENT, BIL_E_LOST, false},
                 {BIL_BUSY, BIL_E_BUSY, false},      {BIL_REFUSED, BIL_E_REFUSED, false}};
    if (v->swapped_at && --v->swapped_at == 0)
        v->cells[0][2] ^= 4; /* another one of the maker's is there, with the same serial number */
    if (!v->fails_at || --v->fails_at)
        return false;
    unsigned which = roll_below(&v->d, 6);
    *outcome = wrong[which].outcome;
    *done = wrong[which].done;
    result->cause = wrong[which].cause;
    if (*outcome == BIL_BUSY || *outcome == BIL_REFUSED)
        arrives(v, at, false);
    return true;
}

/* What was called up, shown behind where that can be read back, or in another place. */
static bil_outcome read_box(device *v, const bil_span *at, uint16_t *cells, bil_result *result)
{
    unsigned shown = at->first;
    if (v->others && roll_below(&v->d, v->others) == 0) {
        v->called++;
        v->disturbed++;
    }
    if (v->echo) {
        *cells++ = (uint16_t)v->called;
        shown++;
    }
    if (shown != v->shows || at->count > v->most_read)
        return no(result, 2);
    if (v->hides && !v->shown && !(v->lock && v->open))
        return no(result, 4);
    for (unsigned k = 0; k < v->count; k++)
        if (v->things[k].space == BOX && v->things[k].at == v->called && v->things[k].gone && !v->others)
            return no(result, 2);
    for (unsigned i = 0; i + v->echo < at->count; i++)
        cells[i] = v->called + i < PLACES ? v->cells[BOX][v->called + i] : 0;
    return BIL_DONE;
}

static bil_outcome write_box(device *v, const bil_span *at, const uint16_t *cells, bil_result *result)
{
    if (at->first == CALL) {
        v->called = cells[0];
        return at->count == 1 && at->way == v->call_way ? BIL_DONE : no(result, 2);
    }
    v->of_values++;
    for (unsigned k = 0; k < v->count; k++) {
        const thing *t = &v->things[k];
        if (t->space == BOX && t->at == v->called && v->open && at->first == v->shows && t->cells == at->count &&
            t->writable && !t->gone && t->way == at->way) {
            if (v->together && !v->begun)
                return no(result, 4);
            memcpy(&(v->together ? v->coming : v->cells)[BOX][t->at], cells, 2u * t->cells);
            settle(v);
            return BIL_DONE;
        }
    }
    return no(result, 3);
}

/* Objects from a number on, so many in one reply; those of a larger category come only when that is asked for. */
static bil_outcome read_objects(const device *v, const bil_span *at, uint16_t *cells)
{
    uint8_t bytes[2 * BIL_CELLS_MAX] = {0x82};
    unsigned most = at->count == 1 && v->objects > 3 ? 3 : v->objects, used = 4;
    for (unsigned i = at->first; i < most && bytes[3] < v->in_one; i++) {
        const char *text = i == v->named ? "RM" : "something else";
        bytes[used] = (uint8_t)i;
        bytes[used + 1] = (uint8_t)strlen(text);
        memcpy(bytes + used + 2, text, strlen(text));
        used += 2 + (unsigned)strlen(text);
        bytes[2] = (uint8_t)(i + 1);
        bytes[3]++;
    }
    bytes[1] = bytes[2] < most ? 255 : 0;
    for (unsigned i = 0; i < BIL_CELLS_MAX; i++)
        cells[i] = (uint16_t)(bytes[2 * i] * 256 + bytes[2 * i + 1]);
    return BIL_DONE;
}

static bil_outcome read_cells(void *ctx, const bil_span *at, uint16_t *cells, bil_result *result)
{
    device *v = ctx;
    arrives(v, at, false);
    v->reads++;
    if (at->table == BIL_OBJECTS)
        return read_objects(v, at, cells);
    int space = space_of(at);
    if (space == BOX)
        return read_box(v, at, cells, result);
    if (!may(v, at, false))
        return no(result, 2);
    if ((space != 0 || at->first >= OWN) && v->hides && !v->shown && !(v->lock && v->open))
        return no(result, 4);
    memset(cells, 0, 2u * (space == 2 || space == 3 ? (at->count + 15u) / 16 : at->count));
    for (unsigned i = 0; i < at->count; i++) {
        unsigned one = v->cells[space][at->first + i];
        if (space == 2 || space == 3)
            cells[i / 16] = (uint16_t)(cells[i / 16] | one << i % 16);
        else
            cells[i] = (uint16_t)one;
    }
    return BIL_DONE;
}

/* What follows from a value in its own cells. */
static bil_outcome obey(device *v, unsigned at, bil_result *result)
{
    if (at == KEY) {
        v->open = v->lock && memcmp(&v->cells[0][KEY], locks[v->lock].cells, sizeof locks[0].cells) == 0;
        v->opened = v->now;
        v->unlocks++;
    }
    v->aborted = v->aborted || at == ABORT;
    if (at == LOCK)
        v->open = !v->lock;
    v->shown = at == SHOW ? v->cells[0][SHOW] == 4711 : v->shown && at != LOCK && at != ORDER;
    if (at == BEGIN)
        memcpy(v->coming, v->cells, sizeof v->coming);
    if (at == COMMIT && !v->begun)
        return no(result, 4);
    for (unsigned k = 0; at == COMMIT && k < v->count; k++) {
        const thing *t = &v->things[k];
        memcpy(&v->cells[t->space][t->at], &v->coming[t->space][t->at], 2u * t->cells);
    }
    v->begun = at == BEGIN || (v->begun && at != COMMIT && at != ABORT);
    memcpy(&v->cells[0][SEEN], v->begun ? (uint16_t[]){0x1122, 0x3344, 0x5566} : (uint16_t[]){0, 0, 0}, 6);
    settle(v);
    return BIL_DONE;
}

static bil_outcome write_cells(void *ctx, const bil_span *at, const uint16_t *cells, bil_result *result)
{
    device *v = ctx;
    arrives(v, at, true);
    v->writes++;
    int space = space_of(at);
    if (space == BOX)
        return write_box(v, at, cells, result);
    v->functions[at->way]++;
    v->of_values += at->table != BIL_HOLDING || at->unit || at->first >= OWN;
    if (!may(v, at, true) || (at->way != BIL_WAY_TOGETHER && at->count != 1))
        return no(result, 2);
    for (unsigned i = 0; i < at->count; i++) { /* each of these is taken only in the way that its manual says */
        if ((space != 0 || at->first + i >= OWN) && !v->open)
            return no(result, 1);
        for (unsigned k = 0; k < v->count; k++) {
            const thing *t = &v->things[k];
            bool here = t->space == space && t->at <= at->first + i && at->first + i < t->at + t->cells;
            if (here &&
                (t->way != at->way || !t->writable || t->at < at->first || t->at + t->cells > at->first + at->count))
                return no(result, 3);
        }
    }
    bool own = space == 0 && at->first < OWN;
    if (!own && v->together && !v->begun)
        return no(result, 4);
    for (unsigned i = 0; i < at->count; i++) {
        uint16_t *cell = &(!own && v->together ? v->coming : v->cells)[space][at->first + i];
        unsigned one = space == 2 ? (unsigned)cells[i / 16] >> i % 16 & 1 : cells[i];
        *cell = (uint16_t)(at->way == BIL_WAY_MASKED ? (*cell & ~(unsigned)at->mask) | (one & at->mask) : one);
        if (space == 0 && at->first + i == ORDER)
            v->cells[0][STARTS]++;
    }
    settle(v);
    return own ? obey(v, at->first, result) : BIL_DONE;
}

static void hang_up(void *ctx)
{
    (void)ctx;
}

static bil_outcome read_or_not(void *ctx, const bil_span *at, uint16_t *cells, bil_result *result)
{
    bil_outcome outcome;
    bool done;
    return goes_wrong(ctx, at, result, &outcome, &done) ? outcome : read_cells(ctx, at, cells, result);
}

static bil_outcome write_or_not(void *ctx, const bil_span *at, const uint16_t *cells, bil_result *result)
{
    bil_outcome outcome;
    bool done;
    if (!goes_wrong(ctx, at, result, &outcome, &done))
        return write_cells(ctx, at, cells, result);
    bil_result hidden = {0};
    if (done)
        write_cells(ctx, at, cells, &hidden);
    return outcome;
}

static const bil_cell_ops ops = {dial, read_or_not, write_or_not, hang_up, NULL};

static uint64_t now_ms(void *ctx)
{
    return ((device *)ctx)->now;
}

static void sleep_until(void *ctx, uint64_t ms)
{
    device *v = ctx;
    v->now = ms > v->now ? ms : v->now;
}

static const bil_clock_ops clock_ops = {now_ms, sleep_until};

/* ---- models by chance ---- */

static void make_type(device *v, thing *t)
{
    static const struct {
        const char *type;
        unsigned size;
    } types[] = {{"bool", 1}, {"u8", 1},  {"u16", 2}, {"u24", 3}, {"u32", 4},  {"u48", 6},
                 {"u64", 8},  {"i8", 1},  {"i16", 2}, {"i24", 3}, {"i32", 4},  {"i48", 6},
                 {"i64", 8},  {"f32", 4}, {"ip4", 4}, {"mac", 6}, {"text", 0}, {"time", 6}};
    unsigned which = t->space == 2 || t->space == 3 ? 0 : roll_below(&v->d, 18);
    t->type = types[which].type;
    t->size = types[which].size;
    t->form = "plain";
    t->cells = (t->size + 1) / 2;
    if (which == 0)
        return;
    if (which == 16) {
        static const char *const forms[] = {"plain", "loose", "blanks", "length", "wide"};
        t->size = 1 + roll_below(&v->d, roll_below(&v->d, 6) ? 30 : 160);
        t->form = forms[roll_below(&v->d, 5)];
        if ((strcmp(t->form, "loose") == 0 && t->size % 2 == 0) || (strcmp(t->form, "wide") == 0 && t->size > 40))
            t->form = "plain";
        t->cells = strcmp(t->form, "wide") == 0 ? t->size : (t->size + 1) / 2 + (strcmp(t->form, "length") == 0);
        return;
    }
    if (which == 17) {
        static const char *const forms[] = {"bcd", "wide", "seconds"};
        static const unsigned cells[] = {3, 6, 2};
        unsigned form = roll_below(&v->d, 3);
        t->form = forms[form];
        t->cells = cells[form];
        return;
    }
    bool whole = (t->type[0] == 'u' || t->type[0] == 'i') && t->type[1] != 'p';
    if (whole && roll_below(&v->d, 3) == 0)
        t->form = t->type[0] == 'u' ? "bcd" : "sign_magnitude";
    else if (t->size % 2 && roll_below(&v->d, 3) == 0)
        t->form = "loose";
}

/* Some have a part of their cell, from bit `from` on. */
static bool make_part(device *v, thing *t, unsigned from)
{
    unsigned most = 8 * t->size, room = 16 - from;
    if (t->cells != 1 || t->space == 2 || t->space == 3 || t->space == BOX || strcmp(t->type, "text") == 0)
        return false;
    if (strcmp(t->form, "loose") == 0)
        t->form = "plain";
    t->bit = from + (room > 2 && roll_below(&v->d, 3) == 0 ? 1 : 0);
    room = 16 - t->bit;
    t->width = 1 + roll_below(&v->d, room < most ? room : most);
    if (strcmp(t->type, "bool") == 0)
        t->width = 1;
    if (strcmp(t->form, "bcd") == 0)
        t->width = t->width / 4 * 4;
    if (strcmp(t->form, "sign_magnitude") == 0 && t->width < 2)
        t->width = 0;
    return t->width > 0;
}

/* What it has to be told, and what it needs between two requests. */
static void make_manners(device *v, char out[900], char key[160])
{
    v->lock = roll_below(&v->d, LOCKS);
    v->open = !v->lock;
    v->pause = roll_below(&v->d, 2) * roll_below(&v->d, 90);
    v->write_pause = v->pause + roll_below(&v->d, 2) * roll_below(&v->d, 300);
    v->lasts = roll_below(&v->d, 2) * (4000 + roll_below(&v->d, 2000));
    v->locks = roll_below(&v->d, 2);
    v->together = roll_below(&v->d, 3) == 0;
    v->begun = v->wrote = v->shown = false;
    v->aborts = v->together && roll_below(&v->d, 2);
    v->hides = roll_below(&v->d, 3) == 0;
    char lasts[40] = "";
    if (v->lasts)
        snprintf(lasts, sizeof lasts, "lasts_ms: %u, ", v->lasts);
    *out = *key = '\0';
    if (v->lock) {
        snprintf(out, 200, "  - {does: unlock, %ssteps: [{%s, repeatable: yes}]}\n", lasts,
                 v->lock == LOCKS - 1 ? "write: x.key, from: id.serial" : "secret: x.key, slot: password");
        snprintf(key, 160, "  x.key: {name: K, %s, class: secret, writes: multiple, at: %d}\n", locks[v->lock].how,
                 KEY);
    }
    if (v->together)
        strcat(out, "  - {does: begin, steps: [{write: x.begin, value: 1}, {until: x.seen, value: 18838586676582, "
                    "within_ms: 900}]}\n"
                    "  - {does: commit, steps: [{write: x.commit, value: 1}]}\n");
    if (v->aborts)
        strcat(out, "  - {does: abort, steps: [{write: x.abort, value: 1, repeatable: yes}]}\n");
    if (v->hides)
        strcat(out, "  - {does: unlock_to_read, steps: [{write: x.show, value: 4711, repeatable: yes}]}\n");
    if (v->locks)
        strcat(out, "  - {does: lock, steps: [{write: x.lock, value: 1, repeatable: yes}]}\n");
}

/* A whole number or a switch, with nothing in its cells that it leaves open. */
static bool can_decide(const thing *t)
{
    return (t->type[0] == 'u' || strcmp(t->type, "bool") == 0) && t->size <= 4 && strcmp(t->form, "loose") != 0;
}

/* It is there while another thing has one of some values. */
static void make_mode(device *v, thing *t, int decider, char out[120])
{
    thing *by = &v->things[decider];
    size_t used = (size_t)snprintf(out, 120, "mode: {v.t%d: [", decider);
    t->decider = decider;
    by->decides = true;
    t->mode_count = 1 + roll_below(&v->d, by->type[0] == 'b' ? 1 : MODES);
    for (unsigned k = 0; k < t->mode_count; k++) {
        unsigned long long n = 0;
        any_value(v, by, t->modes[k]);
        for (unsigned i = 0; i < by->size; i++)
            n = 256 * n + t->modes[k][i];
        const char *comma = k ? ", " : "";
        used += (size_t)(by->type[0] == 'b' ? snprintf(out + used, 120 - used, "%s%s", comma, n ? "true" : "false")
                                            : snprintf(out + used, 120 - used, "%s%llu", comma, n));
    }
    snprintf(out + used, 120 - used, "]}");
}

/* One of the values with which something is there, or any. */
static void some_mode(device *v, const thing *t, uint8_t *raw)
{
    any_value(v, t, raw);
    for (unsigned i = 0; i < v->count; i++)
        if (v->things[i].decider == t - v->things && roll_below(&v->d, 2))
            memcpy(raw, v->things[i].modes[roll_below(&v->d, v->things[i].mode_count)], 160);
}

static void make_model(device *v, char *text, size_t size)
{
    unsigned next[SPACES] = {OWN, 0, 0, 0, 0, 0};
    v->most_read = 90 + roll_below(&v->d, 36);
    v->most_write = 90 + roll_below(&v->d, 34);
    v->most_bits = 20 + roll_below(&v->d, 200);
    v->shows = CALL + 1 + 100 * roll_below(&v->d, 2);
    v->echo = v->shows == CALL + 1 && roll_below(&v->d, 2);
    v->call_way = roll_below(&v->d, 2);
    char box[100];
    snprintf(box, sizeof box, "{index: %d, value: %u, writes: %s%s}", CALL, v->shows,
             v->call_way ? "single" : "multiple", v->shows == CALL + 1 && !v->echo ? ", echo: no" : "");
    static const char *const says[] = {"id.model", "{id.code: 21069}", "{id.code: 21069, id.board: 3}", "id.model"};
    static const char *const codes[] = {
        "  id.model: {name: M, type: text, size: 2, class: unit, at: 0}\n",
        "  id.code: {name: C, type: u16, class: unit, at: 0}\n",
        "  id.code: {name: C, type: u16, class: unit, at: 0}\n  id.board: {name: B, type: u8, class: unit, at: 2}\n",
        "  id.model: {name: M, type: text, size: 3, class: unit, space: identification, at: %u}\n"};
    v->signs = roll_below(&v->d, 4);
    v->objects = 1 + roll_below(&v->d, 8);
    v->named = roll_below(&v->d, v->objects);
    v->in_one = 1 + roll_below(&v->d, 4);
    char code[200];
    snprintf(code, sizeof code, codes[v->signs], v->named);
    char manners[900], key[160];
    make_manners(v, manners, key);
    size_t used = (size_t)snprintf(
        text, size,
        "bilancia_description: 0\nvendor: Esempio\nmodel: RM\nrevision: 1\nfirmware: [\"1.10\"]\nhardware: [A, B]\n"
        "stored_values: by_restart\nlink: {largest_read: %u, largest_write: %u, largest_read_bits: %u, "
        "largest_write_bits: %u, pause_ms: %u, write_pause_ms: %u}\nspaces: {annex: {table: holding, above: 2}, box: "
        "{mailbox: %s}}\n"
        "identify: {model: %s, serial: id.serial, hardware: id.hardware, firmware: id.firmware}\nrestart_shows: "
        "{counter: id.starts}\nwrites_last: "
        "yes\nprocedures:\n"
        "  - {does: restart, steps: [{write: x.restart, value: 1}, {reconnect: 500}]}\n%s"
        "parameters:\n"
        "%s  id.hardware: {name: H, type: text, size: 2, class: unit, at: 3}\n"
        "  id.firmware: {name: F, type: text, size: 4, class: unit, at: 4}\n"
        "  id.serial: {name: N, type: u16, class: unit, at: 1}\n"
        "  id.starts: {name: S, type: u16, class: unit, at: %d}\n"
        "  x.restart: {name: R, type: u16, class: command, at: %d}\n%s"
        "  x.begin: {name: B, type: u16, class: command, at: %d}\n"
        "  x.commit: {name: C, type: u16, class: command, at: %d}\n"
        "  x.lock: {name: L, type: u16, class: command, at: %d}\n"
        "  x.abort: {name: A, type: u16, class: command, at: %d}\n"
        "  x.show: {name: S, type: u16, class: command, at: %d}\n"
        "  x.seen: {name: B, type: u48, class: live, at: %d}\n",
        v->most_read, v->most_write, v->most_bits, v->most_bits, v->pause, v->write_pause, box, says[v->signs], manners,
        code, STARTS, ORDER, key, BEGIN, COMMIT, LOCK, ABORT, SHOW, SEEN);
    memset(v->there, 0, sizeof v->there);
    v->there[0][2] = v->signs == 2;
    v->there[0][0] = v->signs < 3;
    v->there[0][3] = v->there[0][4] = v->there[0][5] = true;
    v->there[0][1] = v->there[0][STARTS] = v->there[0][ORDER] = true;
    v->there[0][BEGIN] = v->there[0][COMMIT] = v->there[0][LOCK] = v->there[0][ABORT] = v->there[0][SHOW] = true;
    v->there[0][SEEN] = v->there[0][SEEN + 1] = v->there[0][SEEN + 2] = true;
    int decider = -1;
    v->there[0][KEY] = v->there[0][KEY + 1] = v->there[0][KEY + 2] = v->lock != 0;
    v->count = 1 + roll_below(&v->d, THINGS);
    for (unsigned i = 0; i < v->count; i++) {
        thing *t = &v->things[i], *before = i ? t - 1 : NULL;
        *t = (thing){.space = (int)roll_below(&v->d, SPACES), .decider = -1};
        make_type(v, t);
        t->writable = (t->space == BOX || t->space % 2 == 0) && roll_below(&v->d, 4);
        t->way = t->writable && t->cells == 1 && roll_below(&v->d, 3) == 0;
        t->low_cells = roll_below(&v->d, 2);
        t->low_bytes = roll_below(&v->d, 2);
        bool shares = before && before->width && before->space == t->space && before->bit + before->width < 16 &&
                      roll_below(&v->d, 4);
        if (shares && make_part(v, t, before->bit + before->width)) {
            t->at = before->at;
            t->low_bytes = before->low_bytes;
            t->writable = before->writable;
            t->way = before->way;
        } else {
            t->bit = t->width = 0;
            if (roll_below(&v->d, 2) && make_part(v, t, 0) && t->writable)
                t->way = (int)roll_below(&v->d, 3);
            t->at = next[t->space] + (roll_below(&v->d, 3) ? 0 : roll_below(&v->d, 4));
        }
        next[t->space] = t->at + t->cells;
        if (next[t->space] > PLACES) { /* full */
            v->count = i;
            break;
        }
        unsigned condition = t->width || roll_below(&v->d, 4) ? CONDITIONS : roll_below(&v->d, CONDITIONS);
        t->never = condition < CONDITIONS && !conditions[condition].holds;
        for (unsigned k = 0; k < t->cells; k++)
            v->there[t->space][t->at + k] = !t->never;
        char mode[120] = "";
        bool depends = decider >= 0 && !t->width && roll_below(&v->d, 3) == 0;
        if (depends)
            make_mode(v, t, decider, mode);
        else if (can_decide(t) && condition == CONDITIONS && roll_below(&v->d, 4) == 0)
            decider = (int)i;
        t->always = condition == CONDITIONS && !depends;
        static const char *const ways[] = {"multiple", "single", "masked"};
        used += (size_t)snprintf(text + used, size - used,
                                 "  v.t%u: {name: T%u, type: %s, class: %s, space: %s, at: %u, form: %s, writes: %s, "
                                 "access: %s, cell_order: %s, byte_order: %s",
                                 i, i, t->type, t->writable ? "setup" : "unit", space_names[t->space], t->at, t->form,
                                 ways[t->way], t->writable ? "read_write" : "read",
                                 t->low_cells ? "low_first" : "high_first", t->low_bytes ? "low_first" : "high_first");
        if (strcmp(t->type, "text") == 0)
            used += (size_t)snprintf(text + used, size - used, ", size: %u", t->size);
        static const char *const scales[] = {"0.001", "0.1", "1", "1000"}; /* its bits are the same with any of them */
        if (t->type[0] == 'f')
            used += (size_t)snprintf(text + used, size - used, ", scale: %s", scales[roll_below(&v->d, 4)]);
        if (t->width)
            used += (size_t)snprintf(text + used, size - used, ", bit: [%u, %u]", t->bit, t->bit + t->width - 1);
        if (condition < CONDITIONS || depends)
            used += (size_t)snprintf(text + used, size - used, ", only: {%s%s%s}",
                                     condition < CONDITIONS ? conditions[condition].only : "",
                                     condition < CONDITIONS && depends ? ", " : "", mode);
        if (decider == (int)i)
            used += (size_t)snprintf(text + used, size - used, ", stage: %u", roll_below(&v->d, 5));
        used += (size_t)snprintf(text + used, size - used, "}\n");
    }
}

static bool yes(void *ctx, const bil_action *action)
{
    (void)ctx;
    (void)action;
    return true;
}

static bool secret(void *ctx, uint8_t slot, const bil_format *format, uint8_t *raw)
{
    (void)ctx;
    return slot == 1 && bil_value_parse(format, "105765", 6, NULL, raw) == BIL_OK;
}

static bool saved(void *ctx, const bil_image *have)
{
    (void)ctx;
    (void)have;
    return true;
}

static bil_action run(device *v, bil_job_kind kind, bil_image *have, bil_image *want, bil_job_progress *progress)
{
    const bil_description *d = have->description;
    bil_job_config config = {.struct_size = sizeof config,
                             .kind = kind,
                             .description = d,
                             .have = have,
                             .want = want,
                             .serial = "77",
                             .firmware = "1.10",
                             .has_password = true,
                             .restart = BIL_RESTART_NOW};
    void *memory = malloc(bil_job_size(d));
    bil_job *job;
    bil_action end;
    assert_int_equal(bil_job_init(&job, memory, bil_job_size(d), &config), BIL_OK);
    bil_cell_link over;
    v->replied = 0;
    bil_run_hooks hooks = {
        .struct_size = sizeof hooks, .ask = yes, .record = yes, .save = saved, .secret = secret, .ctx = v};
    assert_int_equal(
        bil_run(job, bil_cell_link_over(&over, (bil_cells){&ops, v}), (bil_clock){&clock_ops, v}, &hooks, &end),
        BIL_OK);
    bil_job_progress_of(job, progress);
    free(memory);
    return end;
}

/* Are these cells those of values that every read asks for? Then they may be read across. */
static bool crosses(const device *v, int space, unsigned from, unsigned to)
{
    for (unsigned at = from; at < to; at++) {
        bool asked = false;
        for (unsigned i = 0; i < v->count && !asked; i++) {
            const thing *t = &v->things[i];
            asked = t->always && t->space == space && t->at <= at && at < t->at + t->cells;
        }
        if (!asked)
            return false;
    }
    return true;
}

/* The fewest requests that read all of it, or only what decides: from the first cell on, as much as goes into one, and
 * no gap. */
static unsigned fewest(const device *v, bool deciders)
{
    unsigned all = v->signs == 3 && !deciders ? v->named / v->in_one + 1 : 0; /* replies until it comes */
    for (unsigned i = 0; i < v->count; i++) /* called up, and looked at; once more where somebody else came between */
        all += v->things[i].space == BOX && !v->things[i].gone && (v->things[i].decides || !deciders) ? 2 : 0;
    for (int space = 0; space < BOX; space++) {
        unsigned most = space == 2 || space == 3 ? v->most_bits : v->most_read, from = 0, to = 0; /* of a request */
        for (unsigned at = 0; at < PLACES;) {
            bool own = space == 0 && at < OWN, seen = own && (at >= ORDER || (at >= SEEN && at < SEEN + 3));
            unsigned length = v->there[space][at] && !seen && !(own && deciders), wanted = length && !deciders;
            for (unsigned i = 0; i < v->count && length; i++)
                if (v->things[i].space == space && v->things[i].at == at) {
                    length = v->things[i].cells;
                    wanted = wanted || v->things[i].decides;
                }
            length = wanted ? length : 0;
            if (length && (from == to || at + length - from > most || !crosses(v, space, to, at))) {
                from = at;
                all++;
            }
            to = length ? at + length : to;
            at += length ? length : 1;
        }
    }
    return all;
}

static uint16_t place_of(const bil_description *d, unsigned i)
{
    char id[12];
    snprintf(id, sizeof id, "v.t%u", i);
    return index_of(d, id);
}

static void as_their_manuals_say(void **state)
{
    (void)state;
    static device v;
    static char text[20000], why[400];
    v.d.state = 1618;
#ifdef __SANITIZE_ADDRESS__
    unsigned models = rounds(3000);
#else
    unsigned models = rounds(10000);
#endif
    unsigned values = 0, functions[3] = {0}, more = 0, disturbed = 0, again = 0, struck = 0,
             verdicts[BIL_VERDICT_COUNT] = {0}, appear = 0, vanish = 0, left = 0, forgotten = 0;
    for (unsigned round = 0; round < models; round++) {
        loaded_description loaded;
        bil_job_progress progress;
        memset(v.cells, 0, sizeof v.cells);
        make_model(&v, text, sizeof text);
        v.cells[0][0] = 'R' * 256 + 'M';
        v.cells[0][1] = 77;
        v.cells[0][2] = 3;
        v.cells[0][3] = 'A' * 256;
        v.cells[0][4] = '1' * 256 + '.';
        v.cells[0][5] = '1' * 256 + '0';
        if (description_load_text(&loaded, "model", text, strlen(text), why, sizeof why) != BIL_OK)
            fail_msg("%s in\n%s", why, text);
        const bil_description *d = &loaded.table;
        uint16_t where;
        assert_int_equal(bil_description_check(d, &where), BIL_OK);
        bil_image have = new_image(d), want = new_image(d);
        for (unsigned i = 0; i < v.count; i++) { /* bits that nobody described are any */
            thing *t = &v.things[i];
            for (unsigned k = 0; k < t->cells && t->width && (i == 0 || t->at != t[-1].at || t->space != t[-1].space);
                 k++)
                v.cells[t->space][t->at + k] = (uint16_t)roll(&v.d);
            some_mode(&v, t, t->raw);
            put(&v, t, t->raw, true);
        }
        settle(&v);
        v.reads = v.writes = v.hurried = 0;
        bil_action end = {0};
        if (v.signs && v.signs < 3 &&
            roll_below(&v.d, 10) == 0) { /* another one of the maker's, with one number that is another one */
            uint16_t *code = &v.cells[0][v.signs == 2 && roll_below(&v.d, 2) ? 2 : 0];
            *code ^= 4;
            end = run(&v, BIL_JOB_READ, &have, NULL, &progress);
            assert_int_equal(end.u.end.cause, BIL_E_OTHER_MODEL);
            *code ^= 4;
        }
        v.reads = v.writes = v.disturbed = 0;
        v.others = v.echo ? 3 : 0;
        end = run(&v, BIL_JOB_READ, &have, NULL, &progress);
        v.others = 0;
        if (end.u.end.cause != BIL_OK)
            fail_msg("round %u: %s, param %u in\n%s", round, bil_error_name((int)end.u.end.cause), end.u.end.param,
                     text);
        assert_int_equal(v.reads + v.writes,
                         progress.read_requests + progress.identity_requests + progress.other_requests);
        if (progress.read_requests != fewest(&v, false) + fewest(&v, true) + 2 * v.disturbed)
            fail_msg("round %u: %u requests, and not %u and %u, in\n%s", round, progress.read_requests,
                     fewest(&v, false), fewest(&v, true), text);
        if (v.hides && v.locks && v.shown)
            fail_msg("round %u: it goes on showing its values, in\n%s", round, text);
        disturbed += v.disturbed;
        for (unsigned i = 0; i < v.count; i++) {
            const thing *t = &v.things[i];
            uint16_t index = place_of(d, i);
            if (t->gone && have.state[index] == BIL_ABSENT)
                continue;
            if (t->gone || have.state[index] != BIL_PRESENT ||
                memcmp(bil_image_raw(&have, index), t->raw, t->size) != 0)
                fail_msg("round %u: t%u is read wrongly (state %u) in\n%s", round, i, have.state[index], text);
            values++;
        }
        /* another value for some of them, and no bit besides */
        static uint16_t should[SPACES][PLACES];
        unsigned changed = 0;
        bool excepted = false;
        for (unsigned i = 0; i < v.count; i++) {
            thing *t = &v.things[i];
            uint16_t index = place_of(d, i);
            bool there = !t->never && t->decider < 0; /* in the mode that is wanted; deciders come first */
            for (unsigned k = 0; k < t->mode_count && !t->never && !there; k++)
                there = memcmp(t->modes[k], v.things[t->decider].wanted, v.things[t->decider].size) == 0;
            memcpy(t->wanted, t->raw, sizeof t->raw);
            if (t->writable && there && roll_below(&v.d, 3))
                some_mode(&v, t, t->wanted);
            changed += memcmp(t->wanted, t->raw, t->size) != 0;
            appear += there && t->gone;
            vanish += !there && !t->gone;
            bool foreign = !there && t->gone && t->writable && roll_below(&v.d, 20) == 0; /* of a unit that has it */
            excepted = excepted || foreign;
            if (there || foreign)
                bil_image_put(&want, index, t->wanted);
        }
        static device kept;
        kept = v;
        for (unsigned i = 0; i < v.count; i++) {
            const thing *t = &v.things[i];
            if (memcmp(t->wanted, t->raw, t->size) != 0)
                put(&v, t, t->wanted, false);
        }
        memcpy(should, v.cells, sizeof should);
        memcpy(v.cells, kept.cells, sizeof v.cells);
        settle(&v);
        /* disturbed anywhere, it is never said to be there when it isn't; then it is written again */
        bil_image seen = new_image(d);
        if (v.signs == 2 && roll_below(&v.d, 10) == 0) {
            v.swapped_at = 5; /* it was made sure who is there, and it wasn't written yet */
            end = run(&v, BIL_JOB_WRITE, &seen, &want, &progress);
            assert_int_equal(v.swapped_at, 0);
            if (end.u.end.verdict == BIL_VERDICT_VERIFIED)
                fail_msg("round %u: another model was written to, %s, in\n%s", round,
                         bil_verdict_name(end.u.end.verdict), text);
            memcpy(v.cells, kept.cells, sizeof v.cells);
        }
        v.aborted = false;
        v.fails_at = 1 + roll_below(&v.d, 3 * (v.reads + v.writes) + 10);
        end = run(&v, BIL_JOB_WRITE, &seen, &want, &progress);
        verdicts[end.u.end.verdict]++;
        struck += v.fails_at == 0;
        bool there = true;
        for (unsigned i = 0; i < v.count; i++)
            for (unsigned k = 0; k < v.things[i].cells; k++)
                there = there &&
                        should[v.things[i].space][v.things[i].at + k] == v.cells[v.things[i].space][v.things[i].at + k];
        if (end.u.end.verdict == BIL_VERDICT_VERIFIED && !there)
            fail_msg("round %u: said to be verified, and isn't, in\n%s", round, text);
        free_image(&seen);
        left += v.aborts && v.begun; /* where it can't be told any more who answers, nothing goes there */
        forgotten += v.aborted && !v.begun;
        v.fails_at = 0;
        if (roll_below(&v.d, 8)) /* as it was, or as that left it */
            memcpy(v.cells, kept.cells, sizeof v.cells);
        settle(&v);
        v.reads = v.writes = v.of_values = v.unlocks = 0;
        memset(v.functions, 0, sizeof v.functions);
        end = run(&v, BIL_JOB_WRITE, &have, &want, &progress);
        if (changed && end.u.end.verdict != (excepted ? BIL_VERDICT_WITH_EXCEPTIONS : BIL_VERDICT_VERIFIED))
            fail_msg("round %u: %s, %s, param %u in\n%s", round, bil_verdict_name(end.u.end.verdict),
                     bil_error_name((int)end.u.end.cause), end.u.end.param, text);
        should[0][STARTS] = v.cells[0][STARTS];
        should[0][ORDER] = v.cells[0][ORDER];
        memcpy(&should[0][ABORT], &v.cells[0][ABORT], 8 * sizeof should[0][0]); /* and what it was told */
        memcpy(&should[0][SEEN], &v.cells[0][SEEN], 3 * sizeof should[0][0]);
        if (v.hurried)
            fail_msg("round %u: %u requests came too soon, in\n%s", round, v.hurried, text);
        if (v.locks && ((v.lock && v.open) || v.shown))
            fail_msg("round %u: it is left unlocked, in\n%s", round, text);
        if (memcmp(should, v.cells, sizeof should) != 0)
            fail_msg("round %u: the device has other bits than it should have, in\n%s", round, text);
        assert_int_equal(v.reads + v.writes, progress.read_requests + progress.write_requests +
                                                 progress.identity_requests + progress.other_requests);
        again += v.unlocks > 2;                        /* once, and where it is held again after the restart */
        more += progress.write_requests > v.of_values; /* cells read before some of their bits were written */
        for (int i = 0; i < 3; i++)
            functions[i] += v.functions[i];
        free_image(&have);
        free_image(&want);
        description_free(&loaded);
    }
    assert_true(again > models / 200);
    print_message("with a mode %u values came and %u went\n", appear, vanish);
    print_message("of what had come %u times was forgotten, and %u times not\n", forgotten, left);
    assert_true(forgotten > models / 500 && forgotten > 3 * left);
    assert_true(appear > models / 40 && vanish > models / 40);
    print_message("something went wrong in %u writes: %u of all verified, %u incomplete, %u as it was\n", struck,
                  verdicts[BIL_VERDICT_VERIFIED], verdicts[BIL_VERDICT_INCOMPLETE],
                  verdicts[BIL_VERDICT_UNTOUCHED] + verdicts[BIL_VERDICT_REFUSED]);
    assert_true(struck > models / 2 && verdicts[BIL_VERDICT_INCOMPLETE] > models / 100);
    print_message("%u models, %u values; %u requests wrote several, %u one, %u some bits; %u unlocked again\n", models,
                  values, functions[0], functions[1], functions[2], again);
    assert_true(functions[0] > models / 4 && functions[1] > models / 4 && functions[2] > models / 20 &&
                more > models / 20 && disturbed > models / 20);
}

int main(void)
{
    const struct CMUnitTest tests[] = {cmocka_unit_test(as_their_manuals_say)};
    return cmocka_run_group_tests_name("registers", tests, NULL, NULL);
}

/* A kind of link that nobody had in mind: values go by name, as decimal text, over questions that hold one, a few or
 * all of them. It is made here alone; core and job know nothing of it. Reading, writing, proving, and being broken off
 * at every action, each with requests that are counted against what the description allows. */
#include <limits.h>

#include "bilancia/job.h"
#include "bilancia/words.h"
#include "help.h"

/* ---- the description ---- */

enum { SPACES = 3, VALUES = 7 };
enum {
    P_HOLD,
    P_RELEASE,
    P_RESTART,
    P_STORE,
    P_FIRMWARE,
    P_HARDWARE,
    P_MODEL,
    P_SERIAL,
    P_STARTS,
    P_SET,
    P_EXTRA = P_SET + VALUES,
    P_STATE,
    PARAMS
};
enum { IDLE, HELD = 9 };

#define NUMBER(key_, type_, size_, space_, cls_, flags_)                                                               \
    {                                                                                                                  \
        .id = key_, .name = key_, .unit = "", .format = &(const bil_format){.type = type_, .size = size_, .mul = 1},   \
        .at = {.key = key_}, .space = space_, .cls = cls_, .flags = flags_, .stage = 5                                 \
    }
#define RW (BIL_READABLE | BIL_WRITABLE)
#define SETTING(name) NUMBER("set." name, BIL_U16, 2, 0, BIL_CLASS_SETUP, RW)
static bil_param params[PARAMS] = {
    NUMBER("act.hold", BIL_U8, 1, 2, BIL_CLASS_COMMAND, BIL_WRITABLE),
    NUMBER("act.release", BIL_U8, 1, 2, BIL_CLASS_COMMAND, BIL_WRITABLE),
    NUMBER("act.restart", BIL_U8, 1, 2, BIL_CLASS_COMMAND, BIL_WRITABLE),
    NUMBER("act.store", BIL_U8, 1, 2, BIL_CLASS_COMMAND, BIL_WRITABLE),
    NUMBER("id.firmware", BIL_TEXT, 4, 1, BIL_CLASS_UNIT, BIL_READABLE),
    NUMBER("id.hardware", BIL_TEXT, 4, 1, BIL_CLASS_UNIT, BIL_READABLE),
    NUMBER("id.model", BIL_TEXT, 4, 1, BIL_CLASS_UNIT, BIL_READABLE),
    NUMBER("id.serial", BIL_TEXT, 8, 1, BIL_CLASS_UNIT, BIL_READABLE),
    NUMBER("id.starts", BIL_U32, 4, 1, BIL_CLASS_UNIT, BIL_READABLE),
    SETTING("a"),
    SETTING("b"),
    SETTING("c"),
    SETTING("d"),
    SETTING("e"),
    SETTING("f"),
    SETTING("g"),
    NUMBER("set.z", BIL_U16, 2, 0, BIL_CLASS_CALIBRATION, RW), /* stays as the unit has it */
    NUMBER("st.state", BIL_U8, 1, 1, BIL_CLASS_LIVE, BIL_READABLE)};

static const bil_proc_step hold[] = {
    {.kind = BIL_STEP_WRITE, .param = P_HOLD, .value = 1},
    {.kind = BIL_STEP_UNTIL, .param = P_STATE, .value = HELD, .mask = ~0u, .within_ms = 900, .every_ms = 50}};
static const bil_proc_step release[] = {
    {.kind = BIL_STEP_WRITE, .param = P_RELEASE, .value = 1},
    {.kind = BIL_STEP_UNTIL, .param = P_STATE, .value = IDLE, .mask = ~0u, .within_ms = 900, .every_ms = 50}};
static const bil_proc_step store[] = {{.kind = BIL_STEP_WRITE, .repeatable = true, .param = P_STORE, .value = 1}};
static const bil_proc_step restart[] = {{.kind = BIL_STEP_WRITE, .param = P_RESTART, .value = 1},
                                        {.kind = BIL_STEP_RECONNECT, .within_ms = 3000}};
static const bil_procedure procedures[] = {
    {.kind = BIL_PROC_HOLD, .steps = hold, .step_count = 2},
    {.kind = BIL_PROC_RELEASE, .for_state = true, .found = IDLE, .steps = release, .step_count = 2},
    {.kind = BIL_PROC_STORE, .steps = store, .step_count = 1},
    {.kind = BIL_PROC_RESTART, .steps = restart, .step_count = 2}};
static const char *const one[] = {"1"};
static bil_space spaces[SPACES];
static uint16_t by_place[PARAMS];
static bil_description model = {
    .vendor = "",
    .model = "NM",
    .layout = "",
    .revision = 1,
    .firmwares = one,
    .hardwares = one,
    .firmware_count = 1,
    .hardware_count = 1,
    .count = PARAMS,
    .space_count = SPACES,
    .spaces = spaces,
    .params = params,
    .by_place = by_place,
    .procedure_count = 4,
    .procedures = procedures,
    .identity = {BIL_NONE, P_MODEL, P_HARDWARE, P_FIRMWARE, P_SERIAL, BIL_NONE},
    .starts = P_STARTS,
    .uptime = BIL_NONE,
    .state = P_STATE,
    .state_held = HELD,
    .state_idle = 1 << IDLE,
    .link_unit = BIL_NONE,
    .changes = BIL_NONE,
    .unstored = BIL_NONE,
    .restart_ends_hold = true,
    .link = {.reply_ms = 50, .late_ms = 200, .busy_ms = 20, .busy_tries = 3, .request_cost = 1}};

/* How the values of the settings, and those of the unit, share requests. */
typedef struct way {
    const char *what;
    bil_space settings, info;
} way;
/* A space whose values have names. */
#define WORDS(ask_, set_, reading_, writing_, read_most_, write_most_)                                                 \
    {                                                                                                                  \
        .ask = ask_, .set = set_, .keys = true, .reading = BIL_SHARE_##reading_, .writing = BIL_SHARE_##writing_,      \
        .read_most = read_most_, .write_most = write_most_                                                             \
    }
static const way ways[] = {
    {"one a request", WORDS("get", "put", NONE, NONE, 1, 1), WORDS("who", NULL, NONE, NONE, 1, 1)},
    {"a table is read whole, one is written", WORDS("all", "put", ANY, NONE, 99, 1),
     WORDS("who", NULL, ANY, NONE, 99, 1)},
    {"any three", WORDS("some", "some", ANY, ANY, 3, 2), WORDS("who", NULL, ANY, NONE, 4, 1)},
    {"a document that is written whole",
     {.ask = "doc",
      .keys = true,
      .set = "doc",
      .reading = BIL_SHARE_ANY,
      .writing = BIL_SHARE_ANY,
      .whole = true,
      .read_most = 99,
      .write_most = 99},
     WORDS("who", NULL, ANY, NONE, 99, 1)},
};
enum { WAYS = sizeof ways / sizeof ways[0] };

static void describe(const way *w)
{
    uint16_t at = 0;
    spaces[0] = w->settings;
    spaces[1] = w->info;
    spaces[2] =
        (bil_space){.set = "do", .reading = BIL_SHARE_NONE, .writing = BIL_SHARE_NONE, .read_most = 1, .write_most = 1};
    model.raw_size = 0;
    for (uint16_t i = 0; i < PARAMS; i++) {
        params[i].raw_at = (uint16_t)model.raw_size;
        model.raw_size += params[i].format->size;
    }
    for (uint16_t s = 0; s < SPACES; s++)
        for (uint16_t i = 0; i < PARAMS; i++)
            if (params[i].space == s)
                by_place[at++] = i;
}

/* ---- the device: names and texts ---- */

typedef struct device {
    char running[PARAMS][12], stored[PARAMS][12];
    uint64_t now, up_from;
    bool connected;
    unsigned requests, values; /* of settings that were given, in all */
    const char *forgets;       /* a name that it doesn't know just now */
    /* the request of this number (from 0) goes wrong */
    unsigned fault_at;
    bil_outcome fault;
    bil_error cause;
    bool does_it_all_the_same, hit_values;
} device;

static int name_of(const char *key)
{
    for (int i = 0; i < PARAMS; i++)
        if (strcmp(params[i].at.key, key) == 0)
            return i;
    fail_msg("nobody is called %s", key);
    return -1;
}

static unsigned state_of(const device *d)
{
    return (unsigned)strtoul(d->running[P_STATE], NULL, 10);
}

static void put_state(device *d, unsigned state)
{
    snprintf(d->running[P_STATE], sizeof d->running[0], "%u", state);
}

static device new_device(void)
{
    device d = {.fault_at = UINT32_MAX};
    static const char *const says[PARAMS] = {
        [P_FIRMWARE] = "1", [P_HARDWARE] = "1", [P_MODEL] = "NM",  [P_SERIAL] = "77-A",
        [P_STARTS] = "5",   [P_STATE] = "0",    [P_EXTRA] = "4711"};
    for (int i = 0; i < PARAMS; i++)
        snprintf(d.running[i], sizeof d.running[i], "%s", says[i] ? says[i] : "0");
    for (int i = 0; i < VALUES; i++)
        snprintf(d.running[P_SET + i], sizeof d.running[0], "%d", 100 + i);
    memcpy(d.stored, d.running, sizeof d.stored);
    return d;
}

static void do_it(device *d, int what)
{
    if (what == P_HOLD)
        put_state(d, HELD);
    if (what == P_RELEASE)
        put_state(d, IDLE);
    if (what == P_STORE)
        memcpy(d->stored + P_SET, d->running + P_SET, (VALUES + 1) * sizeof d->stored[0]);
    if (what == P_RESTART) {
        memcpy(d->running + P_SET, d->stored + P_SET, (VALUES + 1) * sizeof d->stored[0]);
        snprintf(d->running[P_STARTS], sizeof d->running[0], "%lu", strtoul(d->running[P_STARTS], NULL, 10) + 1);
        put_state(d, IDLE);
        d->connected = false;
        d->up_from = d->now + 700;
    }
}

/* ---- the link: its form on the wire is text ---- */

static bil_outcome dial(void *ctx, const bil_connect *to, bil_result *result)
{
    device *d = ctx;
    assert_true(to->raw == NULL);
    d->now += 3;
    d->connected = d->now >= d->up_from;
    result->cause = d->connected ? BIL_OK : BIL_E_NOT_REACHABLE;
    return d->connected ? BIL_DONE : BIL_NOT_SENT;
}

static void put_text(const bil_format *f, const uint8_t *raw, char *text, size_t size)
{
    if (f->type == BIL_TEXT)
        snprintf(text, size, "%.*s", f->size, (const char *)raw);
    else
        snprintf(text, size, "%llu", (unsigned long long)bil_value_number(raw, f->size));
}

static void give(device *d, const bil_transfer *t)
{
    const uint8_t *raw = t->raw;
    if (spaces[params[t->items[0]].space].whole) /* what isn't in the document is gone */
        for (int i = 0; i <= VALUES; i++)
            snprintf(d->running[P_SET + i], sizeof d->running[0], "0");
    for (uint16_t i = 0; i < t->count; i++) {
        int index = name_of(params[t->items[i]].at.key);
        assert_true(index >= 0);
        if (params[index].cls != BIL_CLASS_COMMAND) {
            put_text(params[index].format, raw, d->running[index], sizeof d->running[0]);
            assert_int_equal(state_of(d), HELD); /* no value while it isn't held */
            d->values++;
        } else {
            do_it(d, index);
        }
        raw += params[index].format->size;
    }
}

static void take(const device *d, const bil_transfer *t)
{
    uint8_t *raw = t->raw;
    for (uint16_t i = 0; i < t->count; i++) {
        const bil_param *param = &params[t->items[i]];
        const char *text = d->running[name_of(param->at.key)];
        bool forgotten = d->forgets && strcmp(d->forgets, param->at.key) == 0;
        t->cause[i] = forgotten ? BIL_E_REFUSED : BIL_OK;
        memset(raw, 0, param->format->size);
        if (param->format->type == BIL_TEXT)
            memcpy(raw, text, strlen(text));
        else
            bil_value_put_number(raw, param->format->size, strtoul(text, NULL, 10));
        raw += param->format->size;
    }
}

static bil_outcome carry(void *ctx, const bil_transfer *t, bil_result *result)
{
    device *d = ctx;
    const bil_space *space = &spaces[params[t->items[0]].space];
    uint8_t sharing = t->write ? space->writing : space->reading;
    uint16_t most = t->write ? space->write_most : space->read_most;
    assert_non_null(t->write ? space->set : space->ask);
    assert_true(t->count >= 1 && t->count <= (sharing == BIL_SHARE_NONE ? 1 : most));
    for (uint16_t i = 0; i < t->count; i++) /* one space, no name twice */
        assert_true(params[t->items[i]].space == params[t->items[0]].space &&
                    (i == 0 || t->items[i] > t->items[i - 1]));
    d->now += 10;
    if (!d->connected || d->now < d->up_from) {
        result->cause = BIL_E_LOST;
        return BIL_NOT_SENT;
    }
    bool fault = d->requests++ == d->fault_at;
    if (!fault || d->does_it_all_the_same) {
        if (t->write)
            give(d, t);
        else
            take(d, t);
    }
    if (fault) {
        d->hit_values = t->write && t->value;
        result->cause = d->cause;
        d->connected = d->connected && d->fault != BIL_UNKNOWN;
        return d->fault;
    }
    if (!d->connected) { /* it restarts: no answer comes */
        result->cause = BIL_E_SILENT;
        return BIL_UNKNOWN;
    }
    return BIL_DONE;
}

static void hang_up(void *ctx)
{
    ((device *)ctx)->connected = false;
}

static const bil_link_ops by_name = {dial, carry, hang_up};

/* ---- jobs ---- */

typedef struct play {
    device *d;
    bil_link link;
    bil_image have, want;
    bil_job_progress progress;
    bool meant, safe, held; /* as a record would tell */
    unsigned actions;       /* that were performed */
    unsigned cancel_at;     /* it is cancelled while this one is performed; UINT_MAX: never */
} play;

static bool perform(play *p, const bil_action *action, bil_result *result)
{
    device *d = p->d;
    *result = (bil_result){.number = action->number};
    switch (action->kind) {
    case BIL_ACT_CONNECT:
        while ((result->outcome = p->link.ops->connect(p->link.ctx, &action->u.connect, result)) != BIL_DONE &&
               d->now < action->u.connect.until_ms)
            d->now += 100;
        break;
    case BIL_ACT_TRANSFER:
        if (action->u.transfer.write && action->u.transfer.value)
            assert_true(p->meant && p->safe);
        result->outcome = p->link.ops->transfer(p->link.ctx, &action->u.transfer, result);
        break;
    case BIL_ACT_WAIT:
        d->now = action->u.wait.until_ms > d->now ? action->u.wait.until_ms : d->now;
        break;
    case BIL_ACT_RECORD:
        p->meant = p->meant || action->u.record.event == BIL_EV_INTENT;
        p->held = action->u.record.event == BIL_EV_HOLDING    ? true
                  : action->u.record.event == BIL_EV_RELEASED ? false
                                                              : p->held;
        break;
    case BIL_ACT_SAVE:
        p->safe = true;
        break;
    default:
        break;
    }
    result->now_ms = d->now;
    return true;
}

/* Runs a job up to so many actions; false: it was broken off before its end. */
static bool run(play *p, bil_job_kind kind, unsigned most, bil_action *action)
{
    bil_job_config config = {.struct_size = sizeof config,
                             .kind = kind,
                             .description = &model,
                             .have = &p->have,
                             .want = &p->want,
                             .serial = "77-A",
                             .firmware = "1",
                             .restart = BIL_RESTART_NOW,
                             .held_before = p->held,
                             .found = IDLE};
    size_t size = bil_job_size(&model);
    void *memory = malloc(size);
    bil_job *job;
    bil_result result = {.now_ms = p->d->now};
    assert_int_equal(bil_job_init(&job, memory, size, &config), BIL_OK);
    bool over = false;
    for (p->actions = 0; !over && p->actions < most; p->actions += !over) {
        assert_int_equal(bil_job_step(job, &result, action), BIL_OK);
        over = action->kind == BIL_ACT_END;
        if (!over)
            perform(p, action, &result);
        if (p->actions == p->cancel_at)
            bil_job_cancel(job);
    }
    bil_job_progress_of(job, &p->progress);
    free(memory);
    return over;
}

static play new_play(device *d)
{
    play p = {
        .d = d, .link = {&by_name, d}, .have = new_image(&model), .want = new_image(&model), .cancel_at = UINT_MAX};
    return p;
}

static void end_play(play *p)
{
    free_image(&p->have);
    free_image(&p->want);
}

/* What is wanted differs in some of the values. */
static unsigned want_some(play *p, unsigned which)
{
    unsigned count = 0;
    for (unsigned i = 0; i < VALUES; i++) {
        bool differs = which >> i & 1;
        uint8_t raw[2];
        bil_value_put_number(raw, 2, differs ? 500 + i : 100 + i);
        bil_image_put(&p->want, (uint16_t)(P_SET + i), raw);
        count += differs;
    }
    return count;
}

static void assert_wanted(const device *d, unsigned which)
{
    for (unsigned i = 0; i < VALUES; i++) {
        char wanted[12];
        snprintf(wanted, sizeof wanted, "%u", which >> i & 1 ? 500 + i : 100 + i);
        assert_string_equal(d->running[P_SET + i], wanted);
        assert_string_equal(d->stored[P_SET + i], wanted);
    }
    assert_string_equal(d->running[P_EXTRA], "4711");
    assert_string_equal(d->stored[P_EXTRA], "4711");
    assert_int_equal(state_of(d), IDLE);
}

/* The least requests for so many values, whatever is put together with what. */
static unsigned least(unsigned values, uint8_t sharing, unsigned most)
{
    return sharing == BIL_SHARE_NONE ? values : (values + most - 1) / most;
}

/* ---- tests ---- */

static void reads_and_writes_with_the_least_requests(void **state)
{
    (void)state;
    for (int k = 0; k < WAYS; k++)
        for (unsigned which = 0; which < 1u << VALUES; which++) {
            const way *w = &ways[k];
            describe(w);
            device d = new_device();
            play p = new_play(&d);
            bil_action end;
            assert_true(run(&p, BIL_JOB_READ, UINT32_MAX, &end));
            assert_int_equal(end.u.end.verdict, BIL_VERDICT_VERIFIED);
            /* settings, calibration, and what belongs to the unit */
            assert_int_equal(p.progress.read_requests, least(VALUES + 1, w->settings.reading, w->settings.read_most) +
                                                           least(5, w->info.reading, w->info.read_most));
            for (uint16_t i = P_SET; i < P_SET + VALUES; i++)
                assert_int_equal(bil_value_number(bil_image_raw(&p.have, i), 2), 100 + i - P_SET);
            unsigned differ = want_some(&p, which);
            assert_true(run(&p, BIL_JOB_WRITE, UINT32_MAX, &end));
            assert_int_equal(end.u.end.verdict, BIL_VERDICT_VERIFIED);
            assert_false(end.u.end.held);
            assert_wanted(&d, which);
            unsigned sent = w->settings.whole && differ ? VALUES + 1 : differ;
            assert_int_equal(p.progress.written, sent);
            assert_int_equal(d.values, sent);
            assert_int_equal(p.progress.write_requests, least(sent, w->settings.writing, w->settings.write_most));
            end_play(&p);
        }
}

/* A link that knows which value is missing says so: nothing has to be looked for in halves. */
static void one_that_is_missing_is_named(void **state)
{
    (void)state;
    for (int k = 0; k < WAYS; k++)
        for (uint16_t gone = P_SET; gone <= P_EXTRA; gone++) {
            describe(&ways[k]);
            device d = new_device();
            play p = new_play(&d);
            bil_action end;
            d.forgets = params[gone].at.key;
            assert_true(run(&p, BIL_JOB_READ, UINT32_MAX, &end));
            assert_int_equal(end.u.end.verdict, BIL_VERDICT_WITH_EXCEPTIONS);
            for (uint16_t i = P_SET; i <= P_EXTRA; i++)
                assert_int_equal(p.have.state[i], i == gone ? BIL_UNREADABLE : BIL_PRESENT);
            assert_int_equal(p.progress.read_requests,
                             least(VALUES + 1, ways[k].settings.reading, ways[k].settings.read_most) +
                                 least(5, ways[k].info.reading, ways[k].info.read_most));
            end_play(&p);
        }
}

/* Broken off before every action, and again on the way on: in the end everything is as wanted, and let go. */
static void broken_off_at_every_action(void **state)
{
    (void)state;
    enum { SOME = 0x35 };
    unsigned plays = 0;
    for (int k = 0; k < WAYS; k++) {
        describe(&ways[k]);
        device clean = new_device();
        play whole = new_play(&clean);
        bil_action end;
        want_some(&whole, SOME);
        assert_true(run(&whole, BIL_JOB_WRITE, UINT32_MAX, &end));
        for (unsigned first = 0; first < whole.actions; first++)
            for (unsigned second = 0; second < whole.actions; second += 5, plays++) {
                device d = new_device();
                play p = new_play(&d);
                want_some(&p, SOME);
                assert_false(run(&p, BIL_JOB_WRITE, first, &end));
                p.link.ops->close(p.link.ctx);
                if (plays % 3 == 0) /* and its supply failed meanwhile */
                    do_it(&d, P_RESTART);
                if (!run(&p, BIL_JOB_WRITE, second, &end)) {
                    d.connected = false;
                    assert_true(run(&p, BIL_JOB_WRITE, UINT32_MAX, &end));
                }
                if (end.u.end.verdict != BIL_VERDICT_VERIFIED)
                    fail_msg("%s, broken off before %u and %u: %s, %s", ways[k].what, first, second,
                             bil_verdict_name(end.u.end.verdict), bil_error_name((int)end.u.end.cause));
                assert_wanted(&d, SOME);
                end_play(&p);
            }
        end_play(&whole);
    }
    print_message("%u plays of a link by name\n", plays);
}

/* Each request of a write goes wrong in each way: it ends proved, or says that it doesn't, and can be finished. */
static void everything_that_can_go_wrong(void **state)
{
    (void)state;
    enum { SOME = 0x4b };
    static const struct {
        bil_outcome outcome;
        bil_error cause;
        bool does_it;
    } faults[] = {{BIL_NOT_SENT, BIL_E_LOST, false},         {BIL_UNKNOWN, BIL_E_SILENT, false},
                  {BIL_UNKNOWN, BIL_E_SILENT, true},         {BIL_BUSY, BIL_E_BUSY, false},
                  {BIL_REFUSED, BIL_E_REFUSED, false},       {BIL_REFUSED, BIL_OK, false},
                  {BIL_REFUSED, BIL_E_FOREIGN_CHANGE, false}};
    unsigned verified = 0, other = 0;
    for (int k = 0; k < WAYS; k++)
        for (size_t f = 0; f < sizeof faults / sizeof faults[0]; f++) {
            describe(&ways[k]);
            for (unsigned at = 0;; at++) {
                device d = new_device();
                play p = new_play(&d);
                bil_action end;
                want_some(&p, SOME);
                d.fault_at = at;
                d.fault = faults[f].outcome;
                d.cause = faults[f].cause;
                d.does_it_all_the_same = faults[f].does_it;
                assert_true(run(&p, BIL_JOB_WRITE, UINT32_MAX, &end));
                bool reached = d.requests > at;
                if (end.u.end.verdict == BIL_VERDICT_VERIFIED && !end.u.end.held) {
                    assert_wanted(&d, SOME);
                    verified++;
                } else {
                    assert_true(reached);
                    assert_int_not_equal(end.u.end.cause, BIL_OK);
                    p.held = end.u.end.held;
                    assert_true(end.u.end.held || state_of(&d) != HELD);
                    assert_true(run(&p, BIL_JOB_WRITE, UINT32_MAX, &end));
                    assert_int_equal(end.u.end.verdict, BIL_VERDICT_VERIFIED);
                    assert_wanted(&d, SOME);
                    other++;
                }
                end_play(&p);
                if (!reached)
                    break;
            }
        }
    assert_true(verified > 100 && other > 20);
}

/* Cancelled while any action is performed: as long as no value went out it is let go as it was, afterwards it is as if
 * broken off; what is being let go comes to its end. */
static void cancelled_at_every_action(void **state)
{
    (void)state;
    enum { SOME = 0x35 };
    unsigned untouched = 0, incomplete = 0, over = 0;
    for (int k = 0; k < WAYS; k++)
        for (unsigned at = 0, actions = 1; at < actions; at++) {
            describe(&ways[k]);
            device d = new_device();
            play p = new_play(&d);
            bil_action end;
            if (at == 0) { /* how many there are */
                want_some(&p, SOME);
                assert_true(run(&p, BIL_JOB_WRITE, UINT32_MAX, &end));
                actions = p.actions;
                end_play(&p);
                d = new_device();
                p = new_play(&d);
            }
            want_some(&p, SOME);
            p.cancel_at = at;
            assert_true(run(&p, BIL_JOB_WRITE, UINT32_MAX, &end));
            p.cancel_at = UINT_MAX;
            if (end.u.end.verdict == BIL_VERDICT_UNTOUCHED) {
                assert_int_equal(end.u.end.cause, BIL_E_CANCELLED);
                assert_int_equal(d.values, 0);
                assert_false(end.u.end.held || end.u.end.wrote);
                assert_wanted(&d, 0);
                untouched++;
            } else if (end.u.end.verdict == BIL_VERDICT_INCOMPLETE) {
                assert_int_equal(end.u.end.cause, BIL_E_CANCELLED);
                assert_true(d.values > 0 && end.u.end.wrote);
                assert_true(end.u.end.held || state_of(&d) != HELD);
                incomplete++;
            } else {
                assert_int_equal(end.u.end.verdict, BIL_VERDICT_VERIFIED);
                assert_wanted(&d, SOME);
                over++;
            }
            p.held = end.u.end.held;
            assert_true(run(&p, BIL_JOB_WRITE, UINT32_MAX, &end));
            assert_int_equal(end.u.end.verdict, BIL_VERDICT_VERIFIED);
            assert_wanted(&d, SOME);
            end_play(&p);
        }
    print_message("cancelled: %u times untouched, %u incomplete, %u over already\n", untouched, incomplete, over);
    assert_true(untouched > 40 && incomplete > 60 && over >= WAYS);
}

static void a_read_that_is_cancelled(void **state)
{
    (void)state;
    describe(&ways[0]);
    unsigned actions = 1;
    for (unsigned at = 0; at < actions; at++) {
        device d = new_device();
        play p = new_play(&d);
        bil_action end;
        if (at == 0) {
            assert_true(run(&p, BIL_JOB_READ, UINT32_MAX, &end));
            actions = p.actions;
        }
        p.cancel_at = at;
        assert_true(run(&p, BIL_JOB_READ, UINT32_MAX, &end));
        bool over = at + 1 == actions; /* the last answer was the last that was missing */
        assert_int_equal(end.u.end.verdict, over ? BIL_VERDICT_VERIFIED : BIL_VERDICT_UNTOUCHED);
        assert_int_equal(end.u.end.cause, over ? BIL_OK : BIL_E_CANCELLED);
        assert_int_equal(p.actions, at + 1); /* nothing more is asked for */
        end_play(&p);
    }
    assert_true(actions > 15);
}

/* Somebody else was faster: to ask for less would not help, so that is not tried. */
static void a_foreign_change_is_never_split(void **state)
{
    (void)state;
    unsigned hit = 0;
    describe(&ways[3]);
    for (unsigned at = 0; at < 60; at++) {
        device d = new_device();
        play p = new_play(&d);
        bil_action end;
        want_some(&p, 0x7f);
        d.fault_at = at;
        d.fault = BIL_REFUSED;
        d.cause = BIL_E_FOREIGN_CHANGE;
        assert_true(run(&p, BIL_JOB_WRITE, UINT32_MAX, &end));
        if (d.hit_values) {
            assert_int_equal(p.progress.write_requests, 1);
            assert_int_equal(end.u.end.cause, BIL_E_FOREIGN_CHANGE);
            assert_int_equal(d.values, 0);
            hit++;
        }
        end_play(&p);
    }
    assert_int_equal(hit, 1);
}

int main(void)
{
    const struct CMUnitTest tests[] = {
        cmocka_unit_test(reads_and_writes_with_the_least_requests),
        cmocka_unit_test(one_that_is_missing_is_named),
        cmocka_unit_test(broken_off_at_every_action),
        cmocka_unit_test(everything_that_can_go_wrong),
        cmocka_unit_test(a_foreign_change_is_never_split),
        cmocka_unit_test(cancelled_at_every_action),
        cmocka_unit_test(a_read_that_is_cancelled),
    };
    return cmocka_run_group_tests_name("link_by_name", tests, NULL, NULL);
}

/* Jobs on models that the simulated units don't have: no hold, steps for a person, hardware variants, values that reset
 * each other, another unit after the restart. The device is a row of cells with a hook, its description is made on the
 * spot. */
#include "bilancia/words.h"
#include "help.h"
#include "host/describe/load.h"

enum {
    CELLS = 64,
    SERIAL = 2,
    HARDWARE = 3,
    STARTS = 5,
    ONE = 10,
    TWO = 11,
    STATE = 12,
    NUMBER = 13,
    RESTART = 20,
    STORE_A = 21,
    STORE_B = 22,
    HOLD = 23
};

static const char common[] =
    "bilancia_description: 0\nvendor: Esempio\nmodel: MD\nrevision: 1\nfirmware: [\"1\"]\n"
    "hardware: [A, B]\nlink: {busy_ms: 10, busy_tries: 3, late_ms: 10}\nstored_values: by_restart\n"
    "identify: {model: id.model, serial: id.serial, hardware: id.hardware, firmware: id.firmware}\n";
static const char params[] =
    "parameters:\n"
    "  id.model: {name: M, type: text, size: 4, class: unit, at: 0}\n"
    "  id.serial: {name: S, type: u16, class: unit, at: 2}\n"
    "  id.hardware: {name: H, type: text, size: 2, class: unit, at: 3}\n"
    "  id.firmware: {name: F, type: text, size: 2, class: unit, at: 4}\n"
    "  id.starts: {name: Starts, type: u16, class: unit, at: 5}\n"
    "  v.one: {name: One, type: u16, class: setup, at: 10, resets: [v.two]}\n"
    "  v.two: {name: Two, type: u16, class: setup, at: 11, resets: [v.one]}\n"
    "  x.state: {name: S, type: choice8, class: live, at: 12, choices: {0: ready, 1: held, 2: fault}}\n"
    "  x.number: {name: N, type: u8, class: place, at: 13, limits: [1, 247], stage: 9}\n"
    "  x.restart: {name: R, type: u16, class: command, at: 20}\n"
    "  x.store_a: {name: SA, type: u16, class: command, at: 21}\n"
    "  x.store_b: {name: SB, type: u16, class: command, at: 22}\n"
    "  x.hold: {name: H, type: u16, class: command, at: 23}\n";
static const char plain[] = "restart_shows: {counter: id.starts}\n"
                            "procedures:\n"
                            "  - {does: store, steps: [{write: x.store_a, value: 1}]}\n"
                            "  - {does: store, hardware: B, steps: [{write: x.store_b, value: 1}]}\n"
                            "  - {does: restart, steps: [{write: x.restart, value: 1}, {reconnect: 500}]}\n";
static const char with_person[] = "state: {parameter: x.state, held: held, idle: [ready]}\nrestart_keeps_hold: yes\n"
                                  "restart_shows: {counter: id.starts}\n"
                                  "procedures:\n"
                                  "  - {does: hold, steps: [{person: turn the key}, {write: x.hold, value: 1}]}\n"
                                  "  - {does: release, found: ready, steps: [{write: x.hold, value: 0}]}\n"
                                  "  - {does: store, steps: [{write: x.store_a, value: 1}]}\n"
                                  "  - {does: restart, steps: [{write: x.restart, value: 1}, {reconnect: 500}]}\n";

typedef struct row row;
struct row {
    uint16_t cells[CELLS];
    uint64_t now;
    unsigned writes[CELLS];
    bool gone, unreadable_one;
    bil_outcome always; /* how every transfer ends, when not done */
    void (*hook)(row *r, uint16_t address, bil_result *result, bil_outcome *outcome);
    void (*on_read)(row *r, uint16_t address);
    bil_event no_record; /* this event can't be recorded; 0: all can */
    unsigned reads_after_restart;
    unsigned events; /* recorded: 1 << bil_event */
    bool says_no, asked, sloppy, restart_lost;
    bil_outcome there; /* what comes from another number than its own, so many times; then silence */
    bil_error there_cause;
    int there_times;
    bil_restart restart;     /* NOW unless given */
    uint32_t speaks, number; /* unit number spoken to, and the one that it answers at; 0: any */
    loaded_description loaded;
    bil_image have, want;
    bil_action end;
};

static bil_outcome dial(void *ctx, bil_result *result)
{
    row *r = ctx;
    result->cause = BIL_E_NOT_REACHABLE;
    return r->gone ? BIL_NOT_SENT : BIL_DONE;
}

static bil_outcome read_row(void *ctx, const bil_span *at, uint16_t *cells, bil_result *result)
{
    row *r = ctx;
    r->now += 5;
    if (r->number && r->speaks != r->number) {
        bool says = r->there_cause && r->there_times > 0;
        r->there_times -= says;
        result->cause = says ? r->there_cause : BIL_E_SILENT;
        return says ? r->there : BIL_UNKNOWN;
    }
    result->cause = r->always == BIL_BUSY ? BIL_E_BUSY : BIL_E_SILENT;
    if (r->on_read)
        r->on_read(r, at->first);
    if (r->always != BIL_DONE)
        return r->always;
    bool hole = at->first > NUMBER || at->first + at->count > NUMBER + 1;
    if (hole || (r->unreadable_one && at->first <= ONE && at->first + at->count > ONE)) {
        result->cause = BIL_E_REFUSED;
        result->code = 2;
        return BIL_REFUSED;
    }
    memcpy(cells, r->cells + at->first, at->count * sizeof cells[0]);
    return BIL_DONE;
}

static bil_outcome write_row(void *ctx, const bil_span *at, const uint16_t *cells, bil_result *result)
{
    row *r = ctx;
    r->now += 5;
    for (uint16_t i = 0; i < at->count; i++) {
        bil_outcome outcome = BIL_DONE;
        r->cells[at->first + i] = cells[i];
        r->writes[at->first + i]++;
        r->cells[STARTS] = (uint16_t)(r->cells[STARTS] + (at->first + i == RESTART && !r->restart_lost));
        if (r->hook)
            r->hook(r, (uint16_t)(at->first + i), result, &outcome);
        if (outcome != BIL_DONE)
            return outcome;
    }
    return BIL_DONE;
}

static void hang_up(void *ctx)
{
    (void)ctx;
}

static void speak_to(void *ctx, uint32_t unit)
{
    row *r = ctx;
    r->speaks = unit ? BIL_UNIT_NUMBER(unit) : 1;
}

static const bil_cell_ops row_ops = {dial, read_row, write_row, hang_up, speak_to};

static uint64_t row_now(void *ctx)
{
    return ((row *)ctx)->now;
}

static void row_sleep(void *ctx, uint64_t ms)
{
    row *r = ctx;
    r->now = ms > r->now ? ms : r->now;
}

static const bil_clock_ops row_clock = {row_now, row_sleep};

static bool answer(void *ctx, const bil_action *action)
{
    row *r = ctx;
    if (action->u.ask.question != BIL_ASK_PERSON)
        return true;
    assert_true(strcmp(action->u.ask.text, "turn the key") == 0 || r->restart == BIL_RESTART_BY_HAND);
    r->asked = true;
    r->cells[STARTS] = (uint16_t)(r->cells[STARTS] + (r->restart == BIL_RESTART_BY_HAND));
    return !r->says_no;
}

static bool recorded(void *ctx, const bil_action *action)
{
    row *r = ctx;
    r->events |= 1u << action->u.record.event;
    return r->no_record == 0 || action->u.record.event != r->no_record;
}

static bool saved(void *ctx, const bil_image *have)
{
    (void)ctx;
    (void)have;
    return true;
}

static row *new_row(const char *procedures)
{
    row *r = calloc(1, sizeof *r);
    char text[4000], why[300];
    snprintf(text, sizeof text, "%s%s%s", common, procedures, params);
    if (description_load_text(&r->loaded, "model", text, strlen(text), why, sizeof why) != BIL_OK)
        fail_msg("%s", why);
    static const uint16_t start[5] = {0x4d44, 0, 77, 0x4100, 0x3100}; /* "MD", serial number, "A", "1" */
    memcpy(r->cells, start, sizeof start);
    r->have = new_image(&r->loaded.table);
    r->want = new_image(&r->loaded.table);
    bil_image_put(&r->want, index_of(&r->loaded.table, "v.one"), (const uint8_t[]){0, 5});
    bil_image_put(&r->want, index_of(&r->loaded.table, "v.two"), (const uint8_t[]){0, 7});
    return r;
}

static bil_action run_row(row *r, bil_job_kind kind)
{
    const bil_description *d = &r->loaded.table;
    bil_job_config config = {.struct_size = sizeof config,
                             .kind = kind,
                             .description = d,
                             .have = &r->have,
                             .want = &r->want,
                             .serial = "77",
                             .firmware = "1",
                             .restart = r->restart ? r->restart : BIL_RESTART_NOW,
                             .restart_ms = r->now + 50000,
                             .unit = r->number ? BIL_UNIT(r->number) : 0};
    void *memory = malloc(bil_job_size(d));
    bil_job *job;
    assert_int_equal(bil_job_init(&job, memory, bil_job_size(d), &config), BIL_OK);
    bil_cell_link over;
    bil_run_hooks hooks = {.struct_size = sizeof hooks, .ask = answer, .record = recorded, .save = saved, .ctx = r};
    bil_link link = bil_cell_link_over(&over, (bil_cells){&row_ops, r});
    assert_int_equal(bil_run(job, link, (bil_clock){&row_clock, r}, &hooks, &r->end), BIL_OK);
    free(memory);
    return r->end;
}

static void free_row(row *r)
{
    free_image(&r->have);
    free_image(&r->want);
    description_free(&r->loaded);
    free(r);
}

static void expect_end(const row *r, bil_verdict verdict, bil_error cause, const char *param, const char *other)
{
    const bil_description *d = &r->loaded.table;
    assert_string_equal(bil_verdict_name(r->end.u.end.verdict), bil_verdict_name(verdict));
    assert_string_equal(bil_error_name((int)r->end.u.end.cause), bil_error_name((int)cause));
    assert_int_equal(r->end.u.end.param, param ? index_of(d, param) : BIL_NONE);
    assert_int_equal(r->end.u.end.other, other ? index_of(d, other) : BIL_NONE);
}

static void a_model_without_hold_is_written_too(void **state)
{
    (void)state;
    for (int b = 0; b < 2; b++) {
        row *r = new_row(plain);
        r->cells[HARDWARE] = b ? 0x4200 : 0x4100;
        run_row(r, BIL_JOB_WRITE);
        expect_end(r, BIL_VERDICT_VERIFIED, BIL_OK, NULL, NULL);
        assert_false(r->end.u.end.held);
        assert_int_equal(r->writes[ONE], 1);
        assert_int_equal(r->writes[STORE_A], b ? 0 : 1); /* the procedure of its own hardware */
        assert_int_equal(r->writes[STORE_B], b ? 1 : 0);
        assert_false(r->events & (1u << BIL_EV_HOLDING | 1u << BIL_EV_HELD | 1u << BIL_EV_RELEASED)); /* it has none */
        assert_true(r->events & 1u << BIL_EV_STORED && r->events & 1u << BIL_EV_RESTARTED);
        free_row(r);
    }
}

/* Nothing tells what it does, and nothing has to be held: every restart is possible all the same. */
static void restarts_without_hold(void **state)
{
    (void)state;
    static const char no_restart[] =
        "restart_shows: {counter: id.starts}\nprocedures:\n  - {does: store, steps: [{write: x.store_a, value: 1}]}\n";
    for (int i = BIL_RESTART_NOW; i < BIL_RESTART_COUNT; i++)
        for (int without = 0; without < 2; without++) {
            row *r = new_row(without ? no_restart : plain);
            r->restart = (bil_restart)i;
            run_row(r, BIL_JOB_WRITE);
            bool never = without && i != BIL_RESTART_BY_HAND;
            expect_end(r, never ? BIL_VERDICT_NOT_PROVED : BIL_VERDICT_VERIFIED, never ? BIL_E_RESTART_UNSEEN : BIL_OK,
                       NULL, NULL);
            assert_int_equal(r->writes[RESTART], !without && i != BIL_RESTART_BY_HAND);
            assert_int_equal((r->events >> BIL_EV_RESTARTED & 1), !never);
            assert_int_equal(r->asked, i == BIL_RESTART_BY_HAND);
            assert_true(i != BIL_RESTART_AT || never || r->now >= 50000);
            free_row(r);
        }
}

/* A hold, and nothing that tells the state: nobody can see when it is let go, and it isn't said to be. */
static void a_hold_without_a_state(void **state)
{
    (void)state;
    static const char blind[] = "restart_shows: {counter: id.starts}\n"
                                "procedures:\n"
                                "  - {does: hold, steps: [{write: x.hold, value: 1}]}\n"
                                "  - {does: release, steps: [{write: x.hold, value: 0}]}\n"
                                "  - {does: store, steps: [{write: x.store_a, value: 1}]}\n"
                                "  - {does: restart, steps: [{write: x.restart, value: 1}, {reconnect: 500}]}\n";
    row *r = new_row(blind);
    run_row(r, BIL_JOB_WRITE);
    expect_end(r, BIL_VERDICT_VERIFIED, BIL_OK, NULL, NULL);
    assert_false(r->end.u.end.held || r->end.u.end.stopped);
    assert_int_equal(r->writes[HOLD], 3); /* held, held again after the restart, let go */
    assert_int_equal(r->cells[HOLD], 0);
    free_row(r);
}

static void takes_its_number(row *r, uint16_t address, bil_result *result, bil_outcome *outcome)
{
    (void)result;
    (void)outcome;
    if (address == NUMBER)
        r->number = r->cells[NUMBER];
}

/* A unit number that acts at once: the job goes on there, and where another one is meant it isn't followed. */
static void a_number_that_acts_at_once(void **state)
{
    (void)state;
    static const char *const numbered[] = {"link_unit: x.number\n", ""};
    for (int i = 0; i < 3; i++) {
        char text[1200];
        snprintf(text, sizeof text, "%s%s", numbered[i == 2], plain);
        row *r = new_row(text);
        r->hook = takes_its_number;
        r->number = 1;
        r->cells[NUMBER] = i == 1 ? 9 : 1; /* 9: a gateway gave it its number */
        bil_image_put(&r->want, index_of(&r->loaded.table, "x.number"), (const uint8_t[]){5});
        run_row(r, BIL_JOB_WRITE);
        assert_int_equal(r->cells[NUMBER], 5);
        assert_int_equal(r->end.u.end.verdict, i == 0 ? BIL_VERDICT_VERIFIED : BIL_VERDICT_INCOMPLETE);
        assert_int_equal(r->writes[ONE] + r->writes[TWO], 2); /* the number came last */
        free_row(r);
    }
}

/* Only silence is nobody at the number that the values bring; whatever else comes from there is somebody, and a gateway
 * that knows no way tells nothing. */
static void only_silence_is_nobody(void **state)
{
    (void)state;
    static const struct {
        bil_outcome outcome;
        bil_error said, cause;
    } cases[] = {{BIL_UNKNOWN, BIL_E_SILENT, BIL_OK},
                 {BIL_UNKNOWN, BIL_E_GATEWAY_SILENT, BIL_OK},
                 {BIL_UNKNOWN, BIL_E_GARBLED, BIL_E_ADDRESS_TAKEN},
                 {BIL_UNKNOWN, BIL_E_LOST, BIL_E_LOST},
                 {BIL_REFUSED, BIL_E_REFUSED, BIL_E_ADDRESS_TAKEN},
                 {BIL_BUSY, BIL_E_BUSY, BIL_E_ADDRESS_TAKEN},
                 {BIL_NOT_SENT, BIL_E_GATEWAY_PATH, BIL_E_GATEWAY_PATH},
                 {BIL_NOT_SENT, BIL_E_LOST, BIL_E_LOST}};
    char text[1200];
    snprintf(text, sizeof text, "link_unit: x.number\n%s", plain);
    for (size_t i = 0; i < sizeof cases / sizeof cases[0]; i++)
        for (int times = 1; times < 3; times++) { /* each time, or once and then silence: somebody all the same */
            row *r = new_row(text);
            r->hook = takes_its_number;
            r->number = 1;
            r->cells[NUMBER] = 1;
            r->there = cases[i].outcome;
            r->there_cause = cases[i].said;
            r->there_times = times == 1 ? 1 : 1000;
            bil_image_put(&r->want, index_of(&r->loaded.table, "x.number"), (const uint8_t[]){5});
            run_row(r, BIL_JOB_WRITE);
            bool line = cases[i].cause == BIL_E_LOST || cases[i].cause == BIL_E_GATEWAY_PATH;
            bil_error cause = line && times == 1 ? BIL_E_ADDRESS_TAKEN : cases[i].cause;
            if (r->end.u.end.cause != cause)
                fail_msg("case %zu, %d: %s", i, times, bil_error_name((int)r->end.u.end.cause));
            assert_int_equal(r->writes[ONE] + r->writes[TWO] > 0, cause == BIL_OK);
            free_row(r);
        }
}

static void reset_each_other(row *r, uint16_t address, bil_result *result, bil_outcome *outcome)
{
    (void)result;
    (void)outcome;
    if (address == ONE)
        r->cells[TWO] = 0;
    if (address == TWO)
        r->cells[ONE] = 0;
}

static void two_that_reset_each_other_are_named(void **state)
{
    (void)state;
    row *r = new_row(plain);
    r->hook = reset_each_other;
    run_row(r, BIL_JOB_WRITE);
    expect_end(r, BIL_VERDICT_INCOMPLETE, BIL_E_DISAGREE, "v.one", "v.two");
    assert_int_equal(r->writes[ONE] + r->writes[TWO], 4); /* both, then one, then the other: three rounds, no more */
    assert_int_equal(r->writes[STORE_A], 0);
    free_row(r);
}

static void restarts_by_itself(row *r, uint16_t address, bil_result *result, bil_outcome *outcome)
{
    (void)result;
    (void)outcome;
    r->cells[STARTS] = (uint16_t)(r->cells[STARTS] + (address == ONE));
}

/* Nothing but its counter tells that: all values are as they were, no request was lost. */
static void a_restart_nobody_ordered_is_seen(void **state)
{
    (void)state;
    row *r = new_row(plain);
    r->hook = restarts_by_itself;
    run_row(r, BIL_JOB_WRITE);
    expect_end(r, BIL_VERDICT_INCOMPLETE, BIL_E_INTERRUPTED, NULL, NULL);
    assert_int_equal(r->writes[STORE_A], 0);
    free_row(r);
}

static void other_after_restart(row *r, uint16_t address, bil_result *result, bil_outcome *outcome)
{
    (void)result;
    (void)outcome;
    if (address == RESTART)
        r->cells[SERIAL] = 78;
}

static void other_model_after_restart(row *r, uint16_t address, bil_result *result, bil_outcome *outcome)
{
    (void)result;
    (void)outcome;
    if (address == RESTART)
        r->cells[0] = 0x4d45;
}

static void other_after_lost_reply(row *r, uint16_t address, bil_result *result, bil_outcome *outcome)
{
    if (address != ONE)
        return;
    r->cells[SERIAL] = 78;
    result->cause = BIL_E_SILENT;
    *outcome = BIL_UNKNOWN;
}

static void another_unit_is_never_taken_for_the_same(void **state)
{
    (void)state;
    void (*const hooks[])(row *, uint16_t, bil_result *,
                          bil_outcome *) = {other_after_restart, other_model_after_restart, other_after_lost_reply};
    for (size_t i = 0; i < 3; i++) {
        row *r = new_row(plain);
        r->hook = hooks[i];
        run_row(r, BIL_JOB_WRITE);
        expect_end(r, BIL_VERDICT_INCOMPLETE, BIL_E_OTHER_UNIT, NULL, NULL);
        free_row(r);
    }
}

static void other_before_anything_is_written(row *r, uint16_t address)
{
    if (address <= SERIAL || address == ONE)
        r->reads_after_restart++;
    bool now = r->reads_after_restart == 4; /* in the middle of the last look */
    r->always = now ? BIL_UNKNOWN : BIL_DONE;
    if (now)
        r->cells[SERIAL] = 78;
}

/* The cable goes into another device with the same values, between the look and the first value. */
static void another_unit_isnt_even_touched(void **state)
{
    (void)state;
    row *r = new_row(plain);
    r->on_read = other_before_anything_is_written;
    run_row(r, BIL_JOB_WRITE);
    expect_end(r, BIL_VERDICT_REFUSED, BIL_E_OTHER_UNIT, NULL, NULL);
    assert_int_equal(r->writes[ONE] + r->writes[TWO], 0);
    free_row(r);
}

static void becomes_unreadable(row *r, uint16_t address, bil_result *result, bil_outcome *outcome)
{
    (void)result;
    (void)outcome;
    r->unreadable_one = r->unreadable_one || address == RESTART;
}

static void what_cant_be_read_back_isnt_verified(void **state)
{
    (void)state;
    row *r = new_row(plain);
    r->hook = becomes_unreadable;
    run_row(r, BIL_JOB_WRITE);
    expect_end(r, BIL_VERDICT_INCOMPLETE, BIL_E_UNREADABLE, "v.one", NULL);
    free_row(r);
}

static void refuse_two(row *r, uint16_t address, bil_result *result, bil_outcome *outcome)
{
    if (address != TWO)
        return;
    r->cells[TWO] = r->sloppy ? 99 : 0; /* a sloppy device takes something and says no all the same */
    result->cause = BIL_E_REFUSED;
    result->code = 3;
    *outcome = BIL_REFUSED;
}

static void a_refused_value_is_named(void **state)
{
    (void)state;
    for (int round = 0; round < 3; round++) {
        bool alone = round > 0;
        row *r = new_row(plain);
        r->hook = refuse_two;
        r->sloppy = round == 2;
        if (alone)
            r->cells[ONE] = 5; /* already right: nothing else is written */
        run_row(r, BIL_JOB_WRITE);
        expect_end(r, round == 1 ? BIL_VERDICT_REFUSED : BIL_VERDICT_INCOMPLETE, BIL_E_REFUSED, "v.two", NULL);
        assert_int_equal(r->end.u.end.code, 3);
        assert_int_equal(r->end.u.end.wrote, round != 1);
        free_row(r);
    }
}

static void refuse_two_and_die(row *r, uint16_t address, bil_result *result, bil_outcome *outcome)
{
    refuse_two(r, address, result, outcome);
    if (address == TWO)
        r->always = BIL_UNKNOWN;
}

/* Whether it took a part before it said no can't be read: it counts as written. */
static void a_refusal_that_cant_be_looked_into(void **state)
{
    (void)state;
    row *r = new_row(plain);
    r->hook = refuse_two_and_die;
    r->cells[ONE] = 5;
    run_row(r, BIL_JOB_WRITE);
    expect_end(r, BIL_VERDICT_INCOMPLETE, BIL_E_REFUSED, "v.two", NULL);
    assert_true(r->end.u.end.wrote);
    free_row(r);
}

static void a_person_may_refuse_a_step(void **state)
{
    (void)state;
    for (int no = 0; no < 2; no++) {
        row *r = new_row(with_person);
        r->says_no = no;
        run_row(r, BIL_JOB_WRITE);
        expect_end(r, no ? BIL_VERDICT_REFUSED : BIL_VERDICT_VERIFIED, no ? BIL_E_PERSON : BIL_OK, NULL, NULL);
        assert_true(r->asked);
        assert_false(r->end.u.end.held);
        assert_int_equal(r->writes[ONE], no ? 0 : 1);
        assert_int_equal(r->cells[HOLD], 0); /* let go in both cases */
        free_row(r);
    }
    row *r = new_row(with_person);
    r->cells[STATE] = 2; /* in fault: there is no way back to that */
    run_row(r, BIL_JOB_WRITE);
    expect_end(r, BIL_VERDICT_REFUSED, BIL_E_HOLD, "x.state", NULL);
    assert_int_equal(r->end.u.end.code, 2);
    static const uint16_t odd[] = {9, 0x1209}; /* one that the description doesn't know, and no value at all */
    for (int i = 0; i < 2; i++) {
        r->cells[STATE] = odd[i];
        run_row(r, BIL_JOB_WRITE);
        expect_end(r, BIL_VERDICT_REFUSED, BIL_E_HOLD, "x.state", NULL);
    }
    free_row(r);
}

static void links_that_never_work(void **state)
{
    (void)state;
    static const struct {
        bool gone;
        bil_outcome always;
        bil_error cause;
    } cases[] = {{true, BIL_DONE, BIL_E_NOT_REACHABLE},
                 {false, BIL_UNKNOWN, BIL_E_SILENT},
                 {false, BIL_BUSY, BIL_E_OTHER_MODEL}};
    for (size_t i = 0; i < 3; i++)
        for (int write = 0; write < 2; write++) {
            row *r = new_row(plain);
            r->gone = cases[i].gone;
            r->always = cases[i].always;
            run_row(r, write ? BIL_JOB_WRITE : BIL_JOB_READ);
            assert_string_equal(bil_error_name((int)r->end.u.end.cause), bil_error_name((int)cases[i].cause));
            assert_false(r->end.u.end.wrote || r->end.u.end.held);
            free_row(r);
        }
}

static void changes_between_the_proofs(row *r, uint16_t address)
{
    if (r->writes[RESTART] && address == ONE && ++r->reads_after_restart == 2)
        r->cells[STATE] = 1; /* measured: may change */
    if (r->reads_after_restart == 2 && r->cells[ONE] == 5)
        r->cells[TWO] = 8;
}

static void dies_in_the_middle(row *r, uint16_t address)
{
    if (address == ONE)
        r->always = BIL_UNKNOWN;
}

static void reads_that_go_wrong(void **state)
{
    (void)state;
    row *r = new_row(plain);
    r->on_read = changes_between_the_proofs;
    run_row(r, BIL_JOB_WRITE);
    expect_end(r, BIL_VERDICT_INCOMPLETE, BIL_E_DIFFERS, "v.two", NULL);
    free_row(r);
    r = new_row(plain);
    r->on_read = dies_in_the_middle;
    run_row(r, BIL_JOB_READ);
    assert_int_equal(r->end.u.end.verdict, BIL_VERDICT_INCOMPLETE);
    assert_int_equal(r->end.u.end.cause, BIL_E_SILENT);
    free_row(r);
}

static void what_cant_be_recorded_isnt_done(void **state)
{
    (void)state;
    row *r = new_row(plain);
    r->no_record = BIL_EV_WRITING;
    run_row(r, BIL_JOB_WRITE);
    expect_end(r, BIL_VERDICT_REFUSED, BIL_E_RECORD, NULL, NULL);
    assert_int_equal(r->writes[ONE] + r->writes[TWO], 0);
    free_row(r);
}

int main(void)
{
    const struct CMUnitTest tests[] = {
        cmocka_unit_test(a_model_without_hold_is_written_too),
        cmocka_unit_test(a_hold_without_a_state),
        cmocka_unit_test(only_silence_is_nobody),
        cmocka_unit_test(a_restart_nobody_ordered_is_seen),
        cmocka_unit_test(two_that_reset_each_other_are_named),
        cmocka_unit_test(another_unit_is_never_taken_for_the_same),
        cmocka_unit_test(another_unit_isnt_even_touched),
        cmocka_unit_test(what_cant_be_read_back_isnt_verified),
        cmocka_unit_test(a_refused_value_is_named),
        cmocka_unit_test(a_refusal_that_cant_be_looked_into),
        cmocka_unit_test(restarts_without_hold),
        cmocka_unit_test(a_number_that_acts_at_once),
        cmocka_unit_test(a_person_may_refuse_a_step),
        cmocka_unit_test(links_that_never_work),
        cmocka_unit_test(reads_that_go_wrong),
        cmocka_unit_test(what_cant_be_recorded_isnt_done),
    };
    return cmocka_run_group_tests_name("model", tests, NULL, NULL);
}

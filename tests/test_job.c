/* Jobs on simulated units with a virtual clock: the good way, every refusal, every break, every fault at every request.
 */
#include "help.h"

/* ---- a link with faults ---- */

typedef enum fault { NO_FAULT, POWER_CUT, CABLE_PULLED, REPLY_LOST, REQUEST_LOST, BUSY_ONCE, OTHER_HAND, FAULTS } fault;

typedef struct faulty {
    bil_link inner;
    sim_link *sim;
    fault kind;
    unsigned at, count; /* the fault comes with request number `at` */
    bool pulled;
} faulty;

static bil_outcome faulty_connect(void *ctx, bil_result *result)
{
    faulty *f = ctx;
    if (!f->pulled)
        return f->inner.ops->connect(f->inner.ctx, result);
    f->sim->now += 100;
    result->cause = BIL_E_NOT_REACHABLE;
    return BIL_NOT_SENT;
}

static bil_outcome lost(faulty *f, bil_result *result)
{
    f->sim->connected = false;
    result->cause = BIL_E_SILENT;
    return BIL_UNKNOWN;
}

/* What happens to this request before, instead of, or after it reaches the unit. */
static bool strikes(faulty *f, bil_result *result, bil_outcome *outcome)
{
    if (f->pulled) {
        *outcome = lost(f, result);
        return true;
    }
    if (f->kind == NO_FAULT || f->count++ != f->at)
        return false;
    char answer[200];
    switch (f->kind) {
    case POWER_CUT:
        sim_power_cut(f->sim->unit, f->sim->now);
        return false;
    case CABLE_PULLED:
        f->pulled = true;
        *outcome = lost(f, result);
        return true;
    case REQUEST_LOST:
        *outcome = lost(f, result);
        return true;
    case BUSY_ONCE:
        result->cause = BIL_E_BUSY;
        *outcome = BIL_BUSY;
        return true;
    case OTHER_HAND:
        sim_control(f->sim->unit, f->sim->now,
                    f->sim->unit->model == &sim_ed30 ? "set limit.energy 4321" : "set plant.alarm_delay 321", answer,
                    sizeof answer);
        return false;
    default:
        return false;
    }
}

static bool reply_is_lost(const faulty *f)
{
    return f->kind == REPLY_LOST && f->count == f->at + 1;
}

static bil_outcome faulty_read(void *ctx, uint8_t space, uint16_t address, uint16_t count, uint16_t *cells,
                               bil_result *result)
{
    faulty *f = ctx;
    bil_outcome outcome;
    if (strikes(f, result, &outcome))
        return outcome;
    outcome = f->inner.ops->read(f->inner.ctx, space, address, count, cells, result);
    return reply_is_lost(f) ? lost(f, result) : outcome;
}

static bil_outcome faulty_write(void *ctx, uint8_t space, uint16_t address, uint16_t count, const uint16_t *cells,
                                bil_result *result)
{
    faulty *f = ctx;
    bil_outcome outcome;
    if (strikes(f, result, &outcome))
        return outcome;
    outcome = f->inner.ops->write(f->inner.ctx, space, address, count, cells, result);
    return reply_is_lost(f) ? lost(f, result) : outcome;
}

static void faulty_close(void *ctx)
{
    faulty *f = ctx;
    f->inner.ops->close(f->inner.ctx);
}

static const bil_link_ops faulty_ops = {faulty_connect, faulty_read, faulty_write, faulty_close, NULL};

static void make_faulty(faulty *f, bench *b, fault kind, unsigned at)
{
    *f = (faulty){.inner = b->link, .sim = &b->sim, .kind = kind, .at = at};
    b->link = (bil_link){&faulty_ops, f};
}

/* ---- a unit in the state a write begins with ---- */

typedef struct model_under_test {
    const sim_model *sim;
    const bil_description *description;
    const char *run; /* how somebody starts it */
    uint32_t running, held;
} model_under_test;

static const model_under_test drive = {&sim_ed30, &bil_description_ed_30, "set command.run 1", 1, 2};
static const model_under_test controller = {&sim_ec8, &bil_description_ec_8, NULL, 1, 2};

/* As set up in the mill and saved; then reset to factory values; running again when asked. */
static void prepare(bench *b, const model_under_test *m, bool running)
{
    char answer[200];
    bench_open(b, m->sim, m->description, false);
    assert_int_equal(bench_read(b, true).u.end.cause, BIL_OK);
    sim_factory_reset(b->unit, b->sim.now);
    b->sim.now += 10000;
    if (running && m->run)
        sim_control(b->unit, b->sim.now, m->run, answer, sizeof answer);
    else if (running)
        b->unit->state = m->running;
    b->unit->counters = (sim_counters){0};
}

/* Does the unit hold what was wanted, now and after a power cut, by its own memory? */
static bool unit_holds_want(bench *b)
{
    bench other = *b;
    other.job = NULL;
    bool same = true;
    other.link = sim_link_open(&other.sim, b->unit);
    other.sim.now = b->sim.now + 20000;
    other.clock = sim_link_clock(&other.sim);
    other.have = new_image(b->description);
    for (int pass = 0; pass < 2; pass++) { /* running values, then stored ones */
        if (pass == 1)
            memcpy(b->unit->running, b->unit->stored, sizeof b->unit->running);
        assert_int_equal(bench_read(&other, false).u.end.cause, BIL_OK);
        for (uint16_t i = 0; i < b->description->count; i++) {
            bil_write_need need = bil_plan_need(&other.have, &b->want, i, BIL_RESTORE, false);
            same = same && need != BIL_NEED_WRITE && need != BIL_NEED_READ;
        }
    }
    b->sim.now = other.sim.now;
    free_image(&other.have);
    free(other.job);
    return same;
}

/* ---- reading ---- */

static void a_read_is_whole_and_short(void **state)
{
    (void)state;
    static const struct {
        const model_under_test *m;
        unsigned values, requests;
    } reads[] = {{&drive, 60, 5}, {&controller, 121, 4}};
    for (size_t i = 0; i < 2; i++) {
        bench b;
        bench_open(&b, reads[i].m->sim, reads[i].m->description, false);
        bil_action end = bench_read(&b, false);
        assert_int_equal(end.u.end.verdict, BIL_VERDICT_VERIFIED);
        assert_int_equal(b.progress.total, reads[i].values);
        assert_int_equal(b.progress.done, reads[i].values);
        assert_int_equal(b.progress.read_requests, reads[i].requests);
        assert_int_equal(b.unit->counters.read_requests, reads[i].requests + b.progress.other_requests);
        assert_int_equal(b.unit->counters.write_requests, 0); /* reading disturbs nothing */
        bench_close(&b);
    }
}

/* Whichever value the unit refuses, exactly that one is missing. */
static void one_refused_value_is_the_only_one_missing(void **state)
{
    (void)state;
    const bil_description *d = &bil_description_ed_30;
    for (uint16_t gone = 0; gone < d->count; gone++) {
        const bil_param *param = &d->params[gone];
        if (bil_class_left_out((bil_class)param->cls) || strncmp(param->id, "id.", 3) == 0)
            continue;
        bench b;
        bench_open(&b, &sim_ed30, d, false);
        b.unit->owner[0][param->address] = -1;
        assert_int_equal(bench_read(&b, false).u.end.verdict, BIL_VERDICT_WITH_EXCEPTIONS);
        for (uint16_t i = 0; i < d->count; i++) {
            bool saved = !bil_class_left_out((bil_class)d->params[i].cls);
            assert_int_equal(b.have.state[i], !saved ? BIL_ABSENT : i == gone ? BIL_UNREADABLE : BIL_PRESENT);
        }
        assert_int_equal(b.have.cause[gone], BIL_E_REFUSED);
        bench_close(&b);
    }
}

/* ---- writing, the good way ---- */

static void a_reset_unit_is_brought_back(void **state)
{
    (void)state;
    const model_under_test *models[] = {&drive, &controller};
    for (int i = 0; i < 4; i++) {
        const model_under_test *m = models[i / 2];
        bench b;
        prepare(&b, m, i % 2);
        uint32_t before = b.unit->state;
        bil_action end = bench_write(&b, bench_config(&b));
        assert_int_equal(end.u.end.cause, BIL_OK);
        assert_int_equal(end.u.end.verdict, BIL_VERDICT_VERIFIED);
        assert_false(end.u.end.held);
        assert_int_equal(b.purpose, BIL_RESTORE);
        assert_int_equal(b.unit->state, before); /* stands or runs as before */
        uint64_t written = b.unit->counters.values_written;
        assert_true(written >= b.progress.written && written > 20);
        assert_true(unit_holds_want(&b));
        /* a second write writes no value, by the unit's own count */
        end = bench_write(&b, bench_config(&b));
        assert_int_equal(end.u.end.verdict, BIL_VERDICT_VERIFIED);
        assert_int_equal(b.progress.write_requests, 0);
        assert_int_equal(b.unit->counters.values_written, written);
        /* what belongs to the unit was never touched: calibration as delivered with the unit */
        if (m == &drive) {
            bench_read(&b, false);
            assert_text(&b.have, "calibration.current_offset", "-37");
        }
        bench_close(&b);
    }
}

/* One stored value of the unit at a time differs: one request writes it, no other value is sent. */
static void only_what_differs_is_written(void **state)
{
    (void)state;
    bench b;
    prepare(&b, &drive, false);
    assert_int_equal(bench_write(&b, bench_config(&b)).u.end.verdict, BIL_VERDICT_VERIFIED);
    char answer[200];
    static const char *const changes[] = {"set limit.energy 5", "set motor.current 3.00", "set bus.name other",
                                          "set watch.mask 0"};
    for (size_t i = 0; i < sizeof changes / sizeof changes[0]; i++) {
        sim_control(b.unit, b.sim.now, changes[i], answer, sizeof answer);
        uint64_t before = b.unit->counters.values_written;
        assert_int_equal(bench_write(&b, bench_config(&b)).u.end.verdict, BIL_VERDICT_VERIFIED);
        assert_int_equal(b.progress.write_requests, 1);
        assert_int_equal(b.unit->counters.values_written, before + 1);
    }
    bench_close(&b);
}

static void rounding_is_named_or_a_difference(void **state)
{
    (void)state;
    bench b;
    prepare(&b, &drive, false);
    want_text(&b, "ramp.up", "12.503");
    bil_action end = bench_write(&b, bench_config(&b));
    assert_int_equal(end.u.end.verdict, BIL_VERDICT_WITH_EXCEPTIONS);
    assert_text(&b.have, "ramp.up", "12.500");
    uint64_t before = b.unit->counters.values_written;
    assert_int_equal(bench_write(&b, bench_config(&b)).u.end.verdict, BIL_VERDICT_WITH_EXCEPTIONS);
    assert_int_equal(b.unit->counters.values_written, before);
    /* the same without the description's word for it */
    bil_param *params = malloc(b.description->count * sizeof *params);
    memcpy(params, b.description->params, b.description->count * sizeof *params);
    uint16_t index = index_of(b.description, "ramp.up");
    params[index].format.rounding = BIL_ROUND_NONE;
    bil_description silent = *b.description;
    silent.params = params;
    b.description = b.have.description = b.want.description = &silent;
    want_text(&b, "ramp.up", "14.507");
    end = bench_write(&b, bench_config(&b));
    assert_int_equal(end.u.end.verdict, BIL_VERDICT_INCOMPLETE);
    assert_int_equal(end.u.end.cause, BIL_E_DIFFERS);
    assert_int_equal(end.u.end.param, index);
    assert_true(end.u.end.held);
    assert_int_equal(b.unit->state, drive.held);
    free(params);
    bench_close(&b);
}

static void without_a_restart_nothing_is_proved(void **state)
{
    (void)state;
    bench b;
    prepare(&b, &drive, true);
    bil_job_config config = bench_config(&b);
    config.restart = BIL_RESTART_NEVER;
    bil_action end = bench_write(&b, config);
    assert_int_equal(end.u.end.verdict, BIL_VERDICT_NOT_PROVED);
    assert_false(end.u.end.held);
    assert_true(unit_holds_want(&b)); /* it was stored all the same */
    bench_close(&b);
}

/* ---- the gate ---- */

static bool say_no(void *ctx, const bil_action *action)
{
    (void)ctx;
    (void)action;
    return false;
}

static bool fail_to_save(void *ctx, const bil_image *have)
{
    (void)ctx;
    (void)have;
    return false;
}

typedef struct refusal {
    const char *serial, *firmware, *password;
    bool has_password, purpose_given;
    bil_purpose purpose;
    bool (*ask)(void *, const bil_action *), (*record)(void *, const bil_action *), (*save)(void *, const bil_image *);
    bil_error cause;
} refusal;

static void refusals_touch_nothing(void **state)
{
    (void)state;
    static const char own[] = "ED30-0417", other[] = "ED30-0001", right[] = "mill-30", fw[] = "2.4.1";
    const refusal cases[] = {
        {other, fw, right, true, false, BIL_RESTORE, NULL, NULL, NULL, BIL_E_OTHER_UNIT},
        {other, fw, right, true, true, BIL_RESTORE, NULL, NULL, NULL, BIL_E_OTHER_UNIT},
        {"", fw, right, true, false, BIL_RESTORE, NULL, NULL, NULL, BIL_E_OTHER_UNIT},
        {own, "2.4.3", right, true, false, BIL_RESTORE, NULL, NULL, NULL, BIL_E_OTHER_FIRMWARE},
        {own, fw, "wrong", true, false, BIL_RESTORE, NULL, NULL, NULL, BIL_E_PASSWORD},
        {own, fw, "longer-than-it-can-be", true, false, BIL_RESTORE, NULL, NULL, NULL, BIL_E_PASSWORD},
        {own, fw, NULL, false, false, BIL_RESTORE, NULL, NULL, NULL, BIL_E_NO_PASSWORD},
        {own, fw, right, true, false, BIL_RESTORE, say_no, NULL, NULL, BIL_E_DECLINED},
        {own, fw, right, true, false, BIL_RESTORE, NULL, say_no, NULL, BIL_E_RECORD},
        {own, fw, right, true, false, BIL_RESTORE, NULL, NULL, fail_to_save, BIL_E_SAFETY_COPY},
    };
    for (size_t i = 0; i < sizeof cases / sizeof cases[0]; i++) {
        bench b;
        prepare(&b, &drive, true);
        bil_job_config config = bench_config(&b);
        config.serial = cases[i].serial;
        config.firmware = cases[i].firmware;
        config.has_password = cases[i].has_password;
        config.purpose_given = cases[i].purpose_given;
        config.purpose = cases[i].purpose;
        b.password = cases[i].password;
        b.ask = cases[i].ask;
        b.record = cases[i].record;
        b.save = cases[i].save;
        bil_action end = bench_write(&b, config);
        assert_int_equal(end.u.end.verdict, BIL_VERDICT_REFUSED);
        assert_int_equal(end.u.end.cause, cases[i].cause);
        assert_false(end.u.end.held);
        assert_false(end.u.end.wrote);
        assert_int_equal(b.unit->counters.values_written, 0);
        assert_int_equal(b.unit->state, drive.running); /* it never stopped */
        bench_close(&b);
    }
}

/* Every combination of what the gate looks at: it refuses if and only if something is wrong that nobody set aside, says
 * one of the reasons, and touches nothing. So each condition also decides alone, in both directions. */
static void the_gate_in_every_combination(void **state)
{
    (void)state;
    static const char *const serials[] = {"ED30-0417", "ED30-0001", ""};
    static const char *const firmwares[] = {"2.4.1", "2.4.3", "9.9.9"}; /* of the unit; the copy is from 2.4.1 */
    unsigned cases = 0, let_through = 0, reasons[128] = {0};
    for (unsigned i = 0; i < 3 * 4 * 3 * 2 * 2 * 2 * 8; i++) {
        unsigned rest = i, serial = rest % 3, purpose = (rest /= 3) % 4, firmware = (rest /= 4) % 3;
        bool hardware_known = (rest /= 3) % 2, rules_hold = (rest /= 2) % 2, has_password = (rest /= 2) % 2;
        unsigned despite = (rest /= 2) % 8;
        bench b;
        prepare(&b, &drive, false);
        sim_put(b.unit, "id.firmware", firmwares[firmware]);
        sim_put(b.unit, "id.hardware", hardware_known ? "B" : "Z");
        want_text(&b, "speed.minimum", rules_hold ? "-120.0" : "1100.0"); /* the highest speed is 1000.0 */
        bil_job_config config = bench_config(&b);
        config.serial = serials[serial];
        config.firmware = "2.4.1";
        config.has_password = has_password;
        config.purpose_given = purpose > 0;
        config.purpose = purpose > 0 ? (bil_purpose)(purpose - 1) : BIL_RESTORE;
        config.despite = despite;
        bool wrong[128] = {false};
        wrong[BIL_E_OTHER_UNIT] = serial > 0 && purpose < 2;
        wrong[BIL_E_OTHER_FIRMWARE] = firmware == 1 && !(despite >> BIL_CHECK_FIRMWARE & 1);
        wrong[BIL_E_UNKNOWN_FIRMWARE] = firmware == 2 && !(despite >> BIL_CHECK_FIRMWARE & 1);
        wrong[BIL_E_OTHER_HARDWARE] = !hardware_known && !(despite >> BIL_CHECK_HARDWARE & 1);
        wrong[BIL_E_NO_PASSWORD] = !has_password;
        wrong[BIL_E_RULE] = !rules_hold && !(despite >> BIL_CHECK_RULES & 1);
        unsigned count = 0;
        for (int k = 0; k < 128; k++)
            count += wrong[k];
        bil_action end = bench_write(&b, config);
        if (count == 0) {
            assert_int_equal(end.u.end.verdict, BIL_VERDICT_VERIFIED);
            let_through++;
        } else {
            assert_int_equal(end.u.end.verdict, BIL_VERDICT_REFUSED);
            assert_true(wrong[end.u.end.cause]);
            assert_int_equal(b.unit->counters.write_requests, 0);
            assert_false(end.u.end.held);
            reasons[end.u.end.cause] += count == 1;
        }
        cases++;
        bench_close(&b);
    }
    assert_true(reasons[BIL_E_OTHER_UNIT] && reasons[BIL_E_OTHER_FIRMWARE] && reasons[BIL_E_UNKNOWN_FIRMWARE] &&
                reasons[BIL_E_OTHER_HARDWARE] && reasons[BIL_E_NO_PASSWORD] && reasons[BIL_E_RULE]);
    printf("the gate: %u combinations, %u let through\n", cases, let_through);
}

static void another_unit_keeps_what_is_its_own(void **state)
{
    (void)state;
    for (int p = BIL_REPLACEMENT; p <= BIL_CLONE; p++) {
        bench b;
        prepare(&b, &drive, false);
        sim_put(b.unit, "id.serial", "ED30-0999");
        sim_put(b.unit, "calibration.current_offset", "55");
        sim_put(b.unit, "calibration.position", "77");
        sim_store(b.unit);
        want_text(&b, "hours.run", "1.0");
        bil_job_config config = bench_config(&b);
        config.purpose_given = true;
        config.purpose = (bil_purpose)p;
        config.with_calibration = true;
        assert_int_equal(bench_write(&b, config).u.end.verdict, BIL_VERDICT_VERIFIED);
        bench_read(&b, false);
        assert_text(&b.have, "id.serial", "ED30-0999");
        assert_text(&b.have, "hours.run", "8123.4");
        assert_text(&b.have, "calibration.current_offset", "55");
        assert_text(&b.have, "calibration.position", p == BIL_REPLACEMENT ? "-5120034" : "77"); /* of the place */
        assert_text(&b.have, "bus.name", p == BIL_REPLACEMENT ? "crusher" : "");
        assert_text(&b.have, "motor.power", "5500");
        bench_close(&b);
    }
}

static void other_models_and_firmware_are_seen(void **state)
{
    (void)state;
    bench b;
    prepare(&b, &drive, false);
    sim_put(b.unit, "id.model", "ED-31");
    assert_int_equal(bench_read(&b, false).u.end.cause, BIL_E_OTHER_MODEL);
    assert_int_equal(bench_write(&b, bench_config(&b)).u.end.cause, BIL_E_OTHER_MODEL);
    sim_put(b.unit, "id.model", "ED-30");
    sim_put(b.unit, "id.firmware", "9.9.9");
    assert_int_equal(bench_read(&b, false).u.end.cause, BIL_OK); /* may be read */
    assert_int_equal(bench_write(&b, bench_config(&b)).u.end.cause, BIL_E_UNKNOWN_FIRMWARE);
    sim_put(b.unit, "id.firmware", "2.4.1");
    sim_put(b.unit, "id.hardware", "Z");
    assert_int_equal(bench_write(&b, bench_config(&b)).u.end.cause, BIL_E_OTHER_HARDWARE);
    assert_int_equal(b.unit->counters.write_requests, 0);
    bench_close(&b);
}

static void a_unit_held_by_somebody_stays_held(void **state)
{
    (void)state;
    bench b;
    prepare(&b, &drive, false);
    b.unit->state = drive.held;
    bil_action end = bench_write(&b, bench_config(&b));
    /* the restart ends that hold, as any restart does; the job holds it again and leaves it so */
    assert_int_equal(end.u.end.cause, BIL_E_LEFT_HELD);
    assert_true(end.u.end.held);
    assert_int_equal(b.unit->state, drive.held);
    assert_true(unit_holds_want(&b));
    bench_close(&b);
}

/* ---- breaks and faults ---- */

typedef struct breaker {
    bench *b;
    unsigned at, count;
    jmp_buf out;
    bool broken, safety_copy, said_holding, said_released;
    uint32_t found;
} breaker;

static bool watch_record(void *ctx, const bil_action *action)
{
    breaker *k = ctx;
    if (action->u.record.event == BIL_EV_INTENT)
        k->found = action->u.record.code;
    k->said_holding = k->said_holding || action->u.record.event == BIL_EV_HOLDING;
    k->said_released = k->said_released || action->u.record.event == BIL_EV_RELEASED;
    return true;
}

static bool watch_save(void *ctx, const bil_image *have)
{
    (void)have;
    breaker *k = ctx;
    assert_int_equal(k->b->unit->counters.values_written, 0); /* nothing before the safety copy */
    k->safety_copy = true;
    return true;
}

static void maybe_break(void *ctx, const bil_job *job, const bil_action *action)
{
    breaker *k = ctx;
    (void)job;
    if (action->kind == BIL_ACT_TRANSFER && action->u.transfer.write && action->u.transfer.value)
        assert_true(k->safety_copy);
    if (k->count++ == k->at) {
        k->broken = true;
        longjmp(k->out, 1); /* as if the computer had died before this action */
    }
}

static void watch(bench *b, breaker *k, unsigned at)
{
    *k = (breaker){.b = b, .at = at};
    b->record = watch_record;
    b->save = watch_save;
    b->before = maybe_break;
    b->ctx = k;
}

static void unwatch(bench *b)
{
    b->record = NULL;
    b->save = NULL;
    b->before = NULL;
}

/* The same command once more, with what its records know; it must finish the job. */
static void finish(bench *b, const breaker *k, uint32_t before)
{
    unwatch(b);
    b->sim.now += 20000;
    bil_job_config config = bench_config(b);
    config.found_known = k->said_holding && !k->said_released;
    config.found = k->found;
    bil_action end = bench_write(b, config);
    assert_int_equal(end.u.end.cause, BIL_OK);
    assert_int_equal(end.u.end.verdict, BIL_VERDICT_VERIFIED);
    assert_true(b->unit->state == before || b->unit->state == 0); /* as found; a restart may have ended a run */
    assert_true(unit_holds_want(b));
}

/* The jump lands here, where no local is changed after setjmp. */
static void write_until_broken(bench *b, breaker *k)
{
    if (setjmp(k->out) == 0)
        bench_write(b, bench_config(b));
}

static void broken_off_after_each_action(void **state)
{
    (void)state;
    const model_under_test *models[] = {&drive, &controller};
    unsigned cases = 0;
    for (int i = 0; i < 4; i++)
        for (unsigned at = 0;; at++, cases++) {
            bench b;
            breaker k;
            prepare(&b, models[i / 2], i % 2);
            uint32_t before = b.unit->state;
            watch(&b, &k, at);
            write_until_broken(&b, &k);
            if (k.broken)
                finish(&b, &k, before);
            bench_close(&b);
            if (!k.broken)
                break;
        }
    print_message("%u breaks, each finished by the next run\n", cases);
    assert_true(cases > 200);
}

/* Each fault at each request, to both models, standing and running. */
static void every_fault_at_every_request(void **state)
{
    (void)state;
    const model_under_test *models[] = {&drive, &controller};
    unsigned cases = 0, verified = 0;
    for (int kind = POWER_CUT; kind < FAULTS; kind++)
        for (int i = 0; i < 4; i++)
            for (unsigned at = 0;; at++, cases++) {
                bench b;
                faulty f;
                breaker k;
                prepare(&b, models[i / 2], i % 2);
                bil_link whole = b.link;
                uint32_t before = b.unit->state;
                watch(&b, &k, UINT32_MAX);
                make_faulty(&f, &b, (fault)kind, at);
                bil_action end = bench_write(&b, bench_config(&b));
                b.link = whole;
                bool struck = f.count > f.at;
                bool good = end.u.end.verdict == BIL_VERDICT_VERIFIED && !end.u.end.held;
                verified += good;
                if (good && kind != OTHER_HAND)
                    assert_true(unit_holds_want(&b)); /* never said falsely */
                if (!good && !end.u.end.held) {
                    b.sim.now += 20000;
                    sim_is_up(b.unit, b.sim.now);
                    assert_int_not_equal(b.unit->state, models[i / 2]->held); /* released is released */
                    assert_int_equal(b.progress.written, 0);                  /* and then nothing was written */
                }
                if ((kind == BUSY_ONCE || kind == REQUEST_LOST || kind == REPLY_LOST) && !good)
                    fail_msg("fault %d at request %u ends with %s", kind, at, bil_error_name((int)end.u.end.cause));
                if (kind == CABLE_PULLED && struck)
                    assert_false(good);
                if (kind != OTHER_HAND)
                    finish(&b, &k, before);
                bench_close(&b);
                if (!struck)
                    break;
            }
    print_message("%u faults, %u of them overcome at once\n", cases, verified);
    assert_true(cases > 1000);
}

/* On trial: in force and read back, not stored; where values last at once there is none. */
static void a_trial_ends_with_the_power(void **state)
{
    (void)state;
    const model_under_test *models[] = {&drive, &controller};
    for (int i = 0; i < 4; i++) {
        bench b;
        prepare(&b, models[i / 2], i % 2);
        uint32_t before = b.unit->state;
        static uint16_t stored[SIM_SPACES][SIM_CELLS];
        memcpy(stored, b.unit->stored, sizeof stored);
        bil_job_config config = bench_config(&b);
        config.trial = true;
        bil_action end = bench_write(&b, config);
        assert_int_equal(end.u.end.verdict, BIL_VERDICT_ON_TRIAL);
        assert_false(end.u.end.held);
        assert_int_equal(b.unit->state, before);
        assert_memory_equal(b.unit->stored, stored, sizeof stored);
        assert_true(b.progress.written > 20 && !sim_all_stored(b.unit));
        config.trial = false; /* kept */
        end = bench_write(&b, config);
        assert_int_equal(end.u.end.verdict, BIL_VERDICT_VERIFIED);
        assert_int_equal(b.progress.write_requests, 0);
        assert_true(unit_holds_want(&b));
        bil_description lasting = *b.description;
        lasting.writes_last = true;
        b.have.description = b.want.description = config.description = &lasting;
        b.description = &lasting;
        config.trial = true;
        end = bench_write(&b, config);
        assert_int_equal(end.u.end.verdict, BIL_VERDICT_REFUSED);
        assert_int_equal(end.u.end.cause, BIL_E_NO_TRIAL);
        config.trial = false;
        assert_int_equal(bench_write(&b, config).u.end.verdict, BIL_VERDICT_VERIFIED);
        bench_close(&b);
    }
}

/* ---- broken twice, and both ways on ---- */

/* What the records of a story tell, as whoever runs the jobs keeps it. */
typedef struct story {
    bench *b;
    unsigned at, count; /* dies before this action */
    jmp_buf out;
    bool open, held, has_way_back;
    uint32_t found;
    bil_image way_back; /* the first safety copy of the story */
} story;

static bool tell_record(void *ctx, const bil_action *action)
{
    story *s = ctx;
    switch (action->u.record.event) {
    case BIL_EV_INTENT:
        s->held = s->open && s->held;
        s->found = action->u.record.code;
        break;
    case BIL_EV_HOLDING:
        s->open = s->held = true;
        break;
    case BIL_EV_RELEASED:
        s->held = false;
        break;
    default:
        break;
    }
    return true;
}

static bool tell_save(void *ctx, const bil_image *have)
{
    story *s = ctx;
    if (!s->open)
        bil_image_copy(&s->way_back, have);
    s->has_way_back = true;
    return true;
}

static void die(void *ctx, const bil_job *job, const bil_action *action)
{
    story *s = ctx;
    (void)job;
    if (action->kind == BIL_ACT_TRANSFER && action->u.transfer.write && action->u.transfer.value)
        assert_true(s->has_way_back); /* no value before there is a way back */
    if (s->count++ == s->at)
        longjmp(s->out, 1);
}

/* Runs a write towards `want` until it dies or ends. True when it came to its end; then `end` says how. */
static bool go_towards(story *s, const bil_image *want, unsigned at, bil_action *end)
{
    bench *b = s->b;
    bil_job_config config = bench_config(b);
    config.want = want;
    config.found_known = s->open && s->held;
    config.found = s->found;
    s->at = at;
    s->count = 0;
    b->sim.now += 20000;
    if (setjmp(s->out) != 0)
        return false;
    *end = bench_write(b, config);
    return true;
}

/* Every write is broken off before each of its actions, then gone on with or undone and broken off before each action
 * again, then finished in both ways. BIL_ACT by BIL_ACT, that is every pair of moments at which a computer can die. */
static void broken_off_twice(void **state)
{
    (void)state;
    const model_under_test *models[] = {&drive, &controller};
#ifdef BILANCIA_ALL_PAIRS
    const unsigned stride = 1;
#else
    const unsigned stride = 12; /* all of them in one build, some in the others */
#endif
    unsigned cases = 0;
    for (int m = 0; m < 4; m++)
        for (unsigned i = 0, last_i = UINT32_MAX; i < last_i; i += stride)
            for (unsigned ways = 0; ways < 4; ways++)
                for (unsigned k = i % stride, last_k = UINT32_MAX; k < last_k; k += stride, cases++) {
                    bench b;
                    prepare(&b, models[m / 2], m % 2);
                    story s = {.b = &b, .way_back = new_image(b.description)};
                    uint32_t before = b.unit->state;
                    bil_action end;
                    b.record = tell_record;
                    b.save = tell_save;
                    b.before = die;
                    b.ctx = &s;
                    if (go_towards(&s, &b.want, i, &end))
                        last_i = i; /* it has no so many actions */
                    bool undo_first = ways & 1 && s.has_way_back, undo_then = ways & 2 && s.has_way_back;
                    if (go_towards(&s, undo_first ? &s.way_back : &b.want, k, &end))
                        last_k = k;
                    assert_true(go_towards(&s, undo_then ? &s.way_back : &b.want, UINT32_MAX, &end));
                    if (end.u.end.verdict != BIL_VERDICT_VERIFIED || end.u.end.held)
                        fail_msg("model %d, broken at %u and %u, ways %u: %s, %s", m, i, k, ways,
                                 bil_verdict_name(end.u.end.verdict), bil_error_name((int)end.u.end.cause));
                    assert_true(b.unit->state == before || b.unit->state == 0); /* a restart may have ended a run */
                    b.record = NULL;
                    b.save = NULL;
                    b.before = NULL;
                    if (undo_then)
                        bil_image_copy(&b.want, &s.way_back);
                    assert_true(unit_holds_want(&b));
                    free_image(&s.way_back);
                    bench_close(&b);
                }
    print_message("broken off twice: %u cases\n", cases);
    assert_true(cases * stride * stride > 90000); /* what is left out is as much again, each time */
}

/* Somebody else's change is never overwritten unseen: either it came before the look, or the job stops and names it. */
static void a_change_by_somebody_else_stops_the_job(void **state)
{
    (void)state;
    unsigned named = 0;
    for (unsigned at = 0;; at++) {
        bench b;
        faulty f;
        prepare(&b, &drive, false);
        char answer[200];
        sim_control(b.unit, b.sim.now, "set limit.energy 72000", answer, sizeof answer); /* already right */
        make_faulty(&f, &b, OTHER_HAND, at);
        bil_action end = bench_write(&b, bench_config(&b));
        bool struck = f.count > f.at;
        if (end.u.end.cause == BIL_E_FOREIGN_CHANGE || end.u.end.cause == BIL_E_DIFFERS) {
            assert_int_equal(end.u.end.param, index_of(b.description, "limit.energy"));
            named++;
        } else {
            assert_int_equal(end.u.end.verdict, BIL_VERDICT_VERIFIED);
        }
        bench_close(&b);
        if (!struck)
            break;
    }
    assert_true(named > 10);
}

static void results_must_fit_and_memory_must_suffice(void **state)
{
    (void)state;
    bench b;
    bench_open(&b, &sim_ed30, &bil_description_ed_30, false);
    bil_job_config config = {
        .struct_size = sizeof config, .kind = BIL_JOB_READ, .description = b.description, .have = &b.have};
    size_t size = bil_job_size(b.description);
    void *memory = malloc(size);
    bil_job *job;
    assert_int_equal(bil_job_init(&job, memory, size - 1, &config), BIL_E_SPACE);
    assert_int_equal(bil_job_init(&job, memory, size, &config), BIL_OK);
    bil_action action;
    bil_result result = {.number = 0};
    assert_int_equal(bil_job_step(job, &result, &action), BIL_OK);
    assert_int_equal(action.number, 1);
    assert_int_equal(bil_job_step(job, &result, &action), BIL_E_BAD_RESULT);
    result.number = 1;
    assert_int_equal(bil_job_step(job, &result, &action), BIL_OK);
    free(memory);
    bench_close(&b);
}

int main(void)
{
    const struct CMUnitTest tests[] = {
        cmocka_unit_test(a_read_is_whole_and_short),
        cmocka_unit_test(one_refused_value_is_the_only_one_missing),
        cmocka_unit_test(a_reset_unit_is_brought_back),
        cmocka_unit_test(only_what_differs_is_written),
        cmocka_unit_test(rounding_is_named_or_a_difference),
        cmocka_unit_test(without_a_restart_nothing_is_proved),
        cmocka_unit_test(refusals_touch_nothing),
        cmocka_unit_test(the_gate_in_every_combination),
        cmocka_unit_test(another_unit_keeps_what_is_its_own),
        cmocka_unit_test(other_models_and_firmware_are_seen),
        cmocka_unit_test(a_unit_held_by_somebody_stays_held),
        cmocka_unit_test(broken_off_after_each_action),
        cmocka_unit_test(every_fault_at_every_request),
        cmocka_unit_test(a_trial_ends_with_the_power),
        cmocka_unit_test(broken_off_twice),
        cmocka_unit_test(a_change_by_somebody_else_stops_the_job),
        cmocka_unit_test(results_must_fit_and_memory_must_suffice),
    };
    return cmocka_run_group_tests_name("job", tests, NULL, NULL);
}

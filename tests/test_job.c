/* Jobs on simulated units with a virtual clock: the good way, and every refusal. What breaks is in test_write_breaks.c.
 */
#include "help.h"
#include "sim/control.h"
#include "sim/entry.h"
#include "sim/fault.h"

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
    other.link = bil_cell_link_over(&other.over, sim_link_open(&other.sim, b->unit));
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
        assert_int_equal(b.unit->counters.read_requests, reads[i].requests + b.progress.identity_requests);
        assert_int_equal(b.progress.other_requests, 0);
        assert_int_equal(b.progress.identity_requests, 1);
        assert_int_equal(b.unit->counters.write_requests, 0); /* reading disturbs nothing */
        bench_close(&b);
    }
}

/* Who answers, and nothing more: the name that people gave it, too. */
static void who_answers(void **state)
{
    (void)state;
    bench b;
    bench_open(&b, drive.sim, drive.description, false);
    bil_action end = bench_write(&b, (bil_job_config){.kind = BIL_JOB_IDENTIFY});
    assert_int_equal(end.u.end.verdict, BIL_VERDICT_VERIFIED);
    assert_text(&b.have, "bus.name", "crusher");
    assert_text(&b.have, "id.serial", "ED30-0417");
    assert_int_equal(b.progress.identity_requests, 2);
    assert_int_equal(b.unit->counters.read_requests, 2);
    bench_close(&b);
}

/* What is stored and what the unit keeps by itself, each its own, against the unit's memory. */
static void what_lies_elsewhere_is_read_there(void **state)
{
    (void)state;
    static const struct {
        bil_bank_kind kind;
        uint8_t copy;
    } banks[] = {{BIL_BANK_STORED, 0}, {BIL_BANK_KEPT, 1}, {BIL_BANK_KEPT, 2}};
    bench b;
    bench_open(&b, &sim_ec8, &bil_description_ec_8, false);
    const bil_description *d = b.description;
    for (size_t i = 0; i < b.unit->count; i++) {
        const sim_entry *e = &b.unit->entries[i];
        if (e->role != SIM_SETTING)
            continue;
        b.unit->stored[0][e->address] = b.unit->running[0][e->address] ^ 1;
        b.unit->kept[0][e->address] = b.unit->running[0][e->address] ^ (e->address & 1);
        b.unit->kept[1][e->address] = b.unit->running[0][e->address] ^ (e->address >> 1 & 1);
    }
    const uint16_t *memory[] = {b.unit->stored[0], b.unit->kept[0], b.unit->kept[1]};
    for (size_t k = 0; k < 3; k++) {
        unsigned there = 0;
        bil_action end = bench_write(
            &b, (bil_job_config){.kind = BIL_JOB_READ, .bank = (uint8_t)(banks[k].kind + 1), .copy = banks[k].copy});
        assert_int_equal(end.u.end.verdict, BIL_VERDICT_VERIFIED);
        for (uint16_t i = 0; i < d->count; i++) {
            const bil_param *p = &d->params[i];
            bool elsewhere = p->space == BIL_HOLDING && ((p->at.number >= 1000 && p->at.number + p->cells <= 1160) ||
                                                         (p->at.number >= 2000 && p->at.number + p->cells <= 2020));
            uint8_t raw[BIL_TEXT_MAX];
            if (!elsewhere || bil_class_left_out((bil_class)p->cls))
                continue;
            assert_int_equal(bil_value_from_cells(p->format, memory[k] + p->at.number, raw), BIL_OK);
            assert_int_equal(b.have.state[i], BIL_PRESENT);
            assert_memory_equal(bil_image_raw(&b.have, i), raw, p->format->size);
            there++;
        }
        assert_true(there > 100);
        assert_text(&b.have, "id.serial", "801207");
    }
    bench_close(&b);
}

/* Another unit from any request of a read on, with a lost request and without a trace: what counts as a copy is of one.
 */
static void a_copy_is_of_one_unit(void **state)
{
    (void)state;
    const model_under_test *models[] = {&drive, &controller};
    static sim_unit other;
    unsigned refused = 0, whole = 0;
    for (int m = 0; m < 2; m++)
        for (int loses = 0; loses < 2; loses++)
            for (uint64_t at = 0; at < 12; at++) {
                bench b;
                bench_open(&b, models[m]->sim, models[m]->description, false);
                sim_start(&other, models[m]->sim, true, m ? "700777" : "ED30-0777", NULL);
                b.sim.swap = &other;
                b.sim.swap_at = at;
                b.sim.swap_loses = loses;
                bil_action end = bench_read(&b, false);
                bool one = at == 0 || other.requests == 0;
                if (end.u.end.verdict == BIL_VERDICT_VERIFIED) {
                    assert_true(one);
                    assert_text(&b.have, m ? "plant.alarm_delay" : "motor.power",
                                at == 0 ? m ? "10" : "2200"
                                : m     ? "45"
                                        : "5500");
                    whole++;
                } else {
                    assert_false(one);
                    assert_int_equal(end.u.end.cause, BIL_E_OTHER_UNIT);
                    refused++;
                }
                bench_close(&b);
            }
    print_message("a read of two units: %u times refused, %u times of one\n", refused, whole);
    assert_true(refused >= 14 && whole >= 12);
}

typedef struct changing {
    bench b;
    unsigned times, every; /* changes still to come; before each request or once a look */
    unsigned count;
} changing;

static void change_meanwhile(void *ctx, const bil_job *job, const bil_action *action)
{
    changing *c = ctx;
    char words[80], answer[200];
    (void)job;
    if (action->kind != BIL_ACT_TRANSFER || c->times == 0 || c->count++ % c->every != 1)
        return;
    c->times--;
    snprintf(words, sizeof words, "set plant.alarm_delay %u", 100 + c->times);
    sim_control(c->b.unit, c->b.sim.now, words, answer, sizeof answer);
}

/* A device that changes while it is read is read again, twice at most; then it is said. So is one that restarts. */
static void a_read_while_it_changes(void **state)
{
    (void)state;
    for (unsigned times = 0; times < 5; times++) {
        changing c = {.times = times, .every = 4};
        bench_open(&c.b, controller.sim, controller.description, false);
        c.b.before = change_meanwhile;
        c.b.ctx = &c;
        bil_action end = bench_read(&c.b, false);
        if (times < 3) {
            assert_int_equal(end.u.end.verdict, BIL_VERDICT_VERIFIED);
            assert_text(&c.b.have, "plant.alarm_delay", times ? "100" : "45");
        } else {
            assert_int_equal(end.u.end.verdict, BIL_VERDICT_INCOMPLETE);
            assert_int_equal(end.u.end.cause, BIL_E_CHANGING);
        }
        assert_int_equal(c.b.progress.read_requests, 4 * (times < 3 ? times + 1 : 3));
        bench_close(&c.b);
    }
    for (unsigned at = 0; at < 6; at++) { /* the supply fails for a moment: what was read before is read once more */
        bench b;
        char words[40], answer[100];
        bench_open(&b, drive.sim, drive.description, false);
        sim_put(b.unit, "ramp.jerk", "77"); /* in force, not stored */
        snprintf(words, sizeof words, "fault power-cut %u", at);
        sim_control(b.unit, 0, words, answer, sizeof answer);
        assert_int_equal(bench_read(&b, false).u.end.verdict, BIL_VERDICT_VERIFIED);
        assert_text(&b.have, "ramp.jerk", "350");
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
        b.unit->owner[0][param->at.number] = -1;
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
        assert_int_equal(b.unit->state, 0); /* it stands, whatever it did before: nothing is started unasked */
        assert_int_equal(end.u.end.stopped, before != 0);
        assert_true(end.u.end.stored && end.u.end.restarted);
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
    bil_format keeps = *params[index].format;
    keeps.rounding = BIL_ROUND_NONE;
    params[index].format = &keeps;
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

/* The description without procedures of these kinds. */
static void without(bench *b, bil_description *d, bil_procedure *kept, unsigned kinds)
{
    *d = *b->description;
    d->procedures = kept;
    d->procedure_count = 0;
    for (uint16_t i = 0; i < b->description->procedure_count; i++)
        if (!(kinds >> b->description->procedures[i].kind & 1))
            kept[d->procedure_count++] = b->description->procedures[i];
    b->description = b->have.description = b->want.description = d;
}

/* What the combinations above can't show: each condition of the gate, of hold and of release that decides alone. */
static void conditions_that_decide_alone(void **state)
{
    (void)state;
    static const bil_proc_step pause = {.kind = BIL_STEP_WAIT, .within_ms = 1};
    for (int i = 0; i < 8; i++) {
        bench b;
        bil_description d;
        bil_procedure kept[20];
        char answer[100];
        prepare(&b, &drive, i == 3);
        bil_job_config config = bench_config(&b);
        bil_error cause = BIL_OK;
        switch (i) {
        case 0: /* no serial number on either side is no evidence */
            sim_put(b.unit, "id.serial", "");
            config.serial = "";
            cause = BIL_E_NO_IDENTITY;
            break;
        case 1: /* the copy is from the same firmware, but the description doesn't know it */
            sim_put(b.unit, "id.firmware", "9.9.9");
            config.firmware = "9.9.9";
            cause = BIL_E_UNKNOWN_FIRMWARE;
            break;
        case 2: /* an unlock without a password */
            without(&b, &d, kept, 1u << BIL_PROC_UNLOCK);
            kept[d.procedure_count++] = (bil_procedure){.kind = BIL_PROC_UNLOCK, .steps = &pause, .step_count = 1};
            config.has_password = false;
            cause = BIL_E_REFUSED; /* by the device, later */
            break;
        case 3: /* running, and there is no hold for it: the device itself says no */
            without(&b, &d, kept, 1u << BIL_PROC_HOLD | 1u << BIL_PROC_RELEASE);
            cause = BIL_E_REFUSED;
            break;
        case 4: /* on its way to being held, as an earlier write left it */
            b.unit->state = 3;
            b.unit->state_at = b.sim.now + 1000;
            config.held_before = true;
            config.found = drive.running;
            break;
        case 5: /* the same, and nobody knows from where */
            b.unit->state = 3;
            b.unit->state_at = b.sim.now + 1000;
            cause = BIL_E_HOLD;
            break;
        case 6: /* held by somebody, and the only value is refused: that stays the reason, and nobody is let go */
            assert_int_equal(bench_write(&b, config).u.end.verdict, BIL_VERDICT_VERIFIED);
            sim_control(b.unit, b.sim.now, "set motor.cos_phi 0.700", answer, sizeof answer);
            sim_control(b.unit, b.sim.now, "fault refuse motor.cos_phi", answer, sizeof answer);
            b.unit->state = drive.held;
            cause = BIL_E_REFUSED;
            break;
        default: /* held before, and so said by the record of an earlier write */
            b.unit->state = drive.held;
            config.held_before = true;
            break;
        }
        bil_action end = bench_write(&b, config);
        assert_int_equal(end.u.end.cause, cause);
        assert_int_equal(end.u.end.verdict == BIL_VERDICT_VERIFIED, cause == BIL_OK);
        assert_int_equal(end.u.end.held, i == 6 && b.unit->state == drive.held);
        bench_close(&b);
    }
}

static unsigned stores; /* orders to store that reached the unit */

static void count_stores(void *ctx, const sim_unit *unit, bool write, uint8_t space, uint16_t address, uint16_t count,
                         const uint16_t *cells)
{
    (void)ctx;
    (void)count;
    (void)cells;
    int16_t owner = unit->owner[space][address];
    stores += write && owner >= 0 && strcmp(unit->entries[owner].name, "command.store") == 0;
}

/* A write that the device acknowledges and is at work on is never sent again: its end is read. */
static void what_is_at_work_is_waited_for(void **state)
{
    (void)state;
    const model_under_test *models[] = {&drive, &controller};
    static const char *const slow[2][4] = {{"command.store", "command.hold", "drive.mode", "command.restart"},
                                           {"command.store", "command.hold", "kneader_1.enabled", "command.restart"}};
    for (int m = 0; m < 2; m++)
        for (int i = 0; i < 4; i++) {
            bench b;
            char words[60], answer[100];
            prepare(&b, models[m], false);
            snprintf(words, sizeof words, "fault slow %s", slow[m][i]);
            sim_control(b.unit, b.sim.now, words, answer, sizeof answer);
            assert_memory_equal(answer, "ok", 2);
            b.unit->listener = count_stores;
            stores = 0;
            bil_action end = bench_write(&b, bench_config(&b));
            assert_string_equal(bil_error_name((int)end.u.end.cause), "ok");
            assert_int_equal(end.u.end.verdict, BIL_VERDICT_VERIFIED);
            assert_int_equal(stores, 1);
            assert_true(unit_holds_want(&b));
            bench_close(&b);
        }
}

/* Behind the person's back another unit comes to the place: it has run for less. */
static bool agree_and_exchange(void *ctx, const bil_action *action)
{
    bench *b = ctx;
    (void)action;
    sim_put(b->unit, "hours.run", "12.0");
    return true;
}

/* What can be got back is got back; what the device takes no value for, refuses, can't show, or the copy lacks, is
 * named, and none of that keeps it held. A value that can't be read now is written only by name. */
static void what_cant_be_as_wanted_is_named(void **state)
{
    (void)state;
    enum { REFUSED_BACK, FIXED, LACKS, UNSEEN, BY_NAME, REFUSED };
    for (int i = REFUSED_BACK; i <= REFUSED; i++) {
        bench b;
        char answer[100];
        prepare(&b, &drive, false);
        bil_description d = *b.description;
        static bil_param params[128];
        static uint8_t by_name[128];
        uint16_t one = index_of(b.description, "limit.energy");
        memcpy(params, d.params, d.count * sizeof params[0]);
        memset(by_name, 0, sizeof by_name);
        d.params = params;
        b.description = b.have.description = b.want.description = &d;
        bil_job_config config = bench_config(&b);
        bil_error exception = BIL_E_REFUSED;
        if (i == REFUSED_BACK || i == REFUSED) {
            want_text(&b, "limit.energy", "499999");
            sim_control(b.unit, b.sim.now, "fault refuse limit.energy", answer, sizeof answer);
            config.goes_back = i == REFUSED_BACK;
        } else if (i == FIXED) {
            params[one].flags = BIL_READABLE;
            exception = BIL_E_FIXED;
        } else if (i == LACKS) {
            b.want.state[one] = BIL_UNREADABLE;
            exception = BIL_E_LACKS;
        } else {
            b.unit->owner[0][params[one].at.number] = -1; /* it can't be read, nor written */
            by_name[one] = i == BY_NAME;
            config.by_name = by_name;
            exception = BIL_E_UNREADABLE;
        }
        bil_action end = bench_write(&b, config);
        bool stops = i == BY_NAME || i == REFUSED; /* it was to be written, and couldn't */
        assert_int_equal(end.u.end.verdict, stops ? BIL_VERDICT_INCOMPLETE : BIL_VERDICT_WITH_EXCEPTIONS);
        assert_int_equal(end.u.end.held, stops);
        if (!stops) {
            assert_int_equal(bil_job_exception(b.job, one), exception);
            for (uint16_t k = 0; k < d.count; k++)
                if (k != one && strncmp(params[k].id, "ramp.", 5) != 0)
                    assert_int_equal(bil_job_exception(b.job, k), BIL_OK);
        }
        bench_close(&b);
    }
}

/* Where there is no serial number, or none that tells, the person's word is all there is, and the verdict is with that
 * exception; a hardware address that the description names tells it as well. */
static void what_tells_a_unit(void **state)
{
    (void)state;
    static const char *const none[] = {"", "0", "000000", "FFFFFFFF", "          ", "--------", "UNSET"};
    static const char *const no_serial[] = {"UNSET"};
    for (size_t i = 0; i <= sizeof none / sizeof none[0]; i++)
        for (int word = 0; word < 2; word++) {
            bench b;
            prepare(&b, &drive, false);
            bil_description d = *b.description;
            d.no_serial = no_serial;
            d.no_serial_count = 1;
            b.description = b.have.description = b.want.description = &d;
            bil_job_config config = bench_config(&b);
            if (i < sizeof none / sizeof none[0]) {
                sim_put(b.unit, "id.serial", none[i]);
                config.serial = none[i];
            } else {
                config.serial_shared = true; /* another unit of the site has it, too */
            }
            sim_store(b.unit);
            config.purpose_given = word;
            bil_action end = bench_write(&b, config);
            assert_int_equal(end.u.end.cause, word ? BIL_OK : BIL_E_NO_IDENTITY);
            assert_int_equal(end.u.end.verdict, word ? BIL_VERDICT_WITH_EXCEPTIONS : BIL_VERDICT_REFUSED);
            assert_false(bil_job_unit_tells(b.job));
            bench_close(&b);
        }
    for (int other = 0; other < 3; other++) { /* 1: another address; 2: hours that went back */
        bench b;
        prepare(&b, &drive, false);
        bil_description d = *b.description;
        uint16_t same = index_of(&d, "id.vendor"), hours = index_of(&d, "hours.run"); /* as if it were one */
        d.identity[BIL_ID_SERIAL] = d.identity[BIL_ID_VENDOR] = BIL_NONE;
        d.unit_same = &same;
        d.unit_grows = &hours;
        d.unit_same_count = d.unit_grows_count = 1;
        b.description = b.have.description = b.want.description = &d;
        if (other == 1)
            sim_put(b.unit, "id.vendor", "02:00:01");
        sim_store(b.unit);
        bil_job_config config = bench_config(&b);
        config.serial = "";
        if (other == 2) {
            b.ask = agree_and_exchange;
            b.ctx = &b;
        }
        bil_action end = bench_write(&b, config);
        assert_int_equal(end.u.end.cause, other ? BIL_E_OTHER_UNIT : BIL_OK);
        assert_int_equal(b.unit->counters.write_requests > 0, other == 0);
        bench_close(&b);
    }
}

/* A table made by hand may have a release that sets the machine to work: it is never played. */
static void no_release_starts_a_machine(void **state)
{
    (void)state;
    bench b;
    prepare(&b, &drive, true);
    bil_description d = *b.description;
    bil_procedure procedures[20];
    bil_proc_step steps[] = {
        {.kind = BIL_STEP_WRITE, .param = index_of(&d, "command.hold"), .value = 0},
        {.kind = BIL_STEP_WRITE, .param = index_of(&d, "command.run"), .value = 1},
        {.kind = BIL_STEP_UNTIL, .param = d.state, .value = 1, .mask = UINT32_MAX, .within_ms = 5000, .every_ms = 200}};
    memcpy(procedures, d.procedures, d.procedure_count * sizeof procedures[0]);
    procedures[d.procedure_count++] =
        (bil_procedure){.kind = BIL_PROC_RELEASE, .for_state = true, .found = 1, .steps = steps, .step_count = 3};
    d.procedures = procedures;
    b.description = b.have.description = b.want.description = &d;
    bil_action end = bench_write(&b, bench_config(&b));
    assert_int_equal(end.u.end.verdict, BIL_VERDICT_VERIFIED);
    assert_int_equal(b.unit->state, 0);
    bench_close(&b);
}

typedef struct plan_told {
    bool asked, goes_on, leaves_working;
} plan_told;

static void look_at_plan(void *ctx, const bil_job *job, const bil_action *action)
{
    plan_told *told = ctx;
    if (action->kind == BIL_ACT_ASK && action->u.ask.question == BIL_ASK_WRITE)
        *told = (plan_told){true, bil_job_goes_on(job), bil_job_leaves_working(job)};
}

/* What is written decides whether a machine is stopped for it, each with each: what it was doing, what was wished. */
static void what_stops_for_a_write(void **state)
{
    (void)state;
    static const struct {
        const char *id, *value;
        bool hold, restart;
    } values[] = {{"limit.torque", "111", false, false},
                  {"motor.voltage", "230", true, false},
                  {"bus.rate", "b9600", false, true},
                  {"motor.poles", "6", true, true}};
    unsigned goes_on = 0, works = 0;
    for (unsigned i = 0; i < 4 * 32; i++) {
        bool at_work = i & 4, store = i & 8, wished = i & 16, at_work_only = i & 32, trial = i & 64;
        bench b;
        plan_told told = {0};
        prepare(&b, &drive, false);
        bench_read(&b, true); /* only this one differs */
        bil_description d = *b.description;
        d.store_needs_hold = store;
        b.description = b.have.description = b.want.description = &d;
        want_text(&b, values[i % 4].id, values[i % 4].value);
        b.unit->state = at_work;
        b.before = look_at_plan;
        b.ask = say_no;
        b.ctx = &told;
        bil_job_config config = bench_config(&b);
        config.goes_on = wished;
        config.goes_on_at_work = at_work_only;
        config.trial = trial;
        bench_write(&b, config);
        bool stops = values[i % 4].hold || store, restarts = values[i % 4].restart;
        bool on = !restarts && (wished || (at_work_only && at_work && !stops));
        assert_true(told.asked);
        assert_int_equal(told.goes_on, on);
        assert_int_equal(told.leaves_working, !stops && (on || trial) && (at_work || wished));
        goes_on += on;
        works += told.leaves_working;
        bench_close(&b);
    }
    assert_int_equal(goes_on, 2 * 16 + 2);
    assert_int_equal(works, 11 + 6);
}

/* A machine is set to work only when a person asks for it now: it has to stand, and to be the one that was written. */
static void a_machine_is_started_on_purpose(void **state)
{
    (void)state;
    static const struct {
        const char *serial;
        uint32_t state;
        bool password;
        bil_error cause;
    } cases[] = {{NULL, 0, true, BIL_OK},
                 {NULL, 0, false, BIL_E_NO_PASSWORD},
                 {NULL, 2, true, BIL_E_NOT_STANDING},
                 {NULL, 1, true, BIL_E_NOT_STANDING},
                 {"ED30-0001", 0, true, BIL_E_OTHER_UNIT}};
    const model_under_test *models[] = {&drive, &controller};
    for (int m = 0; m < 2; m++)
        for (size_t i = 0; i < sizeof cases / sizeof cases[0]; i++) {
            bench b;
            bool locked = m == 0;
            prepare(&b, models[m], false);
            b.unit->state = cases[i].state;
            bil_job_config config = bench_config(&b);
            config.kind = BIL_JOB_START;
            config.found = 1;
            config.has_password = cases[i].password;
            config.serial = cases[i].serial ? cases[i].serial : b.serial;
            bil_action end = bench_write(&b, config);
            bil_error cause = cases[i].cause == BIL_E_NO_PASSWORD && !locked ? BIL_OK : cases[i].cause;
            assert_int_equal(end.u.end.cause, cause);
            assert_int_equal(end.u.end.verdict, cause ? BIL_VERDICT_REFUSED : BIL_VERDICT_VERIFIED);
            assert_int_equal(b.unit->state, cause ? cases[i].state : 1);
            bench_close(&b);
        }
}

/* Whatever goes wrong at whichever request: it says "verified" only of a machine that is at work. */
static void a_start_that_breaks(void **state)
{
    (void)state;
    static const char *const faults[] = {"request-lost %u", "reply-lost %u", "power-cut %u",
                                         "cable %u",        "refused %u",    "busy %u 2"};
    unsigned well = 0;
    for (size_t k = 0; k < sizeof faults / sizeof faults[0]; k++)
        for (unsigned at = 0; at < 14; at++) {
            bench b;
            char words[60], answer[100];
            prepare(&b, &drive, false);
            snprintf(words, sizeof words, faults[k], at);
            sim_control(b.unit, b.sim.now, words, answer, sizeof answer);
            bil_job_config config = bench_config(&b);
            config.kind = BIL_JOB_START;
            config.found = 1;
            config.serial = b.serial;
            b.record = at == 13 ? say_no : NULL;
            bil_action end = bench_write(&b, config);
            bool verified = end.u.end.verdict == BIL_VERDICT_VERIFIED;
            assert_true(!verified || b.unit->state == 1);
            assert_true(b.record == NULL || !verified);
            well += verified;
            bench_close(&b);
        }
    assert_true(well > 20);
    bench b; /* a model that can't be started, one that isn't there */
    prepare(&b, &drive, false);
    bil_description d;
    bil_procedure kept[20];
    without(&b, &d, kept, 1u << BIL_PROC_START);
    bil_job_config config = bench_config(&b);
    config.kind = BIL_JOB_START;
    config.found = 1;
    assert_int_equal(bench_write(&b, config).u.end.cause, BIL_E_START);
    b.unit->pulled = true;
    assert_int_equal(bench_write(&b, config).u.end.cause, BIL_E_NOT_REACHABLE);
    bench_close(&b);
}

static unsigned cancel_at; /* actions to go */

static void cancel_then(void *ctx, const bil_job *job, const bil_action *action)
{
    (void)ctx;
    (void)action;
    if (cancel_at-- == 0)
        bil_job_cancel((bil_job *)(uintptr_t)job);
}

static void steps_by_itself(void *ctx, const bil_job *job, const bil_action *action)
{
    bil_action next;
    const bil_result result = {.number = action->number};
    (void)ctx;
    bil_job_step((bil_job *)(uintptr_t)job, &result, &next);
}

static int run_a_read(bench *b, const bil_run_hooks *hooks, bil_action *end)
{
    size_t size = bil_job_size(b->description);
    void *memory = malloc(size);
    bil_job *job;
    bil_job_config config = {
        .struct_size = sizeof config, .kind = BIL_JOB_READ, .description = b->description, .have = &b->have};
    assert_int_equal(bil_job_init(&job, memory, size, &config), BIL_OK);
    int error = bil_run(job, b->link, b->clock, hooks, end);
    free(memory);
    return error;
}

/* The loop: calls that make no sense, hooks that do what they mustn't, and a time that is over at any moment. */
static void the_loop_by_itself(void **state)
{
    (void)state;
    bench b;
    bil_action end;
    bench_open(&b, &sim_ed30, &bil_description_ed_30, false);
    bil_run_hooks hooks = {.struct_size = 3};
    bil_job *none = NULL, *some = (bil_job *)(void *)&b;
    assert_int_equal(bil_run(none, b.link, b.clock, NULL, &end), BIL_E_BAD_CALL);
    assert_int_equal(bil_run(some, (bil_link){0}, b.clock, NULL, &end), BIL_E_BAD_CALL);
    assert_int_equal(bil_run(some, b.link, (bil_clock){0}, NULL, &end), BIL_E_BAD_CALL);
    assert_int_equal(bil_run(some, b.link, b.clock, NULL, NULL), BIL_E_BAD_CALL);
    assert_int_equal(run_a_read(&b, &hooks, &end), BIL_E_BAD_CALL);
    assert_int_equal(run_a_read(&b, NULL, &end), BIL_OK);
    assert_int_equal(end.u.end.verdict, BIL_VERDICT_VERIFIED);
    bil_image_source values;
    assert_int_equal(bil_source_prove(bil_image_as_source(&values, &b.have)), BIL_OK);
    hooks = (bil_run_hooks){.struct_size = sizeof hooks, .progress = steps_by_itself};
    assert_int_equal(run_a_read(&b, &hooks, &end), BIL_E_BAD_RESULT);
    hooks.progress = NULL;
    unsigned over = 0, whole = 0;
    for (uint64_t more = 1; more < 400; more++) {
        hooks.until_ms = b.sim.now + more;
        assert_int_equal(run_a_read(&b, &hooks, &end), BIL_OK);
        over += end.u.end.cause == BIL_E_CANCELLED;
        whole += end.u.end.verdict == BIL_VERDICT_VERIFIED;
        assert_true(b.sim.now <= hooks.until_ms + 100); /* a reply that is on its way comes */
    }
    print_message("a time that is over: %u reads ended, %u whole\n", over, whole);
    assert_int_equal(over + whole, 399);
    assert_true(over > 10 && whole > 10);
    b.unit->pulled = true;
    for (uint64_t more = 1; more < 3000; more += 37) {
        hooks.until_ms = b.sim.now + more;
        assert_int_equal(run_a_read(&b, &hooks, &end), BIL_OK);
        assert_true(end.u.end.cause == BIL_E_CANCELLED || end.u.end.cause == BIL_E_NOT_REACHABLE);
        assert_true(b.sim.now <= hooks.until_ms + 500); /* a connection that is being tried takes its time */
    }
    bench_close(&b);
}

/* The station loses a file with its next restart, though it said that it stored it. */
static bool loses_a_file(void *ctx, const bil_action *action)
{
    bench *b = ctx;
    const sim_entry *steps = sim_find(b->unit, "program.steps");
    if (action->u.record.event == BIL_EV_RESTARTING)
        b->unit->stored[SIM_RECORDS][steps->address + 1] ^= 1;
    return true;
}

/* A file that was right before, as an earlier write had left it, is proved like any other: behind the restart. */
static void a_file_that_isnt_stored(void **state)
{
    (void)state;
    for (int later = 0; later < 2; later++) {
        bench b;
        bench_open(&b, &sim_ew4, &bil_description_ew_4, false);
        assert_int_equal(bench_read(&b, true).u.end.cause, BIL_OK);
        uint8_t text[240], raw[BIL_FILE_RAW];
        memset(text, 'x', sizeof text);
        files_put(&b.files, text, sizeof text, raw);
        bil_image_put(&b.want, index_of(b.description, "program.steps"), raw);
        bil_job_config config = bench_config(&b);
        config.trial = true;
        if (later)
            assert_int_equal(bench_write(&b, config).u.end.verdict, BIL_VERDICT_ON_TRIAL);
        want_text(&b, "rinse.time", "99");
        b.record = loses_a_file;
        b.ctx = &b;
        bil_action end = bench_write(&b, bench_config(&b));
        assert_int_equal(end.u.end.verdict, BIL_VERDICT_INCOMPLETE);
        assert_int_equal(end.u.end.cause, BIL_E_DIFFERS);
        assert_int_equal(end.u.end.param, index_of(b.description, "program.steps"));
        bench_close(&b);
    }
}

/* A write that is cancelled while it is held, by a procedure that waits before its first command, which the device then
 * answers with "later", or not at all: only where a command went out may it be held. */
static void a_hold_that_is_cancelled(void **state)
{
    (void)state;
    static const char *const faults[] = {"plug-in", "busy %u 2", "request-lost %u"};
    bil_description d = bil_description_ed_30;
    bil_procedure procedures[20];
    bil_proc_step steps[10] = {{.kind = BIL_STEP_WAIT, .param = BIL_NONE, .within_ms = 100}};
    unsigned held = 0, not_held = 0;
    memcpy(procedures, d.procedures, d.procedure_count * sizeof procedures[0]);
    for (uint16_t i = 0; i < d.procedure_count; i++)
        if (procedures[i].kind == BIL_PROC_HOLD) {
            memcpy(steps + 1, procedures[i].steps, procedures[i].step_count * sizeof steps[0]);
            procedures[i].steps = steps;
            procedures[i].step_count++;
        }
    d.procedures = procedures;
    for (size_t fault = 0; fault < sizeof faults / sizeof faults[0]; fault++)
        for (unsigned at = 0, of = fault ? 40 : 1; at < 60; at++)
            for (unsigned request = fault ? 5 : 0; request < of; request += 1) {
                bench b;
                char words[40], answer[100];
                bench_open(&b, &sim_ed30, &d, false);
                bench_read(&b, true);
                sim_put(b.unit, "limit.torque", "66");
                b.unit->requests = 0;
                snprintf(words, sizeof words, faults[fault], request);
                sim_fault_say(b.unit, words, answer, sizeof answer);
                cancel_at = at;
                b.before = cancel_then;
                bil_action end = bench_write(&b, bench_config(&b));
                b.sim.now += 5000; /* what it was told just before comes to pass */
                sim_is_up(b.unit, b.sim.now);
                if (end.u.end.cause == BIL_E_CANCELLED && !end.u.end.wrote) {
                    assert_int_equal(end.u.end.verdict, BIL_VERDICT_UNTOUCHED);
                    assert_true(end.u.end.held || b.unit->state != 2); /* never held in secret */
                    held += end.u.end.held;
                    not_held += !end.u.end.held;
                }
                bench_close(&b);
            }
    print_message("cancelled while it is held: %u times held, %u not\n", held, not_held);
    assert_true(not_held > 500);
}

/* A start that is cancelled at any action: the machine stands as before, or it is being started and comes to work. */
static void a_start_that_is_cancelled(void **state)
{
    (void)state;
    unsigned stands = 0, works = 0;
    for (unsigned at = 0; at < 16; at++) {
        bench b;
        prepare(&b, &drive, false);
        bil_job_config config = bench_config(&b);
        config.kind = BIL_JOB_START;
        config.found = 1;
        config.serial = b.serial;
        cancel_at = at;
        b.before = cancel_then;
        bil_action end = bench_write(&b, config);
        bool cancelled = end.u.end.cause == BIL_E_CANCELLED;
        assert_int_equal(end.u.end.verdict, cancelled ? BIL_VERDICT_UNTOUCHED : BIL_VERDICT_VERIFIED);
        assert_int_equal(b.unit->state, cancelled ? 0 : 1);
        stands += cancelled;
        works += !cancelled;
        bench_close(&b);
    }
    assert_true(stands > 4 && works > 4);
}

/* What may be held, and to what it is let go: each condition alone, by descriptions that have less. */
static void what_may_be_held(void **state)
{
    (void)state;
    enum {
        NO_IDLE,
        NO_RELEASE,
        OTHER_IDLE,
        HIGH_STATE,
        NO_START,
        OURS,
        NOT_OURS,
        FOUND_HELD,
        NO_RELEASE_OURS,
        UNSEEN,
        OURS_STANDS,
        OURS_NO_HOLD,
        CASES
    };
    static const bil_error causes[CASES] = {BIL_OK,     BIL_E_HOLD, BIL_E_HOLD,      BIL_E_HOLD,
                                            BIL_E_HOLD, BIL_OK,     BIL_E_LEFT_HELD, BIL_E_LEFT_HELD,
                                            BIL_E_HOLD, BIL_E_HOLD, BIL_OK,          BIL_E_REFUSED};
    for (int i = 0; i < CASES; i++) {
        bench b;
        bil_description d;
        bil_procedure kept[20];
        prepare(&b, &drive, i == NO_START);
        unsigned gone = i == NO_RELEASE || i == NO_RELEASE_OURS ? 1u << BIL_PROC_RELEASE : 0;
        gone |= i == OURS_NO_HOLD ? 1u << BIL_PROC_RELEASE | 1u << BIL_PROC_HOLD : 0;
        without(&b, &d, kept, gone | (i == NO_START ? 1u << BIL_PROC_START : 0));
        bil_job_config config = bench_config(&b);
        config.held_before = i >= OURS && i != NOT_OURS;
        config.found = i == FOUND_HELD ? drive.held : 0;
        if (i == NO_IDLE)
            d.state_idle = 0;
        else if (i == OTHER_IDLE)
            d.state_idle = 2; /* 1, running, instead of 0 */
        else if (i == HIGH_STATE)
            b.unit->state = 40;
        else if (i >= OURS && i < UNSEEN)
            b.unit->state = drive.held;
        else if (i == UNSEEN)
            b.unit->owner[0][400] = -1; /* the state can't be read */
        bil_action end = bench_write(&b, config);
        if (end.u.end.cause != causes[i])
            fail_msg("case %d: %s", i, bil_error_name((int)end.u.end.cause));
        assert_int_equal(end.u.end.stopped, false);
        bool written = causes[i] == BIL_OK || causes[i] == BIL_E_LEFT_HELD;
        assert_int_equal(b.unit->counters.values_written > 0, written);
        assert_int_equal(end.u.end.held, causes[i] == BIL_E_LEFT_HELD || i == NO_RELEASE_OURS);
        bench_close(&b);
    }
    for (int i = 0; i < 7; i++) { /* a serial number and a value that stays the same for good, each with its say */
        bench b;
        prepare(&b, &drive, false);
        bil_description d = *b.description;
        uint16_t same[] = {index_of(&d, "id.hardware"), index_of(&d, "hours.starts")};
        b.description = b.have.description = b.want.description = &d;
        d.unit_same = same;
        d.unit_same_count = i == 4 ? 2 : 1;
        bil_job_config config = bench_config(&b);
        if (i >= 3 && i < 6)
            d.identity[BIL_ID_SERIAL] = BIL_NONE;
        if (i == 1 || i == 5)
            sim_put(b.unit, "id.hardware", "A");
        if (i == 6)
            config.serial = "ED30-0001";
        if (i == 2)
            b.want.state[same[0]] = BIL_ABSENT; /* an older copy doesn't have it */
        if (i == 4)
            same[0] = index_of(&d, "hours.run"), same[1] = index_of(&d, "hours.power"),
            b.unit->owner[0][16] = b.unit->owner[0][18] = -1; /* neither can be read */
        sim_store(b.unit);
        static const bil_error expected[] = {BIL_OK,           BIL_E_OTHER_UNIT, BIL_OK, BIL_OK, BIL_E_NO_IDENTITY,
                                             BIL_E_OTHER_UNIT, BIL_E_OTHER_UNIT};
        bil_action end = bench_write(&b, config);
        if (end.u.end.cause != expected[i])
            fail_msg("unit %d: %s", i, bil_error_name((int)end.u.end.cause));
        bench_close(&b);
    }
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
    /* and so does the next write, whose record says that it was held */
    bil_job_config config = bench_config(&b);
    config.held_before = true;
    config.found = drive.held;
    end = bench_write(&b, config);
    assert_int_equal(end.u.end.cause, BIL_E_LEFT_HELD);
    assert_int_equal(end.u.end.verdict, BIL_VERDICT_VERIFIED);
    bench_close(&b);
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
        assert_int_equal(b.unit->state, 0);
        assert_int_equal(end.u.end.stopped, before != 0);
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

typedef struct back_and_forth {
    bench b;
    bool restarted;
    unsigned reads;
} back_and_forth;

static bool note_restart(void *ctx, const bil_action *action)
{
    back_and_forth *c = ctx;
    c->restarted = c->restarted || action->u.record.event == BIL_EV_RESTARTED;
    return true;
}

static void change_and_change_back(void *ctx, const bil_job *job, const bil_action *action)
{
    back_and_forth *c = ctx;
    char answer[200];
    (void)job;
    bool reads = c->restarted && action->kind == BIL_ACT_TRANSFER && action->u.transfer.value;
    if (reads && c->reads++ == 7) { /* in the middle of the second read of the proof */
        sim_control(c->b.unit, c->b.sim.now, "set plant.alarm_delay 321", answer, sizeof answer);
        sim_control(c->b.unit, c->b.sim.now, "set plant.alarm_delay 45", answer, sizeof answer);
    }
}

/* Between the two reads of the proof a counter of changes moves, and no value is another: somebody is at it. */
static void a_change_that_was_taken_back(void **state)
{
    (void)state;
    back_and_forth c = {.restarted = false};
    prepare(&c.b, &controller, false);
    c.b.record = note_restart;
    c.b.before = change_and_change_back;
    c.b.ctx = &c;
    bil_action end = bench_write(&c.b, bench_config(&c.b));
    assert_true(c.reads > 7);
    assert_int_equal(end.u.end.verdict, BIL_VERDICT_INCOMPLETE);
    assert_int_equal(end.u.end.cause, BIL_E_FOREIGN_CHANGE);
    assert_int_equal(end.u.end.param, index_of(c.b.description, "hours.changes"));
    bench_close(&c.b);
}

/* Somebody else's change is never overwritten unseen: either it came before the look, or the job stops and names it. */
static void a_change_by_somebody_else_stops_the_job(void **state)
{
    (void)state;
    unsigned named = 0;
    for (unsigned at = 0;; at++) {
        bench b;
        prepare(&b, &drive, false);
        char answer[200], words[80];
        sim_control(b.unit, b.sim.now, "set limit.energy 72000", answer, sizeof answer); /* already right */
        snprintf(words, sizeof words, "fault hand %u limit.energy 4321", at);
        sim_control(b.unit, b.sim.now, words, answer, sizeof answer);
        uint64_t before = b.unit->requests;
        bil_action end = bench_write(&b, bench_config(&b));
        bool struck = b.unit->requests > before + at;
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

/* ---- restarts, resets, addresses ---- */

static bool no_time(void *ctx, const bil_action *action)
{
    (void)ctx;
    return action->u.ask.question != BIL_ASK_PERSON;
}

static bool starts_it(void *ctx, const bil_action *action)
{
    bench *b = ctx;
    if (action->u.record.event == BIL_EV_RELEASED)
        b->unit->state = 1;
    return true;
}

/* A person who says so without having done it is noticed; one who says no stops the job; a machine that never stands is
 * let work with what is stored, but nothing is called proved. */
static void restarts_that_dont_come(void **state)
{
    (void)state;
    const model_under_test *models[] = {&drive, &controller};
    for (int i = 0; i < 2; i++)
        for (int how = 0; how < 3; how++) {
            bench b;
            prepare(&b, models[i], true);
            bil_job_config config = bench_config(&b);
            config.restart = how < 2 ? BIL_RESTART_BY_HAND : BIL_RESTART_IDLE;
            config.restart_ms = b.sim.now + 100000;
            b.ask = how == 1 ? no_time : NULL;
            b.record = how == 2 ? starts_it : NULL; /* somebody, as soon as it is let go */
            b.ctx = &b;
            bil_action end = bench_write(&b, config);
            static const bil_error causes[] = {BIL_E_RESTART, BIL_E_PERSON, BIL_E_NOT_IDLE};
            assert_int_equal(end.u.end.cause, causes[how]);
            assert_int_equal(end.u.end.verdict, how < 2 ? BIL_VERDICT_INCOMPLETE : BIL_VERDICT_NOT_PROVED);
            assert_int_equal(end.u.end.held, how < 2);
            assert_int_equal(b.unit->state, how < 2 ? models[i]->held : models[i]->running);
            assert_true(unit_holds_want(&b));
            bench_close(&b);
        }
}

/* Where another device answers at the number that the values bring, nothing is written; a refusal is an answer, too. */
static void an_address_that_is_taken(void **state)
{
    (void)state;
    for (int how = 0; how < 4; how++) {
        bench b;
        char answer[100];
        prepare(&b, &drive, false);
        sim_unit *neighbour = malloc(sizeof *neighbour);
        sim_start(neighbour, how == 1 ? &sim_ec8 : &sim_ed30, false, "700001", NULL);
        neighbour->answers_at = how == 2 ? 5 : 3; /* the copy says 3 */
        if (how == 3)
            sim_control(neighbour, 0, "fault request-lost 0", answer, sizeof answer);
        sim_link_on_line(&b.sim, 1);
        b.sim.neighbour = neighbour;
        bil_job_config config = bench_config(&b);
        config.unit = BIL_UNIT(1);
        bil_action end = bench_write(&b, config);
        assert_int_equal(end.u.end.cause, how == 2 ? BIL_OK : BIL_E_ADDRESS_TAKEN);
        assert_int_equal(end.u.end.verdict, how == 2 ? BIL_VERDICT_VERIFIED : BIL_VERDICT_REFUSED);
        assert_int_equal(b.unit->counters.write_requests > 0, how == 2);
        assert_int_equal(b.unit->answers_at, how == 2 ? 3 : 1);
        assert_int_equal(neighbour->counters.write_requests, 0);
        free(neighbour);
        bench_close(&b);
    }
    bench b; /* a link of its own, where the number is of no account: the unit finds itself there, and stays */
    prepare(&b, &drive, false);
    bil_job_config config = bench_config(&b);
    config.unit = BIL_UNIT(1);
    assert_int_equal(bench_write(&b, config).u.end.verdict, BIL_VERDICT_VERIFIED);
    bench_close(&b);
}

static void a_reset_wants_a_procedure_for_it(void **state)
{
    (void)state;
    bench b;
    prepare(&b, &drive, false);
    bil_description d;
    bil_procedure kept[20];
    without(&b, &d, kept, 1u << BIL_PROC_FACTORY_RESET);
    bil_job_config config = bench_config(&b);
    config.kind = BIL_JOB_RESET;
    bil_action end = bench_write(&b, config);
    assert_int_equal(end.u.end.cause, BIL_E_NO_RESET);
    assert_int_equal(b.unit->counters.write_requests, 0);
    bench_close(&b);
}

/* Any set of differing values is written with the fewest requests: runs of neighbours, each as long as may be, stage by
 * stage, since nothing that isn't to be written may be written across. Counted here from the map of the unit itself. */
static void as_few_requests_as_can_be(void **state)
{
    (void)state;
    dice d = {61};
    bench b;
    prepare(&b, &drive, false);
    assert_int_equal(bench_write(&b, bench_config(&b)).u.end.verdict, BIL_VERDICT_VERIFIED);
    sim_unit *right = malloc(sizeof *right);
    *right = *b.unit;
    for (unsigned i = 0; i < rounds(300); i++) {
        *b.unit = *right;
        unsigned stages[10][SIM_CELLS] = {{0}}, least = 0, values = 0;
        for (size_t e = 0; e < b.unit->count; e++) {
            const sim_entry *entry = &b.unit->entries[e];
            int32_t index = bil_description_find(b.description, entry->name, strlen(entry->name));
            bool resets = strcmp(entry->name, "drive.mode") == 0;
            if (entry->role != SIM_SETTING || index < 0 || resets || roll_below(&d, 3))
                continue;
            const bil_param *param = &b.description->params[index];
            b.unit->running[0][entry->address] ^= 1;
            stages[param->stage][entry->address] = param->cells;
            values++;
        }
        sim_store(b.unit);
        for (int stage = 0; stage < 10; stage++)
            for (unsigned a = 0, end = 0, length = 0; a < SIM_CELLS; a++) {
                unsigned cells = stages[stage][a];
                if (!cells)
                    continue;
                bool joins = length && a == end && length + cells <= b.description->spaces[BIL_HOLDING].write_most;
                least += !joins;
                length = joins ? length + cells : cells;
                end = a + cells;
            }
        bil_job_config config = bench_config(&b);
        config.despite = UINT32_C(1) << BIL_CHECK_RULES;
        bil_action end = bench_write(&b, config);
        assert_int_equal(end.u.end.verdict, BIL_VERDICT_VERIFIED);
        assert_int_equal(b.progress.written, values);
        assert_int_equal(b.progress.write_requests, least);
    }
    free(right);
    bench_close(&b);
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
        cmocka_unit_test(who_answers),
        cmocka_unit_test(what_lies_elsewhere_is_read_there),
        cmocka_unit_test(a_copy_is_of_one_unit),
        cmocka_unit_test(a_read_while_it_changes),
        cmocka_unit_test(what_is_at_work_is_waited_for),
        cmocka_unit_test(what_stops_for_a_write),
        cmocka_unit_test(a_machine_is_started_on_purpose),
        cmocka_unit_test(a_start_that_breaks),
        cmocka_unit_test(the_loop_by_itself),
        cmocka_unit_test(a_hold_that_is_cancelled),
        cmocka_unit_test(a_start_that_is_cancelled),
        cmocka_unit_test(what_may_be_held),
        cmocka_unit_test(no_release_starts_a_machine),
        cmocka_unit_test(what_cant_be_as_wanted_is_named),
        cmocka_unit_test(what_tells_a_unit),
        cmocka_unit_test(one_refused_value_is_the_only_one_missing),
        cmocka_unit_test(a_reset_unit_is_brought_back),
        cmocka_unit_test(only_what_differs_is_written),
        cmocka_unit_test(rounding_is_named_or_a_difference),
        cmocka_unit_test(without_a_restart_nothing_is_proved),
        cmocka_unit_test(refusals_touch_nothing),
        cmocka_unit_test(the_gate_in_every_combination),
        cmocka_unit_test(conditions_that_decide_alone),
        cmocka_unit_test(another_unit_keeps_what_is_its_own),
        cmocka_unit_test(other_models_and_firmware_are_seen),
        cmocka_unit_test(a_unit_held_by_somebody_stays_held),
        cmocka_unit_test(a_trial_ends_with_the_power),
        cmocka_unit_test(a_change_by_somebody_else_stops_the_job),
        cmocka_unit_test(a_change_that_was_taken_back),
        cmocka_unit_test(restarts_that_dont_come),
        cmocka_unit_test(an_address_that_is_taken),
        cmocka_unit_test(a_reset_wants_a_procedure_for_it),
        cmocka_unit_test(a_file_that_isnt_stored),
        cmocka_unit_test(as_few_requests_as_can_be),
        cmocka_unit_test(results_must_fit_and_memory_must_suffice),
    };
    return cmocka_run_group_tests_name("job", tests, NULL, NULL);
}

/* What a site shows of a device after each way in which a job can end, against the unit's own memory: never that it is
 * as the baseline when it isn't, never without its mark when something was left behind. docs/standing.md has it all. */
#include "help.h"

#include <sys/stat.h>
#include <unistd.h>

#include "bilancia/host_error.h"
#include "bilancia/site.h"
#include "bilancia/words.h"
#include "bilancia/write.h"
#include "show/standing.h"
#include "sim/control.h"
#include "sim/entry.h"
#include "sim/fault.h"

/* ---- a drive in a site ---- */

typedef struct plant {
    bench drive;
    bil_host *host;
    bil_device *device;
    bil_site *site;
    char baseline[4096];
    uint16_t was[SIM_SPACES][SIM_CELLS]; /* the values of the baseline, in the unit */
    /* how the job is to end */
    int cancel_at;         /* after so many actions; -1: never */
    int actions;           /* so far */
    const char *lost;      /* a fault of the unit, or NULL */
    int lost_at;           /* at this request of the job */
    bil_write_answer says; /* of the tests */
} plant;

static void well(const plant *p, int error)
{
    if (error)
        fail_msg("%s", bil_host_trouble(p->host));
}

static void fresh_folder(void)
{
    static unsigned number;
    char name[40], own[300];
    assert_int_equal(chdir(getenv("BILANCIA_TURNS")), 0);
    snprintf(name, sizeof name, "run-%u", number++);
    assert_int_equal(mkdir(name, 0777), 0);
    assert_int_equal(chdir(name), 0);
    char *here = getcwd(NULL, 0);
    snprintf(own, sizeof own, "%s/own", here);
    free(here);
    assert_int_equal(mkdir("own", 0700), 0);
    setenv("XDG_STATE_HOME", own, 1);
    setenv("XDG_CACHE_HOME", own, 1);
}

static void open_device(plant *p)
{
    well(p, bil_device_open_link(p->host, "crusher", p->drive.link, p->drive.clock, &p->device));
}

/* Reads it, and the site has that as its newest copy. */
static void read_now(plant *p)
{
    bil_copy *copy;
    well(p, bil_device_read(p->device, NULL));
    well(p, bil_copy_of_device(p->device, &copy));
    well(p, bil_copy_save(copy, NULL, "read"));
    bil_copy_close(copy);
}

static void see_all(plant *p)
{
    bil_site_close(p->site);
    well(p, bil_site_open(p->host, NULL, &p->site));
}

static void begin_with(plant *p, const sim_model *model, const bil_description *description)
{
    memset(p, 0, sizeof *p);
    p->cancel_at = p->lost_at = -1;
    p->says = BIL_ANSWER_NOBODY;
    fresh_folder();
    bench_open(&p->drive, model, description, false);
    p->host = NULL;
    bil_host_config outside = {.struct_size = sizeof outside, .who = "anna", .site = ""}, inside = outside;
    inside.site = "mill";
    well(p, bil_host_open(&p->host, &outside));
    well(p, bil_site_make(p->host, "mill", "Poggio Finto", &p->site));
    bil_host_close(p->host);
    p->site = NULL;
    well(p, bil_host_open(&p->host, &inside));
    see_all(p);
    bil_card card = {.struct_size = sizeof card, .name = "crusher", .address = "modbus+tcp://127.0.0.1:9/1"};
    well(p, bil_site_add(p->site, &card));
    open_device(p);
    read_now(p);
    see_all(p);
    well(p, bil_site_baseline(p->site, "crusher#last", NULL));
    const bil_site_copy *copy;
    well(p, bil_site_copy_of(p->site, "crusher#baseline", &copy));
    snprintf(p->baseline, sizeof p->baseline, "%s", copy->path);
    memcpy(p->was, p->drive.unit->running, sizeof p->was);
}

static void begin(plant *p)
{
    begin_with(p, &sim_ed30, &bil_description_ed_30);
}

static void end(plant *p)
{
    bil_host_close(p->host);
    bench_close(&p->drive);
}

/* Somebody at the device: three values, which last. */
static void change(plant *p)
{
    char answer[200];
    sim_set(p->drive.unit, "limit.torque", "95.0", answer, sizeof answer);
    sim_set(p->drive.unit, "ramp.up", "1.500", answer, sizeof answer);
    sim_set(p->drive.unit, "motor.poles", "6", answer, sizeof answer);
    read_now(p);
}

/* ---- how it is meant to end ---- */

static bool password(void *ctx, const char *which, bool may_ask, char *out, size_t size)
{
    (void)which;
    (void)ctx;
    snprintf(out, size, "mill-30");
    return !may_ask;
}

static void doing(void *ctx, const bil_writing *w, bil_write_phase phase, const bil_job_progress *progress)
{
    plant *p = ctx;
    (void)w;
    (void)phase;
    (void)progress;
    if (p->actions++ == p->cancel_at)
        bil_cancel(p->host);
    char words[80], answer[200];
    if (p->lost && p->actions == 1) {
        snprintf(words, sizeof words, "%s %d", p->lost, p->lost_at);
        sim_fault_say(p->drive.unit, words, answer, sizeof answer);
    }
}

static bil_write_answer tried(void *ctx, const bil_writing *w, bool test, const char *what)
{
    const plant *p = ctx;
    (void)w;
    (void)test;
    (void)what;
    return p->says;
}

static bil_write_wish wish_of(plant *p)
{
    return (bil_write_wish){.struct_size = sizeof(bil_write_wish),
                            .yes = true,
                            .why = "a test",
                            .device = p->device,
                            .password = password,
                            .doing = doing,
                            .tried = tried,
                            .ctx = p};
}

/* ---- the jobs ---- */

static int write_baseline(plant *p, bil_write_wish *wish, bil_ending *ending)
{
    bil_copy *copy;
    well(p, bil_copy_open(p->host, p->baseline, &copy));
    int error = bil_write(p->device, copy, wish, ending);
    bil_copy_close(copy);
    return error;
}

/* The baseline, before the job that is looked at: to its end (`cancel_at` -1), or broken off. */
static void before_that(plant *p, int cancel_at, bool trial)
{
    int cancel = p->cancel_at;
    const char *lost = p->lost;
    p->cancel_at = cancel_at;
    p->lost = NULL;
    p->actions = 0;
    bil_write_wish wish = wish_of(p);
    bil_ending ending = {.struct_size = sizeof ending};
    wish.trial = trial;
    write_baseline(p, &wish, &ending);
    p->cancel_at = cancel;
    p->lost = lost;
    p->actions = 0;
}

static int a_write(plant *p, bil_write_wish *wish, bil_ending *ending)
{
    change(p);
    p->actions = 0;
    return write_baseline(p, wish, ending);
}

static int a_write_of_nothing(plant *p, bil_write_wish *wish, bil_ending *ending)
{
    return write_baseline(p, wish, ending);
}

static int single_values(plant *p, bil_write_wish *wish, bil_ending *ending)
{
    static const char *const values[] = {"ramp.up=1.5", "ramp.down=2.5"};
    return bil_set(p->device, values, 2, wish, ending);
}

static int a_trial(plant *p, bil_write_wish *wish, bil_ending *ending)
{
    change(p);
    p->actions = 0;
    wish->trial = true;
    return write_baseline(p, wish, ending);
}

static int a_trial_kept(plant *p, bil_write_wish *wish, bil_ending *ending)
{
    change(p);
    before_that(p, -1, true);
    return bil_keep(p->host, "crusher", wish, ending);
}

static int a_trial_undone(plant *p, bil_write_wish *wish, bil_ending *ending)
{
    change(p);
    before_that(p, -1, true);
    return bil_undo(p->host, "crusher", wish, ending);
}

static int an_undo(plant *p, bil_write_wish *wish, bil_ending *ending)
{
    change(p);
    before_that(p, -1, false);
    return bil_undo(p->host, "crusher", wish, ending);
}

enum { BETWEEN_TWO_VALUES = 34 }; /* actions of the write */

static int a_resume(plant *p, bil_write_wish *wish, bil_ending *ending)
{
    change(p);
    before_that(p, BETWEEN_TWO_VALUES, false);
    return bil_resume(p->host, "crusher", wish, ending);
}

static int an_undo_after_a_break(plant *p, bil_write_wish *wish, bil_ending *ending)
{
    change(p);
    before_that(p, BETWEEN_TWO_VALUES, false);
    return bil_undo(p->host, "crusher", wish, ending);
}

static int a_reset(plant *p, bil_write_wish *wish, bil_ending *ending)
{
    return bil_reset(p->device, wish, ending);
}

/* Another unit hangs there, as delivered. */
static void exchange(plant *p)
{
    sim_start(p->drive.unit, &sim_ed30, true, "ED30-0999", NULL);
    p->drive.unit->now = p->drive.sim.now;
    bil_device_close(p->device);
    open_device(p);
    read_now(p);
}

static int a_replacement(plant *p, bil_write_wish *wish, bil_ending *ending)
{
    exchange(p);
    p->actions = 0;
    wish->device = p->device;
    wish->purpose_given = true;
    wish->purpose = BIL_REPLACEMENT;
    return write_baseline(p, wish, ending);
}

static const struct {
    const char *name;
    int (*run)(plant *p, bil_write_wish *wish, bil_ending *ending);
} jobs[] = {{"write", a_write},
            {"write, nothing differs", a_write_of_nothing},
            {"set", single_values},
            {"trial", a_trial},
            {"keep", a_trial_kept},
            {"undo a trial", a_trial_undone},
            {"undo", an_undo},
            {"resume", a_resume},
            {"undo what broke off", an_undo_after_a_break},
            {"reset", a_reset},
            {"replacement", a_replacement}};
enum { JOBS = sizeof jobs / sizeof jobs[0] };

/* ---- what it shows ---- */

typedef struct shown {
    uint32_t all;
    bil_standing first;
    int drift;
    char text[600], next[3000], job[300];
} shown;

static bool take_job(void *ctx, const bil_site_job *job)
{
    shown *s = ctx;
    snprintf(s->job, sizeof s->job, "%s: %s%s%s%s%s%s%s", job->kind, job->verdict[0] ? job->verdict : "broken off",
             job->held ? ", held" : "", job->unfinished ? ", unfinished" : "", job->on_trial ? ", on trial" : "",
             job->tests_failed ? ", tests failed" : "", job->tests_open ? ", tests open" : "",
             job->foreign ? ", of another computer" : "");
    return false;
}

static shown look(plant *p)
{
    shown s = {0};
    const bil_site_standing *one;
    static next_step steps[NEXT_MOST];
    see_all(p);
    well(p, bil_site_standing_of(p->site, "crusher", &one));
    s.all = one->all;
    s.first = one->first;
    s.drift = one->drift;
    for (int i = 0; i < BIL_STANDING_COUNT; i++) {
        if (!(one->all >> i & 1))
            continue;
        snprintf(s.text + strlen(s.text), sizeof s.text - strlen(s.text), "%s%s", s.text[0] ? "; " : "",
                 bil_standing_text((bil_standing)i));
        size_t count = standing_next(one, (bil_standing)i, steps);
        for (size_t k = 0; k < count; k++)
            snprintf(s.next + strlen(s.next), sizeof s.next - strlen(s.next), "%s`%s`", s.next[0] ? ", " : "",
                     steps[k].command);
    }
    well(p, bil_site_jobs(p->site, "crusher", 1, take_job, &s));
    return s;
}

/* ---- what is so ---- */

/* Values that last and that the drift counts. */
static unsigned differing(const plant *p, bool in_force)
{
    const sim_unit *u = p->drive.unit;
    unsigned count = 0;
    for (size_t i = 0; i < u->count; i++) {
        const sim_entry *e = &u->entries[i];
        if (e->role != SIM_SETTING && e->role != SIM_CALIBRATION)
            continue;
        const uint16_t *now = (in_force ? u->running : u->stored)[e->space] + e->address;
        count += memcmp(now, p->was[e->space] + e->address, sim_cells_of(e) * sizeof *now) != 0;
    }
    return count;
}

static bool is_held(const plant *p)
{
    const bil_description *d = p->drive.description;
    return p->drive.unit->state == d->state_held && sim_is_up(p->drive.unit, p->drive.sim.now);
}

static bool so(const shown *s, bil_standing what)
{
    return s->all >> what & 1;
}

static void check(const plant *p, const shown *s, const char *what, const bil_ending *ending, int error)
{
    unsigned in_force = differing(p, true), lasting = differing(p, false);
    bool left = so(s, BIL_STANDING_HELD) || so(s, BIL_STANDING_UNFINISHED) || so(s, BIL_STANDING_ON_TRIAL);
    if (is_held(p) && !so(s, BIL_STANDING_HELD))
        fail_msg("%s: it is held, and shown is: %s (%s)", what, s->text, s->job);
    if (so(s, BIL_STANDING_WELL) && (in_force || lasting || is_held(p)))
        fail_msg("%s: shown as the baseline; %u differ in force, %u stored", what, in_force, lasting);
    if (!left && (in_force != lasting || s->drift != (int)in_force))
        fail_msg("%s: shown is %s, drift %d; %u differ in force, %u stored (%s)", what, s->text, s->drift, in_force,
                 lasting, s->job);
    bool proved = !error && (ending->verdict == BIL_VERDICT_VERIFIED || ending->verdict == BIL_VERDICT_WITH_EXCEPTIONS);
    if (proved && left && !ending->held)
        fail_msg("%s: it was proved, and shown is %s (%s)", what, s->text, s->job);
    if (proved && ending->wrote && p->says == BIL_ANSWER_NOBODY && !so(s, BIL_STANDING_TESTS_OPEN))
        fail_msg("%s: nobody tried it, and shown is %s", what, s->text);
    if (proved && ending->wrote && p->says == BIL_ANSWER_NO && !so(s, BIL_STANDING_TEST_FAILED))
        fail_msg("%s: a test failed, and shown is %s", what, s->text);
    if (proved && p->says == BIL_ANSWER_YES && s->drift == 0 && !so(s, BIL_STANDING_WELL))
        fail_msg("%s: all is well, and shown is %s", what, s->text);
}

/* ---- the table ---- */

enum { ROWS = 200 };
static struct row {
    size_t job;
    char shown[4000];
    bool between[7]; /* what came in between: see below */
} rows[ROWS];
static size_t row_count;
static const char *const betweens[] = {"nothing",      "tried, all is so", "a test failed", "cancelled",
                                       "cable pulled", "power cut",        "a reply lost"};

static void add_row(size_t job, const char *ended, size_t between, const shown *s)
{
    static struct row row;
    row = (struct row){.job = job};
    snprintf(row.shown, sizeof row.shown, "%s | %s | %s | %s", ended, s->text, s->next[0] ? s->next : "nothing",
             s->job);
    size_t i = 0;
    while (i < row_count && (rows[i].job != job || strcmp(rows[i].shown, row.shown) != 0))
        i++;
    assert_true(i < ROWS);
    if (i == row_count)
        rows[row_count++] = row;
    rows[i].between[between] = true;
}

static int by_text(const void *left, const void *right)
{
    const struct row *a = left, *b = right;
    return a->job != b->job ? (a->job > b->job ? 1 : -1) : strcmp(a->shown, b->shown);
}

static void keep_table(const char *path)
{
    FILE *file = fopen(path, "w");
    assert_non_null(file);
    fputs("# What is shown of a device after a job\n\n"
          "Made by `tests/test_standing.c` (`UPDATE=1` makes it anew), which plays each job in a site to each end and "
          "holds "
          "what\nis shown against the memory of the simulated unit: never *as the baseline* when a value differs, in "
          "force or "
          "stored;\nnever without the mark when it is held, unfinished, on trial or not tried. *Ended* is the verdict; "
          "*shown* and *next* is what `overview`, `history`, `device show`, `site check`, their JSON "
          "and the page say.\n\n"
          "| job | what came in between | ended | shown | next | in the log |\n|---|---|---|---|---|---|\n",
          file);
    qsort(rows, row_count, sizeof rows[0], by_text);
    for (size_t i = 0; i < row_count; i++) {
        fprintf(file, "| %s | ", jobs[rows[i].job].name);
        const char *comma = "";
        for (size_t k = 0; k < sizeof betweens / sizeof betweens[0]; k++)
            if (rows[i].between[k]) {
                fprintf(file, "%s%s", comma, betweens[k]);
                comma = ", ";
            }
        fprintf(file, " | %s |\n", rows[i].shown);
    }
    fclose(file);
}

/* ---- all of it ---- */

/* One job to one end. False once it came to its end before that could happen. */
static bool play(size_t job, int cancel_at, const char *lost, int lost_at, bil_write_answer says)
{
    plant p;
    char what[200];
    begin(&p);
    p.cancel_at = cancel_at;
    p.lost = lost;
    p.lost_at = lost_at;
    p.says = says;
    bil_write_wish wish = wish_of(&p);
    bil_ending ending = {.struct_size = sizeof ending};
    int error = jobs[job].run(&p, &wish, &ending);
    bool came = cancel_at < 0 ? !lost || p.drive.unit->requests > p.drive.unit->faults[0].at : p.actions > cancel_at;
    snprintf(what, sizeof what, "%s, cancelled at %d, %s at %d", jobs[job].name, cancel_at, lost ? lost : "nothing",
             lost_at);
    shown s = look(&p);
    check(&p, &s, what, &ending, error);
    size_t between = cancel_at >= 0                   ? 3
                     : !lost                          ? (says == BIL_ANSWER_NOBODY ? 0
                                                         : says == BIL_ANSWER_YES  ? 1
                                                                                   : 2)
                     : strcmp(lost, "cable") == 0     ? 4
                     : strcmp(lost, "power-cut") == 0 ? 5
                                                      : 6;
    if (came || (cancel_at < 0 && !lost))
        add_row(job, error ? bil_host_error_name(error) : bil_verdict_name(ending.verdict), between, &s);
    end(&p);
    return came;
}

static void what_is_shown_is_so(void **state)
{
    (void)state;
    static const char *const faults[] = {"cable", "power-cut", "reply-lost"};
    unsigned played = 0, step = SAMPLING;
    for (size_t job = 0; job < JOBS; job++) {
        play(job, -1, NULL, -1, BIL_ANSWER_NOBODY);
        play(job, -1, NULL, -1, BIL_ANSWER_YES);
        play(job, -1, NULL, -1, BIL_ANSWER_NO);
        played += 3;
        for (int at = 0; play(job, at, NULL, -1, BIL_ANSWER_NOBODY); at += (int)step)
            played++;
        for (size_t f = 0; f < sizeof faults / sizeof faults[0]; f++)
            for (int at = 0; play(job, -1, faults[f], at, BIL_ANSWER_NOBODY); at += (int)step)
                played++;
    }
    print_message("%u ends played, %zu of them look different\n", played, row_count);
}

/* ---- a machine that works ---- */

typedef struct watching {
    unsigned writes, at_value, at_store, stopped;
    const sim_entry *value, *store;
} watching;

/* The drive's own log: what reaches it by writing, and whether it stands meanwhile. */
static void hear(void *ctx, const sim_unit *unit, bool write, uint8_t space, uint16_t address, uint16_t count,
                 const uint16_t *cells)
{
    watching *w = ctx;
    (void)space;
    (void)count;
    (void)cells;
    enum { WORKS = 1 };
    w->stopped += unit->state != WORKS;
    if (!write)
        return;
    w->writes++;
    if (address == w->value->address)
        w->at_value = w->writes;
    if (address == w->store->address)
        w->at_store = w->writes;
}

static void say_to(plant *p, const char *words)
{
    char answer[200];
    sim_control(p->drive.unit, p->drive.sim.now, words, answer, sizeof answer);
    assert_memory_equal(answer, "ok", 2);
}

/* A new ramp: not held, not restarted, in force before it is stored, and proved by whoever sees it after a restart that
 * somebody else made. */
static void a_ramp_on_a_running_drive(void **state)
{
    (void)state;
    plant p;
    begin(&p);
    say_to(&p, "set command.run 1");
    watching w = {.value = sim_find(p.drive.unit, "ramp.up"), .store = sim_find(p.drive.unit, "command.store")};
    p.drive.unit->listener = hear;
    p.drive.unit->listener_ctx = &w;
    uint32_t starts = p.drive.unit->starts;
    bil_write_wish wish = wish_of(&p);
    bil_ending ending = {.struct_size = sizeof ending};
    static const char *const ramp[] = {"ramp.up=1.5"};
    well(&p, bil_set(p.device, ramp, 1, &wish, &ending));
    assert_int_equal(ending.verdict, BIL_VERDICT_IN_FORCE);
    assert_true(ending.went_on && ending.stored && !ending.held && !ending.stopped && !ending.restarted);
    assert_int_equal(w.stopped, 0);
    assert_int_equal(p.drive.unit->starts, starts);
    print_message("a ramp on a running drive: %u requests beside the reads\n", w.writes);
    assert_true(w.writes <= 4 && w.at_value && w.at_value < w.at_store);
    p.drive.unit->listener = NULL;
    shown s = look(&p);
    if (!so(&s, BIL_STANDING_UNPROVED) || !so(&s, BIL_STANDING_DRIFTED) || s.drift != 1)
        fail_msg("%s (%s), drift %d", s.text, s.job, s.drift);
    /* what needs hold stops it, and isn't followed by a restart that nobody asked for */
    static const char *const shape[] = {"motor.cos_phi=0.8"};
    well(&p, bil_set(p.device, shape, 1, &wish, &ending));
    assert_true(ending.verdict == BIL_VERDICT_IN_FORCE && ending.stopped && !ending.went_on && !ending.restarted);
    say_to(&p, "power-cut");
    p.drive.sim.now += 60000;
    bil_copy *copy;
    well(&p, bil_device_read(p.device, NULL));
    well(&p, bil_copy_of_device(p.device, &copy));
    well(&p, bil_copy_save(copy, NULL, "after a power cut"));
    s = look(&p);
    assert_false(so(&s, BIL_STANDING_UNPROVED));
    end(&p);
}

/* Where the device counts its changes, a write that finds nothing to do does nothing. */
static void nothing_to_do_means_nothing_done(void **state)
{
    (void)state;
    plant p;
    begin_with(&p, &sim_ec8, &bil_description_ec_8);
    bil_write_wish wish = wish_of(&p);
    bil_ending ending = {.struct_size = sizeof ending};
    well(&p, write_baseline(&p, &wish, &ending)); /* nobody knows yet that it is stored */
    assert_true(ending.verdict == BIL_VERDICT_VERIFIED && ending.written == 0 && !ending.already);
    watching w = {.value = p.drive.unit->entries, .store = p.drive.unit->entries};
    p.drive.unit->listener = hear;
    p.drive.unit->listener_ctx = &w;
    well(&p, write_baseline(&p, &wish, &ending));
    assert_true(ending.already && !ending.wrote && !ending.held);
    assert_int_equal(w.writes, 0);
    p.drive.unit->listener = NULL;
    wish.prove = true;
    well(&p, write_baseline(&p, &wish, &ending));
    assert_true(ending.verdict == BIL_VERDICT_VERIFIED && ending.restarted && !ending.already);
    wish.prove = false;
    char answer[200]; /* there and back by another hand: the counter tells that it was touched */
    sim_set(p.drive.unit, "plant.alarm_delay", "77", answer, sizeof answer);
    sim_set(p.drive.unit, "plant.alarm_delay", "30", answer, sizeof answer);
    memcpy(p.drive.unit->running, p.was, sizeof p.was);
    well(&p, write_baseline(&p, &wish, &ending));
    assert_false(ending.already);
    end(&p);
}

/* Where it doesn't count them, but says whether all are stored, it is asked. */
static void what_is_stored_is_asked(void **state)
{
    (void)state;
    plant p;
    begin(&p);
    bil_write_wish wish = wish_of(&p);
    bil_ending ending = {.struct_size = sizeof ending};
    well(&p, write_baseline(&p, &wish, &ending));
    assert_true(ending.verdict == BIL_VERDICT_VERIFIED && ending.written == 0 && !ending.already);
    uint32_t starts = p.drive.unit->starts;
    well(&p, write_baseline(&p, &wish, &ending));
    assert_true(ending.already && !ending.wrote && !ending.held);
    assert_int_equal(p.drive.unit->starts, starts);
    char answer[200]; /* another hand stores another value, and puts the first one in force again */
    sim_set(p.drive.unit, "limit.torque", "77", answer, sizeof answer);
    say_to(&p, "set command.store 23205");
    well(&p, write_baseline(&p, &wish, &ending));
    assert_true(ending.verdict == BIL_VERDICT_VERIFIED && ending.written == 1);
    sim_set(p.drive.unit, "limit.torque", "77", answer, sizeof answer);
    memcpy(p.drive.unit->stored, p.drive.unit->running, sizeof p.was);
    memcpy(p.drive.unit->running, p.was, sizeof p.was);
    well(&p, write_baseline(&p, &wish, &ending));
    assert_true(ending.verdict == BIL_VERDICT_VERIFIED && ending.written == 0 && !ending.already);
    well(&p, write_baseline(&p, &wish, &ending));
    assert_true(ending.already);
    end(&p);
}

/* The cable comes off during a write; then it is plugged in, then the supply is switched off and on: after each of
 * these reading tells whether it is held, as the unit itself knows. A trial is over with the restart. */
static void reading_tells_whether_it_is_held(void **state)
{
    (void)state;
    unsigned held = 0, let_go = 0;
    for (int at = 2; at < 90; at += SAMPLING < 4 ? 4 : SAMPLING) {
        plant p;
        begin(&p);
        bil_write_wish wish = wish_of(&p);
        bil_ending ending = {.struct_size = sizeof ending};
        p.lost = "cable";
        p.lost_at = at;
        a_write(&p, &wish, &ending);
        for (int cut = 0; cut < 2; cut++) {
            say_to(&p, cut ? "power-cut" : "plug-in");
            p.drive.sim.now += 60000;
            sim_unit *unit = p.drive.unit;
            if (unit->state == 2 && at / 4 % 2) { /* on its way to be held it isn't let go either */
                unit->state = 3;
                unit->state_at = p.drive.sim.now + 60000;
            }
            bool was = ending.held && !cut;
            read_now(&p);
            shown s = look(&p);
            bool is = unit->state >= 2; /* held, or stopping for it */
            if (so(&s, BIL_STANDING_HELD) != is || (was && !is && !so(&s, BIL_STANDING_UNFINISHED)))
                fail_msg("cable at %d, cut %d, held %d: %s (%s)", at, cut, is, s.text, s.job);
            held += is;
            let_go += ending.held && cut;
        }
        end(&p);
    }
    print_message("held %u times, let go by the supply %u times\n", held, let_go);
    assert_true(held && let_go);
    plant p;
    begin(&p);
    bil_write_wish wish = wish_of(&p);
    bil_ending ending = {.struct_size = sizeof ending};
    a_trial(&p, &wish, &ending);
    read_now(&p);
    shown s = look(&p);
    assert_true(so(&s, BIL_STANDING_ON_TRIAL));
    say_to(&p, "power-cut");
    p.drive.sim.now += 60000;
    read_now(&p);
    s = look(&p);
    assert_false(so(&s, BIL_STANDING_ON_TRIAL) || so(&s, BIL_STANDING_UNFINISHED));
    end(&p);
}

static bool answer_all(void *ctx, const bil_site_test *test)
{
    char(*what)[404] = ctx;
    size_t i = 0;
    while (what[i][0])
        i++;
    snprintf(what[i], sizeof *what, "%s", test->what);
    return true;
}

static void tests_stay_until_answered(void **state)
{
    (void)state;
    static char what[2 * BIL_TESTS_MAX + 1][404];
    plant p;
    begin(&p);
    well(&p, bil_site_tests(p.site, "crusher", answer_all, what) == BIL_E_NO_RECORD ? BIL_OK : BIL_E_CALL);
    bil_write_wish wish = wish_of(&p);
    bil_ending ending = {.struct_size = sizeof ending};
    well(&p, a_write(&p, &wish, &ending));
    see_all(&p);
    memset(what, 0, sizeof what);
    well(&p, bil_site_tests(p.site, "crusher", answer_all, what));
    assert_true(what[0][0] && what[1][0]);
    assert_int_equal(bil_site_tried(p.site, "crusher", "no such test", true), BIL_E_CALL);
    for (size_t i = 0; what[i][0]; i++)
        well(&p, bil_site_tried(p.site, "crusher", what[i], i > 0));
    shown s = look(&p);
    assert_true(so(&s, BIL_STANDING_TEST_FAILED) && !so(&s, BIL_STANDING_TESTS_OPEN));
    well(&p, bil_site_tried(p.site, "crusher", what[0], true)); /* of two answers the later one counts */
    s = look(&p);
    assert_true(so(&s, BIL_STANDING_WELL));
    end(&p);
}

static int folder_for_all(void **state)
{
    static char base[60];
    (void)state;
    const char *memory = access("/dev/shm", W_OK) == 0 ? "/dev/shm" : "/tmp"; /* thousands of durable files */
    snprintf(base, sizeof base, "%s/bilancia-standing-XXXXXX", memory);
    if (!mkdtemp(base))
        return -1;
    setenv("BILANCIA_TURNS", base, 1);
    return 0;
}

static int folder_gone(void **state)
{
    char command[200];
    (void)state;
    snprintf(command, sizeof command, "rm -rf %s", getenv("BILANCIA_TURNS"));
    return chdir("/") != 0 || system(command);
}

/* docs/standing.md says what came; where all of it is played. */
static void as_the_table_says(void **state)
{
    (void)state;
    static const char path[] = BILANCIA_SOURCE "/docs/standing.md";
    char command[400];
    if (SAMPLING > 1)
        skip();
    snprintf(command, sizeof command, "diff -u %s now.md >&2", path);
    keep_table(getenv("UPDATE") ? path : "now.md");
    if (!getenv("UPDATE") && system(command) != 0)
        fail_msg("docs/standing.md says otherwise; UPDATE=1 makes it anew");
}

int main(void)
{
    const struct CMUnitTest tests[] = {cmocka_unit_test(a_ramp_on_a_running_drive),
                                       cmocka_unit_test(tests_stay_until_answered),
                                       cmocka_unit_test(nothing_to_do_means_nothing_done),
                                       cmocka_unit_test(what_is_stored_is_asked),
                                       cmocka_unit_test(reading_tells_whether_it_is_held),
                                       cmocka_unit_test(what_is_shown_is_so),
                                       cmocka_unit_test(as_the_table_says)};
    return cmocka_run_group_tests_name("standing", tests, folder_for_all, folder_gone);
}

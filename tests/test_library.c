/* The library as a program sees it: its public headers, against simulated units on a link of the test's own. */
#include "help.h"

#include <pthread.h>
#include <stdatomic.h>
#include <sys/stat.h>
#include <sys/wait.h>
#include <unistd.h>

#include "bilancia/find.h"
#include "bilancia/kit.h"
#include "bilancia/look.h"
#include "bilancia/settle.h"
#include "bilancia/site.h"
#include "bilancia/words.h"
#include "bilancia/write.h"
#include "sim/entry.h"
#include "sim/fault.h"

#ifdef __SANITIZE_ADDRESS__
#define OWN_MALLOC 0
#else
#define OWN_MALLOC 1
#endif

#if OWN_MALLOC
/* ---- the memory of everybody in this program, which may fail at a moment ---- */

void *__libc_malloc(size_t size);
void *__libc_calloc(size_t count, size_t size);
void *__libc_realloc(void *memory, size_t size);
void __libc_free(void *memory);

static atomic_int everybody_asked, everybody_living;
static int everybody_fails_at; /* 0: never */
static bool everybody_fails_for_good;

static bool there_is_none(void)
{
    int now = ++everybody_asked;
    return everybody_fails_at && (now == everybody_fails_at || (everybody_fails_for_good && now > everybody_fails_at));
}

void *malloc(size_t size)
{
    void *memory = there_is_none() ? NULL : __libc_malloc(size);
    everybody_living += memory != NULL;
    return memory;
}

void *calloc(size_t count, size_t size)
{
    void *memory = there_is_none() ? NULL : __libc_calloc(count, size);
    everybody_living += memory != NULL;
    return memory;
}

void *realloc(void *memory, size_t size)
{
    void *larger = there_is_none() ? NULL : __libc_realloc(memory, size);
    everybody_living += !memory && larger;
    return larger;
}

void free(void *memory)
{
    everybody_living -= memory != NULL;
    __libc_free(memory);
}
#endif

/* ---- a program with a host, and a drive ---- */

typedef struct program {
    bench drive;
    bil_host *host;
    bil_device *device;
    bil_copy *copy;
} program;

static void expect_host(const bil_host *host, int error, int wanted)
{
    if (error != wanted)
        print_error("%s\n", host ? bil_host_trouble(host) : "no host");
    assert_int_equal(error, wanted);
}

/* A folder of the test's own, in which everything happens. */
static void fresh_folder(void)
{
    static unsigned number;
    char name[40];
    const char *base = getenv("BILANCIA_TURNS");
    snprintf(name, sizeof name, "run-%u", number++);
    assert_int_equal(chdir(base), 0);
    assert_int_equal(mkdir(name, 0777), 0);
    assert_int_equal(chdir(name), 0);
    char *here = getcwd(NULL, 0);
    assert_int_equal(mkdir("own", 0700), 0);
    char own[200];
    snprintf(own, sizeof own, "%s/own", here);
    setenv("XDG_STATE_HOME", own, 1); /* with a ledger that knows nothing */
    setenv("XDG_CACHE_HOME", own, 1);
    free(here);
}

static void open_program_with(program *p, const bil_host_config *config)
{
    memset(p, 0, sizeof *p);
    bench_open(&p->drive, &sim_ed30, &bil_description_ed_30, false);
    int error = bil_host_open(&p->host, config);
    expect_host(p->host, error, BIL_OK);
    error = bil_device_open_link(p->host, "crusher", p->drive.link, p->drive.clock, &p->device);
    expect_host(p->host, error, BIL_OK);
}

static void open_program(program *p)
{
    fresh_folder();
    open_program_with(p, NULL);
}

/* Reads the drive and saves what it has. */
static void save_copy(program *p)
{
    expect_host(p->host, bil_device_read(p->device, NULL), BIL_OK);
    expect_host(p->host, bil_copy_of_device(p->device, &p->copy), BIL_OK);
    expect_host(p->host, bil_copy_save(p->copy, ".", "as it should be"), BIL_OK);
}

static void close_program(program *p)
{
    bil_host_close(p->host); /* closes the others, too */
    bench_close(&p->drive);
}

static bool password(void *ctx, const char *which, bool may_ask, char *out, size_t size)
{
    (void)which;
    (void)ctx;
    snprintf(out, size, "mill-30");
    return !may_ask;
}

static bil_write_wish agreed(void)
{
    return (bil_write_wish){.struct_size = sizeof(bil_write_wish), .yes = true, .why = "a test", .password = password};
}

static bil_ending ending(void)
{
    return (bil_ending){.struct_size = sizeof(bil_ending)};
}

static void expect_text(program *p, const char *id, const char *text)
{
    char value[BIL_VALUE_TEXT + 20];
    expect_host(p->host, bil_device_read(p->device, NULL), BIL_OK);
    expect_host(p->host, bil_device_value(p->device, id, value, sizeof value), BIL_OK);
    assert_string_equal(value, text);
}

/* ---- reading, comparing, writing ---- */

static void what_the_first_lines_of_the_manual_do(void **state)
{
    (void)state;
    program p;
    char torque[60];
    open_program(&p);
    save_copy(&p);
    const bil_copy_info *info = bil_copy_tells(p.copy);
    assert_string_equal(info->model, "ED-30");
    assert_string_equal(info->serial, bil_device_says(p.device, BIL_ID_SERIAL));
    assert_string_equal(info->why, "as it should be");
    assert_int_equal(access(info->path, R_OK), 0);
    assert_int_equal(bil_look_differing(p.copy, p.device), 0);
    expect_host(p.host, bil_copy_value(p.copy, "limit.torque", torque, sizeof torque), BIL_OK);
    sim_put(p.drive.unit, "limit.torque", "77");
    sim_put(p.drive.unit, "ramp.up", "1.5");
    expect_text(&p, "limit.torque", "77.0 %");
    assert_int_equal(bil_look_differing(p.copy, p.device), 2);

    bil_copy *again;
    expect_host(p.host, bil_copy_open(p.host, info->path, &again), BIL_OK);
    bil_write_wish wish = agreed();
    bil_ending end = ending();
    expect_host(p.host, bil_write(p.device, again, &wish, &end), BIL_OK);
    assert_string_equal(bil_verdict_name(end.verdict), "verified");
    assert_int_equal(end.written, 2);
    assert_true(end.wrote && end.stored && end.restarted && !end.held && !end.moved);
    assert_int_equal(access(end.record, R_OK), 0);
    assert_int_equal(access(end.safety, R_OK), 0);
    assert_int_equal(bil_look_differing(again, p.device), 0); /* what was read back is what the device has */
    expect_text(&p, "limit.torque", torque);

    char record[5000]; /* and back, by the record, over the program's own link */
    snprintf(record, sizeof record, "%s", end.record);
    expect_host(p.host, bil_undo(p.host, record, &wish, &end), BIL_E_CALL);
    wish.device = p.device;
    expect_host(p.host, bil_resume(p.host, record, &wish, &end), BIL_OK);
    assert_false(end.wrote); /* nothing is left to finish */
    expect_host(p.host, bil_undo(p.host, record, &wish, &end), BIL_OK);
    assert_int_equal(end.verdict, BIL_VERDICT_VERIFIED);
    expect_text(&p, "limit.torque", "77.0 %");
    expect_host(p.host, bil_keep(p.host, record, &wish, &end), BIL_E_NO_RECORD);
    close_program(&p);
}

static void single_values_trials_and_resets(void **state)
{
    (void)state;
    program p;
    open_program(&p);
    const char *some[] = {"limit.torque=111", "ramp.up=2.5 s"};
    bil_write_wish wish = agreed();
    bil_ending end = ending();
    expect_host(p.host, bil_set(p.device, some, 2, &wish, &end), BIL_OK);
    assert_int_equal(end.verdict, BIL_VERDICT_IN_FORCE); /* nobody asked for a restart */
    assert_true(end.stored && !end.restarted && !end.held);
    expect_text(&p, "ramp.up", "2.500 s");
    expect_host(p.host, bil_set(p.device, some, 2, &wish, &end), BIL_OK); /* it has them */
    assert_int_equal(end.written, 0);
    assert_false(end.wrote);

    const char *bad[] = {"limit.torqe=1", "limit.torque=9999", "limit.torque", "id.serial=7"};
    const int why[] = {BIL_E_UNKNOWN_PARAMETER, BIL_E_RANGE, BIL_E_CALL, BIL_E_NOT_YOURS};
    for (int i = 0; i < 4; i++)
        expect_host(p.host, bil_set(p.device, &bad[i], 1, &wish, &end), why[i]);
    assert_non_null(strstr(bil_host_trouble(p.host), "id.serial"));

    wish.trial = true;
    const char *tried[] = {"limit.torque=90"};
    expect_host(p.host, bil_set(p.device, tried, 1, &wish, &end), BIL_OK);
    assert_int_equal(end.verdict, BIL_VERDICT_ON_TRIAL);
    assert_false(end.stored);
    expect_text(&p, "limit.torque", "90.0 %");

    wish.trial = false;
    expect_host(p.host, bil_reset(p.device, &wish, &end), BIL_OK);
    assert_true(end.verdict == BIL_VERDICT_VERIFIED || end.verdict == BIL_VERDICT_WITH_EXCEPTIONS);
    close_program(&p);
}

typedef struct giver {
    const char *code; /* NULL: there is none */
    unsigned at_hand, person;
} giver;

static bool give(void *ctx, const char *where, const char *which, bool may_ask, char *out, size_t size)
{
    giver *a = ctx;
    assert_string_equal(where, "station");
    assert_string_equal(which, may_ask ? "password" : "");
    a->at_hand += !may_ask;
    a->person += may_ask;
    if (may_ask && a->code)
        snprintf(out, size, "%s", a->code);
    return may_ask && a->code;
}

/* A device that shows its values only to who has its code: who is asked for it, when, and what comes of it. */
static void a_device_that_is_shut_wants_its_code(void **state)
{
    (void)state;
    bil_description table = bil_description_ew_4;
    bil_procedure procedures[16];
    assert_true(table.procedure_count < 16);
    memcpy(procedures, table.procedures, table.procedure_count * sizeof procedures[0]);
    const bil_procedure *unlock = bil_description_procedure(&table, BIL_PROC_UNLOCK, "2", 0);
    procedures[table.procedure_count] = *unlock;
    procedures[table.procedure_count].kind = BIL_PROC_UNLOCK_TO_READ;
    table.procedures = procedures;
    table.procedure_count++;

    fresh_folder();
    giver a = {NULL, 0, 0};
    bil_host_config config = {.struct_size = sizeof config, .site = "", .password = give, .ctx = &a};
    bench station;
    bil_host *host;
    bil_device *device;
    bench_open(&station, &sim_ew4, &table, false);
    station.unit->shuts = true;
    expect_host(NULL, bil_host_open(&host, &config), BIL_OK);
    expect_host(host, bil_host_add_table(host, &table), BIL_OK);
    expect_host(host, bil_device_open_link(host, "station", station.link, station.clock, &device), BIL_OK);
    assert_int_equal(a.at_hand + a.person, 0); /* who answers is told to anybody */
    static const struct {
        const char *code;
        int error;
    } reads[] = {{NULL, BIL_E_NO_PASSWORD}, {"2605", BIL_E_PASSWORD}, {"x", BIL_E_PASSWORD}, {"2604", BIL_OK}};
    for (unsigned i = 0; i < 4; i++) {
        uint64_t before = station.unit->counters.write_requests;
        a.code = reads[i].code;
        expect_host(host, bil_device_read(device, NULL), reads[i].error);
        assert_int_equal(a.at_hand, i + 1);
        assert_int_equal(a.person, i + 1);
        assert_int_equal(station.unit->level, 0); /* it is locked again */
        bool sent = reads[i].code && reads[i].code[0] != 'x';
        assert_int_equal(station.unit->counters.write_requests > before, sent);
    }
    char text[100];
    expect_host(host, bil_device_value(device, "rinse.time", text, sizeof text), BIL_OK);
    assert_string_equal(text, "240 s");

    /* for a write that has no hook of its own, once for all of it */
    a = (giver){"2604", 0, 0};
    bil_write_wish wish = agreed();
    bil_ending end = ending();
    const char *some[] = {"rinse.time=111"};
    wish.prove = true;
    wish.password = NULL;
    expect_host(host, bil_set(device, some, 1, &wish, &end), BIL_OK);
    assert_int_equal(end.verdict, BIL_VERDICT_VERIFIED);
    assert_int_equal(a.person, 1);
    assert_int_equal(station.unit->level, 0);
    a = (giver){NULL, 0, 0};
    some[0] = "rinse.time=112";
    expect_host(host, bil_set(device, some, 1, &wish, &end), BIL_E_NO_PASSWORD);
    bil_host_close(host);
    bench_close(&station);
}

static void a_copy_is_changed_and_saved_anew(void **state)
{
    (void)state;
    program p;
    char text[60], first[5000];
    open_program(&p);
    save_copy(&p);
    snprintf(first, sizeof first, "%s", bil_copy_tells(p.copy)->path);
    char digest[65];
    snprintf(digest, sizeof digest, "%s", bil_copy_tells(p.copy)->digest);
    expect_host(p.host, bil_copy_set(p.copy, "limit.torque", "101"), BIL_OK);
    assert_int_equal(bil_copy_changed(p.copy), 1);
    bil_write_wish wish = agreed();
    expect_host(p.host, bil_write(p.device, p.copy, &wish, NULL), BIL_E_CALL); /* the file has other values */
    expect_host(p.host, bil_copy_set(p.copy, "limit.torque", "many"), BIL_E_SYNTAX);
    expect_host(p.host, bil_copy_save(p.copy, NULL, "bad\nline"), BIL_E_CALL);
    expect_host(p.host, bil_copy_save(p.copy, NULL, "a little more"), BIL_OK);
    assert_string_not_equal(bil_copy_tells(p.copy)->path, first);
    assert_string_equal(bil_copy_tells(p.copy)->parent, digest);
    assert_string_equal(bil_copy_tells(p.copy)->from, "offline");
    bil_copy *old;
    expect_host(p.host, bil_copy_open(p.host, first, &old), BIL_OK);
    expect_host(p.host, bil_copy_take(old, p.copy, "limit.torque"), BIL_OK);
    expect_host(p.host, bil_copy_value(old, "limit.torque", text, sizeof text), BIL_OK);
    assert_string_equal(text, "101.0 %");
    expect_host(p.host, bil_copy_set(p.copy, "speed.minimum", "1400"), BIL_OK);
    expect_host(p.host, bil_copy_set(p.copy, "speed.maximum", "900"), BIL_OK);
    char rule[500];
    assert_true(bil_copy_rule(p.copy, 0, rule, sizeof rule) >= 0);
    assert_non_null(strstr(rule, "speed.minimum"));
    expect_host(p.host, bil_copy_save(p.copy, NULL, NULL), BIL_E_RULE);
    FILE *table = fopen("values.csv", "w");
    fputs("id,value\nramp.up,3.5\nlimit.torque,99\n", table);
    fclose(table);
    expect_host(p.host, bil_copy_import(old, "values.csv", NULL), BIL_OK);
    expect_host(p.host, bil_copy_value(old, "ramp.up", text, sizeof text), BIL_OK);
    assert_string_equal(text, "3.500 s");
    bil_copy_close(old);
    bil_copy_close(NULL);
    close_program(&p);
}

static void sides_are_laid_beside_each_other(void **state)
{
    (void)state;
    program p;
    open_program(&p);
    save_copy(&p);
    char first[5000];
    snprintf(first, sizeof first, "%s", bil_copy_tells(p.copy)->path);
    expect_host(p.host, bil_copy_set(p.copy, "limit.torque", "88"), BIL_OK);
    expect_host(p.host, bil_copy_set(p.copy, "ramp.up", "4"), BIL_OK);
    expect_host(p.host, bil_copy_save(p.copy, NULL, NULL), BIL_OK);
    const char *sides[] = {first, bil_copy_tells(p.copy)->path, "factory"};
    bil_look *look;
    bil_finding one;
    char text[200], seen[200] = "";
    expect_host(p.host, bil_look_open(p.host, sides, 2, NULL, &look), BIL_OK);
    while (bil_look_next(look, &one) == 1) {
        assert_true(one.differs);
        bil_look_text(look, 1, one.items[1], text, sizeof text);
        snprintf(seen + strlen(seen), sizeof seen - strlen(seen), "%s=%s ", one.id, text);
    }
    assert_string_equal(seen, "limit.torque=88.0 % ramp.up=4.000 s ");
    bil_look_counts counts;
    bil_look_counted(look, &counts);
    assert_int_equal(counts.differing, 2);
    assert_string_equal(bil_look_kind(look, 0), "saved copy");
    assert_string_equal(bil_look_says(look, 1, BIL_ID_MODEL), "ED-30");
    bil_look_close(look);

    bil_look_wish wish = {.struct_size = sizeof wish, .group = "limit", .all = true, .cls = 1 + BIL_CLASS_SETUP};
    expect_host(p.host, bil_look_open(p.host, sides, 3, &wish, &look), BIL_OK);
    unsigned told = 0;
    for (; bil_look_next(look, &one) == 1; told++) {
        assert_string_equal(one.group, "limit");
        assert_int_equal(one.cls, BIL_CLASS_SETUP);
    }
    assert_true(told > 2);
    bil_look_close(look);

    FILE *file = fopen(sides[1], "r+"); /* altered: nothing of it is told */
    fseek(file, -200, SEEK_END);
    fputc('#', file);
    fclose(file);
    int error = bil_look_open(p.host, sides, 2, NULL, &look);
    assert_true(error >= BIL_E_SET_CUT && error <= BIL_E_SET_AFTER_END);
    assert_null(look);
    close_program(&p);
}

/* ---- settling, kits, rehearsals ---- */

/* What the program is asked about ramp.up: at first nonsense, then 7 s; of all else the device wins. */
static bil_winner ask_for_ramp(void *ctx, bil_settling *s, const bil_finding *one, bil_winner *rest, char *value,
                               size_t size)
{
    unsigned *asked = ctx;
    char saved[200];
    ++*asked;
    if (strcmp(one->id, "ramp.up") != 0)
        return BIL_WINS_DEVICE;
    *rest = BIL_WINS_DEVICE; /* for all that follow */
    bil_look_text(bil_settling_look(s), 0, one->items[0], saved, sizeof saved);
    assert_string_equal(saved, "3.000 s");
    assert_int_equal(bil_copy_try(bil_settling_copy(s), one->id, "7000"), BIL_E_RANGE);
    snprintf(value, size, "7");
    return BIL_WINS_VALUE;
}

/* A copy of the drive with other values, in a file of its own. */
static void save_with(program *p, const char *const *assignments, size_t count, char *path)
{
    for (size_t i = 0; i < count; i++)
        expect_host(p->host, bil_copy_assign(p->copy, assignments[i]), BIL_OK);
    expect_host(p->host, bil_copy_save(p->copy, ".", NULL), BIL_OK);
    snprintf(path, 5000, "%s", bil_copy_tells(p->copy)->path);
}

static void what_counts_is_decided(void **state)
{
    (void)state;
    static const char *const first[] = {"limit.torque=80", "ramp.up=3", "ramp.down=5", "speed.minimum=100"};
    static const char *const second[] = {"limit.torque=90", "ramp.up=4", "ramp.down=6", "motor.cos_phi=0.9",
                                         "speed.minimum=200"};
    static const char *const given[] = {"limit.*=saved"}, *const again[] = {"motor.*=device", "*=nonsense"};
    char saved[5000], now[5000], text[200];
    unsigned asked = 0, rows;
    program p;
    open_program(&p);
    save_copy(&p);
    save_with(&p, first, 4, saved);
    save_with(&p, second, 5, now);
    bil_settling *s;
    bil_settle_wish wish = {.struct_size = sizeof wish, .decisions = given, .decision_count = 1};
    expect_host(p.host, bil_settle(p.host, saved, now, &wish, &s), BIL_E_PERSON); /* of the others nobody says */
    assert_null(s);
    wish.ask = ask_for_ramp;
    wish.ctx = &asked;
    expect_host(p.host, bil_settle(p.host, saved, now, &wish, &s), BIL_OK);
    bil_copy *copy = bil_settling_copy(s);
    static const struct {
        const char *id, *text;
    } so[] = {{"limit.torque", "80.0 %"}, {"ramp.up", "7.000 s"}, {"ramp.down", "6.000 s"}, {"motor.cos_phi", "0.900"}};
    for (size_t i = 0; i < 4; i++) {
        expect_host(p.host, bil_copy_value(copy, so[i].id, text, sizeof text), BIL_OK);
        assert_string_equal(text, so[i].text);
    }
    assert_int_equal(asked, 3); /* once the rest is decided nobody is asked any more */
    assert_int_equal(bil_settling_count(s, BIL_WINS_SAVED), 1);
    assert_int_equal(bil_settling_count(s, BIL_WINS_VALUE), 1);
    assert_int_equal(bil_settling_count(s, BIL_WINS_DEVICE), 3);
    expect_host(p.host, bil_settling_list(s, "write.csv", &rows), BIL_OK);
    assert_int_equal(rows, 2); /* what the device has in another way: torque and ramp.up */
    expect_host(p.host, bil_settling_record(s, "choice.json"), BIL_OK);
    expect_host(p.host, bil_settling_note(s), BIL_OK); /* of no site: nothing to do */
    bil_settling_close(s);
    /* the same once more by what was recorded; and as a table, from the other side */
    wish = (bil_settle_wish){.struct_size = sizeof wish, .file = "choice.json"};
    expect_host(p.host, bil_settle(p.host, saved, now, &wish, &s), BIL_OK);
    expect_host(p.host, bil_copy_value(bil_settling_copy(s), "ramp.up", text, sizeof text), BIL_OK);
    assert_string_equal(text, "7.000 s");
    expect_host(p.host, bil_copy_save(bil_settling_copy(s), ".", NULL), BIL_OK);
    bil_settling_close(s);
    expect_host(p.host, bil_copy_import(p.copy, "write.csv", NULL), BIL_OK);
    assert_int_equal(bil_copy_changed(p.copy), 2);
    wish = (bil_settle_wish){.struct_size = sizeof wish, .decisions = again, .decision_count = 2};
    assert_int_not_equal(bil_settle(p.host, saved, now, &wish, &s), BIL_OK); /* "nonsense" is no value of a ramp */
    assert_null(s);
    unsigned taken, stay;
    bil_look_wish group = {.struct_size = sizeof group, .group = "ramp", .all = true};
    expect_host(p.host, bil_copy_take_from(p.copy, saved, &group, &taken, &stay), BIL_OK);
    assert_true(taken > 2);
    expect_host(p.host, bil_copy_value(p.copy, "ramp.up", text, sizeof text), BIL_OK);
    assert_string_equal(text, "3.000 s");
    group.group = "rampe";
    expect_host(p.host, bil_copy_take_from(p.copy, saved, &group, &taken, &stay), BIL_E_CALL);
    assert_non_null(strstr(bil_host_why(p.host), "did you mean ramp?"));
    close_program(&p);
}

static void count_file(void *ctx, const char *name, uint64_t bytes)
{
    unsigned *files = ctx;
    assert_true(name[0] && bytes);
    ++*files;
}

static void a_kit_says_what_it_lacks(void **state)
{
    (void)state;
    static const char *const texts[] = {"licence.txt"};
    program p;
    fresh_folder();
    bil_host_config config = {.struct_size = sizeof config, .who = "anna", .site = ""};
    open_program_with(&p, &config);
    save_copy(&p);
    FILE *file = fopen(texts[0], "w");
    fputs("to be used in the mill\n", file);
    fclose(file);
    bil_site *site, *other;
    bil_card card = {.struct_size = sizeof card, .name = "crusher", .address = "modbus+tcp://127.0.0.1:9/1"};
    expect_host(p.host, bil_site_make(p.host, "mill", "Mill", &site), BIL_OK);
    expect_host(p.host, bil_site_add(site, &card), BIL_OK);
    expect_host(p.host, bil_site_take_in(site, "crusher", bil_copy_tells(p.copy)->path, "here", NULL, NULL), BIL_OK);
    bil_kit_wish wish = {.struct_size = sizeof wish, .why = "the shelf", .texts = texts, .text_count = 1};
    bil_kit kit = {.struct_size = sizeof kit};
    expect_host(p.host, bil_kit_make(site, "crusher", "crusher.zip", &wish, &kit), BIL_OK);
    assert_string_equal(kit.device, "crusher");
    assert_int_equal(kit.file_count, 2);
    assert_int_equal(kit.lacks, ((1u << BIL_KIT_PART_COUNT) - 1) & ~(1u << BIL_KIT_TEXTS));
    /* a description goes in by what it describes, whatever its file is called */
    assert_int_equal(system("cp " BILANCIA_SOURCE "/descriptions/ed-30.yaml of-the-shelf.yaml"), 0);
    expect_host(p.host, bil_host_add_description(p.host, "of-the-shelf.yaml"), BIL_OK);
    expect_host(p.host, bil_kit_make(site, "crusher", "whole.zip", &wish, &kit), BIL_OK);
    assert_false(kit.lacks >> BIL_KIT_DESCRIPTION & 1);
    unsigned files = 0;
    expect_host(p.host, bil_kit_check(p.host, "whole.zip", count_file, &files, &kit), BIL_OK);
    assert_int_equal(files, 3);
    assert_string_equal(kit.why, "the shelf");
    expect_host(p.host, bil_kit_check(p.host, texts[0], NULL, NULL, NULL), BIL_E_SET_ALTERED);
    /* and another site takes its copy as it is */
    const bil_site_copy *taken = NULL;
    expect_host(p.host, bil_site_make(p.host, "second", "Second", &other), BIL_OK);
    expect_host(p.host, bil_site_add(other, &card), BIL_OK);
    expect_host(p.host, bil_site_take_in(other, "crusher", "whole.zip", "", NULL, &taken), BIL_OK);
    assert_string_equal(taken->digest, bil_copy_tells(p.copy)->digest);
    const bil_site_device *known; /* the same unit, known here as another device */
    expect_host(p.host, bil_site_unit(site, "ED-30", taken->serial, NULL, &known), BIL_OK);
    assert_string_equal(known->name, "crusher");
    expect_host(p.host, bil_site_unit(site, "ED-30", taken->serial, "crusher", &known), BIL_E_NO_DEVICE);
    close_program(&p);
}

typedef struct theatre {
    bench *unit;
    unsigned set, played;
} theatre;

static bool set_stage(void *ctx, const bil_writing *w, const char *secret, bil_link *link, bil_clock *clock)
{
    theatre *t = ctx;
    assert_string_equal(secret, "mill-30");
    assert_int_equal(bil_writing_planned(w), 0); /* nothing is planned on the device yet */
    *link = t->unit->link;
    *clock = t->unit->clock;
    t->set++;
    return true;
}

/* What a program can tell a person before it is done. */
static void foretell(void *ctx, const bil_writing *w)
{
    unsigned *told = ctx;
    const bil_description *d = bil_writing_description(w);
    bil_job_progress counts;
    int32_t torque = bil_description_find(d, "limit.torque", 12), up = bil_description_find(d, "ramp.up", 7);
    assert_int_equal(bil_writing_planned(w), 1);
    assert_true(bil_writing_plans(w, (uint16_t)torque) && !bil_writing_plans(w, (uint16_t)up));
    assert_int_equal(bil_writing_exception(w, (uint16_t)up), BIL_OK);
    assert_false(bil_writing_would_lose(w, (uint16_t)up));
    assert_int_equal(bil_writing_purpose(w), BIL_RESTORE);
    assert_false(bil_writing_goes_on(w)); /* a copy is proved by a restart */
    assert_null(bil_writing_person_step(w));
    bil_writing_counts(w, &counts);
    assert_true(counts.read_requests > 0 && counts.write_requests == 0);
    ++*told;
}

static void played(void *ctx, const bil_writing *w, const bil_ending *end, const bil_job_progress *counts)
{
    theatre *t = ctx;
    assert_non_null(bil_writing_description(w));
    t->played += end->verdict == BIL_VERDICT_VERIFIED && counts->written == 1;
}

static void a_write_is_played_before(void **state)
{
    (void)state;
    program p;
    bench other;
    open_program(&p);
    save_copy(&p);
    sim_put(p.drive.unit, "limit.torque", "55");
    bench_open(&other, &sim_ed30, &bil_description_ed_30, false);
    sim_put(other.unit, "limit.torque", "55");
    theatre t = {.unit = &other};
    bil_write_wish wish = agreed();
    bil_ending end = ending();
    wish.stage = set_stage;
    wish.rehearsed = played;
    wish.only_rehearsed = true;
    wish.ctx = &t;
    expect_host(p.host, bil_write(p.device, p.copy, &wish, &end), BIL_OK);
    assert_int_equal(end.verdict, BIL_VERDICT_VERIFIED);
    assert_int_equal(t.played, 1);
    expect_text(&p, "limit.torque", "55.0 %"); /* the device wasn't touched */
    char answer[200];
    sim_put(other.unit, "limit.torque", "55");
    unsigned told = 0;
    bil_write_wish first = agreed();
    first.yes = false; /* nobody agrees: it is only told */
    first.preview = foretell;
    first.ctx = &told;
    expect_host(p.host, bil_write(p.device, p.copy, &first, &end), BIL_OK);
    assert_int_equal(told, 1);
    assert_int_equal(end.cause, BIL_E_DECLINED);
    sim_fault_say(other.unit, "refuse limit.torque", answer, sizeof answer);
    assert_string_equal(answer, "ok: refuse");
    wish.only_rehearsed = false;
    end = ending();
    expect_host(p.host, bil_write(p.device, p.copy, &wish, &end), BIL_OK);
    assert_int_not_equal(end.verdict, BIL_VERDICT_VERIFIED); /* it went wrong there, so it never came here */
    assert_int_equal(t.played, 1);
    assert_string_equal(end.record, "");
    expect_text(&p, "limit.torque", "55.0 %");
    bench_close(&other);
    close_program(&p);
}

/* ---- breaking off ---- */

typedef struct breaking {
    program *p;
    bil_event at;
    bool cancelled;
} breaking;

static void cancel_at(void *ctx, const bil_writing *w, bil_event event, uint16_t index)
{
    breaking *b = ctx;
    (void)index;
    if (event == b->at) {
        bil_cancel(b->p->host);
        b->cancelled = true;
        assert_true(bil_writing_planned(w) > 0);
        assert_int_equal(bil_write(b->p->device, b->p->copy, NULL, NULL), BIL_E_BAD_CALL); /* it is in a call already */
    }
}

/* Cancelled at each event in turn, then gone on with, or gone back: by the record, over the address of a link that only
 * this program has, so that the story is about what the record says. */
static void a_write_is_cancelled_at_each_event(void **state)
{
    (void)state;
    unsigned held = 0, untouched = 0, over = 0;
    for (int at = BIL_EV_INTENT; at < BIL_EV_VERDICT; at++) {
        program p;
        open_program(&p);
        save_copy(&p);
        sim_put(p.drive.unit, "limit.torque", "66");
        sim_put(p.drive.unit, "ramp.up", "1.5");
        breaking b = {.p = &p, .at = (bil_event)at};
        bil_write_wish wish = agreed();
        bil_ending end = ending();
        wish.event = cancel_at;
        wish.ctx = &b;
        expect_host(p.host, bil_write(p.device, p.copy, &wish, &end), BIL_OK);
        if (!b.cancelled) { /* no such event in this write */
            close_program(&p);
            continue;
        }
        bool reached = end.verdict == BIL_VERDICT_VERIFIED;
        if (!reached)
            assert_int_equal(end.cause, BIL_E_CANCELLED);
        over += reached;
        held += end.held;
        untouched += !end.held && !end.wrote;
        assert_true(reached || end.held || !end.wrote || end.restarted); /* a restart ends this drive's hold */
        wish = agreed();
        expect_host(p.host, bil_write(p.device, p.copy, &wish, &end), BIL_OK); /* the same write goes on with it */
        assert_int_equal(end.verdict, BIL_VERDICT_VERIFIED);
        assert_false(end.held);
        assert_int_equal(bil_look_differing(p.copy, p.device), 0);
        close_program(&p);
    }
    print_message("cancelled: %u held, %u untouched, %u over already\n", held, untouched, over);
    assert_true(held >= 4 && untouched >= 2);
}

/* ---- a site ---- */

static bool count_devices(void *ctx, const bil_site_device *device)
{
    unsigned *count = ctx;
    assert_string_equal(device->group, "drives");
    return ++*count < 2;
}

static bool count_copies(void *ctx, const bil_site_copy *copy)
{
    unsigned *count = ctx;
    assert_false(copy->damaged);
    assert_string_equal(copy->model, "ED-30");
    ++*count;
    return true;
}

static bool count_notes(void *ctx, const char *kind, const char *json)
{
    unsigned *count = ctx;
    assert_int_equal(json[0], '{');
    assert_non_null(strstr(json, kind));
    ++*count;
    return true;
}

static void a_site_is_made_and_kept(void **state)
{
    (void)state;
    program p;
    fresh_folder();
    bil_host_config config = {.struct_size = sizeof config, .who = "anna", .site = ""};
    open_program_with(&p, &config);
    save_copy(&p);
    bil_site *site;
    expect_host(p.host, bil_site_make(p.host, "mill", "Poggio Finto", &site), BIL_OK);
    assert_string_equal(bil_site_name(site), "Poggio Finto");
    bil_card card = {
        .struct_size = sizeof card, .name = "crusher", .address = "modbus+tcp://127.0.0.1:9/1", .group = "drives"};
    expect_host(p.host, bil_site_add(site, &card), BIL_OK);
    expect_host(p.host, bil_site_add(site, &card), BIL_E_CALL); /* it has one */
    card.name = "press";
    card.address = "nowhere";
    expect_host(p.host, bil_site_add(site, &card), BIL_E_ADDRESS);
    card.address = "modbus+tcp://127.0.0.1:9/2";
    expect_host(p.host, bil_site_add(site, &card), BIL_OK);
    unsigned count = 0;
    expect_host(p.host, bil_site_devices(site, count_devices, &count), BIL_OK);
    assert_int_equal(count, 2);

    const char *path = bil_copy_tells(p.copy)->path;
    expect_host(p.host, bil_site_take_in(site, "crusher", path, "a stick", NULL, NULL), BIL_OK);
    expect_host(p.host, bil_site_take_in(site, "crusher", path, "a stick", NULL, NULL), BIL_OK); /* there already */
    expect_host(p.host, bil_copy_set(p.copy, "limit.torque", "99"), BIL_OK);
    expect_host(p.host, bil_copy_save(p.copy, ".", NULL), BIL_OK);
    expect_host(p.host, bil_site_take_in(site, "crusher", bil_copy_tells(p.copy)->path, "a stick", "why not", NULL),
                BIL_OK);
    expect_host(p.host, bil_site_baseline(site, "crusher#1", "accepted"), BIL_OK);
    expect_host(p.host, bil_site_name_copy(site, "crusher#2", "summer"), BIL_OK);
    expect_host(p.host, bil_site_name_copy(site, "crusher#2", "Summer!"), BIL_E_CALL);
    expect_host(p.host, bil_site_note(site, "crusher#summer", "too hard"), BIL_OK);
    expect_host(p.host, bil_site_note(site, "mixer", "hm"), BIL_E_NO_DEVICE);
    assert_int_equal(bil_site_drift(site, "crusher#1", "crusher#summer"), 1);
    count = 0;
    expect_host(p.host, bil_site_copies(site, "crusher", 0, count_copies, &count), BIL_OK);
    assert_int_equal(count, 2);
    const bil_site_device *device;
    expect_host(p.host, bil_site_device_of(site, "modbus+tcp://127.0.0.1:9/1", &device), BIL_OK);
    assert_string_equal(device->name, "crusher");
    assert_int_equal(strlen(device->baseline), 64);
    const bil_site_copy *copy;
    expect_host(p.host, bil_site_copy_of(site, "crusher#baseline", &copy), BIL_OK);
    assert_true(copy->whole && copy->place == 1);
    expect_host(p.host, bil_site_copy_of(site, "crusher#autumn", &copy), BIL_E_NO_COPY);
    count = 0;
    expect_host(p.host, bil_site_notes(site, "crusher", NULL, count_notes, &count), BIL_OK);
    assert_int_equal(count, 6); /* card, twice taken in, baseline, name, note */

    expect_host(p.host, bil_site_make_key(site, "anna", "anna.pem"), BIL_OK);
    expect_host(p.host, bil_site_sign(site, "crusher#1", "anna.pem", false, NULL), BIL_OK);
    expect_host(p.host, bil_site_sign(site, "crusher#1", "none.pem", false, NULL), BIL_E_NO_KEY);
    expect_host(p.host, bil_site_trust(site, "anna", "00", false), BIL_E_CALL);
    bil_share_counts shared;
    expect_host(p.host, bil_site_share(site, "stick", &shared), BIL_OK);
    assert_true(shared.there > 5 && shared.here == 0 && shared.clashes == 0);
    expect_host(p.host, bil_site_hand_out(site, "crusher#summer", "."), BIL_OK);
    expect_host(p.host, bil_site_delete(site, "crusher#1", NULL), BIL_E_KEPT);
    expect_host(p.host, bil_site_delete(site, "crusher#summer", "a mistake"), BIL_OK);
    bil_thinning thin = {.struct_size = sizeof thin, .days = 1};
    expect_host(p.host, bil_site_thin(site, &thin), BIL_OK);
    assert_int_equal(thin.stay, 1);
    bil_site_state sound = {.struct_size = sizeof sound};
    expect_host(p.host, bil_site_check(site, &sound), BIL_OK);
    assert_int_equal(sound.devices, 2);
    assert_int_equal(sound.harmful, 0);

    bil_read_many many = {.struct_size = sizeof many}; /* nobody answers there */
    const char *names[] = {"drives"};
    expect_host(p.host, bil_site_read(site, names, 1, &many), BIL_OK);
    assert_int_equal(many.failed, 2);
    expect_host(p.host, bil_site_device_of(site, "press", &device), BIL_OK);
    assert_true(device->asked && !device->answers);
    names[0] = "mixers";
    expect_host(p.host, bil_site_read(site, names, 1, &many), BIL_E_NO_DEVICE);
    card = (bil_card){.struct_size = sizeof card, .retired = true};
    expect_host(p.host, bil_site_change(site, "press", &card), BIL_OK);
    bil_site_close(site);

    /* a device over a link of the program's own is one of the site by its name */
    config.site = "mill";
    bil_host *other;
    bil_device *crusher;
    bil_copy *kept;
    expect_host(NULL, bil_host_open(&other, &config), BIL_OK);
    expect_host(other, bil_copy_open(other, "crusher#baseline", &kept), BIL_OK);
    bench_read(&p.drive, false);
    expect_host(other, bil_device_open_link(other, "crusher", p.drive.link, p.drive.clock, &crusher), BIL_OK);
    sim_put(p.drive.unit, "limit.torque", "55");
    bil_write_wish wish = agreed();
    bil_ending end = ending();
    expect_host(other, bil_write(crusher, kept, &wish, &end), BIL_OK);
    assert_int_equal(end.verdict, BIL_VERDICT_VERIFIED);
    assert_non_null(strstr(end.record, "/mill/devices/crusher/records/"));
    bil_host_close(other);
    close_program(&p);
}

/* ---- calls of other times, and calls that make no sense ---- */

static void older_and_newer_programs_are_served(void **state)
{
    (void)state;
    program p;
    open_program(&p);
    save_copy(&p);
    struct {
        bil_write_wish wish;
        char newer[16];
    } longer = {.wish = agreed()};
    longer.wish.struct_size = sizeof longer;
    bil_ending end = ending();
    expect_host(p.host, bil_write(p.device, p.copy, &longer.wish, &end), BIL_OK);
    longer.newer[7] = 1; /* asks for something that isn't known here */
    expect_host(p.host, bil_write(p.device, p.copy, &longer.wish, &end), BIL_E_BAD_CALL);
    bil_write_wish older = agreed(); /* built without the last fields: what lies there is something else */
    memset((char *)&older + offsetof(bil_write_wish, preview), 0xa5, sizeof older - offsetof(bil_write_wish, preview));
    older.struct_size = offsetof(bil_write_wish, preview);
    expect_host(p.host, bil_write(p.device, p.copy, &older, &end), BIL_OK);
    assert_int_equal(end.verdict, BIL_VERDICT_VERIFIED);
    bil_ending shorter;
    memset(&shorter, 0x5a, sizeof shorter);
    shorter.struct_size = offsetof(bil_ending, cause);
    older = agreed();
    expect_host(p.host, bil_write(p.device, p.copy, &older, &shorter), BIL_OK);
    assert_int_equal(shorter.verdict, BIL_VERDICT_VERIFIED);
    assert_int_equal((unsigned char)((char *)&shorter)[offsetof(bil_ending, cause)], 0x5a);
    older.struct_size = 1;
    expect_host(p.host, bil_write(p.device, p.copy, &older, &end), BIL_E_BAD_CALL);
    bil_host_config config = {.struct_size = 3};
    bil_host *host;
    assert_int_equal(bil_host_open(&host, &config), BIL_E_BAD_CALL);
    assert_null(host);
    close_program(&p);
}

static bil_write_answer nonsense(void *ctx, const bil_writing *w, bil_write_question question, const char *text)
{
    (void)ctx;
    (void)w;
    (void)question;
    (void)text;
    return (bil_write_answer)77;
}

static bool long_password(void *ctx, const char *which, bool may_ask, char *out, size_t size)
{
    (void)which;
    (void)ctx;
    (void)may_ask;
    memset(out, 'x', size); /* no NUL, and longer than the device takes */
    return true;
}

static void calls_that_make_no_sense_are_errors(void **state)
{
    (void)state;
    program p;
    open_program(&p);
    save_copy(&p);
    bil_copy *copy;
    bil_device *device;
    bil_site *site;
    bil_look *look;
    expect_host(p.host, bil_copy_open(p.host, "none.bset", &copy), BIL_E_FILE_OPEN);
    assert_string_equal(bil_host_what(p.host), "none.bset");
    expect_host(p.host, bil_copy_open(p.host, NULL, &copy), BIL_E_BAD_CALL);
    expect_host(p.host, bil_copy_open(p.host, "modbus+tcp://127.0.0.1/1", &copy), BIL_E_CALL);
    expect_host(p.host, bil_device_open(p.host, "crusher", &device), BIL_E_ADDRESS);
    expect_host(p.host, bil_device_open(p.host, "modbus+tcp://127.0.0.1:1/1", &device), BIL_E_NOT_REACHABLE);
    expect_host(p.host, bil_device_open_link(p.host, "x", (bil_link){0}, p.drive.clock, &device), BIL_E_BAD_CALL);
    expect_host(p.host, bil_site_open(p.host, NULL, &site), BIL_E_NO_SITE);
    expect_host(p.host, bil_look_open(p.host, NULL, 1, NULL, &look), BIL_E_BAD_CALL);
    expect_host(p.host, bil_look_open(p.host, (const char *[]){"a"}, 17, NULL, &look), BIL_E_CALL);
    expect_host(p.host, bil_host_add_description(p.host, "none.yaml"), BIL_E_FILE_OPEN);
    bil_description broken = bil_description_ed_30;
    broken.identity[BIL_ID_MODEL] = 60000;
    expect_host(p.host, bil_host_add_table(p.host, &broken), BIL_E_TABLE);
    assert_int_equal(bil_find(p.host, (const char *[]){"nobody"}, 1, NULL), BIL_E_ADDRESS);

    bil_write_wish wish = agreed(); /* answers that are none: nothing is written */
    bil_ending end = ending();
    sim_put(p.drive.unit, "limit.torque", "55");
    wish.yes = false;
    wish.ask = nonsense;
    expect_host(p.host, bil_write(p.device, p.copy, &wish, &end), BIL_OK);
    assert_int_equal(end.verdict, BIL_VERDICT_REFUSED);
    wish = agreed();
    wish.password = long_password;
    expect_host(p.host, bil_write(p.device, p.copy, &wish, &end), BIL_OK);
    assert_int_not_equal(end.verdict, BIL_VERDICT_VERIFIED);
    assert_false(end.wrote);
    wish = agreed();
    const bil_reason reasons[] = {{"firmware", ""}, {"weather", "it rains"}, {NULL, "because"}};
    for (int i = 0; i < 3; i++) {
        wish.despite = &reasons[i];
        wish.despite_count = 1;
        expect_host(p.host, bil_write(p.device, p.copy, &wish, &end), BIL_E_CALL);
    }
    wish = agreed();
    wish.restart_given = true;
    wish.restart = (bil_restart)99;
    expect_host(p.host, bil_write(p.device, p.copy, &wish, &end), BIL_E_BAD_CALL);
    expect_host(p.host, bil_resume(p.host, "none.brec", NULL, &end), BIL_E_FILE_OPEN);
    assert_string_equal(bil_class_name((bil_class)200), "?");
    assert_string_equal(bil_verdict_text((bil_verdict)200), "?");
    assert_string_equal(bil_relation_name((bil_relation)200), "?");
    assert_string_equal(bil_type_name((bil_type)200), "?");
    close_program(&p);
}

#ifdef BIL_DEBUG
static void debug_builds_stop_at_a_closed_handle(void **state)
{
    (void)state;
    for (int what = 0; what < 2; what++) {
        fflush(NULL);
        pid_t child = fork();
        if (child == 0) {
            bil_host *host;
            freopen("/dev/null", "w", stderr);
            bil_host_open(&host, NULL);
            bil_host_close(host);
            if (what)
                bil_host_close(host);
            else
                bil_host_who(host);
            _exit(0);
        }
        int status;
        waitpid(child, &status, 0);
        assert_true(!WIFEXITED(status) || WEXITSTATUS(status) != 0);
    }
}
#endif

/* ---- memory ---- */

static void a_hundred_opens_and_closes(void **state)
{
    (void)state;
    fresh_folder();
    for (int i = 0; i < 100; i++) { /* what isn't given back is found by the sanitizer */
        program p;
        open_program_with(&p, NULL);
        expect_host(p.host, bil_device_read(p.device, NULL), BIL_OK);
        expect_host(p.host, bil_copy_of_device(p.device, &p.copy), BIL_OK);
        bil_look *look;
        expect_host(p.host, bil_look_at(p.host, p.copy, p.device, NULL, &look), BIL_OK);
        if (i % 2)
            bil_look_close(look);
        if (i % 3)
            bil_copy_close(p.copy);
        if (i % 5)
            bil_device_close(p.device);
        close_program(&p);
    }
}

/* An allocator that counts, and fails at a moment: once, or from then on. */
typedef struct scarce {
    atomic_int asked, living;
    int fail_at; /* 0: never */
    bool for_good;
} scarce;

static void *resize(void *ctx, void *memory, size_t size)
{
    scarce *s = ctx;
    if (size == 0) {
        s->living--;
        free(memory);
        return NULL;
    }
    int now = ++s->asked;
    if (s->fail_at && (now == s->fail_at || (s->for_good && now > s->fail_at)))
        return NULL;
    s->living += memory == NULL;
    return realloc(memory, size);
}

/* A day's work, up to the first error. */
static int a_days_work(const bil_host_config *config, bench *drive, bil_ending *end)
{
    bil_host *host;
    bil_device *device;
    bil_copy *copy = NULL;
    bil_site *site;
    bil_look *look;
    bil_finding one;
    int error = bil_host_open(&host, config), got = 0;
    if (!error)
        error = bil_device_open_link(host, "crusher", drive->link, drive->clock, &device);
    if (!error)
        error = bil_device_read(device, NULL);
    if (!error)
        error = bil_copy_of_device(device, &copy);
    if (!error)
        error = bil_copy_set(copy, "limit.torque", "111");
    if (!error)
        error = bil_copy_save(copy, ".", "a day's work");
    if (!error)
        error = bil_look_at(host, copy, device, NULL, &look);
    while (!error && (got = bil_look_next(look, &one)) == 1)
        ;
    if (!error && got < 0)
        error = -got;
    bil_write_wish wish = agreed();
    if (!error)
        error = bil_write(device, copy, &wish, end);
    bil_card card = {.struct_size = sizeof card, .name = "crusher", .address = "modbus+tcp://127.0.0.1:1/1"};
    if (!error)
        error = bil_site_make(host, "mill", "Mill", &site);
    if (!error)
        error = bil_site_add(site, &card);
    if (!error)
        error = bil_site_take_in(site, "crusher", bil_copy_tells(copy)->path, "here", NULL, NULL);
    if (!error)
        error = bil_site_baseline(site, "crusher#last", NULL);
    bil_site_state sound = {.struct_size = sizeof sound};
    if (!error)
        error = bil_site_check(site, &sound);
    bil_kit kit = {.struct_size = sizeof kit};
    if (!error)
        error = bil_kit_make(site, "crusher", "crusher.zip", NULL, &kit);
    bil_settling *settled;
    bil_settle_wish wins = {.struct_size = sizeof wins, .rest = BIL_WINS_DEVICE};
    if (!error)
        error = bil_settle(host, bil_copy_tells(copy)->path, end->safety, &wins, &settled);
    bil_host_close(host);
    return error;
}

static void every_allocation_of_our_own_fails_in_turn(void **state)
{
    (void)state;
    unsigned errors = 0, harmless = 0;
    for (int for_good = 0; for_good < 2; for_good++)
        for (int at = 1;; at++) {
            scarce memory = {.fail_at = at, .for_good = for_good};
            bil_host_config config = {
                .struct_size = sizeof config, .who = "anna", .site = "", .resize = resize, .ctx = &memory};
            bench drive;
            bil_ending end = ending();
            fresh_folder();
            bench_open(&drive, &sim_ed30, &bil_description_ed_30, false);
            int error = a_days_work(&config, &drive, &end);
            assert_int_equal(memory.living, 0); /* nothing is left */
            bool failed = memory.asked >= at;
            if (failed && error) {
                if (error != BIL_E_MEMORY)
                    print_error("allocation %d: %s\n", at, bil_host_error_name(error));
                assert_int_equal(error, BIL_E_MEMORY);
            }
            errors += failed && error;
            harmless += failed && !error;
            bench_close(&drive);
            if (!failed)
                break;
        }
    print_message("own allocations: %u errors, %u harmless\n", errors, harmless);
    assert_true(errors > 50);
}

#if OWN_MALLOC
/* A day's work in which an allocation of anybody's fails; how many blocks it left. */
static int work_with_little(int at, bool for_good, int *error, int *asked)
{
    bil_host_config config = {.struct_size = sizeof config, .who = "anna", .site = ""};
    bench drive;
    bil_ending end = ending();
    fresh_folder();
    bench_open(&drive, &sim_ed30, &bil_description_ed_30, false);
    int before = everybody_living;
    everybody_asked = 0;
    everybody_fails_for_good = for_good;
    everybody_fails_at = at;
    *error = a_days_work(&config, &drive, &end);
    everybody_fails_at = 0;
    *asked = everybody_asked;
    int left = everybody_living - before;
    bench_close(&drive);
    char command[300], *here = getcwd(NULL, 0);
    snprintf(command, sizeof command, "rm -rf %s", here);
    free(here);
    assert_int_equal(chdir("/"), 0);
    assert_int_equal(system(command), 0);
    return left;
}

/* Each one of the libraries' and of ours, once and from then on; a part of them, unless BILANCIA_ROUNDS asks for all.
 * What libraries keep for good, as texts of their errors, they take once: only what is left again the second time is a
 * leak. */
static void every_allocation_of_anybody_fails_in_turn(void **state)
{
    (void)state;
    unsigned errors = 0, harmless = 0;
    int error, asked, step = getenv("BILANCIA_ROUNDS") ? 1 : 61;
    work_with_little(0, false, &error, &asked);
    work_with_little(0, false, &error, &asked);
    assert_int_equal(error, BIL_OK);
    print_message("a day's work takes %d allocations\n", asked);
    for (int for_good = 0; for_good < 2; for_good++)
        for (int at = 1, last = asked; at <= last; at += step) {
            if (work_with_little(at, for_good, &error, &asked) > 0 &&
                work_with_little(at, for_good, &error, &asked) > 0 &&
                work_with_little(at, for_good, &error, &asked) > 0) {
                print_error("allocation %d leaves memory (%s)\n", at, bil_host_error_name(error));
                fail();
            }
            errors += error != BIL_OK;
            harmless += error == BIL_OK;
        }
    print_message("anybody's allocations: %u errors, %u harmless\n", errors, harmless);
    assert_true(errors > 50);
}
#endif

/* ---- two programs in one ---- */

static void *works_by_itself(void *ctx)
{
    for (int i = 0; i < 5; i++) {
        bench *drive = ctx;
        bil_host_config config = {.struct_size = sizeof config, .who = "anna", .site = ""};
        bil_host *host;
        bil_device *device;
        bil_copy *copy;
        if (bil_host_open(&host, &config) != BIL_OK ||
            bil_device_open_link(host, "drive", drive->link, drive->clock, &device) != BIL_OK ||
            bil_device_read(device, NULL) != BIL_OK || bil_copy_of_device(device, &copy) != BIL_OK ||
            bil_look_differing(copy, device) != 0)
            return NULL;
        bil_host_close(host);
    }
    return ctx;
}

static void two_hosts_in_two_threads(void **state)
{
    (void)state;
    bench drives[2];
    pthread_t threads[2];
    for (int i = 0; i < 2; i++)
        bench_open(&drives[i], &sim_ed30, &bil_description_ed_30, false);
    for (int i = 0; i < 2; i++)
        assert_int_equal(pthread_create(&threads[i], NULL, works_by_itself, &drives[i]), 0);
    for (int i = 0; i < 2; i++) {
        void *result;
        pthread_join(threads[i], &result);
        assert_ptr_equal(result, &drives[i]);
        bench_close(&drives[i]);
    }
}

/* Nothing of the person who runs the test is touched. */
static int set_up(void **state)
{
    char *base = strdup("/tmp/bilancia-library-XXXXXX");
    *state = mkdtemp(base);
    setenv("BILANCIA_TURNS", base, 1);
    setenv("XDG_CONFIG_HOME", base, 1);
    return *state ? 0 : -1;
}

static int tear_down(void **state)
{
    char command[100];
    snprintf(command, sizeof command, "rm -rf %s", (char *)*state);
    int result = chdir("/");
    result |= system(command);
    free(*state);
    return result;
}

int main(int argc, char **argv)
{
    const struct CMUnitTest tests[] = {
        cmocka_unit_test(what_the_first_lines_of_the_manual_do),
        cmocka_unit_test(single_values_trials_and_resets),
        cmocka_unit_test(a_device_that_is_shut_wants_its_code),
        cmocka_unit_test(a_copy_is_changed_and_saved_anew),
        cmocka_unit_test(sides_are_laid_beside_each_other),
        cmocka_unit_test(what_counts_is_decided),
        cmocka_unit_test(a_kit_says_what_it_lacks),
        cmocka_unit_test(a_write_is_played_before),
        cmocka_unit_test(a_write_is_cancelled_at_each_event),
        cmocka_unit_test(a_site_is_made_and_kept),
        cmocka_unit_test(older_and_newer_programs_are_served),
        cmocka_unit_test(calls_that_make_no_sense_are_errors),
#ifdef BIL_DEBUG
        cmocka_unit_test(debug_builds_stop_at_a_closed_handle),
#endif
        cmocka_unit_test(a_hundred_opens_and_closes),
        cmocka_unit_test(every_allocation_of_our_own_fails_in_turn),
#if OWN_MALLOC
        cmocka_unit_test(every_allocation_of_anybody_fails_in_turn),
#endif
        cmocka_unit_test(two_hosts_in_two_threads),
    };
    if (argc > 1)
        cmocka_set_test_filter(argv[1]);
    return cmocka_run_group_tests(tests, set_up, tear_down);
}

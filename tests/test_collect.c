/* What a device measured and a write clears: wherever it breaks, nothing that was stored is gone without being in a
 * file beside the copy, whole; and what else is read that way. */
#include <dirent.h>
#include <unistd.h>

#include "bilancia/host_error.h"
#include "bilancia/write.h"
#include "help.h"
#include "sim/entry.h"
#include "sim/fault.h"

static char folder[] = "/tmp/bilancia-collect-XXXXXX";

typedef struct program {
    bench unit;
    bil_host *host;
    bil_device *device;
    unsigned cleared;           /* how many samples there were when the table was written first */
    unsigned told;              /* files that were told */
    char path[4200];            /* of the last one */
    bool collects, said_losses; /* as the preview has it */
} program;

static unsigned samples_of(sim_unit *unit)
{
    uint16_t cells[2];
    const sim_entry *entry = sim_find(unit, "samples.count");
    sim_peek(unit, entry, cells);
    return (unsigned)sim_number(unit, entry, cells);
}

/* Before a request is answered. */
static void hear(void *ctx, const struct sim_unit *unit, bool write, uint8_t space, uint16_t address, uint16_t count,
                 const uint16_t *cells)
{
    program *p = ctx;
    (void)unit;
    (void)count;
    (void)cells;
    if (write && space == SIM_HOLDING && address < 16 * 18 && !p->cleared)
        p->cleared = samples_of(p->unit.unit);
}

static void program_open(program *p, const bil_description *d, const sim_model *model)
{
    memset(p, 0, sizeof *p);
    bench_open(&p->unit, model, d, false);
    p->unit.unit->listener = hear;
    p->unit.unit->listener_ctx = p;
    const bil_host_config config = {.struct_size = sizeof config, .site = ""};
    assert_int_equal(bil_host_open(&p->host, &config), BIL_OK);
    assert_int_equal(bil_device_open_link(p->host, "unit", p->unit.link, p->unit.clock, &p->device), BIL_OK);
}

static void program_close(program *p)
{
    char command[100];
    bil_host_close(p->host);
    bench_close(&p->unit);
    snprintf(command, sizeof command, "rm -rf '%s'/*", folder);
    assert_int_equal(system(command), 0);
}

static bool password(void *ctx, const char *which, bool may_ask, char *out, size_t size)
{
    (void)ctx;
    (void)which;
    snprintf(out, size, "olive");
    return !may_ask;
}

static void preview(void *ctx, const bil_writing *w)
{
    program *p = ctx;
    const bil_description *d = bil_writing_description(w);
    p->said_losses = bil_writing_loses(w, 0) && !bil_writing_loses(w, d->loses_count);
    p->collects = bil_writing_collects(w, index_of(d, "samples.stored"));
}

static void collected(void *ctx, const bil_writing *w, const char *id, const char *path)
{
    program *p = ctx;
    assert_non_null(w);
    assert_string_equal(id, "samples.stored");
    snprintf(p->path, sizeof p->path, "%s", path);
    p->told++;
}

static int set_high(program *p, bool collect, const char *assignment, bil_ending *end)
{
    const bil_write_wish wish = {.struct_size = sizeof wish,
                                 .yes = true,
                                 .folder = folder,
                                 .collect = collect,
                                 .password = password,
                                 .preview = preview,
                                 .collected = collected,
                                 .ctx = p};
    *end = (bil_ending){.struct_size = sizeof *end};
    p->cleared = p->told = 0;
    p->path[0] = '\0';
    return bil_set(p->device, &assignment, 1, &wish, end);
}

/* Lines of 32 bytes, numbered from 1 on, as the manual of the logger has it. */
static void assert_samples(const char *path, unsigned count)
{
    FILE *file = fopen(path, "r");
    char line[40], number[12];
    unsigned lines = 0;
    assert_non_null(file);
    while (fread(line, 1, 32, file) == 32) {
        snprintf(number, sizeof number, "%08u;", ++lines);
        assert_memory_equal(line, number, 9);
        assert_true(line[31] == '\n' && !memchr(line, '\n', 31));
    }
    assert_true(feof(file));
    fclose(file);
    assert_int_equal(lines, count);
}

static unsigned files_of_samples(void)
{
    DIR *dir = opendir(folder);
    unsigned count = 0;
    for (const struct dirent *e; (e = readdir(dir));)
        count += strstr(e->d_name, "_samples.stored") && strstr(e->d_name, ".dat");
    closedir(dir);
    return count;
}

static void before_it_is_cleared(void **state)
{
    (void)state;
    program p;
    bil_ending end;
    program_open(&p, &bil_description_el_16, &sim_el16);
    assert_int_equal(samples_of(p.unit.unit), 240);
    p.unit.sim.now += 95000; /* three more */
    assert_int_equal(set_high(&p, true, "channel_3.high=9.5", &end), BIL_OK);
    assert_true(end.verdict == BIL_VERDICT_IN_FORCE && end.written == 1);
    assert_true(p.said_losses && p.collects && p.told == 1 && p.cleared == 243);
    assert_samples(p.path, 243);
    assert_int_equal(samples_of(p.unit.unit), 0);
    /* there is nothing left, which is told; and what clears nothing collects nothing */
    assert_int_equal(set_high(&p, true, "channel_3.high=8.5", &end), BIL_OK);
    assert_true(end.written == 1 && p.told == 1 && !p.path[0]);
    assert_int_equal(set_high(&p, true, "alarm.delay=7", &end), BIL_OK);
    assert_true(end.written == 1 && p.told == 0 && !p.said_losses && !p.collects);
    assert_int_equal(set_high(&p, false, "channel_3.high=7.5", &end), BIL_OK);
    assert_true(end.written == 1 && p.told == 0 && p.said_losses && !p.collects);
    assert_int_equal(files_of_samples(), 1);
    program_close(&p);
}

/* Each fault at each request of the whole write: as long as the samples aren't in the file, they are on the device. */
static void at_each_request(void **state)
{
    (void)state;
    static const char *const faults[] = {"reply-lost", "request-lost", "cable", "power-cut", "busy", "refused"};
    unsigned cases = 0, kept = 0, wrote = 0, collected_too = 0;
#if defined(__SANITIZE_ADDRESS__) || defined(__SANITIZE_THREAD__)
    enum { EACH = 23 };
#else
    enum { EACH = 7 };
#endif
    for (size_t i = 0; i < sizeof faults / sizeof faults[0]; i++)
        for (unsigned at = (unsigned)i % EACH, last = 0; !last; at += EACH, cases++) {
            program p;
            bil_ending end;
            char words[60], answer[100];
            program_open(&p, &bil_description_el_16, &sim_el16);
            uint64_t first = p.unit.unit->requests;
            snprintf(words, sizeof words, "%s %u%s", faults[i], at, i == 4 ? " 2" : "");
            sim_fault_say(p.unit.unit, words, answer, sizeof answer);
            int error = set_high(&p, true, "channel_3.high=9.5", &end);
            last = p.unit.unit->requests - first < at;
            if (p.cleared) {
                assert_samples(p.path, p.cleared);
                assert_int_equal(p.told, 1);
                wrote++;
            } else {
                assert_true(samples_of(p.unit.unit) >= 240);
                kept++;
            }
            collected_too += p.told;
            if (!error && end.cause && !end.wrote && p.cleared)
                fail_msg("%s: it says that it wrote nothing", words);
            program_close(&p);
        }
    print_message("%u cases: %u with samples on the device, %u with a new table and a file; %u files\n", cases, kept,
                  wrote, collected_too);
    assert_true(cases > 80 && kept > 10 && wrote > 10);
}

static void what_else_is_read(void **state)
{
    (void)state;
    program p;
    char path[4200], answer[100];
    const bil_read_wish wish = {.struct_size = sizeof wish};
    program_open(&p, &bil_description_el_16, &sim_el16);
    assert_int_equal(bil_device_collect(p.device, "samples.stored", folder, &wish, path, sizeof path), BIL_OK);
    assert_samples(path, 240);
    p.unit.sim.now += 200000; /* the session has ended since: a new one is begun */
    sim_fault_say(p.unit.unit, "busy 1 3", answer, sizeof answer);
    assert_int_equal(bil_device_collect(p.device, "samples.stored", folder, NULL, path, sizeof path), BIL_OK);
    assert_samples(path, samples_of(p.unit.unit));
    assert_int_equal(files_of_samples(), 2);
    assert_int_equal(bil_device_collect(p.device, "calc.script", folder, NULL, path, sizeof path),
                     BIL_E_UNKNOWN_PARAMETER); /* that belongs into a copy */
    assert_int_equal(bil_device_collect(p.device, "samples.count", folder, NULL, path, sizeof path),
                     BIL_E_UNKNOWN_PARAMETER);
    assert_int_equal(bil_device_collect(p.device, "nothing", folder, NULL, path, sizeof path), BIL_E_UNKNOWN_PARAMETER);
    assert_int_equal(bil_device_collect(p.device, NULL, folder, NULL, path, sizeof path), BIL_E_BAD_CALL);
    assert_int_equal(bil_device_collect(p.device, "samples.stored", folder, NULL, path, 5), BIL_E_SPACE);
    assert_int_equal(bil_device_collect(p.device, "samples.stored", "/proc/nowhere", NULL, path, sizeof path),
                     BIL_E_FILE_WRITE);
    program_close(&p);
}

static int finish(void **state)
{
    (void)state;
    return rmdir(folder);
}

int main(void)
{
    assert_non_null(mkdtemp(folder));
    setenv("XDG_STATE_HOME", folder, 1);
    setenv("BILANCIA_TURNS", folder, 1);
    const struct CMUnitTest tests[] = {
        cmocka_unit_test(before_it_is_cleared),
        cmocka_unit_test(at_each_request),
        cmocka_unit_test(what_else_is_read),
    };
    return cmocka_run_group_tests(tests, NULL, finish);
}

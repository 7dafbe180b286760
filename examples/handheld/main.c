/* The handheld writer: a set file lies in flash; the unit on the line is read, compared, written and verified. Runs on
 * an emulated Cortex-M3. Everything is in fixed memory; the only thing from a C library here is printf, to tell the
 * story.
 *
 * The unit on the line is a simulated one that lives on the same chip; a real box would put its own two functions into
 * the place of unit_read and unit_write. */
#include <stdint.h>
#include <stdio.h>
#include <string.h>

#include "../../src/sim/unit.h"
#include "../sha256.h"
#include "bilancia/cells.h"
#include "bilancia/compare.h"
#include "bilancia/job.h"
#include "board.h"

extern const bil_description bil_description_ed_30, bil_description_ec_8;
extern const sim_model sim_ed30;
extern const char set_file[]; /* made from a .bset by the build */
extern const size_t set_file_size;

#define DESCRIPTION (&bil_description_ed_30)

/* ---- fixed memory ---- */

static union {
    uint8_t bytes[2400]; /* bil_job_size says how much is needed; main checks */
    uint64_t align;
} job_memory;
static uint8_t have_memory[512], want_memory[512];
static bil_image have, want;
static sim_unit unit; /* not part of the writer */
static uint64_t clock_ms;

/* ---- the line: two functions ---- */

static bil_outcome unit_read(void *ctx, const bil_span *at, uint16_t *cells, bil_result *result)
{
    (void)ctx;
    clock_ms += 8;
    result->code = (uint32_t)sim_read(&unit, clock_ms, at->table, at->first, at->count, cells);
    result->cause = result->code == SIM_OK ? BIL_OK : result->code == SIM_DEAD ? BIL_E_SILENT : BIL_E_REFUSED;
    return result->code == SIM_OK ? BIL_DONE : result->code == SIM_DEAD ? BIL_UNKNOWN : BIL_REFUSED;
}

static bil_outcome unit_write(void *ctx, const bil_span *at, const uint16_t *cells, bil_result *result)
{
    (void)ctx;
    clock_ms += 8;
    result->code = (uint32_t)sim_write(&unit, clock_ms, at->table, at->first, at->count, cells);
    result->cause = result->code == SIM_OK ? BIL_OK : result->code == SIM_DEAD ? BIL_E_SILENT : BIL_E_REFUSED;
    return result->code == SIM_OK ? BIL_DONE : result->code == SIM_DEAD ? BIL_UNKNOWN : BIL_REFUSED;
}

static bil_outcome unit_connect(void *ctx, bil_result *result)
{
    (void)ctx;
    result->cause = sim_is_up(&unit, clock_ms) ? BIL_OK : BIL_E_NOT_REACHABLE;
    return sim_is_up(&unit, clock_ms) ? BIL_DONE : BIL_NOT_SENT;
}

static const bil_cell_ops line = {unit_connect, unit_read, unit_write, NULL, NULL};
static bil_cell_link cells;
static bil_link link;

static void perform(const bil_action *action, bil_result *result)
{
    *result = (bil_result){.number = action->number};
    switch (action->kind) {
    case BIL_ACT_CONNECT:
        while ((result->outcome = link.ops->connect(link.ctx, &action->u.connect, result)) != BIL_DONE &&
               clock_ms < action->u.connect.until_ms)
            clock_ms += 50;
        break;
    case BIL_ACT_TRANSFER:
        if (action->u.transfer.secret) /* typed in by the technician, on a real box */
            memcpy(action->u.transfer.raw, "mill-30", 8);
        result->outcome = link.ops->transfer(link.ctx, &action->u.transfer, result);
        if (action->u.transfer.secret)
            memset(action->u.transfer.raw, 0, 8);
        break;
    case BIL_ACT_WAIT:
        if (clock_ms < action->u.wait.until_ms)
            clock_ms = action->u.wait.until_ms;
        break;
    default: /* ask, record, save: a real box asks on its display and keeps records in its flash */
        result->outcome = BIL_DONE;
        break;
    }
    result->now_ms = clock_ms;
}

static bil_action run(const bil_job_config *config, bil_job_progress *progress)
{
    bil_job *job;
    bil_action action;
    bil_result result = {.now_ms = clock_ms};
    bil_job_init(&job, job_memory.bytes, sizeof job_memory, config);
    while (bil_job_step(job, &result, &action) == BIL_OK && action.kind != BIL_ACT_END)
        perform(&action, &result);
    bil_job_progress_of(job, progress);
    return action;
}

/* ---- the set in flash ---- */

typedef struct flash_set {
    bil_set_reader reader;
    sha256 whole, values;
    size_t at;
} flash_set;

static void open_set(flash_set *set)
{
    bil_set_reader_init(&set->reader, (bil_digest){&sha256_ops, &set->whole}, (bil_digest){&sha256_ops, &set->values});
    set->at = 0;
}

static int next_item(void *ctx, bil_item *item)
{
    flash_set *set = ctx;
    while (set->at < set_file_size) {
        const char *line = set_file + set->at, *end = memchr(line, '\n', set_file_size - set->at);
        size_t length = end ? (size_t)(end - line) + 1 : set_file_size - set->at;
        bil_line_kind kind;
        int error = bil_set_reader_line(&set->reader, line, length, &kind);
        set->at += length;
        if (error)
            return -error;
        bil_str layout = {DESCRIPTION->layout, BIL_LAYOUT_HEX};
        if (kind == BIL_LINE_HEADER && !bil_str_equal(set->reader.header.layout, layout))
            return -BIL_E_OTHER_LAYOUT;
        if (kind == BIL_LINE_VALUE) {
            *item = set->reader.item;
            return 1;
        }
    }
    return -bil_set_reader_whole(&set->reader);
}

static char serial[32], firmware[32];

static int load_set(void)
{
    static flash_set set;
    bil_item item;
    int got;
    open_set(&set);
    bil_image_init(&want, DESCRIPTION, want_memory, sizeof want_memory);
    while ((got = next_item(&set, &item)) == 1) {
        int error = bil_image_put_item(&want, &item, NULL);
        if (error)
            return error;
    }
    bil_image_identity(&want, BIL_ID_SERIAL, serial, sizeof serial);
    bil_image_identity(&want, BIL_ID_FIRMWARE, firmware, sizeof firmware);
    return -got;
}

static uint32_t count_changed(void)
{
    static flash_set set;
    static bil_compare compare;
    static bil_image_source images;
    bil_difference difference;
    open_set(&set);
    bil_compare_init(&compare, (bil_source){next_item, &set}, bil_image_as_source(&images, &have));
    while (bil_compare_next(&compare, &difference) == 1)
        ;
    return compare.count[BIL_REL_CHANGED];
}

/* Compares the set in flash with itself, as two files. */
static int compare_files(size_t *memory)
{
    static flash_set sets[2];
    static bil_compare compare;
    bil_difference difference;
    int got;
    *memory = sizeof sets - 2 * 3 * sizeof(sha256) + sizeof compare;
    open_set(&sets[0]);
    open_set(&sets[1]);
    bil_compare_init(&compare, (bil_source){next_item, &sets[0]}, (bil_source){next_item, &sets[1]});
    while ((got = bil_compare_next(&compare, &difference)) == 1)
        ;
    return got;
}

/* ---- the story ---- */

static const char *const verdicts[] = {
#define NAME(NAME_, name, text) name,
    BIL_VERDICTS(NAME)
#undef NAME
};

int main(void)
{
    bil_job_progress progress;
    link = bil_cell_link_over(&cells, (bil_cells){&line, NULL});
    if (bil_job_size(DESCRIPTION) > sizeof job_memory || bil_image_size(DESCRIPTION) > sizeof have_memory) {
        printf("too little memory: the job needs %u bytes\n", (unsigned)bil_job_size(DESCRIPTION));
        return 1;
    }
    board_paint_stack();
    int error = load_set();
    size_t load_stack = board_used_stack();
    if (error) {
        printf("the set in flash: %s\n", bil_error_name(error));
        return 1;
    }
    printf("set: whole and unaltered, of serial number %s\n", serial);
    sim_start(&unit, &sim_ed30, true, NULL, NULL);

    bil_image_init(&have, DESCRIPTION, have_memory, sizeof have_memory);
    bil_job_config config = {
        .struct_size = sizeof config, .kind = BIL_JOB_READ, .description = DESCRIPTION, .have = &have};
    board_paint_stack();
    bil_action end = run(&config, &progress);
    size_t read_stack = board_used_stack();
    printf("read: %s, %u values with %u requests\n", verdicts[end.u.end.verdict], (unsigned)progress.done,
           (unsigned)progress.read_requests);
    uint32_t changed = count_changed();
    printf("compare: %u changed\n", (unsigned)changed);

    config.kind = BIL_JOB_WRITE;
    config.want = &want;
    config.serial = serial;
    config.firmware = firmware;
    config.restart = BIL_RESTART_NOW;
    config.has_password = true;
    board_paint_stack();
    end = run(&config, &progress);
    size_t write_stack = board_used_stack();
    printf("write: %s, %u values with %u requests\n", verdicts[end.u.end.verdict], (unsigned)progress.written,
           (unsigned)progress.write_requests);

    size_t compare_memory;
    board_paint_stack();
    int files = compare_files(&compare_memory);
    size_t compare_stack = board_used_stack();
    printf("memory ED-30: job %u image %u\n", (unsigned)bil_job_size(DESCRIPTION),
           (unsigned)bil_image_size(DESCRIPTION));
    printf("memory EC-8: job %u image %u\n", (unsigned)bil_job_size(&bil_description_ec_8),
           (unsigned)bil_image_size(&bil_description_ec_8));
    printf("stack: load %u read %u write %u; compare of two files: memory %u stack %u\n", (unsigned)load_stack,
           (unsigned)read_stack, (unsigned)write_stack, (unsigned)compare_memory, (unsigned)compare_stack);
    bool good = changed > 30 && end.u.end.verdict == BIL_VERDICT_VERIFIED && !end.u.end.held && files == 0;
    printf(good ? "handheld: 1 passed, 0 failed\n" : "handheld: 0 passed, 1 failed\n");
    return good ? 0 : 1;
}

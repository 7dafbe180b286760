/* Tables made by hand: each way in which one can be wrong is seen, and named by its parameter; what a job's own memory
 * depends on is looked at by the job, too. */
#include "bilancia/cells.h"
#include "help.h"

/* A table with parts of its own, which may be spoiled. */
typedef struct table {
    bil_description d;
    bil_param params[400];
    bil_format formats[400]; /* each parameter has its own here */
    bil_space spaces[8];
    uint16_t by_place[400];
    bil_procedure procedures[20];
    bil_proc_step steps[20];
    bil_rule rules[20];
    bil_bank banks[8];
    bil_range across[20];
    bil_choice choices[20];
    uint16_t named; /* a parameter with choices */
} table;

static void copy_table(table *t, const bil_description *from)
{
    memset(t, 0, sizeof *t);
    t->d = *from;
    memcpy(t->params, from->params, from->count * sizeof t->params[0]);
    memcpy(t->spaces, from->spaces, from->space_count * sizeof t->spaces[0]);
    memcpy(t->by_place, from->by_place, from->count * sizeof t->by_place[0]);
    memcpy(t->procedures, from->procedures, from->procedure_count * sizeof t->procedures[0]);
    memcpy(t->steps, from->procedures[0].steps, from->procedures[0].step_count * sizeof t->steps[0]);
    memcpy(t->rules, from->rules, from->rule_count * sizeof t->rules[0]);
    for (uint8_t i = 0; i < from->bank_count; i++)
        t->banks[i] = from->banks[i];
    for (uint16_t i = 0; i < from->across_count; i++)
        t->across[i] = from->across[i];
    t->procedures[0].steps = t->steps;
    for (uint16_t i = 0; i < from->count; i++) {
        t->formats[i] = *from->params[i].format;
        t->params[i].format = &t->formats[i];
    }
    while (!t->formats[t->named].choice_count)
        t->named++;
    bil_format *format = &t->formats[t->named];
    memcpy(t->choices, format->choices, format->choice_count * sizeof t->choices[0]);
    format->choices = t->choices;
    t->d.params = t->params;
    t->d.spaces = t->spaces;
    t->d.by_place = t->by_place;
    t->d.procedures = t->procedures;
    t->d.rules = t->rules;
    t->d.banks = t->banks;
    t->d.across = t->across;
}

static unsigned spoiled;

static void expect_bad(table *t, const char *what, const bil_description *from, int where)
{
    uint16_t at = 77;
    if (bil_description_check(&t->d, &at) != BIL_E_TABLE)
        fail_msg("%s: not seen", what);
    if (where >= 0)
        assert_int_equal(at, where);
    spoiled++;
    copy_table(t, from);
    assert_int_equal(bil_description_check(&t->d, &at), BIL_OK);
    assert_int_equal(at, BIL_NONE);
}

/* Spoils one place, and expects that to be seen. */
#define SPOIL(place, value)                                                                                            \
    do {                                                                                                               \
        t->place = value;                                                                                              \
        expect_bad(t, #place " = " #value, from, -1);                                                                  \
    } while (0)
#define SPOIL_AT(where, place, value)                                                                                  \
    do {                                                                                                               \
        t->place = value;                                                                                              \
        expect_bad(t, #place " = " #value, from, where);                                                               \
    } while (0)

static void spoil_all(table *t, const bil_description *from)
{
    static const char long_text[] = "a text that is much longer than the forty-eight bytes that a plain name may have";
    static const bil_mailbox no_way_in = {900, 901, BIL_WAY_TOGETHER, false};
    static const uint16_t far[] = {60000, 60001, 60002};
    static const char *const no_text[] = {NULL};
    static const bil_reminder no_words[] = {{NULL, NULL, NULL}}, bad_when[] = {{"a test", "a\nb", NULL}};
    static const uint32_t modes[] = {1};
    static const bil_only nobody = {.holds = NULL}, no_mode = {.holds = bil_only_in_mode},
                          far_mode = {.holds = bil_only_in_mode, .mode = 60000, .mode_count = 1, .modes = modes},
                          any_mode = {.holds = bil_only_in_mode, .mode = 5, .mode_count = 1, .modes = modes},
                          blind = {.holds = bil_only_some_units, .mode = 5, .mode_count = 1, .modes = modes};
    uint16_t last = (uint16_t)(from->count - 1);
    SPOIL(d.params, NULL);
    SPOIL(d.count, 0);
    SPOIL(d.count, 20001);
    SPOIL(d.vendor, NULL);
    SPOIL(d.model, "a\nb");
    SPOIL(d.layout, "short");
    SPOIL(d.firmwares, no_text);
    SPOIL(d.firmwares, NULL);
    SPOIL(d.hardwares, NULL);
    SPOIL(d.spaces, NULL);
    SPOIL(d.space_count, 0);
    SPOIL(spaces[0].read_most, 0);
    SPOIL(spaces[0].read_most, 126);
    SPOIL(spaces[1].write_most, 126);
    SPOIL(spaces[0].reading, 9);
    SPOIL(spaces[0].writing, BIL_SHARE_ANY);
    SPOIL(spaces[0].keys, true);
    SPOIL(spaces[0].mailbox, &no_way_in);
    SPOIL_AT(3, params[3].id, NULL);
    SPOIL_AT(3, params[3].id, "Upper.case");
    SPOIL_AT(3, params[3].id, "two..dots");
    SPOIL_AT(3, params[3].id, "aaa"); /* out of order */
    SPOIL_AT(last, params[last].name, long_text);
    SPOIL_AT(last, params[last].unit, NULL);
    SPOIL_AT(5, params[5].format, NULL);
    SPOIL_AT(5, formats[5].type, 99);
    SPOIL_AT(5, formats[5].size, 0);
    SPOIL_AT(5, formats[5].size, 65);
    SPOIL_AT(5, formats[5].size, 7);
    SPOIL_AT(5, formats[5].mul, 0);
    SPOIL_AT(5, formats[5].decimals, 19);
    SPOIL_AT(t->named, formats[t->named].choices, NULL);
    SPOIL_AT(t->named, choices[0].name, NULL);
    SPOIL_AT(6, params[6].raw_at, 60000);
    SPOIL_AT(6, params[6].space, 7);
    SPOIL_AT(6, params[6].cells, 40);
    SPOIL_AT(6, params[6].cls, 7);
    SPOIL_AT(6, params[6].stage, 10);
    SPOIL_AT(6, params[6].at.number, 65536);
    t->params[6].resets = far;
    SPOIL_AT(6, params[6].reset_count, 3);
    t->params[6].resets = NULL;
    SPOIL_AT(6, params[6].reset_count, 1);
    SPOIL_AT(6, params[6].only, &nobody);
    SPOIL_AT(6, params[6].only, &no_mode);
    SPOIL_AT(6, params[6].only, &far_mode);
    SPOIL_AT(6, params[6].only, &any_mode);
    SPOIL_AT(6, params[6].only, &blind);
    SPOIL(d.raw_size, from->raw_size - 1);
    SPOIL(d.raw_size, from->raw_size + 1);
    SPOIL(by_place[4], 60000);
    SPOIL(by_place[4], t->by_place[5]);
    SPOIL(d.by_place, NULL);
    SPOIL(d.across_count, 1 + (t->across[0].first = 9, t->across[0].last = 3, from->across_count));
    SPOIL(d.identity[BIL_ID_MODEL], BIL_NONE);
    SPOIL(d.identity[BIL_ID_SERIAL], 60000);
    SPOIL(d.starts, 60000);
    SPOIL(d.uptime, from->identity[BIL_ID_MODEL]); /* a text */
    SPOIL(d.state, last + 1);
    SPOIL(d.link_unit, from->identity[BIL_ID_VENDOR]);
    SPOIL(d.changes, 60000);
    SPOIL(d.unstored, 60000);
    SPOIL(d.unit_same_count, 5);
    t->d.unit_same = far;
    SPOIL(d.unit_same_count, 1);
    SPOIL(d.unit_grows_count, 5);
    SPOIL(d.stored_values, 2);
    SPOIL(d.link.request_cost, 0);
    SPOIL(d.procedures, NULL);
    SPOIL(procedures[0].kind, BIL_PROC_COUNT);
    SPOIL(procedures[0].steps, NULL);
    SPOIL(steps[0].kind, 6);
    SPOIL(steps[0].param, 60000);
    t->steps[0].text = NULL;
    SPOIL(steps[0].kind, BIL_STEP_PERSON);
    SPOIL(d.rules, NULL);
    SPOIL(rules[0].kind, 4);
    SPOIL(rules[0].count, 1);
    SPOIL(rules[0].params, far);
    SPOIL(rules[0].why, NULL);
    SPOIL(d.expect_count, from->expect_count + (t->d.expect = no_words, 1));
    SPOIL(d.test_count, from->test_count + (t->d.tests = NULL, 1));
    SPOIL(d.loses_count, from->loses_count + (t->d.loses = no_words, 1));
    SPOIL(d.by_hand_count, from->by_hand_count + (t->d.by_hand = bad_when, 1));
    SPOIL(d.factory_known, NULL);
    if (from->bank_count) {
        SPOIL(d.banks, NULL);
        SPOIL(banks[0].kind, 3);
        SPOIL(banks[0].first, 65000);
        SPOIL(banks[0].at, 65530);
        SPOIL(banks[0].when, 60000);
    }
}

static void each_way_to_be_wrong_is_seen(void **state)
{
    (void)state;
    static table t;
    const bil_description *const models[] = {&bil_description_ed_30, &bil_description_ec_8};
    for (int i = 0; i < 2; i++) {
        copy_table(&t, models[i]);
        spoil_all(&t, models[i]);
    }
    assert_int_equal(bil_description_check(NULL, NULL), BIL_E_TABLE);
    print_message("%u spoiled tables\n", spoiled);
}

/* Where the raw values take more than the table says, a job would write beside its memory: it doesn't begin. */
static void a_job_looks_at_what_its_memory_depends_on(void **state)
{
    (void)state;
    static table t;
    bil_image image = new_image(&bil_description_ed_30);
    copy_table(&t, &bil_description_ed_30);
    size_t size = bil_job_size(&t.d);
    void *memory = malloc(size);
    bil_job *job;
    bil_job_config config = {.struct_size = sizeof config, .kind = BIL_JOB_READ, .description = &t.d, .have = &image};
    assert_int_equal(bil_job_init(&job, memory, size, &config), BIL_OK);
    t.d.raw_size--;
    assert_int_equal(bil_job_init(&job, memory, size, &config), BIL_E_TABLE);
    t.d.raw_size++;
    for (unsigned more = BIL_TEXT_MAX + 1; more < 256; more++) {
        t.formats[7].size = (uint8_t)more;
        assert_int_equal(bil_job_init(&job, memory, size, &config), BIL_E_TABLE);
    }
    free(memory);
    free_image(&image);
}

/* Bytes at random, pointers apart: whatever a check says of it, it ends. */
static void a_check_ends(void **state)
{
    (void)state;
    static table t;
    dice d = {97};
    unsigned bad = 0, n = rounds(20000);
    for (unsigned i = 0; i < n; i++) {
        copy_table(&t, i % 2 ? &bil_description_ed_30 : &bil_description_ec_8);
        bil_param *p = &t.params[roll_below(&d, t.d.count)];
        uint16_t number = (uint16_t)roll(&d);
        switch (roll_below(&d, 8)) {
        case 0:
            ((uint8_t *)p->format)[roll_below(&d, offsetof(bil_format, choice_count))] = (uint8_t)number;
            break;
        case 1:
            t.by_place[roll_below(&d, t.d.count)] = number;
            break;
        case 2:
            (&t.d.starts)[roll_below(&d, 2)] = number;
            break;
        case 3:
            p->at.number = number;
            break;
        case 4:
            p->raw_at = number;
            break;
        case 5:
            t.d.identity[roll_below(&d, BIL_ID_COUNT)] = number;
            break;
        case 6:
            t.steps[0].param = number;
            break;
        default:
            (&p->space)[roll_below(&d, 5)] = (uint8_t)number;
            break;
        }
        bad += bil_description_check(&t.d, NULL) != BIL_OK;
    }
    print_message("%u of %u tables with a number at random are refused\n", bad, n);
    assert_true(bad > n / 2);
}

int main(void)
{
    const struct CMUnitTest tests[] = {
        cmocka_unit_test(each_way_to_be_wrong_is_seen),
        cmocka_unit_test(a_job_looks_at_what_its_memory_depends_on),
        cmocka_unit_test(a_check_ends),
    };
    return cmocka_run_group_tests_name("core_tables", tests, NULL, NULL);
}

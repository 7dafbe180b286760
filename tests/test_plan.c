/* The planner finds the minimum: against exhaustive search, and on the map of the ED-30 against two greedy ways. */
#include "bilancia/rule.h"
#include "help.h"

enum { MOST = 12 };

typedef struct map {
    bil_param params[MOST];
    uint16_t items[MOST], by_address[MOST];
    bil_range across[4];
    bil_description description;
    bil_block_rule rule;
    uint16_t count, asked; /* parameters, and of them those asked for */
} map;

static void make_map(map *m, dice *d)
{
    memset(m, 0, sizeof *m);
    m->count = (uint16_t)(1 + roll_below(d, MOST));
    uint32_t address = roll_below(d, 5);
    for (uint16_t i = 0; i < m->count; i++) {
        m->params[i].address = (uint16_t)address;
        m->params[i].cells = (uint8_t)(1 + roll_below(d, 4));
        m->params[i].space = (uint8_t)(i > m->count / 2 && roll_below(d, 2) ? 1 : i > 0 ? m->params[i - 1].space : 0);
        address += m->params[i].cells + (roll_below(d, 2) ? roll_below(d, 4) : 0);
        m->params[i].flags = roll_below(d, 4) ? BIL_READABLE : 0;
        m->params[i].cls = roll_below(d, 4) ? BIL_CLASS_SETUP : BIL_CLASS_LIVE;
        m->by_address[i] = i;
        if (roll_below(d, 5) || i == 0)
            m->items[m->asked++] = i;
    }
    for (int i = 0; i < 4; i++) {
        m->across[i].first = (uint16_t)roll_below(d, 40);
        m->across[i].last = (uint16_t)(m->across[i].first + roll_below(d, 12));
        m->across[i].space = (uint8_t)roll_below(d, 2);
    }
    m->description = (bil_description){
        .params = m->params, .by_address = m->by_address, .count = m->count, .across = m->across, .across_count = 4};
    m->rule = (bil_block_rule){.largest = (uint16_t)(4 + roll_below(d, 12)),
                               .request_cost = (uint16_t)(1 + roll_below(d, 9)),
                               .cell_cost = (uint16_t)(roll_below(d, 2) ? roll_below(d, 4) : 0),
                               .across = roll_below(d, 4) != 0};
}

/* May this cell be read when nobody asked for it? */
static bool is_harmless(const map *m, uint8_t space, uint32_t cell)
{
    bool may = false;
    for (int i = 0; i < 4; i++)
        may = may || (m->across[i].space == space && cell >= m->across[i].first && cell <= m->across[i].last);
    for (uint16_t i = 0; i < m->count; i++) {
        const bil_param *p = &m->params[i];
        bool of_it = p->space == space && cell >= p->address && cell < p->address + (uint32_t)p->cells;
        may = may || (of_it && p->flags & BIL_READABLE && p->cls == BIL_CLASS_SETUP);
    }
    return may;
}

/* May items from..to-1 be one block? Looked at cell by cell. */
static bool is_block(const map *m, uint16_t from, uint16_t to)
{
    const bil_param *p = m->params, *head = &p[m->items[from]], *tail = &p[m->items[to - 1]];
    uint32_t first = head->address, end = tail->address + (uint32_t)tail->cells;
    if (to - from > 1 && (end - first > m->rule.largest || head->space != tail->space))
        return false;
    for (uint32_t cell = first; cell < end; cell++) {
        bool asked = false;
        for (uint16_t i = from; i < to; i++)
            asked = asked ||
                    (cell >= p[m->items[i]].address && cell < p[m->items[i]].address + (uint32_t)p[m->items[i]].cells);
        if (!asked && !(m->rule.across && is_harmless(m, head->space, cell)))
            return false;
    }
    return true;
}

static uint32_t block_cost(const map *m, uint16_t from, uint16_t to)
{
    const bil_param *first = &m->params[m->items[from]], *last = &m->params[m->items[to - 1]];
    uint32_t cells = last->address + (uint32_t)last->cells - first->address;
    return m->rule.request_cost + cells * m->rule.cell_cost;
}

/* All 2^(n-1) ways to cut the row. */
static uint32_t cheapest(const map *m)
{
    uint32_t best = UINT32_MAX;
    for (uint32_t cuts = 0; cuts < 1u << (m->asked - 1); cuts++) {
        uint32_t sum = 0;
        uint16_t from = 0;
        bool good = true;
        for (uint16_t to = 1; to <= m->asked && good; to++)
            if (to == m->asked || cuts >> (to - 1) & 1) {
                good = is_block(m, from, to);
                sum += good ? block_cost(m, from, to) : 0;
                from = to;
            }
        if (good && sum < best)
            best = sum;
    }
    return best;
}

static void never_one_request_more(void **state)
{
    (void)state;
    dice d = {314159};
    unsigned maps = rounds(30000);
    for (unsigned round = 0; round < maps; round++) {
        map m;
        make_map(&m, &d);
        uint32_t cost[MOST + 1], steps = 0, sum = 0;
        uint16_t next[MOST + 1];
        bil_plan_blocks(&m.description, m.items, m.asked, &m.rule, cost, next, &steps);
        for (uint16_t from = 0; from < m.asked; from = next[from]) {
            assert_in_range(next[from], from + 1, m.asked);
            assert_true(is_block(&m, from, next[from]));
            sum += block_cost(&m, from, next[from]);
        }
        assert_int_equal(sum, cost[0]);
        assert_int_equal(cost[0], cheapest(&m));
        assert_in_range(steps, m.asked, (uint32_t)m.asked * m.rule.largest);
    }
    print_message("%u random maps, never one request more\n", maps);
}

/* Joins the two neighbouring blocks with the smallest gap, again and again: what one does without a planner. */
static unsigned nearest_first(const bil_description *d, const uint16_t *items, uint16_t count)
{
    uint32_t first[256], end[256];
    unsigned blocks = count;
    for (uint16_t i = 0; i < count; i++) {
        first[i] = d->params[items[i]].address;
        end[i] = first[i] + d->params[items[i]].cells;
    }
    for (;;) {
        unsigned best = blocks;
        for (unsigned i = 0; i + 1 < blocks; i++) {
            uint32_t gap = first[i + 1] - end[i];
            bool may = gap == 0 || bil_description_across(d, 0, end[i], first[i + 1] - 1);
            if (may && end[i + 1] - first[i] <= d->link.read_cells &&
                (best == blocks || gap < first[best + 1] - end[best]))
                best = i;
        }
        if (best == blocks)
            return blocks;
        end[best] = end[best + 1];
        for (unsigned i = best + 1; i + 1 < blocks; i++) {
            first[i] = first[i + 1];
            end[i] = end[i + 1];
        }
        blocks--;
    }
}

static void the_drive_takes_five_requests(void **state)
{
    (void)state;
    const bil_description *d = &bil_description_ed_30;
    uint16_t items[256], next[257];
    uint32_t cost[257];
    uint16_t count = bil_plan_read(d, items);
    assert_int_equal(count, 60);
    bil_block_rule rule = {d->link.read_cells, 1, 0, true};
    bil_plan_blocks(d, items, count, &rule, cost, next, NULL);
    assert_int_equal(cost[0], 5);
    assert_int_equal(nearest_first(d, items, count), 6);
}

static void classes_go_where_they_belong(void **state)
{
    (void)state;
    /* rows: setup place calibration-of-unit calibration-of-place unit secret live command;
     * columns: restore, replacement, clone, and the same three with calibration asked for */
    static const char *const table[8] = {"++++++", "++-++-", "---+--", "---++-",
                                         "------", "------", "------", "------"};
    static const uint8_t classes[8] = {BIL_CLASS_SETUP, BIL_CLASS_PLACE,  BIL_CLASS_CALIBRATION, BIL_CLASS_CALIBRATION,
                                       BIL_CLASS_UNIT,  BIL_CLASS_SECRET, BIL_CLASS_LIVE,        BIL_CLASS_COMMAND};
    for (int row = 0; row < 8; row++)
        for (int column = 0; column < 6; column++) {
            bil_param param = {.cls = classes[row], .flags = row == 3 ? BIL_OF_PLACE : 0};
            assert_int_equal(bil_plan_goes(&param, (bil_purpose)(column % 3), column >= 3), table[row][column] == '+');
        }
}

/* ---- rules ---- */

enum { VALUES = 5 };

static const uint8_t *value_at(void *ctx, uint16_t index)
{
    uint8_t(*values)[2] = ctx;
    return values[index][0] ? &values[index][1] : NULL; /* the first byte: is it known? */
}

/* Random rules over a handful of values, some unknown, against the words of the manual. */
static void rules_hold_as_said(void **state)
{
    (void)state;
    dice d = {314159};
    unsigned seen[4][2] = {{0}};
    bil_param params[VALUES] = {{0}};
    for (int i = 0; i < VALUES; i++)
        params[i].format = (bil_format){.type = BIL_U8, .size = 1, .mul = 1};
    for (unsigned round = 0; round < rounds(200000); round++) {
        uint8_t values[VALUES][2];
        for (int i = 0; i < VALUES; i++) {
            values[i][0] = roll_below(&d, 6) > 0;
            values[i][1] = (uint8_t)roll_below(&d, 4);
        }
        uint16_t of[4];
        for (int i = 0; i < 4; i++)
            of[i] = (uint16_t)roll_below(&d, VALUES);
        bil_rule rules[2];
        int want = -1;
        for (int r = 0; r < 2; r++) {
            uint16_t count = (uint16_t)(2 + roll_below(&d, 3));
            rules[r] = (bil_rule){.kind = (uint8_t)roll_below(&d, 4),
                                  .free = roll_below(&d, 2),
                                  .params = of,
                                  .value = {roll_below(&d, 4), roll_below(&d, 4)}};
            rules[r].count = rules[r].kind >= BIL_RULE_ALLOWED ? 2 : count;
            bool broken = false;
            const uint8_t *p = values[of[0]], *q = values[of[1]];
            switch (rules[r].kind) {
            case BIL_RULE_UNIQUE:
                for (uint16_t i = 0; i < count; i++)
                    for (uint16_t k = (uint16_t)(i + 1); k < count; k++)
                        broken =
                            broken || (values[of[i]][0] && values[of[k]][0] && values[of[i]][1] == values[of[k]][1] &&
                                       (!rules[r].free || values[of[i]][1] != rules[r].value[0]));
                break;
            case BIL_RULE_ORDER:
                for (uint16_t i = 0; i + 1 < count; i++)
                    broken =
                        broken || (values[of[i]][0] && values[of[i + 1]][0] && values[of[i]][1] > values[of[i + 1]][1]);
                break;
            case BIL_RULE_ALLOWED:
                broken = p[0] && q[0] && p[1] == rules[r].value[0] && q[1] != rules[r].value[1];
                break;
            default:
                broken = p[0] && q[0] && q[1] == rules[r].value[1] && p[1] != rules[r].value[0];
            }
            want = want < 0 && broken ? r : want;
            seen[rules[r].kind][broken]++;
        }
        bil_description description = {.params = params, .count = VALUES, .rules = rules, .rule_count = 2};
        uint16_t pair[2];
        assert_int_equal(bil_rule_broken(&description, (bil_values){value_at, values}, 0, pair), want);
    }
    for (int kind = 0; kind < 4; kind++)
        assert_true(seen[kind][0] && seen[kind][1]);
}

int main(void)
{
    const struct CMUnitTest tests[] = {
        cmocka_unit_test(never_one_request_more), cmocka_unit_test(the_drive_takes_five_requests),
        cmocka_unit_test(classes_go_where_they_belong), cmocka_unit_test(rules_hold_as_said)};
    return cmocka_run_group_tests_name("plan", tests, NULL, NULL);
}

/* The planner finds the minimum: against all ways to part the values of a map, and on the map of the ED-30 against two
 * greedy ways. */
#include "bilancia/cells.h"
#include "bilancia/rule.h"
#include "help.h"

enum { MOST = 12, SPACES = 4, ALL = 1 << MOST };

typedef struct map {
    bil_param params[MOST];
    bil_format formats[MOST];
    uint16_t items[MOST], by_place[MOST];
    bil_range across[4];
    bil_bank banks[3];
    bil_space spaces[SPACES];
    bil_description description;
    bil_request_rule rule;
    uint16_t count, asked; /* parameters, and of them those asked for */
} map;

static void make_spaces(map *m, dice *d)
{
    for (int i = 0; i < SPACES; i++) {
        bil_sharing sharing = roll_below(d, 2) ? BIL_SHARE_NEIGHBOURS : (bil_sharing)roll_below(d, 3);
        uint16_t most = (uint16_t)(sharing == BIL_SHARE_NEIGHBOURS ? 4 + roll_below(d, 12) : 1 + roll_below(d, 6));
        /* what the other way does is none of its business */
        m->spaces[i] = (bil_space){.reading = m->rule.write ? (uint8_t)roll_below(d, 3) : (uint8_t)sharing,
                                   .writing = m->rule.write ? (uint8_t)sharing : (uint8_t)roll_below(d, 3),
                                   .bits = sharing == BIL_SHARE_NEIGHBOURS && roll_below(d, 3) == 0,
                                   .reach = &bil_reach_parts,
                                   .read_most = m->rule.write ? 1 : most,
                                   .write_most = m->rule.write ? most : 1};
    }
    for (int i = 0; i < 3; i++) {
        uint16_t first = (uint16_t)(15u * (unsigned)i + roll_below(d, 5)); /* they don't overlap */
        m->banks[i] = (bil_bank){.kind = BIL_BANK_KEPT,
                                 .copy = (uint8_t)(1 + roll_below(d, 2)),
                                 .space = (uint16_t)roll_below(d, 2),
                                 .first = first,
                                 .last = (uint16_t)(first + roll_below(d, 10)),
                                 .at = (uint16_t)(1000 * (i + 1))};
    }
}

/* Some have only a part of their cell, and the next one may have another part of it. */
static void make_part(map *m, dice *d, uint16_t i)
{
    bil_param *p = &m->params[i], *before = i ? p - 1 : NULL;
    const bil_space *space = &m->spaces[p->space];
    bool cells = (m->rule.write ? space->writing : space->reading) == BIL_SHARE_NEIGHBOURS && !space->bits;
    bool shares = before && before->space == p->space && before->format->width && roll_below(d, 3);
    unsigned from = shares ? before->format->bit + before->format->width : 0;
    if (shares && from < 16) {
        p->at = before->at;
        p->way = before->way;
    } else if (!cells || roll_below(d, 3)) {
        return;
    } else {
        from = 0;
        p->way = (uint8_t)roll_below(d, 3);
    }
    p->cells = 1;
    m->formats[i].bit = (uint8_t)(from + (roll_below(d, 2) ? roll_below(d, 16u - from) : 0u));
    unsigned room = 16u - p->format->bit;
    m->formats[i].width = (uint8_t)(roll_below(d, 2) ? room : 1 + roll_below(d, room));
}

static void make_map(map *m, dice *d)
{
    memset(m, 0, sizeof *m);
    m->rule = (bil_request_rule){.write = roll_below(d, 4) == 0,
                                 .request_cost = (uint16_t)(1 + roll_below(d, 9)),
                                 .cell_cost = (uint16_t)(roll_below(d, 2) ? roll_below(d, 4) : 0)};
    if (!m->rule.write && roll_below(d, 3) == 0) {
        m->rule.bank = 1 + BIL_BANK_KEPT;
        m->rule.copy = 1;
    }
    make_spaces(m, d);
    m->count = (uint16_t)(1 + roll_below(d, MOST));
    uint32_t address = roll_below(d, 5);
    for (uint16_t i = 0; i < m->count; i++) {
        uint16_t before = i > 0 ? m->params[i - 1].space : 0;
        m->params[i].space = (uint8_t)(before + 1 < SPACES && roll_below(d, 4) == 0 ? before + 1 : before);
        m->params[i].format = &m->formats[i];
        m->params[i].at.number = address;
        m->params[i].cells = (uint8_t)(1 + roll_below(d, 4));
        address += m->params[i].cells + (roll_below(d, 2) ? roll_below(d, 4) : 0);
        m->params[i].flags = roll_below(d, 4) ? BIL_READABLE : 0;
        if (roll_below(d, 5) == 0 && m->spaces[m->params[i].space].writing == BIL_SHARE_NEIGHBOURS)
            m->params[i].way = BIL_WAY_SINGLE;
        make_part(m, d, i);
        if (i && m->params[i].at.number == m->params[i - 1].at.number)
            address = m->params[i].at.number + 1;
        m->params[i].cls = roll_below(d, 4) ? BIL_CLASS_SETUP : roll_below(d, 2) ? BIL_CLASS_UNIT : BIL_CLASS_LIVE;
        m->by_place[i] = i;
        if (roll_below(d, 5) || i == 0)
            m->items[m->asked++] = i;
    }
    for (int i = 0; i < 4; i++) {
        m->across[i].first = (uint16_t)roll_below(d, 40);
        m->across[i].last = (uint16_t)(m->across[i].first + roll_below(d, 12));
        m->across[i].space = (uint16_t)roll_below(d, 2);
    }
    m->description = (bil_description){.params = m->params,
                                       .by_place = m->by_place,
                                       .count = m->count,
                                       .spaces = m->spaces,
                                       .space_count = SPACES,
                                       .banks = m->banks,
                                       .bank_count = 3,
                                       .across = m->across,
                                       .across_count = 4};
}

/* May this cell be read when nobody asked for it? */
static bool is_harmless(const map *m, uint16_t space, uint32_t cell)
{
    bool may = false;
    for (int i = 0; i < 4; i++)
        may = may || (m->across[i].space == space && cell >= m->across[i].first && cell <= m->across[i].last);
    for (uint16_t i = 0; i < m->count; i++) {
        const bil_param *p = &m->params[i];
        bool of_it = p->space == space && cell >= p->at.number && cell < p->at.number + p->cells;
        may = may || (of_it && p->flags & BIL_READABLE && p->cls != BIL_CLASS_LIVE);
    }
    return may;
}

/* Where the value lies in the bank that is asked for; 0: where it always does. */
static uint32_t elsewhere(const map *m, const bil_param *p)
{
    for (int i = 0; i < 3 && m->rule.bank; i++)
        if (m->banks[i].copy == m->rule.copy && m->banks[i].space == p->space && p->at.number >= m->banks[i].first &&
            p->at.number + p->cells <= m->banks[i].last + 1u)
            return m->banks[i].at;
    return 0;
}

/* Those of one place of the bank stand behind each other. */
static void sort_by_bank(map *m)
{
    for (uint16_t i = 1; i < m->asked; i++)
        for (uint16_t k = i; k > 0 && elsewhere(m, &m->params[m->items[k - 1]]) > elsewhere(m, &m->params[m->items[k]]);
             k--) {
            uint16_t item = m->items[k];
            m->items[k] = m->items[k - 1];
            m->items[k - 1] = item;
        }
}

/* What one request for these items costs, any of them, a bit for each; 0: they can't share one. Looked at cell by
 * cell. */
static uint32_t request_cost(const map *m, unsigned set)
{
    const bil_param *first = NULL, *last = NULL;
    unsigned values = 0;
    for (uint16_t i = 0; i < m->asked; i++)
        if (set >> i & 1) {
            const bil_param *p = &m->params[m->items[i]];
            first = first ? first : p;
            last = p;
            values++;
            if (p->space != first->space || elsewhere(m, p) != elsewhere(m, first))
                return 0;
        }
    const bil_space *space = &m->spaces[first->space];
    bool one_cell = true, alone = false;
    for (uint16_t i = 0; i < m->asked; i++)
        if (set >> i & 1) {
            one_cell = one_cell && m->params[m->items[i]].at.number == first->at.number;
            alone = alone || m->params[m->items[i]].way != BIL_WAY_TOGETHER;
        }
    if (m->rule.write && alone && !one_cell)
        return 0;
    uint8_t sharing = m->rule.write ? space->writing : space->reading;
    uint16_t most = m->rule.write ? space->write_most : space->read_most;
    if (sharing == BIL_SHARE_NONE && values > 1)
        return 0;
    if (sharing != BIL_SHARE_NEIGHBOURS)
        return values > 1 && values > most ? 0 : m->rule.request_cost + values * m->rule.cell_cost;
    uint32_t from = first->at.number, end = last->at.number + last->cells;
    if (values > 1 && end - from > most)
        return 0;
    bool leaves = false; /* bits that nobody asked for: where they can't be masked, the cells are read first */
    for (uint32_t cell = from; cell < end; cell++) {
        bool asked = false;
        unsigned bits = 0;
        for (uint16_t i = 0; i < m->asked; i++) {
            const bil_param *p = &m->params[m->items[i]];
            bool has = set >> i & 1 && cell >= p->at.number && cell < p->at.number + p->cells;
            asked = asked || has;
            for (unsigned bit = 0; bit < 16 && has; bit++)
                bits |= (unsigned)(!p->format->width ||
                                   (bit >= p->format->bit && bit < p->format->bit + p->format->width + 0u))
                        << bit;
        }
        leaves = leaves || (asked && bits != 0xffff);
        if (!asked && (m->rule.write || !is_harmless(m, first->space, cell)))
            return 0;
    }
    uint32_t cells = 0; /* of bits, sixteen in one */
    for (uint32_t cell = from; cell < end; cell += space->bits ? 16 : 1)
        cells++;
    bool twice = m->rule.write && leaves && first->way != BIL_WAY_MASKED;
    return (twice ? 2u : 1u) * (m->rule.request_cost + cells * m->rule.cell_cost);
}

/* All ways to part them, whether they lie behind each other or not: what the first one that is left shares a request
 * with, and the best way for the rest. */
static uint32_t cheapest(const map *m)
{
    static uint32_t one[ALL], best[ALL];
    for (unsigned set = 1; set < 1u << m->asked; set++) {
        one[set] = request_cost(m, set);
        best[set] = UINT32_MAX;
        for (unsigned part = set; part; part = (part - 1) & set)
            if (part & (set & -set) && one[part] && one[part] + best[set ^ part] < best[set])
                best[set] = one[part] + best[set ^ part];
    }
    return best[(1u << m->asked) - 1];
}

static void never_one_request_more(void **state)
{
    (void)state;
    dice d = {314159};
    unsigned maps = rounds(30000), several = 0;
    for (unsigned round = 0; round < maps; round++) {
        map m;
        make_map(&m, &d);
        sort_by_bank(&m);
        uint32_t cost[MOST + 1], steps = 0, sum = 0;
        uint16_t next[MOST + 1], largest = 1;
        bil_plan_requests(&m.description, m.items, m.asked, &m.rule, cost, next, &steps);
        for (uint16_t from = 0; from < m.asked; from = next[from]) {
            assert_in_range(next[from], from + 1, m.asked);
            uint32_t its = request_cost(&m, (1u << next[from]) - (1u << from));
            assert_int_not_equal(its, 0);
            sum += its;
            several += next[from] - from > 1;
        }
        for (int i = 0; i < SPACES; i++) {
            uint16_t most = m.rule.write ? m.spaces[i].write_most : m.spaces[i].read_most;
            largest = most > largest ? most : largest;
        }
        assert_int_equal(sum, cost[0]);
        assert_int_equal(cost[0], cheapest(&m));
        assert_in_range(steps, m.asked, (uint32_t)m.asked * (largest > 2 ? largest : 2u));
    }
    assert_true(several > maps / 2);
    print_message("%u random maps, never one request more\n", maps);
}

/* Joins the two neighbouring blocks with the smallest gap, again and again: what one does without a planner. */
static unsigned nearest_first(const bil_description *d, const uint16_t *items, uint16_t count)
{
    uint32_t first[256], end[256];
    unsigned blocks = count;
    for (uint16_t i = 0; i < count; i++) {
        first[i] = d->params[items[i]].at.number;
        end[i] = first[i] + d->params[items[i]].cells;
    }
    for (;;) {
        unsigned best = blocks;
        for (unsigned i = 0; i + 1 < blocks; i++) {
            uint32_t gap = first[i + 1] - end[i];
            bool may = gap == 0 || bil_description_across(d, 0, end[i], first[i + 1] - 1);
            if (may && end[i + 1] - first[i] <= d->spaces[BIL_HOLDING].read_most &&
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
    uint16_t count = 0;
    for (uint16_t i = 0; i < d->count; i++) {
        const bil_param *param = &d->params[d->by_place[i]];
        if (param->flags & BIL_READABLE && !bil_class_left_out((bil_class)param->cls))
            items[count++] = d->by_place[i];
    }
    assert_int_equal(count, 60);
    bil_request_rule rule = {.request_cost = 1};
    bil_plan_requests(d, items, count, &rule, cost, next, NULL);
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
    static const bil_format byte = {.type = BIL_U8, .size = 1, .mul = 1};
    for (int i = 0; i < VALUES; i++)
        params[i].format = &byte;
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

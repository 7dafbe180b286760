/* The merge against brute force: two random halves of a world of ids, every relation as counted one by one. */
#include "help.h"

enum { WORLD = 40 };

typedef struct half {
    bool there[WORLD];
    bil_item items[WORLD];
    size_t at;
} half;

static char ids[WORLD][8];

static int next(void *ctx, bil_item *item)
{
    half *h = ctx;
    for (; h->at < WORLD; h->at++)
        if (h->there[h->at]) {
            *item = h->items[h->at++];
            return 1;
        }
    return 0;
}

static void make_half(half *h, dice *d)
{
    memset(h, 0, sizeof *h);
    for (size_t i = 0; i < WORLD; i++) {
        h->there[i] = roll_below(d, 3) != 0;
        h->items[i] = (bil_item){.id = {ids[i], strlen(ids[i])},
                                 .type = roll_below(d, 8) ? BIL_U16 : BIL_I16,
                                 .cls = roll_below(d, 12) ? BIL_CLASS_SETUP : BIL_CLASS_PLACE,
                                 .size = 2};
        if (roll_below(d, 6) == 0)
            h->items[i].unreadable = BIL_E_REFUSED;
        else
            h->items[i].raw[1] = (uint8_t)roll_below(d, 2);
    }
}

static bil_relation expected(const half *a, const half *b, size_t i)
{
    const bil_item *x = &a->items[i], *y = &b->items[i];
    if (!b->there[i])
        return BIL_REL_ONLY_LEFT;
    if (!a->there[i])
        return BIL_REL_ONLY_RIGHT;
    if (x->type != y->type || x->cls != y->cls)
        return BIL_REL_NOT_COMPARABLE;
    if (x->unreadable || y->unreadable)
        return BIL_REL_UNREADABLE;
    return x->raw[1] == y->raw[1] ? BIL_REL_EQUAL : BIL_REL_CHANGED;
}

static void as_brute_force_says(void **state)
{
    (void)state;
    dice d = {271828};
    for (size_t i = 0; i < WORLD; i++) /* in byte order, some the beginning of others */
        snprintf(ids[i], sizeof ids[i], "%c%.*s", (char)('a' + i / 4), (int)(i % 4), ".xy");
    half a, b;
    for (int round = 0; round < 5000; round++) {
        make_half(&a, &d);
        make_half(&b, &d);
        bil_compare c;
        bil_difference diff;
        bil_compare_init(&c, (bil_source){next, &a}, (bil_source){next, &b});
        uint32_t seen = 0;
        for (size_t i = 0; i < WORLD; i++) {
            if (!a.there[i] && !b.there[i])
                continue;
            assert_int_equal(bil_compare_next(&c, &diff), 1);
            const bil_item *item = diff.left ? diff.left : diff.right;
            assert_ptr_equal(item->id.text, ids[i]);
            assert_int_equal(diff.relation, expected(&a, &b, i));
            assert_int_equal(diff.left != NULL, a.there[i]);
            assert_int_equal(diff.right != NULL, b.there[i]);
            seen++;
        }
        assert_int_equal(bil_compare_next(&c, &diff), 0);
        uint32_t counted = 0;
        for (int i = 0; i < BIL_RELATION_COUNT; i++)
            counted += c.count[i];
        assert_int_equal(counted, seen);
    }
}

static int broken(void *ctx, bil_item *item)
{
    (void)ctx;
    (void)item;
    return -BIL_E_SET_ALTERED;
}

static void a_broken_side_is_named(void **state)
{
    (void)state;
    half a = {.at = WORLD};
    bil_compare c;
    bil_difference diff;
    bil_compare_init(&c, (bil_source){next, &a}, (bil_source){broken, NULL});
    assert_int_equal(bil_compare_next(&c, &diff), -BIL_E_SET_ALTERED);
    assert_int_equal(c.failed_side, 1);
}

int main(void)
{
    const struct CMUnitTest tests[] = {cmocka_unit_test(as_brute_force_says), cmocka_unit_test(a_broken_side_is_named)};
    return cmocka_run_group_tests_name("compare", tests, NULL, NULL);
}

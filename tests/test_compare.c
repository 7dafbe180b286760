/* The merge against brute force: two random halves of a world of ids, every relation as counted one by one. */
#include <unistd.h>

#include "help.h"
#include "host/copy/set_file.h"

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
    assert_int_equal(c.column[0].error, 0);
    assert_int_equal(c.column[1].error, -BIL_E_SET_ALTERED);
}

/* ---- files, longer than the blocks in which they are read ---- */

enum { VALUES = 6000, FILE_ROOM = 1 << 21 };

static bil_str str(const char *text)
{
    return (bil_str){text, strlen(text)};
}

/* Writes a set in which value i is i, or i + 1 where `other[i]` says so; lines of many lengths. */
static size_t make_set(char *out, const bool *other)
{
    bil_digest digests[2];
    assert_true(digest_open(&digests[0]) && digest_open(&digests[1]));
    bil_set_writer writer;
    bil_set_header header = {.model = str("T-2"), .serial = str("9")};
    size_t used, length;
    char line[BIL_SET_LINE];
    assert_int_equal(bil_set_begin(&writer, digests[0], digests[1], NULL, &header, out, &used), BIL_OK);
    for (uint16_t i = 0; i < VALUES; i++) {
        char id[20], name[300], text[8];
        uint16_t value = (uint16_t)(i + (other && other[i]));
        snprintf(id, sizeof id, "v.n%05u", i);
        memset(name, 'x', sizeof name);
        name[(i * 7919u) % 290] = '\0';
        snprintf(text, sizeof text, "%u", value);
        bil_item item = {.id = str(id),
                         .name = str(name),
                         .value = str(text),
                         .type = BIL_U16,
                         .cls = BIL_CLASS_SETUP,
                         .size = 2,
                         .raw = {(uint8_t)(value >> 8), (uint8_t)value}};
        assert_int_equal(bil_set_item(&writer, &item, line, &length), BIL_OK);
        memcpy(out + used, line, length);
        used += length;
    }
    assert_int_equal(bil_set_end(&writer, line, &length), BIL_OK);
    memcpy(out + used, line, length);
    digest_close(&digests[0]);
    digest_close(&digests[1]);
    return used + length;
}

static void put_file(const char *path, const char *bytes, size_t size)
{
    FILE *file = fopen(path, "wb");
    assert_non_null(file);
    assert_int_equal(fwrite(bytes, 1, size, file), size);
    assert_int_equal(fclose(file), 0);
}

/* Compares as the tool does. Returns the error, or 0 with the counts. */
static int compare_files(const char *left, const char *right, bool skip, uint32_t *changed, uint32_t *equal)
{
    set_file a, b;
    int error = set_file_open(&a, left, SET_QUICKLY), got;
    if (error)
        return error;
    error = set_file_open(&b, right, SET_QUICKLY);
    if (!error) {
        set_pair pair = {&a, &b, NULL};
        bil_compare c;
        bil_difference d;
        bil_compare_init(&c, set_file_source(&a), set_file_source(&b));
        if (skip)
            c.skip = set_pair_skip(&pair);
        while ((got = bil_compare_next(&c, &d)) == 1)
            ;
        error = -got;
        *changed = c.count[BIL_REL_CHANGED];
        *equal = c.count[BIL_REL_EQUAL];
        set_file_close(&b);
    }
    set_file_close(&a);
    return error;
}

static void files_are_compared_quickly_and_surely(void **state)
{
    (void)state;
    char left[] = "/tmp/bilancia-left-XXXXXX", right[] = "/tmp/bilancia-right-XXXXXX";
    close(mkstemp(left));
    close(mkstemp(right));
    static char a[FILE_ROOM], b[FILE_ROOM];
    static bool other[VALUES];
    dice d = {1234};
    size_t size = make_set(a, NULL), other_size = 0;
    assert_true(size > 1000000);
    put_file(left, a, size);
    static const uint32_t one_in[] = {1, 2, 50, 1000, VALUES + 1};
    for (size_t k = 0; k < 5; k++) {
        uint32_t expected = 0, changed, equal;
        for (size_t i = 0; i < VALUES; i++)
            expected += other[i] = roll_below(&d, one_in[k]) == 0;
        other_size = make_set(b, other);
        put_file(right, b, other_size);
        for (int skip = 0; skip < 2; skip++) {
            assert_int_equal(compare_files(left, right, skip, &changed, &equal), 0);
            assert_int_equal(changed, expected);
            assert_int_equal(equal, VALUES - expected);
        }
    }
    /* whatever is cut or changed, in one file or the same way in both, is noticed */
    uint32_t changed, equal;
    for (int round = 0; round < 60; round++) {
        size_t at = ((size_t)roll_below(&d, 1 << 20) << 1 | 1) % size;
        char kept = a[at];
        a[at] = (char)(kept ^ (1 << roll_below(&d, 7)));
        bool cut = round % 3 == 0;
        put_file(left, a, cut ? at : size);
        put_file(right, round % 2 ? a : b, cut && round % 2 ? at : round % 2 ? size : other_size);
        assert_int_not_equal(compare_files(left, right, true, &changed, &equal), 0);
        set_origin origin;
        bil_set_totals totals;
        char why[300];
        assert_int_not_equal(set_file_check(left, &origin, &totals, why, sizeof why), 0);
        a[at] = kept;
    }
    unlink(left);
    unlink(right);
}

static void images_are_sources(void **state)
{
    (void)state;
    const bil_description *d = &bil_description_ed_30;
    bil_image left = new_image(d), right = new_image(d);
    for (uint16_t i = 0; i < d->count; i++) { /* a third known on each side alone, a third on both, one unreadable */
        if (i % 3 != 0)
            bil_image_put(&left, i, (const uint8_t[BIL_TEXT_MAX]){0});
        if (i % 3 != 1)
            bil_image_put(&right, i, (const uint8_t[BIL_TEXT_MAX]){0});
    }
    bil_image_fail(&left, 2, BIL_E_REFUSED);
    right.raw[d->params[5].raw_at] ^= 1;
    bil_image_source states[2];
    bil_compare compare;
    bil_difference difference;
    bil_compare_init(&compare, bil_image_as_source(&states[0], &left), bil_image_as_source(&states[1], &right));
    for (uint16_t i = 0; i < d->count; i++) {
        assert_int_equal(bil_compare_next(&compare, &difference), 1);
        assert_int_equal(difference.relation, i % 3 == 0   ? BIL_REL_ONLY_RIGHT
                                              : i % 3 == 1 ? BIL_REL_ONLY_LEFT
                                              : i == 2     ? BIL_REL_UNREADABLE
                                              : i == 5     ? BIL_REL_CHANGED
                                                           : BIL_REL_EQUAL);
        const bil_item *item = difference.left ? difference.left : difference.right;
        assert_int_equal(strlen(d->params[i].id), item->id.length);
        assert_memory_equal(d->params[i].id, item->id.text, item->id.length);
    }
    assert_int_equal(bil_compare_next(&compare, &difference), 0);
    free_image(&left);
    free_image(&right);
}

/* ---- what is tolerated ---- */

static bil_relation relation_of(const bil_description *d, const char *id, const uint8_t *a, const uint8_t *b)
{
    bil_image images[2] = {new_image(d), new_image(d)};
    bil_item items[2];
    uint16_t index = index_of(d, id);
    bil_image_put(&images[0], index, a);
    bil_image_put(&images[1], index, b);
    for (int i = 0; i < 2; i++)
        bil_image_item(&images[i], index, &items[i]);
    bil_relation relation = bil_relate(&items[0], &items[1], d);
    assert_int_equal(bil_relate(&items[1], &items[0], d), relation);
    assert_true(bil_relate(&items[0], &items[1], NULL) == BIL_REL_EQUAL || relation != BIL_REL_EQUAL);
    free_image(&images[0]);
    free_image(&images[1]);
    return relation;
}

static void what_is_tolerated(void **state)
{
    (void)state;
    const bil_description *d = &bil_description_ed_30;
    /* ramps are rounded to 10 ms: 12.344 and 12.336 become the same, 12.344 and 12.345 don't */
    dice dice_ = {99};
    for (unsigned i = 0; i < rounds(20000); i++) {
        uint32_t a = roll_below(&dice_, 100000), b = a + roll_below(&dice_, 14);
        uint8_t x[] = {0, (uint8_t)(a >> 16), (uint8_t)(a >> 8), (uint8_t)a};
        uint8_t y[] = {0, (uint8_t)(b >> 16), (uint8_t)(b >> 8), (uint8_t)b};
        bil_relation want = a == b ? BIL_REL_EQUAL : (a + 5) / 10 == (b + 5) / 10 ? BIL_REL_WITHIN : BIL_REL_CHANGED;
        assert_int_equal(relation_of(d, "ramp.up", x, y), want);
    }
    /* the gain of a regulator: 0.01 per cent of it */
    for (unsigned i = 0; i < rounds(20000); i++) {
        float a = (float)(1 + roll_below(&dice_, 1000000)) / 1000.0f * (roll_below(&dice_, 2) ? 1 : -1);
        float b = a * (1.0f + (float)roll_below(&dice_, 3000) / 1e7f);
        uint32_t bits[2];
        memcpy(&bits[0], &a, 4);
        memcpy(&bits[1], &b, 4);
        uint8_t raw[2][4];
        for (int k = 0; k < 8; k++)
            raw[k / 4][k % 4] = (uint8_t)(bits[k / 4] >> (24 - 8 * (k % 4)));
        double share = ((double)b - (double)a) / (double)a;
        bil_relation relation = relation_of(d, "regulator.gain", raw[0], raw[1]);
        if (bits[0] == bits[1])
            assert_int_equal(relation, BIL_REL_EQUAL);
        else if (share > 1e-4) /* never more than said */
            assert_int_equal(relation, BIL_REL_CHANGED);
        else if (share < 0.45e-4) /* and at least half of it, as floats are spaced */
            assert_int_equal(relation, BIL_REL_WITHIN);
    }
}

/* ---- how two items relate: against the rules said in words ---- */

static bil_item random_item(dice *d, char *token)
{
    static const char *const units[] = {"", "s", "ms"};
    static const bil_type types[] = {BIL_U16, BIL_I16, BIL_TEXT, BIL_F32};
    bil_type type = types[roll_below(d, 4)];
    bil_item item = {.id = {"x", 1},
                     .type = type,
                     .cls = roll_below(d, 8) ? BIL_CLASS_SETUP : BIL_CLASS_PLACE,
                     .size = (uint8_t)(type == BIL_F32    ? 4
                                       : type == BIL_TEXT ? 2 * (1 + roll_below(d, 2))
                                                          : 2)};
    const char *unit = units[roll_below(d, 8) < 6 ? 0 : 1 + roll_below(d, 2)];
    item.unit = (bil_str){unit[0] ? unit : NULL, strlen(unit)};
    item.unreadable = roll_below(d, 10) ? BIL_OK : BIL_E_REFUSED;
    item.raw[1] = (uint8_t)roll_below(d, 3);
    switch (roll_below(d, 4)) {
    case 0:
        snprintf(token, 8, "null");
        break;
    case 1:
        token[0] = '\0';
        break;
    default:
        snprintf(token, 8, "%u", roll_below(d, 5) ? item.raw[1] : 10u * item.raw[1]);
    }
    item.value = (bil_str){token[0] ? token : NULL, strlen(token)};
    return item;
}

static bool says(const bil_item *item)
{
    return item->value.length > 0 && item->value.text[0] != 'n';
}

static void relations_are_as_said(void **state)
{
    (void)state;
    dice d = {27};
    unsigned seen[BIL_RELATION_COUNT] = {0};
    for (unsigned i = 0; i < rounds(200000); i++) {
        char tokens[2][8];
        bil_item a = random_item(&d, tokens[0]), b = random_item(&d, tokens[1]);
        bool bits = a.size == b.size && memcmp(a.raw, b.raw, a.size) == 0;
        bool words = a.value.length == b.value.length && strcmp(tokens[0], tokens[1]) == 0;
        bil_relation want =
            a.type != b.type || a.cls != b.cls || a.unit.length != b.unit.length               ? BIL_REL_NOT_COMPARABLE
            : a.unreadable || b.unreadable                                                     ? BIL_REL_UNREADABLE
            : a.type != BIL_TEXT && a.type != BIL_F32 && says(&a) && says(&b) && bits != words ? BIL_REL_NOT_COMPARABLE
            : bits                                                                             ? BIL_REL_EQUAL
                                                                                               : BIL_REL_CHANGED;
        bil_relation got = bil_relate(&a, &b, i % 2 ? &bil_description_ed_30 : NULL);
        assert_int_equal(got, want);
        seen[got]++;
    }
    assert_true(seen[BIL_REL_EQUAL] && seen[BIL_REL_CHANGED] && seen[BIL_REL_UNREADABLE] &&
                seen[BIL_REL_NOT_COMPARABLE]);
    /* an item that the description has in another way is never tolerated */
    bil_item a = {.id = {"ramp.up", 7}, .type = BIL_U32, .size = 4}, b = a;
    b.raw[3] = 1;
    assert_int_equal(bil_relate(&a, &b, &bil_description_ed_30), BIL_REL_WITHIN);
    a.type = b.type = BIL_I32;
    assert_int_equal(bil_relate(&a, &b, &bil_description_ed_30), BIL_REL_CHANGED);
    a.type = b.type = BIL_U32;
    a.size = b.size = 2;
    b.raw[1] = 1;
    assert_int_equal(bil_relate(&a, &b, &bil_description_ed_30), BIL_REL_CHANGED);
}

int main(void)
{
    const struct CMUnitTest tests[] = {cmocka_unit_test(as_brute_force_says),
                                       cmocka_unit_test(a_broken_side_is_named),
                                       cmocka_unit_test(what_is_tolerated),
                                       cmocka_unit_test(relations_are_as_said),
                                       cmocka_unit_test(files_are_compared_quickly_and_surely),
                                       cmocka_unit_test(images_are_sources)};
    return cmocka_run_group_tests_name("compare", tests, NULL, NULL);
}

/* Floats of 32 bits: raw to text to raw is the same bits. Every 65,537th one; all of them, which takes hours, with the
 * argument "all", and a part of all with "all PART PARTS". */
#include "help.h"

static uint64_t first, last = UINT32_MAX;
static uint32_t stride = 65537;

/* Is there a number with one digit less that has the same bits? Looked for among the neighbours of this one. */
static bool has_fewer(uint64_t bits, const char *text)
{
    char digits[40];
    int count = 0, power = 0;
    bool point = false, first_digit = false;
    const char *c = text + (*text == '-');
    for (; *c && *c != 'e'; c++) {
        point = point || *c == '.';
        if (*c == '.')
            continue;
        first_digit = first_digit || *c != '0';
        power -= point;
        if (first_digit)
            digits[count++] = *c;
    }
    while (count > 1 && digits[count - 1] == '0') {
        count--;
        power++;
    }
    digits[count] = '\0';
    if (*c == 'e')
        power += atoi(c + 1);
    uint32_t magnitude = (uint32_t)bits & 0x7fffffffu;
    long long number = count > 1 ? atoll(digits) / 10 : 0;
    for (long long other = number - 1; other <= number + 2 && count > 1; other++) {
        char shorter[60];
        snprintf(shorter, sizeof shorter, "%llde%d", other, power + 1);
        float f = strtof(shorter, NULL);
        uint32_t same;
        memcpy(&same, &f, sizeof same);
        if (same == magnitude)
            return true;
    }
    return false;
}

/* As a person writes it. */
static void known_texts(void **state)
{
    (void)state;
    static const struct {
        uint32_t bits;
        const char *text;
    } cases[] = {{0x447a0000, "1000"},
                 {0x3f800000, "1"},
                 {0xc7c35000, "-100000"},
                 {0x3dcccccd, "0.1"},
                 {0x3727c5ac, "0.00001"},
                 {0x358637bd, "1e-06"},
                 {0x4b800000, "16777216"},
                 {0x00000001, "1e-45"},
                 {0x7f7fffff, "3.4028235e+38"},
                 {0x80000000, "-0"},
                 {0x00000000, "0"},
                 {0x42f6e979, "123.456"},
                 {0x58635fa9, "1e+15"},
                 {0x56b5e621, "100000000000000"}};
    bil_format f = {.type = BIL_F32, .size = 4, .mul = 1};
    for (size_t i = 0; i < sizeof cases / sizeof cases[0]; i++) {
        uint32_t bits = cases[i].bits;
        uint8_t raw[4] = {(uint8_t)(bits >> 24), (uint8_t)(bits >> 16), (uint8_t)(bits >> 8), (uint8_t)bits};
        char text[BIL_VALUE_TEXT];
        assert_int_equal(bil_value_text(&f, raw, &host_floats, text, sizeof text), BIL_OK);
        assert_string_equal(text, cases[i].text);
    }
}

/* |a - b| <= share * max, against long doubles, which hold all of that exactly; at the edge and one bit beyond it. */
static void near_is_what_it_says(void **state)
{
    (void)state;
    dice d = {271828};
    unsigned near = 0;
    for (unsigned i = 0; i < rounds(400000); i++) {
        bil_format f = {.type = BIL_F32, .size = 4, .mul = 1, .tolerance = 1 + roll_below(&d, 10000)};
        uint32_t a = (uint32_t)roll(&d), b = a + roll_below(&d, 1u << roll_below(&d, 24));
        if (roll_below(&d, 50) == 0)
            b ^= UINT32_C(1) << 31;
        float x, y;
        memcpy(&x, &a, sizeof x);
        memcpy(&y, &b, sizeof y);
        if (x != x || y != y || x - x != 0 || y - y != 0)
            continue; /* no numbers */
        long double apart = (long double)x - (long double)y, one = x < 0 ? -(long double)x : (long double)x,
                    two = y < 0 ? -(long double)y : (long double)y;
        bool wanted = (apart < 0 ? -apart : apart) * 100000.0L <= (one > two ? one : two) * f.tolerance;
        uint8_t p[4] = {(uint8_t)(a >> 24), (uint8_t)(a >> 16), (uint8_t)(a >> 8), (uint8_t)a};
        uint8_t q[4] = {(uint8_t)(b >> 24), (uint8_t)(b >> 16), (uint8_t)(b >> 8), (uint8_t)b};
        assert_int_equal(bil_value_near(&f, p, q), wanted);
        assert_int_equal(bil_value_near(&f, q, p), wanted);
        near += wanted;
    }
    assert_true(near > 1000);
    for (unsigned i = 0; i < rounds(100000); i++) { /* whole numbers, in raw units */
        bil_format f = {.type = BIL_I16, .size = 2, .mul = 1, .tolerance = roll_below(&d, 50)};
        int a = (int)roll_below(&d, 200) - 100, b = (int)roll_below(&d, 200) - 100;
        uint8_t p[2] = {(uint8_t)((unsigned)a >> 8), (uint8_t)a}, q[2] = {(uint8_t)((unsigned)b >> 8), (uint8_t)b};
        bool wanted = f.tolerance && (unsigned)abs(a - b) <= f.tolerance;
        assert_int_equal(bil_value_near(&f, p, q), wanted);
    }
    bil_format none = {.type = BIL_F32, .size = 4, .mul = 1, .tolerance = 10000};
    const uint8_t zero[4] = {0, 0, 0, 0}, minus_zero[4] = {0x80, 0, 0, 0}, tiny[4] = {0, 0, 0, 9},
                  infinite[4] = {0x7f, 0x80, 0, 0};
    assert_true(bil_value_near(&none, zero, minus_zero));
    assert_false(bil_value_near(&none, zero, tiny));
    assert_true(bil_value_near(&none, tiny, tiny));
    assert_false(bil_value_near(&none, infinite, infinite));
    bil_format share = {.type = BIL_F32, .size = 4, .mul = 1, .tolerance = 100}; /* 0.1 % */
    const uint8_t thousand[4] = {0x44, 0x7a, 0, 0}, and_0_9[4] = {0x44, 0x7a, 0x39, 0x9a},
                  and_1_1[4] = {0x44, 0x7a, 0x46, 0x66};
    assert_true(bil_value_near(&share, thousand, and_0_9));
    assert_false(bil_value_near(&share, thousand, and_1_1));
}

static void text_and_back(void **state)
{
    (void)state;
    bil_format f = {.type = BIL_F32, .size = 4, .mul = 1};
    uint64_t tried = 0, without_text = 0;
    for (uint64_t bits = first; bits <= last; bits += stride, tried++) {
        uint8_t raw[4] = {(uint8_t)(bits >> 24), (uint8_t)(bits >> 16), (uint8_t)(bits >> 8), (uint8_t)bits}, back[4];
        char text[BIL_VALUE_TEXT];
        if (bil_value_text(&f, raw, &host_floats, text, sizeof text) != BIL_OK) {
            assert_int_equal(bits & 0x7f800000, 0x7f800000); /* infinities and NaN */
            without_text++;
            continue;
        }
        if (bil_value_parse(&f, text, strlen(text), &host_floats, back) != BIL_OK || memcmp(raw, back, 4) != 0)
            fail_msg("%08x as \"%s\" comes back as another", (unsigned)bits, text);
        if (has_fewer(bits, text))
            fail_msg("%08x as \"%s\" could be shorter", (unsigned)bits, text);
    }
    print_message("%llu floats, %llu of them without text\n", (unsigned long long)tried,
                  (unsigned long long)without_text);
}

int main(int argc, char **argv)
{
    if (argc > 1 && strcmp(argv[1], "all") == 0)
        stride = 1;
    if (argc > 3) {
        uint64_t part = strtoull(argv[2], NULL, 10), parts = strtoull(argv[3], NULL, 10);
        first = (part << 32) / parts;
        last = ((part + 1) << 32) / parts - 1;
    }
    const struct CMUnitTest tests[] = {cmocka_unit_test(text_and_back), cmocka_unit_test(known_texts),
                                       cmocka_unit_test(near_is_what_it_says)};
    return cmocka_run_group_tests_name("floats", tests, NULL, NULL);
}

/* Floats of 32 bits: raw to text to raw is the same bits. Every 65,537th one; all of them, which takes hours, with the
 * argument "all", and a part of all with "all PART PARTS". */
#include "help.h"

static uint64_t first, last = UINT32_MAX;
static uint32_t stride = 65537;

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
    const struct CMUnitTest tests[] = {cmocka_unit_test(text_and_back)};
    return cmocka_run_group_tests_name("floats", tests, NULL, NULL);
}

/* Raw to text to raw is the same bits; text is what long arithmetic says it is; cells are what the wire carries. */
#include <math.h>
#include <time.h>

#include "help.h"

static bil_format format_of(bil_type type, int32_t mul, int32_t offset, uint8_t decimals)
{
    return (bil_format){.type = (uint8_t)type,
                        .size = (uint8_t)bil_type_size(type),
                        .mul = mul,
                        .offset = offset,
                        .decimals = decimals};
}

/* The oracle: whole numbers, printed digit by digit from the end. What is scaled has at most 32 bits, so that 64
 * suffice. */
static void expected_text(const bil_format *f, uint64_t bits, char *out)
{
    unsigned width = 8u * f->size;
    bool negative = bil_type_is_signed((bil_type)f->type) && bits >> (width - 1) & 1;
    uint64_t value;
    if (width == 64) {
        value = negative ? UINT64_MAX - bits + 1 : bits;
    } else {
        int64_t number = ((int64_t)bits - (negative ? (int64_t)1 << width : 0)) * f->mul + f->offset;
        negative = number < 0;
        value = negative ? (uint64_t)-number : (uint64_t)number;
    }
    char back[60];
    size_t n = 0;
    for (unsigned digit = 0; value > 0 || digit <= f->decimals; digit++) {
        if (digit == f->decimals && digit > 0)
            back[n++] = '.';
        back[n++] = (char)('0' + (int)(value % 10));
        value /= 10;
    }
    if (negative)
        back[n++] = '-';
    for (size_t i = 0; i < n; i++)
        out[i] = back[n - 1 - i];
    out[n] = '\0';
}

static void put_bits(uint8_t *raw, size_t size, uint64_t bits)
{
    for (size_t i = size; i-- > 0; bits >>= 8)
        raw[i] = (uint8_t)bits;
}

static void check_number(const bil_format *f, uint64_t bits)
{
    uint8_t raw[8], back[8];
    char text[BIL_VALUE_TEXT], expected[BIL_VALUE_TEXT];
    put_bits(raw, f->size, bits);
    assert_int_equal(bil_value_text(f, raw, NULL, text, sizeof text), BIL_OK);
    expected_text(f, bits, expected);
    assert_string_equal(text, expected);
    assert_int_equal(bil_value_parse(f, text, strlen(text), NULL, back), BIL_OK);
    assert_memory_equal(raw, back, f->size);
}

static const struct {
    int32_t mul, offset;
    uint8_t decimals;
} scales[] = {{1, 0, 0},   {1, 0, 1},       {1, 0, 3},
              {25, 0, 2},  {-1, 0, 2},      {5, -400, 1},
              {1, 273, 0}, {-7, 123456, 4}, {INT32_MAX, INT32_MIN + 1, 9},
              {1, 0, 9}};

static void numbers_of_8_and_16_bits_all(void **state)
{
    (void)state;
    static const bil_type types[] = {BIL_U8, BIL_I8, BIL_U16, BIL_I16};
    for (size_t t = 0; t < 4; t++)
        for (size_t s = 0; s < sizeof scales / sizeof scales[0]; s++) {
            bil_format f = format_of(types[t], scales[s].mul, scales[s].offset, scales[s].decimals);
            for (uint32_t bits = 0; bits < 1u << (8 * f.size); bits++)
                check_number(&f, bits);
        }
}

static void numbers_of_32_and_64_bits_at_random(void **state)
{
    (void)state;
    static const bil_type types[] = {BIL_U32, BIL_I32, BIL_U64, BIL_I64};
    dice d = {20261123};
    for (size_t t = 0; t < 4; t++)
        for (size_t s = 0; s < sizeof scales / sizeof scales[0]; s++) {
            bool wide_type = types[t] == BIL_U64 || types[t] == BIL_I64;
            bil_format f = format_of(types[t], wide_type ? 1 : scales[s].mul, wide_type ? 0 : scales[s].offset,
                                     wide_type ? (uint8_t)(2 * s) : scales[s].decimals);
            uint64_t mask = wide_type ? UINT64_MAX : UINT32_MAX;
            for (unsigned i = 0; i < rounds(20000); i++)
                check_number(&f, roll(&d) >> roll_below(&d, 64) & mask);
            static const uint64_t edges[] = {0,          1,         0x7fffffff,        0x80000000,
                                             0xffffffff, INT64_MAX, UINT64_C(1) << 63, UINT64_MAX};
            for (size_t i = 0; i < 8; i++)
                check_number(&f, edges[i] & mask);
        }
}

static void floats_keep_their_bits(void **state)
{
    (void)state;
    dice d = {7};
    bil_format f32 = format_of(BIL_F32, 1, 0, 0), f64 = format_of(BIL_F64, 1, 0, 0);
    for (unsigned i = 0; i < rounds(200000); i++) {
        const bil_format *f = i % 2 ? &f64 : &f32;
        uint8_t raw[8], back[8];
        put_bits(raw, f->size, roll(&d));
        char text[BIL_VALUE_TEXT];
        int error = bil_value_text(f, raw, &host_floats, text, sizeof text);
        if (error) { /* infinities and NaN have no text */
            bool huge = f->size == 4 ? (raw[0] & 0x7f) == 0x7f && raw[1] & 0x80
                                     : (raw[0] & 0x7f) == 0x7f && (raw[1] & 0xf0) == 0xf0;
            assert_int_equal(error, BIL_E_NO_TEXT);
            assert_true(huge);
            continue;
        }
        assert_int_equal(bil_value_parse(f, text, strlen(text), &host_floats, back), BIL_OK);
        assert_memory_equal(raw, back, f->size);
        assert_int_equal(bil_value_text(f, raw, NULL, text, sizeof text), BIL_E_NO_TEXT);
    }
}

/* The digits of a number, without what stands around them. */
static void digits_of(const char *text, char out[64])
{
    size_t used = 0;
    for (; *text && *text != 'e'; text++)
        if (*text >= '0' && *text <= '9' && (used || *text != '0'))
            out[used++] = *text;
    while (used && out[used - 1] == '0')
        used--;
    out[used] = '\0';
}

/* The same digits as without a scale, the point elsewhere, and the same bits back. */
static void scaled_floats_have_their_point_elsewhere(void **state)
{
    (void)state;
    dice d = {11};
    for (unsigned i = 0; i < rounds(100000); i++) {
        static const int32_t muls[] = {1, 10, 100, 1000, 10000, 100000, 1000000, 10000000, 100000000, 1000000000};
        int up = (int)roll_below(&d, 10), down = up ? 0 : (int)roll_below(&d, 10);
        bil_format plain = format_of(i % 2 ? BIL_F64 : BIL_F32, 1, 0, 0);
        bil_format scaled = format_of(i % 2 ? BIL_F64 : BIL_F32, muls[up], 0, (uint8_t)down);
        uint8_t raw[8], back[8];
        char text[BIL_VALUE_TEXT], shown[BIL_VALUE_TEXT], digits[2][64];
        put_bits(raw, plain.size, roll(&d));
        if (bil_value_text(&plain, raw, &host_floats, text, sizeof text) != BIL_OK)
            continue;
        assert_int_equal(bil_value_text(&scaled, raw, &host_floats, shown, sizeof shown), BIL_OK);
        assert_int_equal(bil_value_parse(&scaled, shown, strlen(shown), &host_floats, back), BIL_OK);
        assert_memory_equal(raw, back, plain.size);
        digits_of(text, digits[0]);
        digits_of(shown, digits[1]);
        assert_string_equal(digits[0], digits[1]);
        long double was = strtold(text, NULL), is = strtold(shown, NULL);
        for (int k = 0; k < up; k++)
            was *= 10;
        for (int k = 0; k < down; k++)
            was /= 10;
        bool normal = fabsl(was) > 1e-290L && fabsl(was) < 1e290L; /* of a long double that is a double, too */
        assert_true(!normal || (is >= was - fabsl(was) * 1e-13L && is <= was + fabsl(was) * 1e-13L));
    }
    bil_format milli = format_of(BIL_F32, 1, 0, 3);
    uint8_t raw[4];
    char text[BIL_VALUE_TEXT];
    assert_int_equal(bil_value_parse(&milli, "1.5", 3, &host_floats, raw), BIL_OK);
    assert_memory_equal(raw, ((const uint8_t[]){0x44, 0xbb, 0x80, 0x00}), 4); /* 1500.0 */
    assert_int_equal(bil_value_parse(&milli, "1e36", 4, &host_floats, raw), BIL_E_RANGE);
    assert_int_equal(bil_value_parse(&milli, "0", 1, &host_floats, raw), BIL_OK);
    assert_int_equal(bil_value_text(&milli, raw, &host_floats, text, sizeof text), BIL_OK);
    assert_string_equal(text, "0");
}

static const bil_choice names[] = {{0, "zero"}, {3, "three"}, {7, "seven"}, {15, "last"}};

static void choices_and_bits_all(void **state)
{
    (void)state;
    static const bil_type types[] = {BIL_CHOICE8, BIL_CHOICE16, BIL_BITS8, BIL_BITS16};
    for (size_t t = 0; t < 4; t++) {
        bil_format f = format_of(types[t], 1, 0, 0);
        f.choices = names;
        f.choice_count = f.size == 1 && types[t] == BIL_BITS8 ? 3 : 4;
        for (uint32_t bits = 0; bits < 1u << (8 * f.size); bits++) {
            uint8_t raw[2], back[2];
            char text[BIL_VALUE_TEXT];
            put_bits(raw, f.size, bits);
            assert_int_equal(bil_value_text(&f, raw, NULL, text, sizeof text), BIL_OK);
            assert_int_equal(bil_value_parse(&f, text, strlen(text), NULL, back), BIL_OK);
            assert_memory_equal(raw, back, f.size);
            bool named = bits == 0 || bits == 3 || bits == 7 || bits == 15;
            if (types[t] == BIL_CHOICE16)
                assert_int_equal(bil_value_check(&f, raw), named ? BIL_OK : BIL_E_CHOICE);
        }
    }
    bil_format f = format_of(BIL_BITS16, 1, 0, 0);
    f.choices = names;
    f.choice_count = 4;
    char text[BIL_VALUE_TEXT];
    assert_int_equal(bil_value_text(&f, (const uint8_t[]){0x80, 0x29}, NULL, text, sizeof text), BIL_OK);
    assert_string_equal(text, "zero+three+last+0x20");
}

static void texts(void **state)
{
    (void)state;
    bil_format f = {.type = BIL_TEXT, .size = 8, .mul = 1};
    dice d = {99};
    unsigned printable = 0;
    for (int i = 0; i < 100000; i++) {
        uint8_t raw[8], back[8];
        for (size_t k = 0; k < 8; k++)
            raw[k] = (uint8_t)(roll_below(&d, 4)   ? 'a' + roll_below(&d, 26)
                               : roll_below(&d, 3) ? 0xc0 + roll_below(&d, 64)
                                                   : 0);
        char text[BIL_VALUE_TEXT];
        int error = bil_value_text(&f, raw, NULL, text, sizeof text);
        if (error)
            continue;
        printable++;
        assert_int_equal(bil_value_parse(&f, text, strlen(text), NULL, back), BIL_OK);
        assert_memory_equal(raw, back, 8);
    }
    assert_in_range(printable, 1000, 99000);
    static const char *const bad[] = {
        "\x80",  "\xc1\x81", "\xe0\x80\x80", "\xed\xa0\x80", "\xf0\x80\x80\x80", "\xf4\x90\x80\x80", "\xf8\x88\x80\x80",
        "a\x01", "\x7f",     "\xc2\x80",     "\xe2\x82"};
    for (size_t i = 0; i < sizeof bad / sizeof bad[0]; i++)
        assert_false(bil_text_is_printable(bad[i], strlen(bad[i])));
    assert_true(bil_text_is_printable("frantoio № 3, 20 °C, 橄榄", strlen("frantoio № 3, 20 °C, 橄榄")));
}

static void wrong_texts_are_refused(void **state)
{
    (void)state;
    bil_format cent = format_of(BIL_U16, 1, 0, 2), tenth = format_of(BIL_I8, 1, 0, 1),
               quarter = format_of(BIL_U8, 25, 0, 2);
    static const struct {
        int which;
        const char *text;
        int error;
    } cases[] = {{0, "", BIL_E_SYNTAX},     {0, ".5", BIL_E_SYNTAX},    {0, "5.", BIL_E_SYNTAX},
                 {0, "1,5", BIL_E_SYNTAX},  {0, "1e2", BIL_E_SYNTAX},   {0, "0x10", BIL_E_SYNTAX},
                 {0, "--1", BIL_E_SYNTAX},  {0, "1.2.3", BIL_E_SYNTAX}, {0, "1.234", BIL_E_INEXACT},
                 {0, "1.2300", BIL_OK},     {0, "655.35", BIL_OK},      {0, "655.36", BIL_E_RANGE},
                 {0, "-0.01", BIL_E_RANGE}, {0, "-0", BIL_OK},          {0, "99999999999999999999999", BIL_E_RANGE},
                 {1, "12.7", BIL_OK},       {1, "12.8", BIL_E_RANGE},   {1, "-12.8", BIL_OK},
                 {1, "-12.9", BIL_E_RANGE}, {2, "0.30", BIL_E_INEXACT}, {2, "63.75", BIL_OK},
                 {2, "64.00", BIL_E_RANGE}};
    const bil_format *formats[] = {&cent, &tenth, &quarter};
    for (size_t i = 0; i < sizeof cases / sizeof cases[0]; i++) {
        uint8_t raw[8];
        int error = bil_value_parse(formats[cases[i].which], cases[i].text, strlen(cases[i].text), NULL, raw);
        if (error != cases[i].error)
            fail_msg("\"%s\" gives %s", cases[i].text, bil_error_name(error));
    }
    static const char *const floats[] = {"", "nan", "inf", "0x1p3", "1e999", "1,5", "abc", " 1"};
    bil_format f32 = format_of(BIL_F32, 1, 0, 0);
    for (size_t i = 0; i < sizeof floats / sizeof floats[0]; i++) {
        uint8_t raw[8];
        assert_int_not_equal(bil_value_parse(&f32, floats[i], strlen(floats[i]), &host_floats, raw), BIL_OK);
    }
    char small[3];
    assert_int_equal(bil_value_text(&cent, (const uint8_t[]){0xff, 0xff}, NULL, small, sizeof small), BIL_E_SPACE);
}

/* Keys order values as the numbers they stand for. */
static void keys_sort_like_values(void **state)
{
    (void)state;
    dice d = {5};
    for (int i = 0; i < 100000; i++) {
        uint64_t a = roll(&d), b = roll_below(&d, 4) ? roll(&d) : a + 1;
        uint8_t x[8], y[8];
        put_bits(x, 8, a);
        put_bits(y, 8, b);
        uint64_t kx = bil_value_key(BIL_I64, x, 8), ky = bil_value_key(BIL_I64, y, 8);
        assert_int_equal((int64_t)a < (int64_t)b, kx < ky);
        float fa, fb;
        uint32_t ha = (uint32_t)a, hb = (uint32_t)b;
        memcpy(&fa, &ha, 4);
        memcpy(&fb, &hb, 4);
        if (fa == fa && fb == fb && fa != fb)
            assert_int_equal(fa < fb, bil_value_key(BIL_F32, x + 4, 4) < bil_value_key(BIL_F32, y + 4, 4));
        int16_t sa = (int16_t)a, sb = (int16_t)b;
        assert_int_equal(sa < sb, bil_value_key(BIL_I16, x + 6, 2) < bil_value_key(BIL_I16, y + 6, 2));
    }
}

static void limits_steps_and_rounding(void **state)
{
    (void)state;
    /* every i16 against plain arithmetic: limits -100..1000, step 20 from the lower limit, rounded to 50 */
    for (int how = BIL_ROUND_NEAREST; how <= BIL_ROUND_UP; how++)
        for (int32_t v = INT16_MIN; v <= INT16_MAX; v++) {
            bil_format f = format_of(BIL_I16, 1, 0, 0);
            uint8_t raw[2], low[2], high[2], out[2];
            put_bits(low, 2, (uint64_t)(int64_t)-100);
            put_bits(high, 2, 1000);
            put_bits(raw, 2, (uint64_t)(int64_t)v);
            f.limited = true;
            f.low = bil_value_key(BIL_I16, low, 2);
            f.high = bil_value_key(BIL_I16, high, 2);
            f.step = 20;
            int expected = v < -100 || v > 1000 ? BIL_E_RANGE : (v + 100) % 20 ? BIL_E_STEP : BIL_OK;
            assert_int_equal(bil_value_check(&f, raw), expected);
            f.mul = -1; /* shown as -1000..100: steps count from the lowest value shown, which is raw 1000 */
            f.step = 30;
            expected = v < -100 || v > 1000 ? BIL_E_RANGE : (1000 - v) % 30 ? BIL_E_STEP : BIL_OK;
            assert_int_equal(bil_value_check(&f, raw), expected);
            if (v < -32700 || v > 32700)
                continue;
            f.rounding = (uint8_t)how;
            f.round_to = 50;
            bil_value_rounded(&f, raw, out);
            int32_t size = abs(v), down = size / 50 * 50, up = size % 50 ? down + 50 : down;
            int32_t kept = how == BIL_ROUND_DOWN ? down : how == BIL_ROUND_UP ? up : size - down >= 25 ? up : down;
            assert_int_equal((int16_t)(out[0] << 8 | out[1]), v < 0 ? -kept : kept);
        }
}

/* Word and byte order, pinned by hand for each of the four ways. */
static void cells_in_every_order(void **state)
{
    (void)state;
    static const uint16_t expected[4][4] = {{0x0102, 0x0304, 0x0506, 0x0708},
                                            {0x0708, 0x0506, 0x0304, 0x0102},
                                            {0x0201, 0x0403, 0x0605, 0x0807},
                                            {0x0807, 0x0605, 0x0403, 0x0201}};
    static const uint8_t raw[8] = {1, 2, 3, 4, 5, 6, 7, 8};
    for (uint8_t order = 0; order < 4; order++) {
        uint8_t back[BIL_TEXT_MAX];
        uint16_t cells[4];
        bil_format u64 = format_of(BIL_U64, 1, 0, 0), u32 = format_of(BIL_U32, 1, 0, 0),
                   text = {.type = BIL_TEXT, .size = 8};
        u64.order = u32.order = text.order = order;
        bil_value_to_cells(&u64, raw, cells);
        assert_memory_equal(cells, expected[order], sizeof cells);
        assert_int_equal(bil_value_from_cells(&u64, cells, back), BIL_OK);
        assert_memory_equal(back, raw, 8);
        bil_value_to_cells(&u32, raw, cells);
        assert_int_equal(cells[order & BIL_LOW_CELL_FIRST ? 1 : 0], order & BIL_LOW_BYTE_FIRST ? 0x0201 : 0x0102);
        bil_value_to_cells(&text, raw, cells); /* text keeps the order of its cells */
        assert_memory_equal(cells, expected[order & BIL_LOW_BYTE_FIRST], sizeof cells);
    }
    /* every cell for every 8 bit type: taken without loss, or refused */
    static const bil_type small[] = {BIL_BOOL, BIL_U8, BIL_I8, BIL_CHOICE8, BIL_BITS8};
    for (size_t t = 0; t < 5; t++) {
        bil_format f = format_of(small[t], 1, 0, 0);
        unsigned taken = 0;
        for (uint32_t cell = 0; cell < 65536; cell++) {
            uint16_t in = (uint16_t)cell, out;
            uint8_t byte;
            if (bil_value_from_cells(&f, &in, &byte) != BIL_OK)
                continue;
            taken++;
            bil_value_to_cells(&f, &byte, &out);
            assert_int_equal(in, out);
        }
        assert_int_equal(taken, small[t] == BIL_BOOL ? 2 : 256);
    }
}

/* A value that has some bits of a cell is taken where these hold it, and only there. */
static void parts_hold_what_they_take(void **state)
{
    (void)state;
    for (unsigned width = 1; width <= 16; width++)
        for (unsigned raw = 0; raw <= UINT16_MAX; raw++) {
            bil_format f = {.type = BIL_BITS16,
                            .size = 2,
                            .mul = 1,
                            .width = (uint8_t)width,
                            .bit = (uint8_t)(16 - width),
                            .form = &bil_form_part,
                            .limited = true,
                            .high = (1u << width) - 1};
            uint8_t bytes[2] = {(uint8_t)(raw >> 8), (uint8_t)raw};
            uint16_t cell = 0x1234;
            bool fits = raw < 1u << width;
            assert_int_equal(bil_value_check(&f, bytes), fits ? BIL_OK : BIL_E_RANGE);
            assert_int_equal(bil_value_to_cells(&f, bytes, &cell), fits ? BIL_OK : BIL_E_RANGE);
            assert_int_equal(cell & ((1u << (16 - width)) - 1), 0x1234 & ((1u << (16 - width)) - 1));
            if (fits)
                assert_int_equal(cell >> (16 - width), raw);
        }
}

/* Every cell in every form: taken, and given back as it was, or refused. */
static void forms_of_one_cell(void **state)
{
    (void)state;
    static const struct {
        const bil_form *form;
        bil_type type;
        uint8_t size, bit, width;
        unsigned taken;                                    /* of 65536 */
    } forms[] = {{&bil_form_bcd, BIL_U16, 2, 0, 0, 10000}, /* four digits */
                 {&bil_form_bcd, BIL_U8, 1, 0, 0, 256},    /* 0000 to 0255 */
                 {&bil_form_bcd, BIL_U8, 1, 4, 8, 100 * 256},
                 {&bil_form_sign_magnitude, BIL_I16, 2, 0, 0, 65535}, /* all but the zero with a sign */
                 {&bil_form_sign_magnitude, BIL_I8, 1, 0, 0, 255},    /* -127 to 127 */
                 {&bil_form_sign_magnitude, BIL_I8, 1, 3, 4, 15 * 4096},
                 {&bil_form_part, BIL_I8, 1, 5, 3, 65536},
                 {&bil_form_part, BIL_U16, 2, 0, 16, 65536},
                 {&bil_form_part, BIL_BOOL, 1, 15, 1, 65536},
                 {&bil_form_blanks, BIL_TEXT, 1, 0, 0, 2 * 256}, /* with NUL, or a blank behind it */
                 {&bil_form_wide, BIL_TEXT, 1, 0, 0, 256},
                 {&bil_form_odd, BIL_TEXT, 1, 0, 0, 256},
                 {&bil_form_loose, BIL_TEXT, 1, 0, 0, 65536},
                 {&bil_form_loose, BIL_I8, 1, 0, 0, 65536}};
    for (size_t i = 0; i < sizeof forms / sizeof forms[0]; i++)
        for (uint8_t order = 0; order < 4; order++) {
            bil_format f = {.type = (uint8_t)forms[i].type,
                            .size = forms[i].size,
                            .mul = 1,
                            .order = order,
                            .form = forms[i].form,
                            .bit = forms[i].bit,
                            .width = forms[i].width};
            unsigned taken = 0;
            for (unsigned cell = 0; cell <= UINT16_MAX; cell++) {
                uint8_t raw[2], back[2];
                uint16_t in = (uint16_t)cell, out = in;
                if (bil_value_from_cells(&f, &in, raw) != BIL_OK)
                    continue;
                taken++;
                assert_int_equal(bil_value_to_cells(&f, raw, &out), BIL_OK);
                assert_int_equal(bil_value_from_cells(&f, &out, back), BIL_OK);
                assert_memory_equal(raw, back, f.size);
                if (f.form != &bil_form_loose && f.form != &bil_form_blanks)
                    assert_int_equal(in, out);
            }
            if (taken != forms[i].taken)
                fail_msg("%s of %s: %u cells are taken", f.form->name, bil_type_name(forms[i].type), taken);
        }
}

/* Every day of every year, and those that don't exist, by the calendar of the C library: in cells, as text and back. */
static void times(void **state)
{
    (void)state;
    const bil_format wide = {.type = BIL_TIME, .size = 6, .mul = 1, .form = &bil_form_time_wide};
    bil_format others[] = {wide, wide};
    others[0].form = &bil_form_time_bcd;
    others[1].form = &bil_form_time_seconds;
    unsigned existing = 0;
    const bool all = sizeof(time_t) > 4; /* with seconds of 32 bits the C library's calendar is a short one */
    for (int year = all ? 1899 : 1903; year <= (all ? 2301 : 2036); year++)
        for (int month = 0; month <= 13; month++)
            for (int day = 0; day <= 32; day++) {
                struct tm tm = {.tm_year = year - 1900, .tm_mon = month - 1, .tm_mday = day, .tm_hour = day % 24},
                          as = tm;
                tm.tm_min = as.tm_min = (7 * day + month) % 60;
                time_t when = timegm(&as);
                bool exists = as.tm_year == tm.tm_year && as.tm_mon == tm.tm_mon && as.tm_mday == tm.tm_mday;
                uint16_t cells[6] = {(uint16_t)year,       (uint16_t)month,     (uint16_t)day,
                                     (uint16_t)tm.tm_hour, (uint16_t)tm.tm_min, 0};
                uint16_t back[6];
                uint8_t raw[6], again[6];
                char text[80], shown[BIL_VALUE_TEXT];
                snprintf(text, sizeof text, "%04d-%02d-%02d %02d:%02d:00", year, month, day, tm.tm_hour, tm.tm_min);
                assert_int_equal(bil_value_from_cells(&wide, cells, raw), exists ? BIL_OK : BIL_E_ENCODING);
                assert_int_equal(bil_value_parse(&wide, text, strlen(text), NULL, again),
                                 exists ? BIL_OK : BIL_E_RANGE);
                bil_value_put_number(
                    again, 6,
                    ((((uint64_t)year * 100 + (unsigned)month) * 100 + (unsigned)day) * 100 + (unsigned)tm.tm_hour) *
                            10000 +
                        (unsigned)tm.tm_min * 100u);
                assert_int_equal(bil_value_check(&wide, again), exists ? BIL_OK : BIL_E_RANGE);
                if (!exists)
                    continue;
                existing++;
                assert_int_equal(bil_value_check(&wide, raw), BIL_OK);
                assert_memory_equal(raw, again, 6);
                assert_int_equal(bil_value_text(&wide, raw, NULL, shown, sizeof shown), BIL_OK);
                assert_string_equal(shown, text);
                assert_int_equal(bil_value_to_cells(&wide, raw, back), BIL_OK);
                assert_memory_equal(back, cells, sizeof cells);
                int64_t since = when;
                bool bcd = year >= 2000 && year < 2100, seconds = since >= 0 && since <= (int64_t)UINT32_MAX;
                assert_int_equal(bil_value_to_cells(&others[0], raw, back), bcd ? BIL_OK : BIL_E_RANGE);
                if (bcd) {
                    unsigned digits[3];
                    strftime(text, sizeof text, "%y%m %d%H %M00", &as);
                    assert_int_equal(sscanf(text, "%x %x %x", &digits[0], &digits[1], &digits[2]), 3);
                    for (int i = 0; i < 3; i++)
                        assert_int_equal(back[i], digits[i]);
                    assert_int_equal(bil_value_from_cells(&others[0], back, again), BIL_OK);
                    assert_memory_equal(raw, again, 6);
                }
                assert_int_equal(bil_value_to_cells(&others[1], raw, back), seconds ? BIL_OK : BIL_E_RANGE);
                if (seconds) {
                    assert_int_equal((time_t)((uint32_t)back[0] << 16 | back[1]), when);
                    assert_int_equal(bil_value_from_cells(&others[1], back, again), BIL_OK);
                    assert_memory_equal(raw, again, 6);
                }
            }
    if (all)
        assert_int_equal(existing, 403 * 365 + 97); /* leap years: 2000 is one, 1900, 2100, 2200 and 2300 aren't */
    static const uint16_t no_digits[][3] = {{0x26a1, 0x3017, 0x3540}, {0xa611, 0x3017, 0x3540},
                                            {0x2611, 0x3024, 0x3540}, {0x2611, 0x3017, 0x6040},
                                            {0x2611, 0x3017, 0x3560}, {0x2602, 0x3017, 0x3540}};
    for (size_t i = 0; i < sizeof no_digits / sizeof no_digits[0]; i++) {
        uint8_t raw[6];
        assert_int_equal(bil_value_from_cells(&others[0], no_digits[i], raw), BIL_E_ENCODING);
    }
    static const char *const wrong[] = {"2026-11-30", "2026-11-30 17:35", "2026-11-30T17:35:40", "2026-11-3x 17:35:40",
                                        "2026-11-30 17:35:400"};
    for (size_t i = 0; i < sizeof wrong / sizeof wrong[0]; i++) {
        uint8_t raw[6];
        assert_int_equal(bil_value_parse(&wide, wrong[i], strlen(wrong[i]), NULL, raw), BIL_E_SYNTAX);
    }
}

int main(void)
{
    const struct CMUnitTest tests[] = {
        cmocka_unit_test(times),
        cmocka_unit_test(parts_hold_what_they_take),
        cmocka_unit_test(forms_of_one_cell),
        cmocka_unit_test(numbers_of_8_and_16_bits_all),
        cmocka_unit_test(numbers_of_32_and_64_bits_at_random),
        cmocka_unit_test(floats_keep_their_bits),
        cmocka_unit_test(scaled_floats_have_their_point_elsewhere),
        cmocka_unit_test(choices_and_bits_all),
        cmocka_unit_test(texts),
        cmocka_unit_test(wrong_texts_are_refused),
        cmocka_unit_test(keys_sort_like_values),
        cmocka_unit_test(limits_steps_and_rounding),
        cmocka_unit_test(cells_in_every_order),
    };
    return cmocka_run_group_tests_name("value", tests, NULL, NULL);
}

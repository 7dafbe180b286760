/* The edges of the core: memory that is too small by a byte, names that nobody knows, lines at every limit of the
 * format. */
#include "bilancia/host_error.h"
#include "bilancia/words.h"
#include "help.h"

static void start(void *ctx)
{
    (void)ctx;
}
static void add(void *ctx, const void *bytes, size_t count)
{
    (void)ctx;
    (void)bytes;
    (void)count;
}
static void end(void *ctx, uint8_t out[BIL_SHA256])
{
    (void)ctx;
    memset(out, 0, BIL_SHA256);
}
static const bil_digest_ops no_digest = {start, add, end}; /* here only the lines are at fault */
static const bil_digest none = {&no_digest, NULL};

#define ZEROS "0000000000000000000000000000000000000000000000000000000000000000"
#define HEADER_OF(layout, parent, when)                                                                                \
    "{\"bilancia_set\":0,\"vendor\":\"\",\"model\":\"\",\"hardware\":\"\",\"firmware\":\"\",\"serial\":\"\","          \
    "\"device\":\"\",\"description\":{\"model\":\"\",\"revision\":0,\"layout\":\"" layout "\"},"                       \
    "\"parent\":\"" parent "\",\"when\":\"" when "\",\"who\":\"\",\"why\":\"\",\"scope\":\"\",\"from\":\"\"}\n"
#define HEADER HEADER_OF("", "", "")
#define END(counts) "{\"end\":{" counts ",\"values_digest\":\"" ZEROS "\",\"digest\":\"" ZEROS "\"}}\n"
#define COUNTS "\"values\":0,\"unreadable\":0,\"left_out\":0,\"files\":"

/* Reads lines; the first error, or whether it was whole. */
static int read_lines(const char *text, size_t size)
{
    bil_set_reader reader;
    bil_set_reader_init(&reader, none, none);
    for (size_t at = 0, length; at < size; at += length) {
        const char *lf = memchr(text + at, '\n', size - at);
        bil_line_kind kind;
        length = lf ? (size_t)(lf - text) + 1 - at : size - at;
        int error = bil_set_reader_line(&reader, text + at, length, &kind);
        if (error) {
            assert_int_equal(bil_set_reader_line(&reader, HEADER, strlen(HEADER), &kind),
                             BIL_E_SET_LINE); /* it is final */
            return error;
        }
    }
    return bil_set_reader_whole(&reader);
}

static void lines_at_the_limits(void **state)
{
    (void)state;
    static const struct {
        int error;
        const char *lines;
    } cases[] = {
        {BIL_OK, HEADER END(COUNTS "0")},
        {BIL_OK, HEADER_OF(ZEROS, ZEROS, "2026-11-23T07:15:00Z") END(COUNTS "0")},
        {BIL_E_SET_LINE, HEADER_OF("00", ZEROS, "") END(COUNTS "0")},
        {BIL_E_SET_LINE, HEADER_OF(ZEROS "0", ZEROS, "") END(COUNTS "0")},
        {BIL_E_SET_LINE, HEADER_OF("", "A" ZEROS, "") END(COUNTS "0")},
        {BIL_E_SET_LINE, HEADER_OF("", "", "2026-11-23 07:15:00Z") END(COUNTS "0")},
        {BIL_E_SET_LINE, HEADER_OF("", "", "2026-11-23T07:15Z") END(COUNTS "0")},
        {BIL_E_SET_CUT, HEADER},
        {BIL_E_SET_LINE, "{}\n"},
        {BIL_E_SET_LINE, HEADER END("\"values\":4294967296,\"unreadable\":0,\"left_out\":0,\"files\":0")},
        {BIL_E_SET_LINE, HEADER END("\"values\":00,\"unreadable\":0,\"left_out\":0,\"files\":0")},
        {BIL_E_SET_LINE, HEADER END("\"values\":,\"unreadable\":0,\"left_out\":0,\"files\":0")},
        {BIL_E_SET_LINE,
         HEADER "{\"id\":\"a\",\"type\":\"bool\",\"class\":\"setup\",\"raw\":\"01\",\"value\":1,\"name\":\"\"}\n"},
        {BIL_E_SET_LINE,
         HEADER "{\"id\":\"a\",\"type\":\"bool\",\"class\":\"setup\",\"raw\":\"02\",\"value\":true,\"name\":\"\"}\n"},
        {BIL_E_SET_LINE,
         HEADER "{\"id\":\"a\",\"type\":\"bool\",\"class\":\"setup\",\"raw\":\"00\",\"value\":true,\"name\":\"\"}\n"},
        {BIL_E_SET_LINE,
         HEADER "{\"id\":\"a\",\"type\":\"u8\",\"class\":\"setup\",\"raw\":\"01\",\"value\":\"1\",\"name\":\"\"}\n"},
        {BIL_E_SET_LINE,
         HEADER "{\"id\":\"a\",\"type\":\"u8\",\"class\":\"setup\",\"raw\":\"01\",\"value\":null,\"name\":\"\"}\n"},
        {BIL_E_SET_LINE, HEADER "{\"id\":\"a\",\"type\":\"u64\",\"class\":\"setup\",\"raw\":\"0000000000000001\","
                                "\"value\":1,\"name\":\"\"}\n"},
        {BIL_E_SET_LINE, HEADER "{\"id\":\"a\",\"type\":\"i64\",\"class\":\"setup\",\"raw\":\"0000000000000001\","
                                "\"value\":null,\"name\":\"\"}\n"},
        {BIL_E_SET_LINE,
         HEADER "{\"id\":\"a\",\"type\":\"choice8\",\"class\":\"setup\",\"raw\":\"01\",\"value\":1,\"name\":\"\"}\n"},
        {BIL_E_SET_LINE,
         HEADER "{\"id\":\"a\",\"type\":\"bits16\",\"class\":\"setup\",\"raw\":\"0001\",\"value\":1,\"name\":\"\"}\n"},
        {BIL_E_SET_LINE, HEADER
         "{\"id\":\"a\",\"type\":\"f32\",\"class\":\"setup\",\"raw\":\"3f800000\",\"value\":\"1\",\"name\":\"\"}\n"},
        {BIL_E_SET_LINE,
         HEADER "{\"id\":\"a\",\"type\":\"text\",\"class\":\"setup\",\"raw\":\"41\",\"value\":65,\"name\":\"\"}\n"},
        {BIL_E_SET_LINE,
         HEADER "{\"id\":\"a\",\"type\":\"i16\",\"class\":\"setup\",\"raw\":\"0001\",\"value\":true,\"name\":\"\"}\n"},
        {BIL_E_SET_LINE, HEADER "{\"end\":{" COUNTS "0,\"values_digest\":\"00\",\"digest\":\"" ZEROS "\"}}\n"},
        {BIL_E_SET_LINE, HEADER "{\"end\":{" COUNTS "0,\"values_digest\":\"" ZEROS "\",\"digest\":\"00\"}}\n"},
        {BIL_E_SET_COUNT, HEADER END(COUNTS "1")},
        {BIL_E_SET_LINE, HEADER "{\"file\":\"a\",\"bytes\":0}\n"},
        {BIL_E_SET_COUNT, HEADER "{\"file\":\"a\",\"bytes\":3}\n" END(COUNTS "1")},
        {BIL_E_SET_COUNT, HEADER "{\"file\":\"a\",\"bytes\":3}\n"
                                 "{\"file\":\"b\",\"bytes\":1}\n"},
        {BIL_E_SET_ORDER, HEADER "{\"file\":\"b\",\"bytes\":1}\n"
                                 "{\"chunk\":\"AA==\"}\n"
                                 "{\"file\":\"a\",\"bytes\":1}\n"},
        {BIL_E_SET_ORDER, HEADER "{\"file\":\"a\",\"bytes\":1}\n"
                                 "{\"chunk\":\"AA==\"}\n"
                                 "{\"file\":\"a\",\"bytes\":1}\n"},
        {BIL_E_SET_LINE, HEADER "{\"file\":\"\",\"bytes\":1}\n"},
        {BIL_E_SET_LINE, HEADER "{\"file\":\"A/b\",\"bytes\":1}\n"},
        {BIL_E_SET_LINE, HEADER "{\"file\":\"a\",\"bytes\":18446744073709551616}\n"},
        {BIL_E_SET_LINE, HEADER "{\"file\":\"a\",\"bytes\":01}\n"},
        {BIL_OK, HEADER "{\"file\":\"a\",\"bytes\":3}\n"
                        "{\"chunk\":\"AAAA\"}\n" END(COUNTS "1")},
        {BIL_OK, HEADER "{\"file\":\"a\",\"bytes\":3}\n"
                        "{\"chunk\":\"AAAA\"}\n"
                        "{\"file\":\"b\",\"bytes\":1}\n"
                        "{\"chunk\":\"AA==\"}\n" END(COUNTS "2")},
        {BIL_E_SET_LINE, HEADER "{\"chunk\":\"AAAA\"}\n"},
        {BIL_E_SET_LINE, HEADER "{\"file\":\"a\",\"bytes\":3}\n"
                                "{\"chunk\":\"AAAA\"}\n"
                                "{\"chunk\":\"AAAA\"}\n"},
        {BIL_E_SET_LINE, HEADER "{\"file\":\"a\",\"bytes\":3}\n"
                                "{\"chunk\":\"AAA\"}\n"},
        {BIL_E_SET_LINE, HEADER "{\"file\":\"a\",\"bytes\":3}\n"
                                "{\"chunk\":\"AAAAA\"}\n"},
        {BIL_E_SET_LINE, HEADER "{\"file\":\"a\",\"bytes\":3}\n"
                                "{\"chunk\":\"AAAAAAAA\"}\n"},
        {BIL_E_SET_LINE,
         HEADER "{\"file\":\"a\",\"bytes\":3}\n"
                "{\"id\":\"a\",\"type\":\"u8\",\"class\":\"setup\",\"raw\":\"00\",\"value\":0,\"name\":\"\"}\n"},
        {BIL_E_SET_LINE,
         HEADER "{\"id\":\"\",\"type\":\"u8\",\"class\":\"setup\",\"raw\":\"00\",\"value\":0,\"name\":\"\"}\n"},
        {BIL_E_SET_LINE, HEADER "{\"id\":\"aaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaa\",\"type\":"
                                "\"u8\",\"class\":\"setup\",\"raw\":\"00\",\"value\":0,\"name\":\"\"}\n"},
        {BIL_E_SET_LINE, HEADER
         "{\"id\":\"a\",\"type\":\"f32\",\"class\":\"setup\",\"raw\":\"00000000\",\"value\":1e,\"name\":\"\"}\n"},
        {BIL_E_SET_LINE, HEADER
         "{\"id\":\"a\",\"type\":\"text\",\"class\":\"setup\",\"raw\":\"41\",\"value\":\"A\\\",\"name\":\"\"}\n"},
        {BIL_E_SET_LINE, HEADER "{\"id\":\"a\",\"type\":\"text\",\"class\":\"setup\",\"raw\":\"41\",\"value\":\"A\\"},
        {BIL_E_SET_LINE, HEADER
         "{\"id\":\"a\",\"type\":\"text\",\"class\":\"setup\",\"raw\":\"41\",\"value\":\"\xc3\",\"name\":\"\"}\n"},
        {BIL_E_SET_LINE,
         HEADER "{\"id\":\"a\",\"type\":\"text\",\"class\":\"setup\",\"raw\":\"4g\",\"value\":\"A\",\"name\":\"\"}\n"},
        {BIL_E_SET_CUT, HEADER "{\"id\":\"a\""},
    };
    for (size_t i = 0; i < sizeof cases / sizeof cases[0]; i++) {
        int error = read_lines(cases[i].lines, strlen(cases[i].lines));
        int expected = cases[i].error;
        if (cases[i].lines[strlen(cases[i].lines) - 1] != '\n')
            expected = BIL_E_SET_CUT;
        if (error != expected)
            fail_msg("%s gives %s", cases[i].lines + (strlen(cases[i].lines) > 300 ? 250 : 0), bil_error_name(error));
    }
    static char overlong[BIL_SET_LINE + 2];
    memset(overlong, 'x', BIL_SET_LINE);
    overlong[BIL_SET_LINE] = '\n';
    assert_int_equal(read_lines(overlong, BIL_SET_LINE + 1), BIL_E_SET_LONG);
}

static bil_str str(const char *text)
{
    return (bil_str){text, strlen(text)};
}

static void the_writer_refuses_what_doesnt_fit(void **state)
{
    (void)state;
    bil_set_writer writer;
    char line[BIL_SET_LINE];
    static char text[BIL_SET_LINE + 1];
    size_t length;
    memset(text, 't', BIL_SET_LINE);
    bil_set_header header = {.why = str("a\tb")};
    assert_int_equal(bil_set_begin(&writer, none, none, NULL, &header, line, &length), BIL_E_SYNTAX);
    header.why = str(text);
    assert_int_equal(bil_set_begin(&writer, none, none, NULL, &header, line, &length), BIL_E_SPACE);
    header.why = str("say \"olio\" \\ è");
    assert_int_equal(bil_set_begin(&writer, none, none, NULL, &header, line, &length), BIL_OK);
    bil_item item = {.id = str("a"), .type = BIL_U8, .cls = BIL_CLASS_SETUP, .size = 1, .name = {text, 1000}};
    assert_int_equal(bil_set_item(&writer, &item, line, &length), BIL_E_SET_LONG);
    assert_int_equal(bil_set_file(&writer, (bil_str){text, 1010}, 1, line, &length), BIL_E_SET_LONG);
    assert_int_equal(bil_set_file(&writer, str("a"), UINT64_MAX, line, &length), BIL_OK);
    assert_int_equal(bil_set_chunk(&writer, (bil_str){text, BIL_SET_LINE}, line, &length), BIL_E_SPACE);
    assert_int_equal(bil_set_chunk(&writer, (bil_str){text, BIL_SET_CHUNK_TEXT}, line, &length), BIL_OK);
    /* the longest line that a description allows is taken */
    static const bil_format longest = {.type = BIL_TEXT, .size = BIL_TEXT_MAX, .mul = 1};
    char id[BIL_ID_MAX + 1] = {0}, name[BIL_NAME_MAX + 1] = {0}, unit[BIL_UNIT_MAX + 1] = {0};
    memset(id, 'i', BIL_ID_MAX);
    memset(name, 'n', BIL_NAME_MAX);
    memset(unit, 'u', BIL_UNIT_MAX);
    bil_param param = {.id = id, .name = name, .unit = unit, .format = &longest, .cls = BIL_CLASS_CALIBRATION};
    bil_description d = {.params = &param, .count = 1, .raw_size = BIL_TEXT_MAX};
    bil_image image = new_image(&d);
    uint8_t raw[BIL_TEXT_MAX];
    memset(raw, '"', sizeof raw); /* each takes an escape */
    bil_image_put(&image, 0, raw);
    assert_int_equal(bil_set_value(&writer, &image, 0, line, &length), BIL_OK);
    assert_true(length <= BIL_SET_ITEM_LINE);
    memset(raw, 1, sizeof raw); /* no text at all */
    bil_image_put(&image, 0, raw);
    assert_int_equal(bil_set_value(&writer, &image, 0, line, &length), BIL_OK);
    line[length] = '\0';
    assert_non_null(strstr(line, "\"value\":null"));
    free_image(&image);
}

/* All of Unicode, against a list of the standard: no text moves the cursor, breaks the line or turns the direction. */
static void texts_are_only_read(void **state)
{
    (void)state;
    static const uint32_t steering[] = {0x61c,  0x200e, 0x200f, 0x202a, 0x202b, 0x202c, 0x202d,
                                        0x202e, 0x2066, 0x2067, 0x2068, 0x2069, 0x2028, 0x2029};
    for (uint32_t c = 1; c <= 0x10ffff; c++) {
        bool bad = c < 0x20 || (c >= 0x7f && c < 0xa0) || (c >= 0xd800 && c <= 0xdfff);
        for (size_t i = 0; i < sizeof steering / sizeof steering[0]; i++)
            bad = bad || c == steering[i];
        char text[5];
        size_t length = utf8_of(c, text);
        assert_int_equal(bil_text_is_printable(text, length), !bad);
    }
}

static void memory_that_is_too_small(void **state)
{
    (void)state;
    const bil_description *d = &bil_description_ed_30;
    static uint8_t memory[8192];
    bil_image image;
    assert_int_equal(bil_image_init(&image, d, memory, bil_image_size(d) - 1), BIL_E_SPACE);
    assert_int_equal(bil_image_init(&image, d, memory, bil_image_size(d)), BIL_OK);
    char text[8] = "x";
    bil_image_identity(&image, BIL_ID_MODEL, text, 0);
    assert_string_equal(text, "x");
    bil_image_identity(&image, BIL_ID_MODEL, text, sizeof text); /* not known yet */
    assert_string_equal(text, "");
    uint16_t model = d->identity[BIL_ID_MODEL];
    bil_image_put(&image, model, (const uint8_t *)"\x01\x02\x03\0\0\0");
    bil_image_identity(&image, BIL_ID_MODEL, text, sizeof text); /* no text */
    assert_string_equal(text, "");
    /* every value of the drive, with every size of memory: never written beyond it */
    for (uint16_t i = 0; i < d->count; i++)
        for (size_t size = 0; size < 60; size++) {
            char out[64];
            memset(out, '#', sizeof out);
            int error = bil_value_text(d->params[i].format, bil_image_raw(&image, i), NULL, out, size);
            assert_int_equal(out[size], '#');
            if (error == BIL_OK)
                assert_true(strlen(out) < size);
        }
    char cut[4];
    assert_false(bil_str_plain(str("abcdef"), cut, sizeof cut));
    assert_string_equal(cut, "abc");
    assert_false(bil_str_plain(str("abc"), cut, 0));
    assert_true(bil_str_plain(str("\\\"\\\\"), cut, sizeof cut));
    assert_string_equal(cut, "\"\\");
    assert_true(bil_str_equal(str("ab"), str("ab")));
    assert_false(bil_str_equal(str("ab"), str("ac")) || bil_str_equal(str("ab"), str("a")));
}

/* A call that lacks something is an error, never a crash; programs built with a shorter or a longer struct work. */
static void a_job_looks_at_its_call(void **state)
{
    (void)state;
    struct {
        bil_job_config config;
        uint8_t later[16];
    } newer = {.config = {.struct_size = sizeof newer}};
    const bil_description *d = &bil_description_ed_30;
    bil_image image = new_image(d);
    size_t size = bil_job_size(d);
    uint8_t *memory = malloc(size + 1);
    bil_job *job;
    for (int kind = BIL_JOB_IDENTIFY; kind <= BIL_JOB_START + 1; kind++)
        for (unsigned lacks = 0; lacks < 64; lacks++) {
            bil_job_config c = {.struct_size = sizeof c,
                                .kind = (bil_job_kind)kind,
                                .description = lacks & 1 ? NULL : d,
                                .have = lacks & 2 ? NULL : &image,
                                .want = lacks & 4 ? NULL : &image,
                                .serial = lacks & 8 ? NULL : "1",
                                .firmware = lacks & 16 ? NULL : "1"};
            bool writes = kind == BIL_JOB_WRITE || kind == BIL_JOB_RESET;
            unsigned needs = 3 | (writes ? 28 : kind == BIL_JOB_START ? 8 : 0);
            bool good = kind <= BIL_JOB_START && !(lacks & needs) && !(lacks & 32);
            assert_int_equal(bil_job_init(&job, memory + (lacks >> 5), size, &c), good ? BIL_OK : BIL_E_BAD_CALL);
        }
    newer.config.kind = BIL_JOB_READ;
    newer.config.description = d;
    newer.config.have = &image;
    assert_int_equal(bil_job_init(&job, memory, size, &newer.config), BIL_OK);
    for (size_t i = 0; i < sizeof newer.later; i++) { /* it asks for what isn't known here */
        newer.later[i] = 1;
        assert_int_equal(bil_job_init(&job, memory, size, &newer.config), BIL_E_BAD_CALL);
        newer.later[i] = 0;
    }
    newer.config.struct_size = offsetof(bil_job_config, despite); /* the last field isn't there yet */
    newer.config.despite = ~0u;
    assert_int_equal(bil_job_init(&job, memory, size, &newer.config), BIL_OK);
    newer.config.struct_size = 3; /* of what nobody ever was */
    assert_int_equal(bil_job_init(&job, memory, size, &newer.config), BIL_E_BAD_CALL);
    newer.config.struct_size = sizeof newer.config;
    for (size_t less = 0; less < size; less++)
        assert_int_equal(bil_job_init(&job, memory, less, &newer.config), BIL_E_SPACE);
    assert_int_equal(bil_job_init(&job, NULL, size, &newer.config), BIL_E_SPACE);
    assert_int_equal(bil_job_init(NULL, memory, size, &newer.config), BIL_E_BAD_CALL);
    assert_int_equal(bil_job_init(&job, memory, size, NULL), BIL_E_BAD_CALL);
    free(memory);
    free_image(&image);
}

/* Both lists number on the same way, so that one number tells one thing. */
static void no_number_is_two_errors(void **state)
{
    (void)state;
    static const struct {
        int number;
        const char *name;
    } all[] = {
#define ENTRY(number, NAME, name, text) {number, name},
        BIL_ERRORS(ENTRY) BIL_HOST_ERRORS(ENTRY)
#undef ENTRY
    };
    for (size_t i = 0; i < sizeof all / sizeof all[0]; i++) {
        assert_in_range(all[i].number, 0, 255); /* an image keeps causes as bytes */
        assert_string_equal(bil_host_error_name(all[i].number), all[i].name);
        for (size_t k = 0; k < i; k++)
            if (all[k].number == all[i].number || strcmp(all[k].name, all[i].name) == 0)
                fail_msg("%s and %s are one error", all[k].name, all[i].name);
    }
}

static void names_and_texts(void **state)
{
    (void)state;
    assert_string_equal(bil_error_name(12345), "unknown");
    assert_int_equal(bil_error_from_name("refuse", 6), BIL_ERROR_UNKNOWN);
    assert_int_equal(bil_error_from_name("refused", 7), BIL_E_REFUSED);
    assert_int_equal(bil_type_from_name("u128", 4), -1);
    assert_int_equal(bil_class_from_name("work", 4), -1);
    assert_int_equal(bil_purpose_from_name("gift"), -1);
    assert_int_equal(bil_purpose_from_name("clone"), BIL_CLONE);
    for (int i = 0; i < BIL_TYPE_COUNT; i++)
        assert_int_equal(bil_type_from_name(bil_type_name((bil_type)i), strlen(bil_type_name((bil_type)i))), i);
    static const bil_choice bits[] = {{0, "low"}, {9, "high"}};
    bil_format f = {.type = BIL_BITS8, .size = 1, .mul = 1, .choices = bits, .choice_count = 2};
    uint8_t raw[8];
    static const struct {
        const char *text;
        int error;
    } cases[] = {{"low", BIL_OK},        {"0", BIL_OK},         {"low+0x80", BIL_OK},          {"high", BIL_E_RANGE},
                 {"0x100", BIL_E_RANGE}, {"0x", BIL_E_CHOICE},  {"0x123456789", BIL_E_CHOICE}, {"0xg0", BIL_E_CHOICE},
                 {"0xA0", BIL_E_CHOICE}, {"", BIL_E_CHOICE},    {"low+", BIL_E_CHOICE},        {"1", BIL_E_CHOICE},
                 {"lo", BIL_E_CHOICE},   {"1x10", BIL_E_CHOICE}};
    for (size_t i = 0; i < sizeof cases / sizeof cases[0]; i++)
        if (bil_value_parse(&f, cases[i].text, strlen(cases[i].text), NULL, raw) != cases[i].error)
            fail_msg("bits \"%s\"", cases[i].text);
    f.type = BIL_CHOICE8;
    assert_int_equal(bil_value_parse(&f, "256", 3, NULL, raw), BIL_E_RANGE);
    assert_int_equal(bil_value_parse(&f, "-1", 2, NULL, raw), BIL_E_RANGE);
    assert_int_equal(bil_value_parse(&f, "middle", 6, NULL, raw), BIL_E_CHOICE);
    bil_format yes = {.type = BIL_BOOL, .size = 1, .mul = 1}, f64 = {.type = BIL_F64, .size = 8, .mul = 1},
               text = {.type = BIL_TEXT, .size = 4, .mul = 1},
               u64 = {.type = BIL_U64, .size = 8, .mul = 1, .decimals = 18};
    char out[8];
    assert_int_equal(bil_value_parse(&yes, "true", 4, NULL, raw), BIL_OK);
    assert_int_equal(bil_value_text(&yes, raw, NULL, out, sizeof out), BIL_OK);
    assert_string_equal(out, "true");
    assert_int_equal(bil_value_parse(&yes, "false", 5, NULL, raw), BIL_OK);
    assert_int_equal(bil_value_text(&yes, raw, NULL, out, sizeof out), BIL_OK);
    assert_string_equal(out, "false");
    assert_int_equal(bil_value_parse(&yes, "1", 1, NULL, raw), BIL_E_SYNTAX);
    assert_int_equal(bil_value_check(&yes, (const uint8_t[]){2}), BIL_E_RANGE);
    assert_int_equal(bil_value_parse(&f64, "1", 1, NULL, raw), BIL_E_NO_TEXT);
    assert_int_equal(bil_value_parse(&text, "12345", 5, NULL, raw), BIL_E_RANGE);
    assert_int_equal(bil_value_parse(&text, "a\n", 2, NULL, raw), BIL_E_SYNTAX);
    assert_int_equal(bil_value_parse(&u64, "20", 2, NULL, raw), BIL_E_RANGE);
    assert_int_equal(bil_value_parse(&u64, "+1", 2, NULL, raw), BIL_OK);
    assert_int_equal(bil_value_key(BIL_TEXT, raw, 4), 0);
    /* a number that isn't one lies in no limits; infinities lie outside finite ones */
    f64.limited = true;
    f64.low = bil_value_key(BIL_F64, (const uint8_t[]){0xc0, 0, 0, 0, 0, 0, 0, 0}, 8);  /* -2 */
    f64.high = bil_value_key(BIL_F64, (const uint8_t[]){0x40, 0, 0, 0, 0, 0, 0, 0}, 8); /* 2 */
    assert_int_equal(bil_value_check(&f64, (const uint8_t[]){0x7f, 0xf8, 0, 0, 0, 0, 0, 0}), BIL_E_RANGE);
    assert_int_equal(bil_value_check(&f64, (const uint8_t[]){0x7f, 0xf0, 0, 0, 0, 0, 0, 0}), BIL_E_RANGE);
    assert_int_equal(bil_value_check(&f64, (const uint8_t[]){0x3f, 0xf0, 0, 0, 0, 0, 0, 0}), BIL_OK);
}

#ifdef BIL_DEBUG
#include <sys/wait.h>
#include <unistd.h>

/* Does the call stop the program? */
#define STOPS(call)                                                                                                    \
    do {                                                                                                               \
        pid_t child = fork();                                                                                          \
        if (child == 0) {                                                                                              \
            fclose(stderr);                                                                                            \
            signal(SIGABRT, SIG_DFL);                                                                                  \
            (void)(call);                                                                                              \
            _exit(0);                                                                                                  \
        }                                                                                                              \
        int status;                                                                                                    \
        assert_int_equal(waitpid(child, &status, 0), child);                                                           \
        if (!WIFSIGNALED(status) || WTERMSIG(status) != SIGABRT)                                                       \
            fail_msg("%s doesn't stop a debug build", #call);                                                          \
    } while (0)

static void what_the_manual_forbids(void **state)
{
    (void)state;
    const bil_description *d = &bil_description_ed_30;
    bil_image image = new_image(d);
    bil_set_writer writer = {0};
    bil_set_reader reader = {0};
    bil_line_kind kind;
    bil_source source = {0};
    bil_compare compare;
    bil_item item;
    size_t length;
    char line[BIL_SET_LINE];
    uint8_t raw[8];
    STOPS(bil_image_init(&image, NULL, line, sizeof line));
    STOPS(bil_image_init(&image, d, NULL, 10));
    STOPS((bil_image_put(&image, d->count, raw), 0));
    STOPS((bil_image_put(&image, 0, NULL), 0));
    STOPS((bil_image_identity(&image, BIL_ID_COUNT, line, sizeof line), 0));
    STOPS((bil_image_item(&image, d->count, &item), 0));
    STOPS(bil_image_put_item(&image, NULL, NULL));
    STOPS(bil_set_begin(&writer, none, none, NULL, NULL, line, &length));
    STOPS(bil_set_value(&writer, &image, d->count, line, &length));
    STOPS(bil_set_item(&writer, &item, line, NULL));
    STOPS(bil_set_chunk(&writer, (bil_str){NULL, 4}, line, &length));
    STOPS(bil_set_reader_line(&reader, NULL, 0, &kind));
    STOPS(bil_set_reader_line(&reader, line, 0, NULL));
    STOPS((bil_compare_init(&compare, source, source), 0));
    STOPS(bil_value_text(NULL, raw, NULL, line, sizeof line));
    STOPS(bil_value_parse(d->params[0].format, NULL, 0, NULL, raw));
    STOPS(bil_job_step(NULL, NULL, NULL));
    STOPS(bil_description_find(NULL, "a", 1));
    free_image(&image);
}
#endif

int main(void)
{
    const struct CMUnitTest tests[] = {
        cmocka_unit_test(lines_at_the_limits),     cmocka_unit_test(the_writer_refuses_what_doesnt_fit),
#ifdef BIL_DEBUG
        cmocka_unit_test(what_the_manual_forbids),
#endif
        cmocka_unit_test(texts_are_only_read),     cmocka_unit_test(memory_that_is_too_small),
        cmocka_unit_test(a_job_looks_at_its_call), cmocka_unit_test(no_number_is_two_errors),
        cmocka_unit_test(names_and_texts)};
    return cmocka_run_group_tests_name("core_edges", tests, NULL, NULL);
}

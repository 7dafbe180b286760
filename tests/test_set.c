/* A set file is accepted only as it was written: every cut, every changed byte, every other form is refused. */
#include "help.h"

enum { ROOM = 1 << 16 };

/* A description small enough to try every byte with every value. */
static const bil_choice modes[] = {{0, "speed"}, {1, "torque"}};
static const bil_param params[] = {
    {.id = "a.key",
     .name = "Key",
     .unit = "",
     .format = &(const bil_format){.type = BIL_TEXT, .size = 4, .mul = 1},
     .cls = BIL_CLASS_SECRET},
    {.id = "a.mode",
     .name = "Mode",
     .unit = "",
     .format = &(const bil_format){.type = BIL_CHOICE8, .size = 1, .mul = 1, .choices = modes, .choice_count = 2},
     .raw_at = 4,
     .cls = BIL_CLASS_SETUP,
     .flags = 3},
    {.id = "a.name",
     .name = "A name",
     .unit = "",
     .format = &(const bil_format){.type = BIL_TEXT, .size = 4, .mul = 1},
     .raw_at = 5,
     .cls = BIL_CLASS_PLACE,
     .flags = 3},
    {.id = "b.gone",
     .name = "Gone",
     .unit = "",
     .format = &(const bil_format){.type = BIL_U8, .size = 1, .mul = 1},
     .raw_at = 9,
     .cls = BIL_CLASS_SETUP,
     .flags = 3},
    {.id = "b.level",
     .name = "Level",
     .unit = "mm",
     .format = &(const bil_format){.type = BIL_I16, .size = 2, .mul = 1, .decimals = 1},
     .raw_at = 10,
     .cls = BIL_CLASS_SETUP,
     .flags = 3},
};
static const bil_description small = {.vendor = "Esempio",
                                      .model = "T-1",
                                      .layout = "0000000000000000000000000000000000000000000000000000000000000000",
                                      .count = 5,
                                      .params = params,
                                      .raw_size = 12};

static bil_digest digests[4];

static int open_digests(void **state)
{
    (void)state;
    for (int i = 0; i < 4; i++)
        if (!digest_open(&digests[i]))
            return 1;
    return 0;
}

static int close_digests(void **state)
{
    (void)state;
    for (int i = 0; i < 4; i++)
        digest_close(&digests[i]);
    return 0;
}

static bil_str str(const char *text)
{
    return (bil_str){text, strlen(text)};
}

static size_t write_set(const bil_image *image, bool with_file, char *out, bil_set_totals *totals)
{
    const bil_description *d = image->description;
    bil_set_header header = {.vendor = str(d->vendor),
                             .model = str(d->model),
                             .serial = str("S\\1"),
                             .description = str(d->model),
                             .layout = str(d->layout),
                             .revision = 7,
                             .when = str("2026-11-23T07:00:00Z"),
                             .why = str("olio è \"pronto\"")};
    bil_set_writer writer;
    size_t used = 0, length;
    char line[BIL_SET_LINE];
#define LINE(call)                                                                                                     \
    do {                                                                                                               \
        assert_int_equal((call), BIL_OK);                                                                              \
        assert_true(used + length < ROOM);                                                                             \
        memcpy(out + used, line, length);                                                                              \
        used += length;                                                                                                \
    } while (0)
    LINE(bil_set_begin(&writer, digests[0], digests[1], &host_floats, &header, line, &length));
    for (uint16_t i = 0; i < d->count; i++)
        if (bil_class_left_out((bil_class)d->params[i].cls))
            LINE(bil_set_left_out(&writer, &d->params[i], line, &length));
    for (uint16_t i = 0; i < d->count; i++)
        if (!bil_class_left_out((bil_class)d->params[i].cls) && image->state[i] != BIL_ABSENT)
            LINE(bil_set_value(&writer, image, i, line, &length));
    if (with_file) {
        LINE(bil_set_file(&writer, str("label"), 5, line, &length)); /* of the bytes 0 1 250 251 252 */
        LINE(bil_set_chunk(&writer, str("AAH6+/w="), line, &length));
    }
    LINE(bil_set_end(&writer, line, &length));
#undef LINE
    *totals = writer.totals;
    return used;
}

/* Feeds a file line by line. Puts values into `image` when given. */
static int read_set(const char *bytes, size_t size, bil_image *image, bil_set_totals *totals)
{
    bil_set_reader reader;
    bil_set_reader_init(&reader, digests[2], digests[3]);
    for (size_t at = 0; at < size;) {
        const char *end = memchr(bytes + at, '\n', size - at);
        size_t length = end ? (size_t)(end - bytes) + 1 - at : size - at;
        bil_line_kind kind;
        int error = bil_set_reader_line(&reader, bytes + at, length, &kind);
        if (!error && kind == BIL_LINE_VALUE && image)
            error = bil_image_put_item(image, &reader.item, &host_floats);
        if (error)
            return error;
        at += length;
    }
    *totals = reader.totals;
    return bil_set_reader_whole(&reader);
}

static bil_image small_image(void)
{
    bil_image image = new_image(&small);
    bil_image_put(&image, 1, (const uint8_t[]){1});
    bil_image_put(&image, 2, (const uint8_t *)"T\"1\0");
    bil_image_fail(&image, 3, BIL_E_REFUSED);
    bil_image_put(&image, 4, (const uint8_t[]){0xff, 0x85});
    return image;
}

/* The whole file, written by hand from the format's description, but for the digests. */
static const char by_hand[] =
    "{\"bilancia_set\":0,\"vendor\":\"Esempio\",\"model\":\"T-1\",\"hardware\":\"\",\"firmware\":\"\","
    "\"serial\":\"S\\\\1\",\"device\":\"\",\"description\":{\"model\":\"T-1\",\"revision\":7,\"layout\":"
    "\"0000000000000000000000000000000000000000000000000000000000000000\"},"
    "\"parent\":\"\",\"when\":\"2026-11-23T07:00:00Z\",\"who\":\"\",\"why\":\"olio è \\\"pronto\\\"\",\"scope\":\"\","
    "\"from\":\"\"}\n"
    "{\"left_out\":\"a.key\",\"class\":\"secret\",\"name\":\"Key\"}\n"
    "{\"id\":\"a.mode\",\"type\":\"choice8\",\"class\":\"setup\",\"raw\":\"01\",\"value\":\"torque\",\"name\":\"Mode\"}"
    "\n"
    "{\"id\":\"a.name\",\"type\":\"text\",\"class\":\"place\",\"raw\":\"54223100\",\"value\":\"T\\\"1\",\"name\":\"A "
    "name\"}\n"
    "{\"id\":\"b.gone\",\"type\":\"u8\",\"class\":\"setup\",\"unreadable\":\"refused\",\"name\":\"Gone\"}\n"
    "{\"id\":\"b.level\",\"type\":\"i16\",\"class\":\"setup\",\"raw\":\"ff85\",\"value\":-12.3,\"unit\":\"mm\","
    "\"name\":\"Level\"}\n"
    "{\"file\":\"label\",\"bytes\":5}\n{\"chunk\":\"AAH6+/w=\"}\n";

static void hex_of(const uint8_t *digest, char *out)
{
    for (int i = 0; i < BIL_SHA256; i++)
        snprintf(out + 2 * i, 3, "%02x", digest[i]);
}

static void the_format_is_what_the_manual_says(void **state)
{
    (void)state;
    static char file[ROOM];
    bil_image image = small_image(), back = new_image(&small);
    bil_set_totals written, read;
    size_t size = write_set(&image, true, file, &written);
    assert_memory_equal(file, by_hand, sizeof by_hand - 1);
    file[size] = '\0';
    /* both digests, computed here from the words of the manual */
    char hex[65], values[65];
    const char *end = strstr(file, "{\"end\":");
    static const char worked[] = "a.mode choice8 01\na.name text 54223100\nb.level i16 ff85\n";
    assert_true(digest_hex(worked, sizeof worked - 1, values));
    char last[300];
    int used = snprintf(
        last, sizeof last,
        "{\"end\":{\"values\":3,\"unreadable\":1,\"left_out\":1,\"files\":1,\"values_digest\":\"%s\",\"digest\":\"",
        values);
    assert_memory_equal(end, last, (size_t)used);
    assert_true(digest_hex(file, (size_t)(end - file) + (size_t)used, hex));
    snprintf(last + used, sizeof last - (size_t)used, "%s\"}}\n", hex);
    assert_string_equal(end, last);
    assert_int_equal(read_set(file, size, &back, &read), BIL_OK);
    assert_memory_equal(image.state, back.state, bil_image_size(&small));
    hex_of(read.values_digest, hex);
    assert_string_equal(hex, values);
    free_image(&image);
    free_image(&back);
}

static void no_cut_and_no_changed_byte_is_accepted(void **state)
{
    (void)state;
    static char file[ROOM];
    bil_image image = small_image();
    bil_set_totals totals;
    size_t size = write_set(&image, true, file, &totals);
    unsigned long tried = 0;
    for (size_t cut = 0; cut < size; cut++, tried++)
        assert_int_not_equal(read_set(file, cut, NULL, &totals), BIL_OK);
    for (size_t at = 0; at < size; at++) {
        char kept = file[at];
        for (int byte = 0; byte < 256; byte++) {
            if ((char)byte == kept)
                continue;
            file[at] = (char)byte;
            tried++;
            if (read_set(file, size, NULL, &totals) == BIL_OK)
                fail_msg("byte %zu changed to %d is accepted", at, byte);
        }
        file[at] = kept;
    }
    file[size] = '\n';
    assert_int_equal(read_set(file, size + 1, NULL, &totals), BIL_E_SET_AFTER_END);
    assert_int_equal(read_set(file, size, NULL, &totals), BIL_OK);
    print_message("%lu cut or changed files of %zu bytes, none accepted\n", tried, size);
    free_image(&image);
}

/* A real set of the drive: each cut, and each byte changed to a few others. */
static void a_set_of_the_drive_too(void **state)
{
    (void)state;
    static char file[ROOM];
    bench b;
    bench_open(&b, &sim_ed30, &bil_description_ed_30, false);
    bench_read(&b, false);
    bil_set_totals totals;
    size_t size = write_set(&b.have, false, file, &totals);
    assert_int_equal(totals.values, 60);
    dice d = {1};
    for (size_t at = 0; at < size; at++) {
        if (at % 7 == 0)
            assert_int_not_equal(read_set(file, at, NULL, &totals), BIL_OK);
        char kept = file[at];
        file[at] = (char)(kept ^ (1 << roll_below(&d, 8)));
        assert_int_not_equal(read_set(file, size, NULL, &totals), BIL_OK);
        file[at] = kept;
    }
    bil_image back = new_image(b.description);
    assert_int_equal(read_set(file, size, &back, &totals), BIL_OK);
    for (uint16_t i = 0; i < b.description->count; i++)
        if (!bil_class_left_out((bil_class)b.description->params[i].cls))
            assert_true(bil_image_same(&back, &b.have, i));
    free_image(&back);
    bench_close(&b);
}

/* Puts one line into a file that is otherwise right, digests and all, so that only the line itself can be at fault. */
static int with_line(const char *line, bool in_values, uint32_t values, uint32_t unreadable, uint32_t left_out)
{
    static char file[ROOM];
    const char *header_end = strchr(by_hand, '\n') + 1;
    size_t used = (size_t)(header_end - by_hand);
    memcpy(file, by_hand, used);
    used += (size_t)snprintf(file + used, ROOM - used, "%s", line);
    char hex[65], values_hex[65], worked[300] = "";
    if (in_values) { /* "id type hex\n" of the one line */
        char id[100] = "", type[20] = "", raw[140] = "";
        if (sscanf(line, "{\"id\":\"%99[^\"]\",\"type\":\"%19[^\"]\",\"class\":\"setup\",\"raw\":\"%139[^\"]\"", id,
                   type, raw) == 3)
            snprintf(worked, sizeof worked, "%s %s %s\n", id, type, raw);
    }
    digest_hex(worked, strlen(worked), values_hex);
    used += (size_t)snprintf(
        file + used, ROOM - used,
        "{\"end\":{\"values\":%u,\"unreadable\":%u,\"left_out\":%u,\"files\":0,\"values_digest\":\"%s\",\"digest\":\"",
        values, unreadable, left_out, values_hex);
    digest_hex(file, used, hex);
    used += (size_t)snprintf(file + used, ROOM - used, "%s\"}}\n", hex);
    bil_set_totals totals;
    return read_set(file, used, NULL, &totals);
}

static void other_forms_are_refused(void **state)
{
    (void)state;
#define VALUE(raw_and_value) "{\"id\":\"x.y\",\"type\":\"u8\",\"class\":\"setup\"," raw_and_value ",\"name\":\"X\"}\n"
    assert_int_equal(with_line(VALUE("\"raw\":\"05\",\"value\":5"), true, 1, 0, 0), BIL_OK);
    static const struct {
        const char *line;
        int error;
    } cases[] = {
        {VALUE("\"raw\":\"0A\",\"value\":10"), BIL_E_SET_LINE}, /* upper case */
        {VALUE("\"raw\":\"005\",\"value\":5"), BIL_E_SET_LINE},
        {VALUE("\"raw\":\"0005\",\"value\":5"), BIL_E_SET_LINE}, /* too long for the type */
        {VALUE("\"raw\":\"\",\"value\":5"), BIL_E_SET_LINE},
        {VALUE("\"raw\":\"05\", \"value\":5"), BIL_E_SET_LINE}, /* white space */
        {VALUE("\"raw\":\"05\",\"value\":05"), BIL_E_SET_LINE},
        {VALUE("\"raw\":\"05\",\"value\":5."), BIL_E_SET_LINE},
        {VALUE("\"raw\":\"05\",\"value\":+5"), BIL_E_SET_LINE},
        {VALUE("\"raw\":\"05\",\"value\":\"\\u0041\""), BIL_E_SET_LINE}, /* an escape that isn't needed */
        {VALUE("\"raw\":\"05\",\"value\":\"\x80\""), BIL_E_SET_LINE},    /* no UTF-8 */
        {VALUE("\"raw\":\"05\",\"value\":{}"), BIL_E_SET_LINE},
        {VALUE("\"raw\":\"05\",\"value\":5,\"unit\":\"\""), BIL_E_SET_LINE},
        {VALUE("\"unreadable\":\"ok\""), BIL_E_SET_LINE},
        {VALUE("\"unreadable\":\"no such error\""), BIL_E_SET_LINE},
        {"{\"id\":\"X.y\",\"type\":\"u8\",\"class\":\"setup\",\"raw\":\"05\",\"value\":5,\"name\":\"X\"}\n",
         BIL_E_SET_LINE},
        {"{\"id\":\"x..y\",\"type\":\"u8\",\"class\":\"setup\",\"raw\":\"05\",\"value\":5,\"name\":\"X\"}\n",
         BIL_E_SET_LINE},
        {"{\"id\":\"x.y.\",\"type\":\"u8\",\"class\":\"setup\",\"raw\":\"05\",\"value\":5,\"name\":\"X\"}\n",
         BIL_E_SET_LINE},
        {"{\"id\":\"x.y\",\"type\":\"u9\",\"class\":\"setup\",\"raw\":\"05\",\"value\":5,\"name\":\"X\"}\n",
         BIL_E_SET_LINE},
        {"{\"id\":\"x.y\",\"type\":\"u8\",\"class\":\"secret\",\"raw\":\"05\",\"value\":5,\"name\":\"X\"}\n",
         BIL_E_SET_LINE},
        {"{\"left_out\":\"x.y\",\"class\":\"setup\",\"name\":\"X\"}\n", BIL_E_SET_LINE},
        {"{\"chunk\":\"AAAA\"}\n", BIL_E_SET_LINE},
        {"{\"other\":1}\n", BIL_E_SET_LINE},
        {"\n", BIL_E_SET_LINE},
    };
    for (size_t i = 0; i < sizeof cases / sizeof cases[0]; i++)
        assert_int_equal(with_line(cases[i].line, true, 1, 0, 0), cases[i].error);
    assert_int_equal(with_line(VALUE("\"raw\":\"05\",\"value\":5"), true, 2, 0, 0), BIL_E_SET_COUNT);
    assert_int_equal(with_line(VALUE("\"raw\":\"05\",\"value\":5"), false, 1, 0, 0),
                     BIL_E_SET_ALTERED); /* values digest */
    char twice[600], overlong[1200], name[1100];
    snprintf(twice, sizeof twice, "%s%s", VALUE("\"raw\":\"05\",\"value\":5"), VALUE("\"raw\":\"05\",\"value\":5"));
    assert_int_equal(with_line(twice, true, 2, 0, 0), BIL_E_SET_ORDER);
    memset(name, 'n', sizeof name);
    snprintf(overlong, sizeof overlong,
             "{\"id\":\"x.y\",\"type\":\"u8\",\"class\":\"setup\",\"raw\":\"05\",\"value\":5,\"name\":\"%.1000s\"}\n",
             name);
    assert_int_equal(with_line(overlong, true, 1, 0, 0), BIL_E_SET_LONG);
#undef VALUE
    bil_set_totals totals;
    assert_int_equal(read_set("{\"bilancia_set\":1,", 18, NULL, &totals), BIL_E_SET_CUT);
    assert_int_equal(read_set("{\"bilancia_set\":1,\n", 19, NULL, &totals), BIL_E_SET_VERSION);
    assert_int_equal(read_set("", 0, NULL, &totals), BIL_E_SET_CUT);
}

static void values_that_dont_fit_the_description(void **state)
{
    (void)state;
    bil_image image = new_image(&small);
    bil_item item = {
        .id = str("b.level"), .type = BIL_I16, .cls = BIL_CLASS_SETUP, .size = 2, .raw = {0, 5}, .value = str("0.5")};
    assert_int_equal(bil_image_put_item(&image, &item, NULL), BIL_OK);
    item.value = str("0.6");
    assert_int_equal(bil_image_put_item(&image, &item, NULL), BIL_E_VALUE_TEXT);
    item.value = str("null");
    assert_int_equal(bil_image_put_item(&image, &item, NULL), BIL_E_VALUE_TEXT);
    item.type = BIL_U16;
    assert_int_equal(bil_image_put_item(&image, &item, NULL), BIL_E_OTHER_TYPE);
    item.id = str("b.other");
    assert_int_equal(bil_image_put_item(&image, &item, NULL), BIL_E_UNKNOWN_PARAMETER);
    bil_item mode = {
        .id = str("a.mode"), .type = BIL_CHOICE8, .cls = BIL_CLASS_SETUP, .size = 1, .raw = {9}, .value = str("\"9\"")};
    assert_int_equal(bil_image_put_item(&image, &mode, NULL), BIL_E_CHOICE);
    free_image(&image);
}

/* Files of every small size and around the borders of a chunk come back as they were. */
/* A set with the chunks of so many bytes, of which its line says another number. */
static bool takes(size_t says, size_t has)
{
    static char text[BIL_SET_CHUNK_TEXT];
    char line[BIL_SET_LINE], file[60];
    bil_set_reader reader;
    bil_set_writer writer;
    bil_line_kind kind;
    size_t length;
    memset(text, 'A', sizeof text);
    bil_set_begin(&writer, digests[0], digests[1], NULL, &(bil_set_header){0}, line, &length);
    bil_set_reader_init(&reader, (bil_digest){0}, (bil_digest){0});
    bool good = bil_set_reader_line(&reader, line, length, &kind) == BIL_OK;
    int count = snprintf(file, sizeof file, "{\"file\":\"label.x\",\"bytes\":%zu}\n", says);
    bil_set_file(&writer, str("label.x"), says, line, &length);
    assert_int_equal(length, count);
    assert_memory_equal(line, file, length);
    good = good && bil_set_reader_line(&reader, line, length, &kind) == BIL_OK;
    for (size_t at = 0; at < has && good; at += BIL_SET_CHUNK) {
        size_t part = has - at < BIL_SET_CHUNK ? has - at : BIL_SET_CHUNK;
        bil_set_chunk(&writer, (bil_str){text, (part + 2) / 3 * 4}, line, &length);
        good = bil_set_reader_line(&reader, line, length, &kind) == BIL_OK;
        assert_true(!good || (kind == BIL_LINE_CHUNK && reader.chunk.length == (part + 2) / 3 * 4));
    }
    bil_set_end(&writer, line, &length);
    return good && bil_set_reader_line(&reader, line, length, &kind) == BIL_OK;
}

static void files_in_chunks(void **state)
{
    (void)state;
    static const size_t sizes[] = {0, 1, 2, 3, 4, 1437, 1438, 1439, 1440, 1441, 1443, 2880, 2881, 4000, 4320};
    enum { COUNT = sizeof sizes / sizeof sizes[0] };
    for (size_t i = 0; i < COUNT; i++)
        for (size_t k = 0; k < COUNT; k++) /* the digest tells what quads of the same number hide */
            assert_int_equal(takes(sizes[i], sizes[k]), sizes[i] > 0 && (sizes[i] + 2) / 3 == (sizes[k] + 2) / 3);
}

int main(void)
{
    const struct CMUnitTest tests[] = {
        cmocka_unit_test(the_format_is_what_the_manual_says),
        cmocka_unit_test(no_cut_and_no_changed_byte_is_accepted),
        cmocka_unit_test(a_set_of_the_drive_too),
        cmocka_unit_test(other_forms_are_refused),
        cmocka_unit_test(values_that_dont_fit_the_description),
        cmocka_unit_test(files_in_chunks),
    };
    return cmocka_run_group_tests_name("set", tests, open_digests, close_digests);
}

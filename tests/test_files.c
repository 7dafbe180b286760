/* Files as values: in a set and out of it byte by byte, whatever their size; nothing that is missing, doubled or
 * altered is taken; and memory doesn't grow with them. */
#include <fcntl.h>
#include <sys/resource.h>
#include <unistd.h>

#include "bilancia/host_error.h"
#include "help.h"
#include "host/copy/load.h"
#include "port/base64.h"
#include "port/digest_beside.h"

static char folder[] = "/tmp/bilancia-files-XXXXXX";

static const catalogue models = {.list = {&bil_description_en_2}, .count = 1};

/* What a device of the labeller's model would have; sizes of its five files, below zero: none. */
static bil_image image_with(file_store *s, const int *sizes, const uint8_t *bytes)
{
    static const char *const ids[] = {"media.layout_1", "media.layout_2", "media.layout_3", "media.layout_4",
                                      "media.logo"};
    bil_image image = new_image(&bil_description_en_2);
    for (int i = 0; i < 5; i++) {
        uint8_t raw[BIL_FILE_RAW];
        bil_bytes to = files_to_take(s, UINT64_MAX);
        if (sizes[i] >= 0) {
            assert_true(to.begin(to.ctx));
            for (int at = 0; at < sizes[i]; at += 1000)
                assert_int_equal(to.take(to.ctx, bytes + i + at, sizes[i] - at < 1000 ? (size_t)(sizes[i] - at) : 1000),
                                 BIL_OK);
        }
        assert_true(files_taken(s, raw));
        assert_int_equal(bil_file_size(raw), sizes[i] < 0 ? 0 : sizes[i]);
        assert_int_equal(bil_file_is_none(raw), sizes[i] < 0);
        bil_image_put(&image, index_of(image.description, ids[i]), raw);
    }
    return image;
}

static size_t given(file_store *s, const uint8_t *raw, uint8_t *out, dice *d)
{
    bil_bytes from;
    size_t used = 0, got;
    assert_true(files_to_give(s, raw, &from) && from.begin(from.ctx));
    while (used < bil_file_size(raw) && (got = from.give(from.ctx, out + used, 1 + roll_below(d, 3000))) > 0)
        used += got;
    return used;
}

static void save_as(const bil_image *image, file_store *s, const char *name, char *path)
{
    bil_set_totals totals;
    set_origin *o = calloc(1, sizeof *o);
    set_origin_of(o, image);
    assert_int_equal(set_file_save(image, s, o, folder, name, path, &totals), BIL_OK);
    free(o);
}

static void there_and_back(void **state)
{
    (void)state;
    static uint8_t bytes[100000], back[100000];
    dice d = {11};
    for (size_t i = 0; i < sizeof bytes; i++)
        bytes[i] = (uint8_t)roll(&d);
    for (unsigned k = 0; k < rounds(60); k++) {
        static const int edges[] = {-1, 0, 1, 2, 3, 1439, 1440, 1441, 32 * 1440 - 1, 32 * 1440, 32 * 1440 + 1};
        int sizes[5];
        char path[STORAGE_PATH];
        for (int i = 0; i < 5; i++)
            sizes[i] = roll_below(&d, 2) ? edges[roll_below(&d, 11)] : (int)roll_below(&d, 90000);
        file_store read;
        files_open(&read);
        bil_image image = image_with(&read, sizes, bytes);
        for (uint16_t i = 0; i < image.description->count; i++) /* the limits of this model aren't meant here */
            if (image.description->params[i].format->type == BIL_FILE && image.state[i] == BIL_PRESENT)
                assert_int_equal(given(&read, bil_image_raw(&image, i), back, &d),
                                 bil_file_size(bil_image_raw(&image, i)));
        save_as(&image, &read, "t.bset", path);
        loaded_copy copy;
        int error = copy_load(&copy, path, &models, true);
        if (error)
            fail_msg("%s", copy.why);
        assert_memory_equal(copy.image.raw, image.raw, image.description->raw_size);
        for (uint16_t i = 0, n = 0; i < image.description->count; i++)
            if (image.description->params[i].format->type == BIL_FILE) {
                size_t size = given(&copy.files, bil_image_raw(&copy.image, i), back, &d);
                assert_int_equal(size, sizes[n] < 0 ? 0 : sizes[n]);
                assert_memory_equal(back, bytes + n, size);
                n++;
            }
        char again[STORAGE_PATH]; /* of the same content the same bytes come, wherever they were */
        save_as(&copy.image, &copy.files, "u.bset", again);
        char command[2 * STORAGE_PATH + 20];
        snprintf(command, sizeof command, "cmp '%s' '%s'", path, again);
        assert_int_equal(system(command), 0);
        unlink(path);
        unlink(again);
        copy_unload(&copy);
        free_image(&image);
        files_close(&read);
    }
}

/* A set with these file lines behind a value that says a file of five bytes, digests as they have to be. */
static int checked(const char *id, uint64_t says, const char *base64, const char *second)
{
    uint8_t raw[BIL_FILE_RAW] = {0, 0, 0, 0, 0, 0, 0, 5};
    static const uint8_t bytes[5] = {0, 1, 250, 251, 252};
    char path[STORAGE_PATH], line[BIL_SET_LINE], why[500];
    size_t length;
    bil_digest digests[3];
    bil_set_writer w;
    bil_set_totals totals;
    for (int i = 0; i < 3; i++)
        assert_true(digest_open(&digests[i]));
    digests[2].ops->start(digests[2].ctx);
    digests[2].ops->add(digests[2].ctx, bytes, sizeof bytes);
    digests[2].ops->end(digests[2].ctx, raw + 8);
    bil_image image = new_image(&bil_description_en_2);
    bil_image_put(&image, index_of(image.description, "media.logo"), raw);
    snprintf(path, sizeof path, "%s/c.bset", folder);
    FILE *file = fopen(path, "w");
    assert_int_equal(bil_set_begin(&w, digests[0], digests[1], NULL, &(bil_set_header){0}, line, &length), BIL_OK);
    fwrite(line, 1, length, file);
    bil_set_value(&w, &image, index_of(image.description, "media.logo"), line, &length);
    fwrite(line, 1, length, file);
    for (const char *chunk = base64; chunk; chunk = chunk == base64 ? second : NULL) {
        if (chunk == base64 && id) {
            bil_set_file(&w, (bil_str){id, strlen(id)}, says, line, &length);
            fwrite(line, 1, length, file);
        }
        bil_set_chunk(&w, (bil_str){chunk, strlen(chunk)}, line, &length);
        fwrite(line, 1, length, file);
    }
    bil_set_end(&w, line, &length);
    fwrite(line, 1, length, file);
    fclose(file);
    for (int i = 0; i < 3; i++)
        digest_close(&digests[i]);
    free_image(&image);
    set_origin *o = calloc(1, sizeof *o);
    int error = set_file_check(path, o, &totals, why, sizeof why);
    free(o);
    unlink(path);
    return error;
}

static void nothing_else_is_taken(void **state)
{
    (void)state;
    assert_int_equal(checked("media.logo", 5, "AAH6+/w=", NULL), BIL_OK);
    assert_int_equal(checked(NULL, 0, NULL, NULL), BIL_E_SET_COUNT);                   /* the file is missing */
    assert_int_equal(checked("media.layout_1", 5, "AAH6+/w=", NULL), BIL_E_SET_ORDER); /* another one */
    assert_int_equal(checked("media.logo", 4, "AAH6+w==", NULL), BIL_E_SET_COUNT);     /* of another length */
    assert_int_equal(checked("media.logo", 6, "AAH6+/wA", NULL), BIL_E_SET_COUNT);
    assert_int_equal(checked("media.logo", 5, "AAH6+/0=", NULL), BIL_E_SET_ALTERED); /* other bytes */
    assert_int_equal(checked("media.logo", 5, "AAH6+/x=", NULL), BIL_E_SET_LINE);    /* bits that are none */
    assert_int_equal(checked("media.logo", 5, "AAH6*/w=", NULL), BIL_E_SET_LINE);
    assert_int_equal(checked("media.logo", 5, " AAH6+/w", NULL), BIL_E_SET_LINE);
    assert_int_equal(checked("media.logo", 5, "AAH6+/==", NULL), BIL_E_SET_LINE);
    assert_int_equal(checked("media.logo", 5, "AAH6+/w=", "AAAA"), BIL_E_SET_LINE);
}

/* All that a source has, from two copies of it at once, as when they are compared. */
static int looked_through(const char *path, set_care care)
{
    set_file sets[2];
    bil_item item;
    int error = BIL_OK, got = 0;
    for (int i = 0; i < 2; i++) {
        error = set_file_open(&sets[i], path, care);
        if (error && i)
            set_file_close(&sets[0]);
        if (error)
            return error;
    }
    set_pair pair = {&sets[0], &sets[1], NULL};
    bil_skip skip = set_pair_skip(&pair);
    for (int i = 0; i < 2 && got >= 0; i++) {
        if (care == SET_QUICKLY && i == 0)
            skip.equal(skip.ctx);
        bil_source source = set_file_source(&sets[i]);
        while ((got = source.next(source.ctx, &item)) == 1)
            if (care == SET_QUICKLY && i == 0)
                skip.equal(skip.ctx);
    }
    for (int i = 0; i < 2; i++)
        set_file_close(&sets[i]);
    return -got;
}

/* The digest of a set doesn't cover full chunks: those of their files do, also where lines that are the same on both
 * sides are stepped over. */
static void no_changed_byte_is_accepted(void **state)
{
    (void)state;
#ifdef __SANITIZE_ADDRESS__
    enum { STEP = 13 };
#else
    enum { STEP = 1 };
#endif
    static uint8_t bytes[6000];
    static const int sizes[] = {100, -1, 4000, 1440, 2000};
    char path[STORAGE_PATH];
    unsigned tried = 0;
    dice d = {17};
    for (size_t i = 0; i < sizeof bytes; i++)
        bytes[i] = (uint8_t)roll(&d);
    file_store s;
    files_open(&s);
    bil_image image = image_with(&s, sizes, bytes);
    save_as(&image, &s, "b.bset", path);
    assert_int_equal(looked_through(path, SET_WHOLLY), BIL_OK);
    assert_int_equal(looked_through(path, SET_QUICKLY), BIL_OK);
    int fd = open(path, O_RDWR);
    off_t size = lseek(fd, 0, SEEK_END);
    for (off_t at = roll_below(&d, STEP); at < size; at += STEP, tried++) {
        char was, now;
        assert_int_equal(pread(fd, &was, 1, at), 1);
        now = (char)(was ^ (1 << roll_below(&d, 7)));
        assert_int_equal(pwrite(fd, &now, 1, at), 1);
        for (int care = SET_WHOLLY; care <= SET_QUICKLY; care++)
            if (looked_through(path, (set_care)care) == BIL_OK)
                fail_msg("byte %ld, looked at %s", (long)at, care == SET_WHOLLY ? "wholly" : "quickly");
        assert_int_equal(pwrite(fd, &was, 1, at), 1);
    }
    close(fd);
    unlink(path);
    print_message("%u bytes of a set with files altered: none accepted\n", tried);
    free_image(&image);
    files_close(&s);
}

/* The bytes of a file as large as one likes; what it takes of memory. */
static long memory_for(uint64_t size)
{
    static uint8_t block[65536];
    char path[STORAGE_PATH];
    file_store s;
    uint8_t raw[BIL_FILE_RAW];
    struct rusage use;
    files_open(&s);
    bil_image image = new_image(&bil_description_en_2);
    bil_bytes to = files_to_take(&s, UINT64_MAX);
    assert_true(to.begin(to.ctx));
    for (uint64_t at = 0; at < size; at += sizeof block) {
        memset(block, (int)(at >> 16), sizeof block);
        assert_int_equal(to.take(to.ctx, block, size - at < sizeof block ? (size_t)(size - at) : sizeof block), BIL_OK);
    }
    assert_true(files_taken(&s, raw));
    bil_image_put(&image, index_of(image.description, "media.logo"), raw);
    save_as(&image, &s, "m.bset", path);
    loaded_copy copy;
    copy_load(&copy, path, &models, true);
    bil_bytes from;
    size_t got, sum = 0;
    assert_true(files_to_give(&copy.files, raw, &from) && from.begin(from.ctx));
    while ((got = from.give(from.ctx, block, sizeof block)) > 0)
        sum += got;
    assert_int_equal(sum, size);
    copy_unload(&copy);
    files_close(&s);
    free_image(&image);
    unlink(path);
    getrusage(RUSAGE_SELF, &use);
    return use.ru_maxrss;
}

static void memory_stays_small(void **state)
{
    (void)state;
    long before = memory_for(1000), after = memory_for(UINT64_C(200) << 20);
    print_message("a file of 200 MB takes %ld KiB more than one of 1 KB\n", after - before);
    assert_true(after - before < 1024);
}

/* The digest by a thread beside is the one that there is without: whatever comes in which pieces, also when the same
 * one begins anew in the middle, or is given up. */
static void a_digest_beside(void **state)
{
    (void)state;
    enum { MOST = 4 << 20 };
    uint8_t *bytes = malloc(MOST), is[BIL_SHA256], want[BIL_SHA256];
    dice d = {97};
    bil_digest beside, alone;
    for (size_t i = 0; i < MOST; i++)
        bytes[i] = (uint8_t)roll(&d);
    assert_true(digest_beside_open(&beside) && digest_open(&alone));
    for (unsigned round = 0; round < 120; round++) {
        size_t all = round % 3 ? roll_below(&d, MOST) : (size_t)(round / 3) * 8 * 1024 * 8, at = 0;
        beside.ops->start(beside.ctx);
        alone.ops->start(alone.ctx);
        for (size_t now; at < all; at += now) {
            now = 1 + roll_below(&d, 1u << roll_below(&d, 20));
            now = now < all - at ? now : all - at;
            beside.ops->add(beside.ctx, bytes + at, now);
        }
        if (roll_below(&d, 8) == 0)
            continue; /* it begins anew */
        alone.ops->add(alone.ctx, bytes, all);
        beside.ops->end(beside.ctx, is);
        alone.ops->end(alone.ctx, want);
        assert_memory_equal(is, want, sizeof is);
    }
    beside.ops->start(beside.ctx);
    for (int i = 0; i < 2; i++)
        beside.ops->add(beside.ctx, bytes, MOST - 1);
    digest_beside_close(&beside);
    digest_close(&alone);
    free(bytes);
}

int main(void)
{
    const struct CMUnitTest tests[] = {
        cmocka_unit_test(memory_stays_small),
        cmocka_unit_test(a_digest_beside),
        cmocka_unit_test(there_and_back),
        cmocka_unit_test(nothing_else_is_taken),
        cmocka_unit_test(no_changed_byte_is_accepted),
    };
    assert_non_null(mkdtemp(folder));
    int failed = cmocka_run_group_tests_name("files", tests, NULL, NULL);
    rmdir(folder);
    return failed;
}

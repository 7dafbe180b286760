/* Archives as others read them: more files than two bytes count, and sizes told in eight bytes. */
#include <stdlib.h>
#include <unistd.h>

#include "help.h"
#include "port/zip.h"

enum { MANY = 66000, LARGE = 300000, LARGE_AT = 40000 };

static char path[] = "/tmp/bilancia-archive-XXXXXX";

static void fill(uint8_t *bytes, size_t size, uint32_t seed)
{
    for (size_t i = 0; i < size; i++)
        bytes[i] = (uint8_t)((seed = seed * 1103515245u + 12345u) >> 16) & (i & 4096 ? 255 : 3);
}

static void write_many(uint64_t declared)
{
    static uint8_t bytes[LARGE];
    FILE *file = fopen(path, "wb+");
    zip_out zip;
    char name[40];
    zip_out_begin(&zip, file);
    for (int i = 0; i < MANY; i++) {
        snprintf(name, sizeof name, "folder/%d.bin", i);
        size_t size = i == LARGE_AT ? LARGE : (size_t)i % 3;
        fill(bytes, size, (uint32_t)i);
        zip_out_file(&zip, name, i == LARGE_AT ? declared : size, i == 7);
        for (size_t at = 0; at < size; at += 1000)
            zip_out_put(&zip, bytes + at, size - at < 1000 ? size - at : 1000);
    }
    assert_true(zip_out_end(&zip));
    assert_int_equal(fclose(file), 0);
}

static void read_many(void)
{
    static uint8_t bytes[LARGE], got[LARGE + 1];
    zip_in zip;
    zip_file file;
    char name[40];
    assert_true(zip_in_begin(&zip, path));
    for (int i = 0; i < MANY; i++) {
        size_t size = i == LARGE_AT ? LARGE : (size_t)i % 3, held = 0;
        snprintf(name, sizeof name, "folder/%d.bin", i);
        assert_int_equal(zip_in_next(&zip, &file), 1);
        assert_string_equal(file.name, name);
        assert_true(file.regular && file.bytes == size);
        long now;
        while ((now = zip_in_get(&zip, got + held, sizeof got - held)) > 0)
            held += (size_t)now;
        fill(bytes, size, (uint32_t)i);
        assert_true(now == 0 && held == size);
        assert_memory_equal(got, bytes, size);
    }
    assert_int_equal(zip_in_next(&zip, &file), 0);
    zip_in_end(&zip);
}

/* By Python's reader, which checks sums itself; and by our own, which wants every head to agree. */
static void many_and_large_files_are_read_by_others(void **state)
{
    (void)state;
    for (int wide = 0; wide < 2; wide++) {
        write_many(wide ? UINT64_C(5) << 30 : LARGE);
        char command[700];
        snprintf(
            command, sizeof command,
            "python3 -c \"import zipfile; z = zipfile.ZipFile('%s'); n = z.infolist(); assert z.testzip() is None; "
            "assert [i.filename for i in n] == ['folder/%%d.bin' %% i for i in range(%d)]; "
            "assert [i.file_size for i in n] == [%d if i == %d else i %% 3 for i in range(%d)]; "
            "assert [i for i, f in enumerate(n) if f.external_attr >> 16 & 0o100] == [7]\"",
            path, MANY, LARGE, LARGE_AT, MANY);
        assert_int_equal(system(command), 0);
        read_many();
        unlink(path);
    }
}

int main(void)
{
    int fd = mkstemp(path);
    if (fd < 0 || close(fd) != 0)
        return 1;
    const struct CMUnitTest tests[] = {
        cmocka_unit_test(many_and_large_files_are_read_by_others),
    };
    return cmocka_run_group_tests(tests, NULL, NULL);
}

#include "host/copy/bring.h"

#include <errno.h>
#include <string.h>
#include <sys/stat.h>

#include "port/storage.h"

enum { BLOCK = 65536 };

static bool equal_files(const char *a, const char *b)
{
    char left[BLOCK], right[BLOCK];
    FILE *x = storage_read(a, STORAGE_COPY_MOST), *y = storage_read(b, STORAGE_COPY_MOST);
    bool same = x && y;
    size_t m = 1, n;
    while (same && m > 0) {
        m = fread(left, 1, BLOCK, x);
        n = fread(right, 1, BLOCK, y);
        same = m == n && memcmp(left, right, m) == 0;
    }
    if (x)
        fclose(x);
    if (y)
        fclose(y);
    return same;
}

int file_bring(const char *from, const char *folder, const char *name, bool *was_there, bool *same)
{
    char path[STORAGE_PATH + 300];
    snprintf(path, sizeof path, "%s/%s", folder, name);
    *was_there = storage_is_there(path);
    *same = !*was_there || equal_files(from, path);
    return *was_there ? BIL_OK : file_add(from, folder, name);
}

int file_add(const char *from, const char *folder, const char *name)
{
    char block[BLOCK], done[STORAGE_PATH];
    struct stat seen;
    FILE *source = storage_read(from, STORAGE_COPY_MOST);
    if (!source)
        return storage_open_error();
    storage_file storage;
    int error = storage_begin(&storage, folder, name);
    if (error) {
        fclose(source);
        return error;
    }
    /* what only some may read isn't for more elsewhere */
    int fd = fileno(storage.file);
    struct stat made;
    if (fstat(fileno(source), &seen) != 0 || fstat(fd, &made) != 0 ||
        (fchmod(fd, made.st_mode & seen.st_mode & 0666) != 0 && errno != EPERM && errno != EOPNOTSUPP))
        error = storage_error();
    size_t got;
    while (!error && (got = fread(block, 1, BLOCK, source)) > 0)
        if (fwrite(block, 1, got, storage.file) != got)
            error = storage_error();
    if (!error && ferror(source))
        error = BIL_E_FILE_OPEN;
    fclose(source);
    if (error) {
        storage_cancel(&storage);
        return error;
    }
    return storage_commit(&storage, folder, done);
}

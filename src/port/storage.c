#include "storage.h"

#include <errno.h>
#include <fcntl.h>
#include <limits.h>
#include <stdlib.h>
#include <string.h>
#include <sys/syscall.h>
#include <unistd.h>

int storage_error(void)
{
    return errno == ENOSPC || errno == EDQUOT || errno == EFBIG ? BIL_E_DISK_FULL : BIL_E_FILE_WRITE;
}

int storage_begin(storage_file *storage, const char *folder, const char *name)
{
    *storage = (storage_file){.folder = open(folder, O_RDONLY | O_DIRECTORY | O_CLOEXEC)};
    if (storage->folder < 0)
        return storage_error();
    snprintf(storage->name, sizeof storage->name, "%s", name);
    for (int i = 0; i < 100; i++) {
        snprintf(storage->temporary, sizeof storage->temporary, ".%.200s.%ld.%d.part", name, (long)getpid(), i);
        int fd = openat(storage->folder, storage->temporary, O_WRONLY | O_CREAT | O_EXCL | O_CLOEXEC, 0666);
        if (fd >= 0) {
            storage->file = fdopen(fd, "wb");
            return storage->file ? BIL_OK : BIL_E_MEMORY;
        }
        if (errno != EEXIST)
            break;
    }
    int error = storage_error();
    close(storage->folder);
    return error;
}

void storage_name_digest(storage_file *storage, const char *text)
{
    char name[sizeof storage->name];
    const char *at = strchr(storage->name, STORAGE_DIGEST);
    if (!at)
        return;
    snprintf(name, sizeof name, "%.*s%s%s", (int)(at - storage->name), storage->name, text, at + 1);
    memcpy(storage->name, name, sizeof name);
}

bool storage_ends_with(const char *name, const char *ending)
{
    size_t length = strlen(name), tail = strlen(ending);
    return length > tail && strcmp(name + length - tail, ending) == 0;
}

int storage_sync(FILE *file)
{
    return fflush(file) == 0 && !ferror(file) && fsync(fileno(file)) == 0 ? BIL_OK : storage_error();
}

void storage_cancel(storage_file *storage)
{
    int error = errno;
    if (storage->file)
        fclose(storage->file);
    unlinkat(storage->folder, storage->temporary, 0);
    close(storage->folder);
    storage->file = NULL;
    errno = error;
}

/* The name appears with the whole file behind it, or not at all, and never replaces another. link(2) does that; where
 * the file system has no links, as on a memory stick, renameat2(2) does. */
static bool give_name(const storage_file *storage)
{
    enum { NO_REPLACE = 1 };
    if (linkat(storage->folder, storage->temporary, storage->folder, storage->name, 0) == 0)
        return true;
    if (errno != EPERM && errno != EOPNOTSUPP && errno != ENOSYS)
        return false;
    return syscall(SYS_renameat2, storage->folder, storage->temporary, storage->folder, storage->name, NO_REPLACE) == 0;
}

static bool publish(storage_file *storage)
{
    char name[sizeof storage->name];
    memcpy(name, storage->name, sizeof name);
    const char *ending = strrchr(name, '.');
    int stem = ending ? (int)(ending - name) : (int)strlen(name);
    for (int i = 2; i < 10000; i++) {
        if (give_name(storage))
            return true;
        if (errno != EEXIST)
            return false;
        snprintf(storage->name, sizeof storage->name, "%.*s-%d%s", stem, name, i, name + stem);
    }
    return false;
}

int storage_commit(storage_file *storage, const char *folder, char *path)
{
    int error = storage_sync(storage->file);
    if (!error && !publish(storage))
        error = storage_error();
    if (!error) {
        char *whole = realpath(folder, NULL);
        snprintf(path, STORAGE_PATH, "%s/%s", whole ? whole : folder, storage->name);
        free(whole);
        if (fsync(storage->folder) != 0)
            error = storage_error();
        unlinkat(storage->folder, storage->temporary, 0);
        fclose(storage->file);
        close(storage->folder);
        storage->file = NULL;
        return error;
    }
    storage_cancel(storage);
    return error;
}

#include "storage.h"
#include "port/memory.h"

#include <errno.h>
#include <fcntl.h>
#include <limits.h>
#if __has_include(<linux/openat2.h>)
#include <linux/openat2.h>
#define HAS_OPENAT2
#endif
#include <stdlib.h>
#include <string.h>
#include <sys/stat.h>
#include <sys/syscall.h>
#include <unistd.h>

/* ---- errors ---- */

/* What the computer lacks is called so, whatever it was wanted for. */
static int lacking(int number, int otherwise)
{
    switch (number) {
    case ENOSPC:
    case EDQUOT:
    case EFBIG:
        return BIL_E_DISK_FULL;
    case EMFILE:
    case ENFILE:
        return BIL_E_DESCRIPTORS;
    case ENOMEM:
        return BIL_E_MEMORY;
    default:
        return otherwise;
    }
}

int storage_error(void)
{
    return lacking(errno, BIL_E_FILE_WRITE);
}

int storage_open_error(void)
{
    return errno == EFBIG ? BIL_E_FILE_OPEN : lacking(errno, BIL_E_FILE_OPEN);
}

const char *storage_why(int number)
{
    return number == ELOOP     ? "it is a link, or lies behind one; in a site no link is followed"
           : number == ENOTSUP ? "it is no plain file"
           : number == EFBIG   ? "it is larger than such a file may be"
                               : strerror(number);
}

/* ---- opening ---- */

enum { DEEPEST = 128, FOLDER = O_PATH | O_DIRECTORY | O_CLOEXEC };

/* Is this folder, or one above it, a site? */
static bool in_site(int folder)
{
    char up[3 * DEEPEST + sizeof STORAGE_SITE] = "";
    struct stat here = {0}, above;
    for (size_t used = 0; used < 3 * DEEPEST; used += 3) {
        strcpy(up + used, STORAGE_SITE);
        if (faccessat(folder, up, F_OK, 0) == 0)
            return true;
        strcpy(up + used, "../");
        if (fstatat(folder, up, &above, 0) != 0 || (above.st_ino == here.st_ino && above.st_dev == here.st_dev))
            return false;
        here = above;
    }
    return true; /* nobody has such a path by accident */
}

/* May this link be followed? Never within a site; elsewhere when it is one's own, or the computer's. */
static bool may_follow(int folder, const struct stat *link)
{
    return (link->st_uid == 0 || link->st_uid == geteuid()) && !in_site(folder);
}

/* Step by step, looking at each link before it is followed. */
static int walk(const char *path, int flags)
{
    int at = open(*path == '/' ? "/" : ".", FOLDER);
    while (at >= 0) {
        char name[NAME_MAX + 1];
        path += strspn(path, "/");
        size_t length = strcspn(path, "/"), rest = length + strspn(path + length, "/");
        bool last = path[rest] == '\0';
        struct stat seen;
        int next = -1;
        snprintf(name, sizeof name, "%.*s", (int)length, length ? path : ".");
        if (length > NAME_MAX)
            errno = ENAMETOOLONG;
        else if (fstatat(at, name, &seen, AT_SYMLINK_NOFOLLOW) != 0)
            next = -1;
        else if (S_ISLNK(seen.st_mode) && !may_follow(at, &seen))
            errno = ELOOP;
        else /* what has become a link since is refused */
            next = openat(at, name, (last ? flags : FOLDER) | (S_ISLNK(seen.st_mode) ? 0 : O_NOFOLLOW));
        int why = errno;
        close(at);
        errno = why;
        if (last)
            return next;
        at = next;
        path += rest;
    }
    return -1;
}

/* Mostly there are no links at all, and one call says so. */
static int open_path(const char *path, int flags)
{
    flags |= O_CLOEXEC | (flags & O_PATH ? 0 : O_NOCTTY | O_NONBLOCK);
#ifdef HAS_OPENAT2
    struct open_how how = {.flags = (unsigned)flags, .resolve = RESOLVE_NO_SYMLINKS};
    int fd = (int)syscall(SYS_openat2, AT_FDCWD, path, &how, sizeof how);
    if (fd >= 0 || (errno != ELOOP && errno != ENOSYS && errno != EPERM))
        return fd;
#endif
    return walk(path, flags);
}

static int refuse(int fd, int why)
{
    close(fd);
    errno = why;
    return -1;
}

int storage_open(const char *path, uint64_t most)
{
    struct stat seen;
    int fd = open_path(path, O_RDONLY);
    if (fd < 0)
        return -1;
    if (fstat(fd, &seen) != 0)
        return refuse(fd, errno);
    if (!S_ISREG(seen.st_mode))
        return refuse(fd, S_ISDIR(seen.st_mode) ? EISDIR : ENOTSUP);
    return most && (uint64_t)seen.st_size > most ? refuse(fd, EFBIG) : fd;
}

FILE *storage_read(const char *path, uint64_t most)
{
    int fd = storage_open(path, most);
    return fd < 0 ? NULL : fdopen(fd, "rb");
}

char *storage_text(const char *path, size_t most, size_t *size)
{
    int fd = storage_open(path, most);
    struct stat seen;
    if (fd < 0 || fstat(fd, &seen) != 0)
        return NULL;
    char *text = malloc((size_t)seen.st_size + 1); /* what is added meanwhile comes too late */
    ssize_t got = 1;
    *size = 0;
    while (text && got > 0 && *size < (size_t)seen.st_size) {
        got = read(fd, text + *size, (size_t)seen.st_size - *size);
        if (got > 0)
            *size += (size_t)got;
        else if (got < 0 && errno == EINTR)
            got = 1;
    }
    refuse(fd, text ? errno : ENOMEM);
    if (!text || got < 0) {
        free(text);
        return NULL;
    }
    text[*size] = '\0';
    return text;
}

int storage_nameless(void)
{
    const char *own = getenv("TMPDIR"), *folder = own && own[0] == '/' ? own : "/var/tmp"; /* which isn't in memory */
    int fd = open(folder, O_TMPFILE | O_RDWR | O_CLOEXEC, 0600);
    if (fd < 0 && (errno == EOPNOTSUPP || errno == EISDIR || errno == EINVAL)) {
        char name[STORAGE_PATH];
        snprintf(name, sizeof name, "%.4000s/bilancia-XXXXXX", folder);
        fd = mkostemp(name, O_CLOEXEC);
        if (fd >= 0)
            unlink(name);
    }
    return fd;
}

DIR *storage_list(const char *folder)
{
    int fd = open_path(folder, O_RDONLY | O_DIRECTORY);
    DIR *dir = fd < 0 ? NULL : fdopendir(fd);
    if (fd >= 0 && !dir)
        refuse(fd, errno);
    return dir;
}

bool storage_is_there(const char *path)
{
    int fd = open_path(path, O_PATH);
    if (fd >= 0)
        close(fd);
    return fd >= 0;
}

/* The folder that a path lies in; what is left of it goes into `name`. */
static int open_parent(const char *path, char name[NAME_MAX + 1])
{
    char above[STORAGE_PATH];
    size_t length = strlen(path);
    while (length > 1 && path[length - 1] == '/')
        length--;
    size_t stem = length;
    while (stem > 0 && path[stem - 1] != '/')
        stem--;
    if (length >= sizeof above || length - stem > NAME_MAX) {
        errno = ENAMETOOLONG;
        return -1;
    }
    snprintf(name, NAME_MAX + 1, "%.*s", (int)(length - stem), path + stem);
    snprintf(above, sizeof above, "%.*s", stem ? (int)stem : 1, stem ? path : ".");
    return open_path(above, O_RDONLY | O_DIRECTORY);
}

int storage_make_folder(const char *path, unsigned mode)
{
    char name[NAME_MAX + 1];
    int above = open_parent(path, name);
    if (above < 0)
        return storage_error();
    bool there = mkdirat(above, name, mode) != 0 && errno == EEXIST;
    struct stat seen;
    bool good = fstatat(above, name, &seen, AT_SYMLINK_NOFOLLOW) == 0;
    if (good && S_ISLNK(seen.st_mode) && !may_follow(above, &seen)) {
        errno = ELOOP;
        good = false;
    } else if (good && !S_ISLNK(seen.st_mode) && !S_ISDIR(seen.st_mode)) {
        errno = ENOTDIR;
        good = false;
    }
    good = good && (there || fsync(above) == 0); /* or a power cut takes the folder with all that is put into it */
    int error = good ? BIL_OK : storage_error();
    refuse(above, errno);
    return error;
}

int storage_make_folders(const char *path, unsigned mode)
{
    char part[STORAGE_PATH];
    int error = BIL_OK;
    snprintf(part, sizeof part, "%s", path);
    for (char *slash = part + 1; !error && (slash = strchr(slash, '/')); slash++) {
        *slash = '\0';
        if (!storage_is_there(part))
            error = storage_make_folder(part, mode);
        *slash = '/';
    }
    return error || storage_is_there(part) ? error : storage_make_folder(part, mode);
}

int storage_remove(const char *path)
{
    char name[NAME_MAX + 1];
    int above = open_parent(path, name);
    if (above < 0)
        return storage_error();
    int error = unlinkat(above, name, 0) == 0 || errno == ENOENT ? BIL_OK : storage_error();
    if (!error)
        fsync(above);
    refuse(above, errno);
    return error;
}

int storage_append(const char *path)
{
    struct stat seen;
    int fd = open_path(path, O_RDWR | O_APPEND);
    if (fd >= 0 && (fstat(fd, &seen) != 0 || !S_ISREG(seen.st_mode)))
        return refuse(fd, ENOTSUP);
    return fd;
}

/* ---- files that are there whole or not at all ---- */

int storage_begin(storage_file *storage, const char *folder, const char *name)
{
    *storage = (storage_file){.folder = open_path(folder, O_RDONLY | O_DIRECTORY)};
    if (storage->folder < 0)
        return storage_error();
    snprintf(storage->name, sizeof storage->name, "%s", name);
    for (int i = 0; i < 100; i++) {
        snprintf(storage->temporary, sizeof storage->temporary, ".%.200s.%ld.%d.part", name, (long)getpid(), i);
        int fd = openat(storage->folder, storage->temporary, O_WRONLY | O_CREAT | O_EXCL | O_CLOEXEC, 0666);
        if (fd >= 0) {
            storage->file = fdopen(fd, "wb");
            if (storage->file)
                return BIL_OK;
            close(fd);
            storage_cancel(storage);
            return BIL_E_MEMORY;
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
    int error = mem_is_short() ? BIL_E_MEMORY : storage_sync(storage->file);
    if (!error && !publish(storage))
        error = storage_error();
    if (!error) {
        char *whole = realpath(folder, NULL);
        snprintf(path, STORAGE_PATH, "%s/%s", whole ? whole : folder, storage->name);
        free(whole);
        if (fsync(storage->folder) != 0) { /* it may be gone after a power cut, so it isn't there */
            error = storage_error();
            unlinkat(storage->folder, storage->name, 0);
        }
        unlinkat(storage->folder, storage->temporary, 0);
        fclose(storage->file);
        close(storage->folder);
        storage->file = NULL;
        return error;
    }
    storage_cancel(storage);
    return error;
}

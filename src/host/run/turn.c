#include "host/run/turn.h"

#include <errno.h>
#include <fcntl.h>
#include <stdio.h>
#include <stdlib.h>
#include <string.h>
#include <sys/file.h>
#include <sys/stat.h>
#include <unistd.h>

#include "host/base/time.h"
#include "host/copy/set_file.h"
#include "port/digest.h"
#include "port/storage.h"

/* The folder for locks that all users share (File-system Hierarchy Standard 3.0, 3.15.2); not every system has it. */
static const char *shared_folder(void)
{
    static const char *const folders[] = {"/run/lock", "/tmp"};
    const char *own = getenv("BILANCIA_TURNS");
    struct stat seen;
    if (own && own[0] == '/')
        return own;
    for (size_t i = 0; i < sizeof folders / sizeof folders[0]; i++)
        if (stat(folders[i], &seen) == 0 && S_ISDIR(seen.st_mode) && (seen.st_mode & 01777) == 01777)
            return folders[i];
    return "/tmp";
}

/* Whoever came first made the file, and it is that user's: a later one opens it without making it, as the system
 * demands in such a folder, and if need be only for reading, which is enough for a lock. */
static int open_shared(const char *path)
{
    enum { HOW = O_CLOEXEC | O_NOFOLLOW | O_NONBLOCK | O_NOCTTY };
    for (int tries = 0; tries < 10; tries++) {
        int fd = open(path, O_RDWR | HOW);
        if (fd < 0 && errno == EACCES)
            fd = open(path, O_RDONLY | HOW);
        if (fd >= 0 || errno != ENOENT)
            return fd;
        fd = open(path, O_RDWR | O_CREAT | O_EXCL | HOW, 0666);
        if (fd >= 0) {
            fchmod(fd, 0666); /* whatever the mask says: others must be able to tell who they are */
            return fd;
        }
        if (errno != EEXIST)
            return -1;
    }
    return -1;
}

/* The file stays where it is: taking it away would let two programs lock two files of one name. */
bool turn_take(turn *t, const char *what, const char *who, char *why, size_t size)
{
    char hex[2 * BIL_SHA256 + 1], path[STORAGE_PATH], when[40], line[300];
    struct stat seen;
    t->fd = -1;
    if (!digest_hex(what, strlen(what), hex)) {
        snprintf(why, size, "the turn can't be worked out");
        return false;
    }
    snprintf(path, sizeof path, "%s/bilancia-turn-%.16s", shared_folder(), hex);
    t->fd = open_shared(path);
    if (t->fd < 0 || fstat(t->fd, &seen) != 0 || !S_ISREG(seen.st_mode)) {
        snprintf(why, size, "it can't be told whether somebody else is writing to it: %s: %s", path,
                 t->fd < 0 ? storage_why(errno) : storage_why(ENOTSUP));
        turn_give(t);
        return false;
    }
    if (flock(t->fd, LOCK_EX | LOCK_NB) != 0) {
        ssize_t got = pread(t->fd, line, sizeof line - 1, 0);
        line[got > 0 ? got : 0] = '\0';
        line[strcspn(line, "\n")] = '\0';
        snprintf(why, size, "somebody else is writing to it: %s",
                 bil_text_is_printable(line, strlen(line)) && line[0] ? line : "it isn't known who");
        turn_give(t);
        return false;
    }
    time_now(when, sizeof when);
    int length = snprintf(line, sizeof line, "%.100s since %s, process %ld, user %ld\n", who, when, (long)getpid(),
                          (long)getuid());
    if (ftruncate(t->fd, 0) != 0 || pwrite(t->fd, line, (size_t)length, 0) != length)
        return true; /* the lock holds, only its owner isn't told */
    return true;
}

void turn_give(turn *t)
{
    if (t->fd >= 0)
        close(t->fd);
    t->fd = -1;
}

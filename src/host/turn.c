#include "turn.h"

#include <fcntl.h>
#include <stdio.h>
#include <string.h>
#include <sys/file.h>
#include <unistd.h>

#include "../port/digest.h"
#include "set_file.h"

/* The file stays where it is: taking it away would let two programs lock two files of one name. */
bool turn_take(turn *t, const char *address, const char *who, char *why, size_t size)
{
    char hex[2 * BIL_SHA256 + 1], path[64], when[40], line[300];
    if (!digest_hex(address, strlen(address), hex))
        return true;
    snprintf(path, sizeof path, "/tmp/bilancia-turn-%.16s", hex);
    t->fd = open(path, O_RDWR | O_CREAT | O_CLOEXEC | O_NOFOLLOW, 0666);
    if (t->fd < 0)
        return true; /* it can't be known; somebody else's change is still noticed on the device */
    if (flock(t->fd, LOCK_EX | LOCK_NB) != 0) {
        ssize_t got = pread(t->fd, line, sizeof line - 1, 0);
        line[got > 0 ? got : 0] = '\0';
        line[strcspn(line, "\n")] = '\0';
        snprintf(why, size, "somebody else is writing to it: %s",
                 bil_text_is_printable(line, strlen(line)) && line[0] ? line : "it isn't known who");
        turn_give(t);
        return false;
    }
    set_time_now(when, sizeof when);
    int length = snprintf(line, sizeof line, "%.100s since %s, process %ld\n", who, when, (long)getpid());
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

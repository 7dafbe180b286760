#include "line.h"

#include <errno.h>
#include <fcntl.h>
#include <sys/file.h>
#include <unistd.h>

#include "bilancia/host_error.h"

int line_take(const char *path)
{
    int lock = open(path, O_RDWR | O_NOCTTY | O_NONBLOCK | O_CLOEXEC);
    if (lock < 0 || flock(lock, LOCK_EX | LOCK_NB) == 0 || errno != EWOULDBLOCK)
        return lock;
    close(lock);
    errno = EBUSY;
    return -1;
}

bil_error line_cause(int number)
{
    switch (number) {
    case EBUSY:
        return (bil_error)BIL_E_LINE_IN_USE;
    case EMFILE:
    case ENFILE:
        return (bil_error)BIL_E_DESCRIPTORS;
    case ENOMEM:
    case ENOBUFS:
        return (bil_error)BIL_E_MEMORY;
    default:
        return BIL_E_NOT_REACHABLE;
    }
}

#include "host/run/secret.h"

#include <errno.h>
#include <string.h>
#include <sys/mman.h>

void secret_lock(char *secret, size_t size)
{
    if (mlock(secret, size) != 0)
        errno = 0; /* a limit of this computer: then it may be written to its swap space, as any memory */
}

void secret_wipe(char *secret, size_t size)
{
    explicit_bzero(secret, size);
}

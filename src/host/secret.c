#include "secret.h"

#include <fcntl.h>
#include <stdio.h>
#include <stdlib.h>
#include <string.h>
#include <termios.h>
#include <unistd.h>

bool secret_from_fd(int fd, char *out, size_t size)
{
    size_t used = 0;
    for (;;) {
        char c;
        ssize_t got = read(fd, &c, 1); /* not a byte more than the line */
        if (got != 1 || c == '\n')
            break;
        if (used + 1 >= size) {
            secret_wipe(out, size);
            return false;
        }
        out[used++] = c;
    }
    out[used] = '\0';
    return used > 0;
}

bool secret_from_environment(const char *name, char *out, size_t size)
{
    char *value = getenv(name);
    size_t length = value ? strlen(value) : 0;
    bool fits = length > 0 && length < size;
    if (fits)
        memcpy(out, value, length + 1);
    if (value) {
        explicit_bzero(value, length); /* also what others see of this process */
        unsetenv(name);
    }
    return fits;
}

bool secret_from_prompt(const char *question, char *out, size_t size)
{
    int tty = open("/dev/tty", O_RDWR | O_CLOEXEC | O_NOCTTY);
    if (tty < 0)
        return false;
    struct termios before, quiet;
    bool good = tcgetattr(tty, &before) == 0;
    if (good) {
        quiet = before;
        quiet.c_lflag &= ~(tcflag_t)ECHO;
        tcsetattr(tty, TCSAFLUSH, &quiet);
        dprintf(tty, "%s", question);
        good = secret_from_fd(tty, out, size);
        tcsetattr(tty, TCSAFLUSH, &before);
        dprintf(tty, "\n");
    }
    close(tty);
    return good;
}

void secret_wipe(char *secret, size_t size)
{
    explicit_bzero(secret, size);
}

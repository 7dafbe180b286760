#include "cli/password.h"

#include <errno.h>
#include <fcntl.h>
#include <poll.h>
#include <signal.h>
#include <stdio.h>
#include <stdlib.h>
#include <string.h>
#include <strings.h>
#include <termios.h>
#include <unistd.h>

/* The signals that end or stop a program while somebody types. They wait until the echo is back: whoever presses the
 * interrupt key gets the terminal as it was, and then the signal. */
static const int ending[] = {SIGINT, SIGTERM, SIGHUP, SIGQUIT, SIGTSTP};

static volatile sig_atomic_t caught;

static void note_signal(int number)
{
    caught = number;
}

/* One line, and not a byte more. With a mask, as at a terminal, signals come only while it is waited for a key, so that
 * none slips in between and leaves the wait without an end. */
static bool take_line(int fd, const sigset_t *open_mask, char *out, size_t size)
{
    size_t used = 0;
    struct pollfd key = {.fd = fd, .events = POLLIN};
    while (!open_mask || !caught) {
        char c;
        int ready = open_mask ? ppoll(&key, 1, NULL, open_mask) : 1;
        if (ready < 0 && errno == EINTR)
            continue; /* it was noted */
        if (ready != 1 || read(fd, &c, 1) != 1 || c == '\n')
            break;
        if (used + 1 >= size) {
            explicit_bzero(out, size);
            return false;
        }
        out[used++] = c;
    }
    out[used] = '\0';
    return used > 0 && !(open_mask && caught);
}

bool password_from_fd(int fd, char *out, size_t size)
{
    return take_line(fd, NULL, out, size);
}

bool password_from_environment(const char *name, char *out, size_t size)
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

void passwords_from_environment(const char *begin, char **kept, size_t most)
{
    size_t length = strlen(begin), count = 0;
    while (count < most && kept[count])
        count++;
    for (char **at = environ; at && *at;) {
        char *rest = *at + length, *value = strchr(*at, '=');
        if (strncmp(*at, begin, length) != 0 || !value || value < rest) {
            at++;
            continue;
        }
        if (count < most)
            kept[count++] = strdup(rest);
        char name[64];
        snprintf(name, sizeof name, "%.*s", (int)(value - *at), *at);
        explicit_bzero(value + 1, strlen(value + 1));
        if (unsetenv(name) != 0 || *at == rest - length)
            at++; /* it stays there, without its value */
    }
}

bool password_kept(char *const *kept, size_t count, const char *name, char *out, size_t size)
{
    size_t length = strlen(name);
    for (size_t i = 0; i < count; i++) {
        const char *one = kept[i];
        if (!one || strncasecmp(one, name, length) != 0 || one[length] != '=')
            continue;
        bool fits = one[length + 1] && strlen(one + length + 1) < size;
        if (fits)
            strcpy(out, one + length + 1);
        return fits;
    }
    return false;
}

void passwords_forget(char **kept, size_t count)
{
    for (size_t i = 0; i < count; i++) {
        if (kept[i])
            explicit_bzero(kept[i], strlen(kept[i]));
        free(kept[i]);
        kept[i] = NULL;
    }
}

bool password_from_prompt(const char *question, char *out, size_t size)
{
    enum { SIGNALS = sizeof ending / sizeof ending[0] };
    int tty = open("/dev/tty", O_RDWR | O_CLOEXEC | O_NOCTTY);
    if (tty < 0)
        return false;
    struct termios before, quiet;
    struct sigaction note = {.sa_handler = note_signal}, old[SIGNALS]; /* without SA_RESTART: the read ends */
    bool good = tcgetattr(tty, &before) == 0;
    sigset_t held, open_mask;
    sigemptyset(&held);
    for (size_t i = 0; i < SIGNALS; i++)
        sigaddset(&held, ending[i]);
    if (good) {
        caught = 0;
        sigprocmask(SIG_BLOCK, &held, &open_mask);
        for (size_t i = 0; i < SIGNALS; i++)
            sigaction(ending[i], &note, &old[i]);
        quiet = before;
        quiet.c_lflag &= ~(tcflag_t)ECHO;
        tcsetattr(tty, TCSAFLUSH, &quiet);
        dprintf(tty, "%s", question);
        good = take_line(tty, &open_mask, out, size);
        tcsetattr(tty, TCSAFLUSH, &before);
        dprintf(tty, "\n");
        sigprocmask(SIG_SETMASK, &open_mask, NULL); /* what waited is noted now */
        for (size_t i = 0; i < SIGNALS; i++)
            sigaction(ending[i], &old[i], NULL);
        if (caught) {
            explicit_bzero(out, size);
            raise(caught);
        }
    }
    close(tty);
    return good;
}

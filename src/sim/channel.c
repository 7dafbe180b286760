#include "channel.h"

#include <errno.h>
#include <stdio.h>
#include <stdlib.h>
#include <string.h>
#include <sys/socket.h>
#include <sys/stat.h>
#include <sys/un.h>
#include <unistd.h>

#include "bilancia/host_error.h"
#include "control.h"

static bool control_address(const char *path, struct sockaddr_un *name)
{
    *name = (struct sockaddr_un){.sun_family = AF_UNIX};
    size_t length = strlen(path);
    if (length == 0 || length >= sizeof name->sun_path)
        return false;
    memcpy(name->sun_path, path, length + 1);
    return true;
}

bool sim_channel_open(sim_channel *c, sim_unit *unit, const char *path)
{
    struct sockaddr_un name;
    *c = (sim_channel){.fd = -1, .unit = unit};
    if (!control_address(path, &name)) {
        errno = ENAMETOOLONG;
        return false;
    }
    c->fd = socket(AF_UNIX, SOCK_STREAM | SOCK_CLOEXEC, 0);
    mode_t before = umask(0077);
    int bound = c->fd < 0 ? -1 : bind(c->fd, (struct sockaddr *)&name, sizeof name);
    umask(before);
    if (bound != 0 || listen(c->fd, 4) != 0)
        return false;
    snprintf(c->path, sizeof c->path, "%s", path);
    return true;
}

void sim_channel_close(sim_channel *c)
{
    if (c->fd >= 0)
        close(c->fd);
    if (c->path[0])
        unlink(c->path);
    free(c->remembered);
    *c = (sim_channel){.fd = -1};
}

static void remember(sim_channel *c, char *answer, size_t size)
{
    if (!c->remembered)
        c->remembered = malloc(sizeof *c->remembered);
    if (c->remembered)
        *c->remembered = *c->unit;
    snprintf(answer, size, c->remembered ? "ok" : "error: there is no memory for it");
}

static void recall(sim_channel *c, char *answer, size_t size)
{
    const void *talks_to = c->unit->talks_to; /* that is now */
    if (c->remembered)
        *c->unit = *c->remembered;
    c->unit->talks_to = talks_to;
    snprintf(answer, size, c->remembered ? "ok" : "error: nothing was remembered; say remember first");
}

/* A line without its end. */
static void hear(int fd, char *line, size_t size)
{
    size_t used = 0;
    ssize_t got;
    while (used < size - 1 && (got = recv(fd, line + used, size - 1 - used, 0)) > 0) {
        used += (size_t)got;
        if (memchr(line, '\n', used))
            break;
    }
    line[used] = '\0';
    line[strcspn(line, "\n")] = '\0';
}

void sim_channel_serve(sim_channel *c, uint64_t now,
                       bool (*first)(void *ctx, const char *line, char *answer, size_t size), void *ctx)
{
    int fd = accept4(c->fd, NULL, NULL, SOCK_CLOEXEC);
    char line[256], answer[300];
    struct timeval patience = {1, 0};
    if (fd < 0)
        return;
    setsockopt(fd, SOL_SOCKET, SO_RCVTIMEO, &patience, sizeof patience);
    hear(fd, line, sizeof line);
    if (strcmp(line, "remember") == 0)
        remember(c, answer, sizeof answer);
    else if (strcmp(line, "recall") == 0)
        recall(c, answer, sizeof answer);
    else if (!first || !first(ctx, line, answer, sizeof answer))
        sim_control(c->unit, now, line, answer, sizeof answer);
    size_t length = strlen(answer);
    answer[length++] = '\n';
    send(fd, answer, length, MSG_NOSIGNAL);
    close(fd);
}

int sim_control_call(const char *path, const char *line, char *answer, size_t size)
{
    struct sockaddr_un name;
    int fd = socket(AF_UNIX, SOCK_STREAM | SOCK_CLOEXEC, 0);
    struct timeval patience = {5, 0};
    char text[256];
    int length = snprintf(text, sizeof text, "%s\n", line);
    ssize_t got = -1;
    size_t used = 0;
    setsockopt(fd, SOL_SOCKET, SO_RCVTIMEO, &patience, sizeof patience);
    if (fd >= 0 && (size_t)length < sizeof text && control_address(path, &name) &&
        connect(fd, (struct sockaddr *)&name, sizeof name) == 0 &&
        send(fd, text, (size_t)length, MSG_NOSIGNAL) == length)
        while (used < size - 1 && (got = recv(fd, answer + used, size - 1 - used, 0)) > 0)
            used += (size_t)got;
    if (fd >= 0)
        close(fd);
    answer[used] = '\0';
    answer[strcspn(answer, "\n")] = '\0';
    return used > 0 ? BIL_OK : BIL_E_CONTROL;
}

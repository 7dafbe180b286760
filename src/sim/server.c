#include "server.h"

#include <errno.h>
#include <fcntl.h>
#include <modbus.h>
#include <netinet/in.h>
#include <poll.h>
#include <stdio.h>
#include <stdlib.h>
#include <string.h>
#include <sys/socket.h>
#include <termios.h>
#include <time.h>
#include <unistd.h>

#include "bilancia/host_error.h"
#include "pdu.h"

static uint64_t real_ms(void)
{
    struct timespec now;
    clock_gettime(CLOCK_MONOTONIC, &now);
    return (uint64_t)now.tv_sec * 1000 + (uint64_t)now.tv_nsec / 1000000;
}

static uint64_t simulated(const sim_server *s)
{
    return s->base + (real_ms() - s->started) * s->factor;
}

/* ---- sockets ---- */

static uint64_t web_now(const void *ctx)
{
    return simulated(ctx);
}

static void web_wait(const void *ctx, uint32_t ms)
{
    usleep(ms * 1000 / ((const sim_server *)ctx)->factor);
}

static bool listen_there(sim_server *s)
{
    if (s->unit->model->web) {
        bool good = web_server_listen(&s->web);
        s->port = s->web.port;
        return good;
    }
    s->listener = modbus_tcp_listen(s->modbus, SERVER_CLIENTS);
    if (s->listener < 0)
        return false;
    struct sockaddr_in name;
    socklen_t size = sizeof name;
    if (getsockname(s->listener, (struct sockaddr *)&name, &size) == 0)
        s->port = ntohs(name.sin_port);
    return true;
}

static void hang_up(int *fd)
{
    if (*fd >= 0)
        close(*fd);
    *fd = -1;
}

static void leave(sim_server *s, int i)
{
    if (s->sessions[i])
        sim_session_close(s->sessions[i]);
    free(s->sessions[i]);
    s->sessions[i] = NULL;
    hang_up(&s->clients[i]);
}

static void go_dark(sim_server *s)
{
    hang_up(&s->listener);
    web_server_stop(&s->web);
    for (int i = s->line >= 0; i < SERVER_CLIENTS; i++)
        leave(s, i);
}

static void begin(sim_server *s, sim_unit *unit, unsigned factor)
{
    *s = (sim_server){
        .unit = unit, .listener = -1, .line = -1, .control = {.fd = -1}, .factor = factor, .started = real_ms()};
    for (int i = 0; i < SERVER_CLIENTS; i++)
        s->clients[i] = -1;
}

static bool meet(sim_server *s, int i, int fd, bool line)
{
    s->clients[i] = fd;
    if (!s->unit->model->dialogue)
        return true;
    s->sessions[i] = calloc(1, sizeof *s->sessions[i]);
    if (s->sessions[i])
        sim_session_open(s->sessions[i], s->unit, simulated(s), line);
    return s->sessions[i] != NULL;
}

/* What it has to say goes out. False: it has hung up. */
static bool talk(sim_server *s, int i)
{
    char bytes[512];
    size_t count = 1;
    while (count > 0 && !s->silent) {
        count = sim_session_says(s->sessions[i], simulated(s), bytes, sizeof bytes);
        if (count > 0 && write(s->clients[i], bytes, count) != (ssize_t)count)
            return s->line >= 0;
    }
    return !sim_session_over(s->sessions[i]);
}

static bool listen_to(sim_server *s, int i)
{
    char bytes[256];
    ssize_t count = read(s->clients[i], bytes, sizeof bytes);
    if (count <= 0)
        return false;
    sim_session_hear(s->sessions[i], simulated(s), bytes, (size_t)count);
    return talk(s, i);
}

int sim_server_open(sim_server *s, sim_unit *unit, int port, const char *control_path, unsigned factor, char *why,
                    size_t size)
{
    begin(s, unit, factor);
    s->web = (web_server){.unit = unit, .port = port, .now = web_now, .wait = web_wait, .ctx = s};
    s->modbus = modbus_new_tcp("127.0.0.1", port);
    if (!s->modbus || !listen_there(s)) {
        snprintf(why, size, "port %d: %s", port, strerror(errno));
        sim_server_close(s);
        return BIL_E_NOT_REACHABLE;
    }
    modbus_free(s->modbus); /* made anew with the port that was free, to be found there again after a restart */
    s->modbus = modbus_new_tcp("127.0.0.1", s->port);
    if (!s->modbus || (control_path && !sim_channel_open(&s->control, unit, control_path))) {
        snprintf(why, size, "%s: %s", control_path, strerror(errno));
        sim_server_close(s);
        return BIL_E_FILE_WRITE;
    }
    modbus_set_indication_timeout(s->modbus, 0, 300000);
    return BIL_OK;
}

int sim_server_open_line(sim_server *s, sim_unit *unit, const char *control_path, unsigned factor, char *why,
                         size_t size)
{
    struct termios raw;
    begin(s, unit, factor);
    int fd = posix_openpt(O_RDWR | O_NOCTTY | O_CLOEXEC);
    bool good = fd >= 0 && grantpt(fd) == 0 && unlockpt(fd) == 0 && ptsname_r(fd, s->path, sizeof s->path) == 0;
    s->line = good ? open(s->path, O_RDWR | O_NOCTTY | O_CLOEXEC) : -1; /* so that it stays when nobody else has it */
    good = s->line >= 0 && tcgetattr(s->line, &raw) == 0;
    if (good) {
        cfmakeraw(&raw);
        good = tcsetattr(s->line, TCSANOW, &raw) == 0 && meet(s, 0, fd, true);
    }
    if (!good || (control_path && !sim_channel_open(&s->control, unit, control_path))) {
        snprintf(why, size, "%s: %s", good ? control_path : "no line", strerror(errno));
        sim_server_close(s);
        return BIL_E_FILE_WRITE;
    }
    return BIL_OK;
}

void sim_server_close(sim_server *s)
{
    hang_up(&s->line);
    go_dark(s);
    sim_channel_close(&s->control);
    if (s->modbus)
        modbus_free(s->modbus);
    s->modbus = NULL;
}

/* ---- requests ---- */

/* Reads one request and answers it. False: the client is gone. */
static bool serve(sim_server *s, int fd)
{
    uint8_t query[MODBUS_TCP_MAX_ADU_LENGTH];
    modbus_set_socket(s->modbus, fd);
    int length = modbus_receive(s->modbus, query);
    if (length < 0)
        return false;
    if (length == 0)
        return true;
    int head = modbus_get_header_length(s->modbus), rest = 6 + (query[4] << 8 | query[5]) - length;
    if (rest > 0 && rest <= (int)sizeof query - length) { /* of a function that the library doesn't know */
        if (recv(fd, query + length, (size_t)rest, MSG_WAITALL) != rest)
            return false;
        length += rest;
    }
    if (s->silent)
        return true;
    uint8_t reply[7 + SIM_PDU] = {query[0], query[1]};
    size_t size = sim_answer(s->unit, query[6], simulated(s), query + head, (size_t)(length - head), reply + 7);
    if (size == 0)
        return sim_is_up(s->unit, simulated(s)); /* only this reply is missing, or everything is gone */
    usleep(s->unit->late_ms * 1000 / s->factor);
    reply[4] = (uint8_t)((size + 1) >> 8);
    reply[5] = (uint8_t)(size + 1);
    reply[6] = query[6];
    return send(fd, reply, 7 + size, MSG_NOSIGNAL) == (ssize_t)(7 + size);
}

static void set_factor(sim_server *s, unsigned factor)
{
    s->base = simulated(s);
    s->started = real_ms();
    s->factor = factor;
}

static bool obey(void *ctx, const char *line, char *answer, size_t size)
{
    sim_server *s = ctx;
    unsigned number;
    s->silent = s->silent && strcmp(line, "plug-in") != 0;
    snprintf(answer, size, "ok");
    if (sscanf(line, "time-factor %u", &number) == 1 && number >= 1 && number <= 1000)
        set_factor(s, number);
    else if (strcmp(line, "silent") == 0)
        s->silent = true;
    else if (strcmp(line, "quit") == 0)
        s->quit = true;
    else
        return false;
    return true;
}

static void welcome(sim_server *s)
{
    int fd = accept(s->listener, NULL, NULL);
    for (int i = 0; i < SERVER_CLIENTS && fd >= 0; i++)
        if (s->clients[i] < 0) {
            if (!meet(s, i, fd, false) || (s->sessions[i] && !talk(s, i)))
                leave(s, i);
            return;
        }
    hang_up(&fd);
}

void sim_server_run(sim_server *s, const volatile int *stop)
{
    while (!s->quit && !*stop) {
        bool up = sim_is_up(s->unit, simulated(s));
        if (!up)
            go_dark(s);
        else if (s->listener < 0 && s->line < 0 && !s->web.daemon)
            listen_there(s);
        struct pollfd waiting[SERVER_CLIENTS + 3];
        waiting[0] = (struct pollfd){.fd = s->listener, .events = POLLIN};
        waiting[1] = (struct pollfd){.fd = s->control.fd, .events = POLLIN};
        for (int i = 0; i < SERVER_CLIENTS; i++)
            waiting[i + 2] = (struct pollfd){.fd = s->clients[i], .events = POLLIN};
        waiting[SERVER_CLIENTS + 2] = (struct pollfd){.fd = web_server_fd(&s->web), .events = POLLIN};
        int ready = poll(waiting, SERVER_CLIENTS + 3, up && !s->unit->model->dialogue ? 100 : 20);
        s->web.silent = s->silent;
        web_server_serve(&s->web);
        for (int i = 0; i < SERVER_CLIENTS; i++) /* late replies, and sessions that end by themselves */
            if (s->sessions[i] && !talk(s, i))
                leave(s, i);
        if (ready <= 0)
            continue;
        if (waiting[1].revents)
            sim_channel_serve(&s->control, simulated(s), obey, s);
        for (int i = 0; i < SERVER_CLIENTS; i++)
            if (waiting[i + 2].revents && s->clients[i] >= 0 &&
                !(s->sessions[i] ? listen_to(s, i) : serve(s, s->clients[i])))
                leave(s, i);
        if (waiting[0].revents)
            welcome(s);
    }
}

#include "crowd.h"

#include <errno.h>
#include <fcntl.h>
#include <netinet/in.h>
#include <netinet/tcp.h>
#include <poll.h>
#include <stdio.h>
#include <stdlib.h>
#include <string.h>
#include <sys/epoll.h>
#include <sys/socket.h>
#include <termios.h>
#include <time.h>
#include <unistd.h>

#include "pdu.h"

enum { LINE_UNITS = 247, EVENTS = 64, FRAME = 7 + SIM_PDU, BITS = 11 };

static uint64_t now_us(void)
{
    struct timespec now;
    clock_gettime(CLOCK_MONOTONIC, &now);
    return (uint64_t)now.tv_sec * 1000000 + (uint64_t)now.tv_nsec / 1000;
}

static void sleep_until_us(uint64_t us)
{
    struct timespec until = {.tv_sec = (time_t)(us / 1000000), .tv_nsec = (long)(us % 1000000) * 1000};
    while (clock_nanosleep(CLOCK_MONOTONIC, TIMER_ABSTIME, &until, NULL) == EINTR)
        ;
}

static void serve_channel(crowd *c, size_t unit)
{
    sim_channel_serve(&c->channels[unit], now_us() / 1000, NULL, NULL);
}

/* ---- TCP ---- */

/* A connection: one request at a time, its answer held back until it is due. */
typedef struct visitor {
    int fd; /* -1: free */
    size_t unit, used, reply_size;
    uint64_t due;
    uint8_t frame[FRAME], reply[FRAME];
} visitor;

typedef struct house {
    crowd *c;
    int events;
    visitor *visitors;
    size_t room;
} house;

static int listen_on(int port, int *got)
{
    struct sockaddr_in name = {.sin_family = AF_INET, .sin_port = htons((uint16_t)port)};
    name.sin_addr.s_addr = htonl(INADDR_LOOPBACK);
    int fd = socket(AF_INET, SOCK_STREAM | SOCK_CLOEXEC | SOCK_NONBLOCK, 0), yes = 1;
    socklen_t size = sizeof name;
    setsockopt(fd, SOL_SOCKET, SO_REUSEADDR, &yes, sizeof yes);
    if (fd < 0 || bind(fd, (struct sockaddr *)&name, size) != 0 || listen(fd, 4) != 0 ||
        getsockname(fd, (struct sockaddr *)&name, &size) != 0) {
        if (fd >= 0)
            close(fd);
        return -1;
    }
    *got = ntohs(name.sin_port);
    return fd;
}

static bool open_ports(crowd *c, char *why, size_t size)
{
    c->listeners = calloc(c->count, sizeof *c->listeners);
    c->ports = calloc(c->count, sizeof *c->ports);
    if (!c->listeners || !c->ports)
        return false;
    for (size_t i = 0; i < c->count; i++)
        c->listeners[i] = -1;
    for (size_t i = 0; i < c->count; i++) {
        c->listeners[i] = listen_on(c->first_port ? c->first_port + (int)i : 0, &c->ports[i]);
        if (c->listeners[i] < 0) {
            snprintf(why, size, "port %d: %s", c->first_port ? c->first_port + (int)i : 0, strerror(errno));
            return false;
        }
    }
    return true;
}

/* What an event is about: units have the lower numbers, visitors the ones above, control channels those from here on.
 */
enum { CHANNELS = 1 << 20 };

static void watch(house *h, int fd, uint64_t number)
{
    struct epoll_event event = {.events = EPOLLIN, .data.u64 = number};
    epoll_ctl(h->events, EPOLL_CTL_ADD, fd, &event);
}

static void welcome(house *h, size_t unit)
{
    int fd = accept4(h->c->listeners[unit], NULL, NULL, SOCK_CLOEXEC | SOCK_NONBLOCK), yes = 1;
    for (size_t i = 0; fd >= 0 && i < h->room; i++)
        if (h->visitors[i].fd < 0) {
            setsockopt(fd, IPPROTO_TCP, TCP_NODELAY, &yes, sizeof yes);
            h->visitors[i] = (visitor){.fd = fd, .unit = unit};
            watch(h, fd, CROWD_UNITS + i);
            return;
        }
    if (fd >= 0)
        close(fd);
}

static void leave(visitor *v)
{
    close(v->fd);
    v->fd = -1;
}

static void listen_to(house *h, visitor *v)
{
    ssize_t got = recv(v->fd, v->frame + v->used, sizeof v->frame - v->used, 0);
    if (got <= 0) {
        leave(v);
        return;
    }
    v->used += (size_t)got;
    size_t length = v->used < 6 ? 0 : (size_t)(v->frame[4] << 8 | v->frame[5]);
    if (v->used < 6 || v->used < 6 + length)
        return;
    if (length < 2 || v->used != 6 + length) {
        leave(v);
        return;
    }
    size_t size =
        sim_answer(h->c->units[v->unit], v->frame[6], now_us() / 1000, v->frame + 7, length - 1, v->reply + 7);
    if (size == 0) {
        leave(v);
        return;
    }
    memcpy(v->reply, v->frame, 7);
    v->reply[4] = (uint8_t)((size + 1) >> 8);
    v->reply[5] = (uint8_t)(size + 1);
    v->reply_size = 7 + size;
    v->used = 0;
    v->due = now_us() + h->c->reply_ms * 1000u;
}

static void serve_ports(crowd *c, const volatile int *stop)
{
    house h = {.c = c, .events = epoll_create1(EPOLL_CLOEXEC), .room = 2 * c->count + 16};
    h.visitors = calloc(h.room, sizeof *h.visitors);
    for (size_t i = 0; h.visitors && i < h.room; i++)
        h.visitors[i].fd = -1;
    for (size_t i = 0; i < c->count; i++)
        watch(&h, c->listeners[i], i);
    for (size_t i = 0; c->channels && i < c->count; i++)
        watch(&h, c->channels[i].fd, CHANNELS + i);
    while (h.visitors && !*stop) {
        uint64_t now = now_us(), next = now + 100000;
        for (size_t i = 0; i < h.room; i++) {
            visitor *v = &h.visitors[i];
            if (v->fd < 0 || v->due == 0)
                continue;
            if (v->due <= now) {
                v->due = 0;
                if (send(v->fd, v->reply, v->reply_size, MSG_NOSIGNAL) != (ssize_t)v->reply_size)
                    leave(v);
            } else if (v->due < next) {
                next = v->due;
            }
        }
        struct epoll_event events[EVENTS];
        struct timespec wait = {.tv_sec = 0, .tv_nsec = (long)(next - now) * 1000};
        int count = epoll_pwait2(h.events, events, EVENTS, &wait, NULL);
        for (int i = 0; i < count; i++) {
            uint64_t number = events[i].data.u64;
            if (number >= CHANNELS)
                serve_channel(c, (size_t)(number - CHANNELS));
            else if (number < CROWD_UNITS)
                welcome(&h, (size_t)number);
            else if (h.visitors[number - CROWD_UNITS].fd >= 0)
                listen_to(&h, &h.visitors[number - CROWD_UNITS]);
        }
    }
    for (size_t i = 0; h.visitors && i < h.room; i++)
        if (h.visitors[i].fd >= 0)
            close(h.visitors[i].fd);
    free(h.visitors);
    close(h.events);
}

/* ---- a serial line ---- */

static bool open_line(crowd *c, char *why, size_t size)
{
    c->listeners = calloc(1, sizeof *c->listeners);
    int fd = posix_openpt(O_RDWR | O_NOCTTY | O_CLOEXEC);
    struct termios raw;
    if (!c->listeners || fd < 0 || grantpt(fd) != 0 || unlockpt(fd) != 0 ||
        ptsname_r(fd, c->path, sizeof c->path) != 0 || tcgetattr(fd, &raw) != 0) {
        snprintf(why, size, "a pseudo-terminal: %s", strerror(errno));
        return false;
    }
    cfmakeraw(&raw);
    tcsetattr(fd, TCSANOW, &raw);
    c->listeners[0] = fd;
    return true;
}

static uint64_t characters_us(const crowd *c, double count)
{
    return (uint64_t)(count * BITS * 1000000.0 / c->speed);
}

/* Bytes that a request has, as far as its head tells; 0: not yet. */
static size_t frame_size(const uint8_t *frame, size_t used)
{
    if (used < 2)
        return 0;
    switch (frame[1]) {
    case 15:
    case 16:
        return used < 7 ? 0 : 9u + frame[6];
    case 20:
    case 21:
        return used < 3 ? 0 : 5u + frame[2];
    case 22:
        return 10;
    case 43:
        return 7;
    default:
        return 8;
    }
}

static void serve_line(crowd *c, const volatile int *stop)
{
    uint8_t frame[FRAME + 4], reply[FRAME + 4];
    size_t used = 0;
    uint64_t silence = c->speed > 19200 ? 1750 : characters_us(c, 3.5);
    size_t channels = c->channels ? c->count : 0;
    struct pollfd waiting[1 + LINE_UNITS];
    waiting[0] = (struct pollfd){.fd = c->listeners[0], .events = POLLIN};
    for (size_t i = 0; i < channels; i++)
        waiting[1 + i] = (struct pollfd){.fd = c->channels[i].fd, .events = POLLIN};
    while (!*stop) {
        int ready = poll(waiting, 1 + channels, 50);
        for (size_t i = 0; ready > 0 && i < channels; i++)
            if (waiting[1 + i].revents)
                serve_channel(c, i);
        if (ready <= 0) {
            used = 0; /* half a request and then silence is none */
            continue;
        }
        if (!waiting[0].revents)
            continue;
        ssize_t got = read(c->listeners[0], frame + used, sizeof frame - used);
        if (got <= 0) { /* nobody has the other end open */
            sleep_until_us(now_us() + 2000);
            used = 0;
            continue;
        }
        uint64_t begin = now_us();
        used += (size_t)got;
        size_t size = frame_size(frame, used);
        if (size == 0 || used < size)
            continue;
        size_t unit = frame[0];
        bool sound = used == size && sim_crc(frame, size - 2) == (frame[size - 2] | frame[size - 1] << 8);
        used = 0;
        uint64_t due = begin + characters_us(c, (double)size);
        c->line_us += characters_us(c, (double)size) + silence;
        sim_unit *who = NULL;
        for (size_t i = 0; i < c->count && !who; i++) {
            bool at_all =
                sim_has_numbers(c->units[i]) && sim_space_at(c->units[i], (uint32_t)unit, SIM_HOLDING) != SIM_NOWHERE;
            who = c->units[i]->answers_at == unit || at_all ? c->units[i] : NULL;
        }
        if (!sound || !who)
            continue;
        size_t answer = sim_answer(who, frame[0], begin / 1000, frame + 1, size - 3, reply + 1);
        if (answer == 0)
            continue;
        reply[0] = (uint8_t)unit;
        uint16_t sum = sim_crc(reply, answer + 1);
        reply[answer + 1] = (uint8_t)sum;
        reply[answer + 2] = (uint8_t)(sum >> 8);
        /* a slave begins after 3.5 silent characters, or when it is ready */
        uint64_t pause = c->reply_ms * 1000u > silence ? c->reply_ms * 1000u : silence;
        due += pause + characters_us(c, (double)answer + 3);
        c->line_us += pause + characters_us(c, (double)answer + 3);
        sleep_until_us(due);
        if (write(c->listeners[0], reply, answer + 3) < 0)
            continue;
    }
}

/* ---- both ---- */

static bool open_channels(crowd *c, char *why, size_t size)
{
    if (!c->control)
        return true;
    c->channels = calloc(c->count, sizeof *c->channels);
    for (size_t i = 0; c->channels && i < c->count; i++)
        c->channels[i].fd = -1;
    for (size_t i = 0; c->channels && i < c->count; i++) {
        char path[200];
        snprintf(path, sizeof path, "%.180s-%zu", c->control, i + 1);
        if (!sim_channel_open(&c->channels[i], c->units[i], path)) {
            snprintf(why, size, "%s: %s", path, strerror(errno));
            return false;
        }
    }
    return c->channels != NULL;
}

bool crowd_open(crowd *c, char *why, size_t size)
{
    why[0] = '\0';
    return (c->line ? open_line(c, why, size) : open_ports(c, why, size)) && open_channels(c, why, size);
}

void crowd_run(crowd *c, const volatile int *stop)
{
    if (c->line)
        serve_line(c, stop);
    else
        serve_ports(c, stop);
}

void crowd_close(crowd *c)
{
    for (size_t i = 0; c->listeners && i < (c->line ? 1 : c->count); i++)
        if (c->listeners[i] >= 0)
            close(c->listeners[i]);
    for (size_t i = 0; c->channels && i < c->count; i++)
        sim_channel_close(&c->channels[i]);
    free(c->channels);
    c->channels = NULL;
    free(c->listeners);
    free(c->ports);
    c->listeners = c->ports = NULL;
}

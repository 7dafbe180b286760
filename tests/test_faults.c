/* What each port must do, whatever becomes of replies: they are late, lost, doubled, foreign or corrupted, thousands of
 * reads and writes over TCP and over a serial line (a pseudo-terminal), in registers, in words and in documents. Not
 * one wrong value is taken, not one write is reported that didn't happen. The peer frames its replies by itself. */
#include <arpa/inet.h>
#include <fcntl.h>
#include <poll.h>
#include <pthread.h>
#include <termios.h>
#include <unistd.h>

#include "help.h"
#include "port/clock.h"
#include "port/http.h"
#include "port/modbus.h"
#include "port/stream.h"

enum { CELLS = 64, UNIT = 7, REPLY_MS = 15, LATE_MS = 45, IN_WORDS_MS = 2 * REPLY_MS + 100 };

/* X(NAME): what becomes of a reply */
/* clang-format off */
#define FAULTS(X) \
    X(NONE) X(LOST) X(LATE) X(DOUBLED) X(FOREIGN_UNIT) X(OTHER_FUNCTION) X(OTHER_LENGTH) X(OTHER_ECHO) \
    X(OTHER_TRANSACTION) X(OLD_ONE_FIRST) X(BIT_TURNED) X(CUT) X(REFUSED) X(HANG_UP) X(NOISE_BEFORE)
/* clang-format on */
typedef enum fault {
#define FAULT(NAME) F_##NAME,
    FAULTS(FAULT)
#undef FAULT
        FAULT_COUNT
} fault;

typedef enum manner { IN_CELLS, IN_WORDS, IN_DOCUMENTS } manner;

typedef struct peer {
    bool serial;
    manner manner;
    int listener, line;
    volatile int stop;
    volatile bool busy; /* with a request, or a late reply to it */
    uint16_t cells[CELLS];
    uint8_t before[1500]; /* the last reply */
    size_t before_size;
    dice d;
    unsigned faults[FAULT_COUNT];
} peer;

static uint16_t crc(const uint8_t *bytes, size_t count) /* Modbus over Serial Line 1.02, 6.2.2 */
{
    uint16_t value = 0xffff;
    for (size_t i = 0; i < count; i++) {
        value ^= bytes[i];
        for (int bit = 0; bit < 8; bit++)
            value = (uint16_t)(value & 1 ? value >> 1 ^ 0xa001 : value >> 1);
    }
    return value;
}

/* The reply to a request, as the protocol wants it. `head` bytes come before the unit. */
static size_t right_reply(peer *p, const uint8_t *request, uint8_t *reply, bool refused)
{
    size_t head = p->serial ? 0 : 6;
    const uint8_t *ask = request + head;
    uint8_t *say = reply + head;
    uint16_t address = (uint16_t)(ask[2] << 8 | ask[3]), count = (uint16_t)(ask[4] << 8 | ask[5]);
    size_t size;
    say[0] = ask[0];
    say[1] = ask[1];
    if (refused) {
        say[1] |= 0x80;
        say[2] = 3;
        size = 3;
    } else if (ask[1] == 3) {
        say[2] = (uint8_t)(2 * count);
        for (uint16_t i = 0; i < count; i++) {
            say[3 + 2 * i] = (uint8_t)(p->cells[address + i] >> 8);
            say[4 + 2 * i] = (uint8_t)p->cells[address + i];
        }
        size = 3u + 2u * count;
    } else {
        for (uint16_t i = 0; i < count; i++)
            p->cells[address + i] = (uint16_t)(ask[7 + 2 * i] << 8 | ask[8 + 2 * i]);
        memcpy(say + 2, ask + 2, 4);
        size = 6;
    }
    if (!p->serial) {
        memcpy(reply, request, 4);
        reply[4] = 0;
        reply[5] = (uint8_t)size;
    }
    return head + size;
}

/* Closes the frame with its checksum where there is one. */
static size_t seal(const peer *p, uint8_t *reply, size_t size)
{
    if (!p->serial)
        return size;
    uint16_t sum = crc(reply, size);
    reply[size] = (uint8_t)sum;
    reply[size + 1] = (uint8_t)(sum >> 8);
    return size + 2;
}

static void put(const peer *p, const uint8_t *bytes, size_t size)
{
    /* the client may have hung up, and will come again: that ends no program of the peer's; what the client itself
     * sends may */
    ssize_t sent = p->serial ? write(p->line, bytes, size) : send(p->line, bytes, size, MSG_NOSIGNAL);
    (void)sent;
}

/* The same in words: "show 7" and "let 7=1234", repeated first, answered by "7=1234" and "OK". Nothing guards what is
 * said, so that a digit may become another one: what is corrupted here isn't text any more. */
static void answer_words(peer *p, const char *line)
{
    static const uint8_t noise[3] = {0x07, 0xff, 0x55};
    char reply[200], own[60] = "", echo[60];
    unsigned cell = 0, value = 0;
    fault f = roll_below(&p->d, 6) ? F_NONE : (fault)roll_below(&p->d, FAULT_COUNT);
    bool writes = sscanf(line, "let %u=%u", &cell, &value) == 2;
    if (!writes && sscanf(line, "show %u", &cell) != 1) {
        put(p, (const uint8_t *)"> ", 2); /* it was woken */
        return;
    }
    if (f == F_OTHER_TRANSACTION || (p->serial && f == F_HANG_UP))
        f = F_LOST;
    if (f == F_OLD_ONE_FIRST && p->serial)
        f = F_LATE;
    p->faults[f]++;
    if (writes && f != F_REFUSED)
        p->cells[cell] = (uint16_t)value;
    snprintf(echo, sizeof echo, "%s", line);
    if (f == F_OTHER_ECHO)
        echo[strlen(echo) - 1] ^= 1;
    if (f == F_REFUSED)
        snprintf(own, sizeof own, "NO 3\r\n");
    else if (f == F_FOREIGN_UNIT)
        snprintf(own, sizeof own, writes ? "%u=1\r\n" : "%u=77\r\n", cell + 1);
    else if (f == F_OTHER_FUNCTION)
        snprintf(own, sizeof own, writes ? "%u=%u\r\n" : "OK\r\n", cell, value);
    else if (f != F_OTHER_LENGTH) /* then nothing is there but the prompt */
        writes ? snprintf(own, sizeof own, "OK\r\n") : snprintf(own, sizeof own, "%u=%u\r\n", cell, p->cells[cell]);
    size_t size = (size_t)snprintf(reply, sizeof reply, "%s\r\n%s> ", echo, own);
    if (f == F_BIT_TURNED)
        reply[roll_below(&p->d, (uint32_t)size)] ^= (char)0x80;
    if (f == F_LATE)
        usleep((IN_WORDS_MS + 20) * 1000);
    if (f == F_OLD_ONE_FIRST)
        put(p, p->before, p->before_size);
    if (f == F_NOISE_BEFORE)
        put(p, noise, sizeof noise);
    if (f == F_HANG_UP) {
        close(p->line);
        p->line = -1;
    } else if (f != F_LOST) {
        put(p, (const uint8_t *)reply, f == F_CUT ? roll_below(&p->d, (uint32_t)size) : size);
    }
    if (f == F_DOUBLED)
        put(p, (const uint8_t *)reply, size);
    memcpy(p->before, reply, size);
    p->before_size = size;
}

/* The same in documents: one has all the cells, and a patch sets one of them. Replies of HTTP have no number: a second
 * one is known by coming unasked. Where nothing guards the digits of a value, what is corrupted is no digit any more.
 */
static void answer_documents(peer *p, const char *request)
{
    static const char *const noise = "\a\xffU";
    char body[1300] = "{", reply[3000], *to = body + 1;
    unsigned cell = 0, value = 0;
    const char *patch = strstr(request, "\r\n\r\n{"), *how = "200 OK", *length = "Content-Length: ";
    fault f = roll_below(&p->d, 6) ? F_NONE : (fault)roll_below(&p->d, FAULT_COUNT);
    bool writes = patch && sscanf(patch, "\r\n\r\n{\"c%u\":%u}", &cell, &value) == 2;
    if (f == F_OLD_ONE_FIRST)
        f = F_LOST;
    p->faults[f]++;
    if (writes && f != F_REFUSED)
        p->cells[cell] = (uint16_t)value;
    for (unsigned i = 0; i < CELLS && !writes; i++)
        to += sprintf(to, "%s\"c%u\": %u", i ? ", " : "", f == F_FOREIGN_UNIT ? i + CELLS : i, p->cells[i]);
    if (f == F_OTHER_ECHO && !writes)
        to += sprintf(to, ", \"c5\": 7, \"c60\": 8, \"c0\": 1");
    strcpy(to, "}");
    if (f == F_REFUSED)
        how = "422 No";
    else if (f == F_FOREIGN_UNIT && writes)
        how = "500 Oh";
    else if (f == F_OTHER_FUNCTION)
        how = writes ? "202 Later" : "204 Nothing";
    else if (f == F_OTHER_ECHO && writes)
        how = "999 What";
    else if (f == F_OTHER_TRANSACTION)
        length = "Transfer-Encoding: chunked\r\nX: ";
    size_t size = (size_t)snprintf(reply, sizeof reply / 2, "HTTP/1.1 %s\r\n%s%zu\r\n\r\n%s", how, length,
                                   strlen(body) + (f == F_OTHER_LENGTH ? 10 : 0), body);
    if (f == F_OTHER_FUNCTION && !writes)
        size -= strlen(body); /* a 204 has none */
    if (f == F_BIT_TURNED)
        reply[roll_below(&p->d, (uint32_t)size)] ^= (char)0x80;
    if (f == F_LATE)
        usleep((IN_WORDS_MS + 20) * 1000);
    if (f == F_NOISE_BEFORE)
        put(p, (const uint8_t *)noise, 3);
    if (f == F_DOUBLED) {
        memcpy(reply + size, reply, size);
        size *= 2;
    }
    if (f == F_HANG_UP) {
        close(p->line);
        p->line = -1;
    } else if (f != F_LOST) {
        put(p, (const uint8_t *)reply, f == F_CUT ? roll_below(&p->d, (uint32_t)size) : size);
    }
}

static void answer(peer *p, const uint8_t *request)
{
    uint8_t reply[600] = {0};
    fault f = roll_below(&p->d, 6) ? F_NONE : (fault)roll_below(&p->d, FAULT_COUNT);
    size_t head = p->serial ? 0 : 6;
    bool writes = request[head + 1] == 16;
    if ((p->serial && (f == F_OTHER_TRANSACTION || f == F_HANG_UP)) ||
        (!p->serial && (f == F_BIT_TURNED || f == F_NOISE_BEFORE)))
        f = F_LOST; /* these the other kind of line can't show */
    if (f == F_OLD_ONE_FIRST && p->serial)
        f = F_LATE;
    p->faults[f]++;
    size_t size = right_reply(p, request, reply, f == F_REFUSED);
    switch (f) {
    case F_FOREIGN_UNIT:
        reply[head] = (uint8_t)(reply[head] + 1 + roll_below(&p->d, 200));
        break;
    case F_OTHER_FUNCTION:
        reply[head + 1] = writes ? 6 : 4;
        break;
    case F_OTHER_LENGTH: /* one cell less than was asked for, in a frame that is right in itself */
        if (writes) {
            reply[head + 5]--;
        } else {
            reply[head + 2] = (uint8_t)(reply[head + 2] - 2);
            size -= 2;
            reply[p->serial ? head : 5] = (uint8_t)(p->serial ? UNIT : size - 6);
        }
        break;
    case F_OTHER_ECHO:
        if (writes)
            reply[head + 3] ^= 1;
        else
            reply[head] ^= 4; /* a read has no echo: a foreign unit instead */
        break;
    case F_OTHER_TRANSACTION:
        reply[1] = (uint8_t)(reply[1] + 1 + roll_below(&p->d, 250));
        break;
    default:
        break;
    }
    size = seal(p, reply, size);
    static const uint8_t noise[3] = {0x00, 0xff, 0x55};
    switch (f) {
    case F_LOST:
        break;
    case F_LATE:
        usleep((REPLY_MS + 10) * 1000);
        put(p, reply, size);
        break;
    case F_DOUBLED:
        memcpy(reply + size, reply, size);
        put(p, reply, 2 * size);
        break;
    case F_OLD_ONE_FIRST:
        put(p, p->before, p->before_size);
        put(p, reply, size);
        break;
    case F_BIT_TURNED:
        reply[roll_below(&p->d, (uint32_t)size)] ^= (uint8_t)(1 << roll_below(&p->d, 8));
        put(p, reply, size);
        break;
    case F_CUT:
        put(p, reply, roll_below(&p->d, (uint32_t)size));
        break;
    case F_HANG_UP:
        close(p->line);
        p->line = -1;
        break;
    case F_NOISE_BEFORE:
        put(p, noise, sizeof noise);
        put(p, reply, size);
        break;
    default:
        put(p, reply, size);
        break;
    }
    memcpy(p->before, reply, size);
    p->before_size = size;
}

/* Length of the request that begins here, 0 when more bytes are needed. */
static size_t request_size(const peer *p, const uint8_t *bytes, size_t got)
{
    size_t head = p->serial ? 0 : 6, tail = p->serial ? 2 : 0;
    const uint8_t *end = p->manner == IN_WORDS ? memchr(bytes, '\r', got) : NULL;
    if (p->manner == IN_WORDS)
        return end ? (size_t)(end - bytes) + 1 : 0;
    if (p->manner == IN_DOCUMENTS) {
        const char *text = (const char *)bytes, *behind = memmem(bytes, got, "\r\n\r\n", 4),
                   *length = memmem(bytes, got, "Content-Length: ", 16);
        size_t size = behind ? (size_t)(behind + 4 - text) + (length ? strtoul(length + 16, NULL, 10) : 0) : got + 1;
        return size <= got ? size : 0;
    }
    if (got < head + 7)
        return got >= head + 6 + tail && bytes[head + 1] == 3 ? head + 6 + tail : 0;
    size_t size = bytes[head + 1] == 16 ? head + 7 + bytes[head + 6] + tail : head + 6 + tail;
    return got >= size ? size : 0;
}

static void *serve(void *ctx)
{
    peer *p = ctx;
    uint8_t bytes[1000];
    size_t got = 0;
    while (!p->stop) {
        struct pollfd wait[2] = {{.fd = p->line, .events = POLLIN}, {.fd = p->listener, .events = POLLIN}};
        if (poll(wait, 2, 5) <= 0)
            continue;
        if (wait[1].revents) { /* a new connection takes the place of the old one */
            if (p->line >= 0)
                close(p->line);
            p->line = accept(p->listener, NULL, NULL);
            if (p->manner == IN_WORDS)
                put(p, (const uint8_t *)"W\r\n> ", 5);
            got = 0;
            continue;
        }
        p->busy = true;
        ssize_t more = p->line >= 0 ? read(p->line, bytes + got, sizeof bytes - got) : 0;
        if (more <= 0) {
            if (!p->serial && p->line >= 0) {
                close(p->line);
                p->line = -1;
            }
            usleep(p->serial ? 500 : 0); /* nobody has the other end open just now */
            p->busy = false;
            got = 0;
            continue;
        }
        got += (size_t)more;
        size_t size = request_size(p, bytes, got);
        if (size) {
            char line[60] = "";
            const uint8_t *from = bytes[0] == 0x15 ? bytes + 1 : bytes; /* what was typed before is forgotten */
            bytes[size < sizeof bytes ? size : sizeof bytes - 1] = '\0';
            if (p->manner == IN_WORDS)
                snprintf(line, sizeof line, "%.*s", (int)(size - 1 - (size_t)(from - bytes)), (const char *)from);
            if (p->manner == IN_WORDS)
                answer_words(p, line);
            else if (p->manner == IN_DOCUMENTS)
                answer_documents(p, (const char *)bytes);
            else
                answer(p, bytes);
            p->busy = false;
            got = 0;
        }
    }
    return NULL;
}

/* Has it something to read, or to say? */
static bool is_at_work(const peer *p)
{
    struct pollfd line = {.fd = p->line, .events = POLLIN};
    return p->busy || (poll(&line, 1, 0) > 0 && line.revents & POLLIN) || p->busy;
}

/* ---- whoever asks ---- */

static bil_param params[CELLS];
static uint16_t by_place[CELLS];
static char keys[CELLS][4];
static const bil_console talk = {
    .prompt = "> ", .ends = "\r", .discard = "\x15", .done = "OK", .refuses = "NO {code}", .echo = true};
static const bil_space in_words = {.ask = "show {key}",
                                   .set = "let {key}={value}",
                                   .answer = "{key}={value}",
                                   .reading = BIL_SHARE_NONE,
                                   .writing = BIL_SHARE_NONE,
                                   .keys = true,
                                   .read_most = 1,
                                   .write_most = 1};
static const bil_description model = {.count = CELLS,
                                      .space_count = 1,
                                      .spaces = &in_words,
                                      .params = params,
                                      .by_place = by_place,
                                      .link = {.reply_ms = REPLY_MS, .late_ms = LATE_MS},
                                      .console = &talk};

static bil_param members[CELLS];
static char pointers[CELLS][5];
static const bil_http web;
static const bil_space in_documents = {.ask = "GET /cells",
                                       .set = "PATCH /cells",
                                       .reading = BIL_SHARE_ANY,
                                       .writing = BIL_SHARE_ANY,
                                       .keys = true,
                                       .read_most = CELLS,
                                       .write_most = CELLS};
static const bil_description documented = {.count = CELLS,
                                           .space_count = 1,
                                           .spaces = &in_documents,
                                           .params = members,
                                           .by_place = by_place,
                                           .link = {.reply_ms = REPLY_MS, .late_ms = LATE_MS},
                                           .http = &web};
static const bil_description in_cells, *const described[] = {&in_cells, &model, &documented};

static void describe(void)
{
    static const bil_format format = {.type = BIL_U16, .size = 2, .mul = 1};
    for (uint16_t i = 0; i < CELLS; i++) {
        snprintf(keys[i], sizeof keys[i], "%u", i);
        params[i] = (bil_param){.id = keys[i], .name = "", .unit = "", .format = &format, .at = {.key = keys[i]}};
        snprintf(pointers[i], sizeof pointers[i], "/c%u", i);
        members[i] = params[i];
        members[i].at.key = pointers[i];
        by_place[i] = i;
    }
}

/* One request, for `count` cells from this one on; in words there is one value in it. */
static bil_outcome request(const bil_link *link, manner how, bool writes, uint16_t address, uint16_t count,
                           uint16_t *cells, bil_result *result)
{
    uint8_t raw[2], cause = BIL_OK;
    if (how == IN_CELLS) {
        const bil_cells under = ((bil_cell_link *)link->ctx)->below;
        const bil_span at = {.first = address, .count = count};
        return writes ? under.ops->write(under.ctx, &at, cells, result)
                      : under.ops->read(under.ctx, &at, cells, result);
    }
    bil_value_put_number(raw, 2, cells[0]);
    const bil_transfer t = {
        .description = described[how], .items = &address, .count = 1, .write = writes, .raw = raw, .cause = &cause};
    bil_outcome outcome = link->ops->transfer(link->ctx, &t, result);
    cells[0] = (uint16_t)bil_value_number(raw, 2);
    return outcome == BIL_DONE && cause ? BIL_NOT_SENT : outcome; /* it has no value, and says so */
}

static const char *const manners[] = {"", ", in words", ", in documents"};

static void play(peer *p, bil_link *link, unsigned rounds_wanted)
{
    pthread_t thread;
    pthread_create(&thread, NULL, serve, p);
    dice d = {p->serial ? 11 : 22};
    unsigned outcomes[BIL_UNKNOWN + 1] = {0};
    uint16_t next = 1;
    bool connected = false;
    const bil_connect to = {.description = described[p->manner]};
    for (unsigned i = 0; i < rounds_wanted; i++) {
        bil_result result = {0};
        if (!connected) {
            usleep((p->manner ? IN_WORDS_MS : LATE_MS) *
                   1000); /* silent for as long as a reply can be late; then a new connection */
            while (p->serial && is_at_work(p))
                usleep(1000); /* a busy computer must not make the peer later than it may be */
            assert_int_equal(link->ops->connect(link->ctx, &to, &result), BIL_DONE);
            connected = true;
        }
        uint16_t address = (uint16_t)roll_below(&d, CELLS - 8),
                 count = (uint16_t)(p->manner ? 1 : 2 + roll_below(&d, 6)), cells[8];
        uint16_t before[CELLS];
        memcpy(before, p->cells, sizeof before); /* the peer is idle: it changes only when asked */
        bool writes = roll_below(&d, 2);
        for (uint16_t k = 0; k < count; k++)
            cells[k] = writes ? next++ : 0;
        bil_outcome outcome = request(link, p->manner, writes, address, count, cells, &result);
        outcomes[outcome]++;
        if (outcome == BIL_DONE)
            assert_memory_equal(p->cells + address, cells, count * sizeof cells[0]);
        if (outcome == BIL_REFUSED) {
            assert_memory_equal(p->cells, before, sizeof before);
            assert_int_equal(result.code, p->manner == IN_DOCUMENTS ? 422 : 3);
        }
        assert_true(outcome == BIL_DONE || outcome == BIL_REFUSED || outcome == BIL_UNKNOWN ||
                    (p->manner && outcome == BIL_NOT_SENT));
        if (result.cause && outcome == BIL_NOT_SENT) /* what came unasked ended the connection */
            connected = false;
        else
            connected = outcome != BIL_UNKNOWN;
    }
    p->stop = 1;
    pthread_join(thread, NULL);
    print_message("%s%s: %u done, %u refused, %u unknown; no wrong value, no write that didn't happen\n",
                  p->serial ? "serial line" : "TCP", manners[p->manner], outcomes[BIL_DONE], outcomes[BIL_REFUSED],
                  outcomes[BIL_UNKNOWN]);
    assert_true(outcomes[BIL_DONE] > rounds_wanted / 2 && outcomes[BIL_UNKNOWN] > rounds_wanted / 50);
    static const char *const names[FAULT_COUNT] = {
#define NAME(NAME_) #NAME_,
        FAULTS(NAME)
#undef NAME
    };
    for (int f = 0; f < FAULT_COUNT; f++)
        print_message("  %-18s %u\n", names[f], p->faults[f]);
}

static unsigned requests = 5000;

static void over_tcp(manner how)
{
    struct sockaddr_in name = {.sin_family = AF_INET};
    name.sin_addr.s_addr = htonl(INADDR_LOOPBACK);
    peer p = {.manner = how, .listener = socket(AF_INET, SOCK_STREAM, 0), .line = -1, .d = {1}};
    assert_int_equal(bind(p.listener, (struct sockaddr *)&name, sizeof name), 0);
    assert_int_equal(listen(p.listener, 4), 0);
    socklen_t size = sizeof name;
    getsockname(p.listener, (struct sockaddr *)&name, &size);
    char port[8];
    snprintf(port, sizeof port, "%d", ntohs(name.sin_port));
    modbus_link modbus;
    tcp_stream tcp;
    bil_console_link console;
    bil_link link;
    bil_stream stream;
    tcp_stream_open(&tcp, "127.0.0.1", port, &stream);
    assert_true(modbus_link_open(&modbus, "127.0.0.1", port, UNIT, &link));
    modbus_link_reply_ms(&modbus, REPLY_MS);
    http_port http;
    bil_http_link documents;
    bil_http_port carrier;
    char room[8000];
    http_port_open(&http, "127.0.0.1", port, false, "", &carrier);
    if (how == IN_WORDS)
        link = bil_console_link_over(&console, stream, clock_monotonic(), NULL);
    if (how == IN_DOCUMENTS)
        link = bil_http_link_over(&documents, carrier, NULL, room, sizeof room);
    play(&p, &link, rounds(requests));
    link.ops->close(link.ctx);
    modbus_link_free(&modbus);
    close(p.listener);
    if (p.line >= 0)
        close(p.line);
}

static void over_a_serial_line(manner how)
{
    peer p = {.serial = true, .manner = how, .listener = -1, .line = posix_openpt(O_RDWR | O_NOCTTY), .d = {2}};
    assert_true(p.line >= 0 && grantpt(p.line) == 0 && unlockpt(p.line) == 0);
    char path[100];
    snprintf(path, sizeof path, "%s", ptsname(p.line));
    int keep = open(path, O_RDWR | O_NOCTTY); /* the line stays there while the client opens it anew */
    struct termios raw;
    tcgetattr(keep, &raw);
    cfmakeraw(&raw);
    tcsetattr(keep, TCSANOW, &raw);
    modbus_link modbus;
    serial_stream serial;
    bil_console_link console;
    bil_link link;
    bil_stream stream;
    serial_stream_open(&serial, path, 115200, 'N', 1, &stream);
    assert_true(modbus_link_open_serial(&modbus, path, 115200, 'E', 1, UNIT, &link));
    modbus_link_reply_ms(&modbus, REPLY_MS);
    if (how == IN_WORDS)
        link = bil_console_link_over(&console, stream, clock_monotonic(), NULL);
    play(&p, &link, rounds(requests));
    link.ops->close(link.ctx);
    modbus_link_free(&modbus);
    close(keep);
    close(p.line);
}

static void tcp(void **state)
{
    (void)state;
    over_tcp(IN_CELLS);
}

static void tcp_in_words(void **state)
{
    (void)state;
    over_tcp(IN_WORDS);
}

static void tcp_in_documents(void **state)
{
    (void)state;
    over_tcp(IN_DOCUMENTS);
}

static void serial(void **state)
{
    (void)state;
    over_a_serial_line(IN_CELLS);
}

static void serial_in_words(void **state)
{
    (void)state;
    over_a_serial_line(IN_WORDS);
}

/* test_faults tcp|serial|tcp_in_words|serial_in_words|tcp_in_documents [REQUESTS] */
int main(int argc, char **argv)
{
    const struct CMUnitTest tests[] = {cmocka_unit_test(tcp), cmocka_unit_test(serial), cmocka_unit_test(tcp_in_words),
                                       cmocka_unit_test(serial_in_words), cmocka_unit_test(tcp_in_documents)};
    describe();
    if (argc > 2)
        requests = (unsigned)strtoul(argv[2], NULL, 10);
    if (argc > 1)
        cmocka_set_test_filter(argv[1]);
    return cmocka_run_group_tests_name("faults", tests, NULL, NULL);
}

/* What a device with a console may say: the fuzzer's bytes are the answer to one question, of the logger's table, of
 * one value, of a piece of a file, or to a write. Bit 7 of the first byte puts the echo in front, which chance alone
 * doesn't find. With bit 5 they are all that is said on a new connection, and a byte of 0 is a pause: what comes of a
 * login. */
#include <stdlib.h>
#include <string.h>

#include "bilancia/console.h"

extern const bil_description bil_description_el_16;
int LLVMFuzzerTestOneInput(const uint8_t *data, size_t size);

typedef struct speaker {
    const uint8_t *data;
    size_t size, at;
    bool echo, asked, greeted;
    char echoed[BIL_CONSOLE_LINE + 8];
    size_t echo_at;
    uint64_t now;
    unsigned given, told; /* passwords */
} speaker;

static bil_outcome dial(void *ctx, bil_result *result)
{
    (void)ctx;
    (void)result;
    return BIL_DONE;
}

static bool hear(void *ctx, const char *bytes, size_t count)
{
    speaker *s = ctx;
    const char *end = memchr(bytes, '\r', count);
    if (!s->asked && end) {
        memcpy(s->echoed, bytes, (size_t)(end - bytes));
        memcpy(s->echoed + (end - bytes), "\r\n", 2);
    }
    s->asked = s->asked || end;
    return true;
}

static int say(void *ctx, char *bytes, size_t room, uint32_t within_ms)
{
    speaker *s = ctx;
    static const char prompt[] = "EL-16> ";
    size_t left = s->size - s->at, count = left < room ? left : room;
    if (!s->asked && !s->greeted) {
        s->greeted = true;
        memcpy(bytes, prompt, sizeof prompt - 1);
        return sizeof prompt - 1;
    }
    if (s->asked && s->echo && s->echoed[s->echo_at]) {
        bytes[0] = s->echoed[s->echo_at++];
        return 1;
    }
    if (!s->asked || !left) {
        s->now += within_ms;
        return 0;
    }
    count = 1 + (s->data[s->at] ^ s->at) % count; /* in pieces of any size */
    memcpy(bytes, s->data + s->at, count);
    s->at += count;
    s->now++;
    return (int)count;
}

static void hang_up(void *ctx)
{
    (void)ctx;
}

static uint64_t now_ms(void *ctx)
{
    return ((speaker *)ctx)->now;
}

/* Of a file, which nobody keeps here. */
static bool begin(void *ctx)
{
    *(size_t *)ctx = 0;
    return true;
}

static bil_error take(void *ctx, const uint8_t *bytes, size_t count)
{
    size_t *size = ctx;
    uint8_t seen = 0;
    for (size_t i = 0; i < count; i++)
        seen |= bytes[i]; /* they can be read */
    *size += count + (seen & 0);
    return *size > 100 ? BIL_E_RANGE : BIL_OK;
}

static size_t give(void *ctx, uint8_t *bytes, size_t most)
{
    size_t *size = ctx;
    memset(bytes, 0x5a, most);
    *size += most;
    return most;
}

static const bil_stream_ops ops = {dial, hear, say, hang_up};
static const bil_clock_ops clock_ops = {now_ms, NULL};

/* ---- a login ---- */

static bool hear_login(void *ctx, const char *bytes, size_t count)
{
    speaker *s = ctx;
    s->told += count == 5 && memcmp(bytes, "olive", 5) == 0;
    return true;
}

static int say_login(void *ctx, char *bytes, size_t room, uint32_t within_ms)
{
    speaker *s = ctx;
    size_t count = 0, most = 1 + s->at % room;
    while (count < most && s->at < s->size && s->data[s->at])
        bytes[count++] = (char)s->data[s->at++];
    s->at += count == 0; /* a pause */
    s->now += count ? 1 : within_ms;
    return count || s->at <= s->size ? (int)count : -1;
}

static bil_error give_password(void *ctx, const char *says, char out[BIL_TEXT_MAX + 1])
{
    speaker *s = ctx;
    s->given++;
    memcpy(out, "olive", 6);
    return strncmp(says, "el-16 ", 6) == 0 ? BIL_OK : BIL_E_NOT_TRUSTED;
}

static int log_in(const uint8_t *data, size_t size)
{
    static const bil_stream_ops login_ops = {dial, hear_login, say_login, hang_up};
    speaker s = {.data = data, .size = size};
    bil_console_link memory;
    bil_result result = {0};
    bil_link link =
        bil_console_link_over(&memory, (bil_stream){&login_ops, &s, size & 1, 2}, (bil_clock){&clock_ops, &s}, NULL);
    memory.doorman = (bil_doorman){give_password, &s};
    memset(memory.said, 0, sizeof memory.said);
    memset(memory.line, 0, sizeof memory.line);
    bil_outcome outcome = link.ops->connect(link.ctx, &(bil_connect){.description = &bil_description_el_16}, &result);
    if ((outcome == BIL_DONE) != memory.open || (outcome == BIL_DONE) != (result.cause == BIL_OK))
        abort();
    if (s.given > 1 || s.told > s.given || (s.told && outcome == BIL_NOT_SENT))
        abort();
    if (memmem(memory.said, sizeof memory.said, "olive", 5))
        abort();
    return 0;
}

int LLVMFuzzerTestOneInput(const uint8_t *data, size_t size)
{
    const bil_description *d = &bil_description_el_16;
    static uint8_t raw[4096], cause[256];
    if (size < 2)
        return 0;
    if (data[0] >> 5 & 1)
        return log_in(data + 1, size - 1);
    speaker s = {.data = data + 1, .size = size - 1, .echo = data[0] >> 7};
    bil_console_link memory;
    bil_result result = {0};
    bil_link link = bil_console_link_over(&memory, (bil_stream){&ops, &s, true, 2}, (bil_clock){&clock_ops, &s}, NULL);
    if (link.ops->connect(link.ctx, &(bil_connect){.description = d}, &result) != BIL_DONE)
        abort();
    uint16_t items[256], count = 0;
    uint8_t space = d->params[d->by_place[data[0] % d->count]].space;
    bool write = data[0] >> 6 & 1 && d->spaces[space].set, all = d->spaces[space].reading == BIL_SHARE_ANY && !write;
    uint32_t bytes = 0;
    for (uint16_t i = 0; i < d->count; i++)
        if (d->params[d->by_place[i]].space == space && (all || count == 0)) {
            items[count++] = d->by_place[i];
            bytes += d->params[d->by_place[i]].format->size;
        }
    if (!write && !d->spaces[space].ask)
        return 0;
    memset(raw, 0, sizeof raw);
    raw[bytes] = cause[count] = 0x5a;
    size_t moved = 0;
    const bil_bytes file = {begin, take, give, &moved};
    bool is_file = d->params[items[0]].format->type == BIL_FILE;
    raw[7] = is_file ? 80 : 0; /* so many bytes to write */
    const bil_transfer t = {.description = d,
                            .items = items,
                            .count = count,
                            .write = write,
                            .raw = raw,
                            .cause = cause,
                            .bytes = is_file ? &file : NULL};
    bil_outcome outcome = link.ops->transfer(link.ctx, &t, &result);
    if (raw[bytes] != 0x5a || cause[count] != 0x5a)
        abort(); /* nothing is written behind what was asked for */
    if ((outcome == BIL_DONE) != (result.cause == BIL_OK) || (outcome == BIL_UNKNOWN && memory.open))
        abort();
    for (const char *c = memory.heard; *c; c++)
        if (*c < 0x20 || *c > 0x7e)
            abort();
    const uint8_t *at = raw;
    for (uint16_t i = 0; outcome == BIL_DONE && !write && !is_file && i < count;
         i++) { /* what is a value can be said again */
        char text[BIL_VALUE_TEXT];
        const bil_format *f = d->params[items[i]].format;
        if (cause[i] == BIL_OK && bil_value_say(f, at, NULL, text, sizeof text) != BIL_OK)
            abort();
        at += f->size;
    }
    return 0;
}

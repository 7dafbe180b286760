/* Devices that are asked in words: what comes in is cut, stretched and changed at every byte, patterns and values go
 * there and back, the least requests are counted by hand, and a shell that we didn't write is read and written. */
#include <libgen.h>
#include <signal.h>
#include <sys/wait.h>
#include <unistd.h>

#include "bilancia/copy.h"
#include "bilancia/host.h"
#include "bilancia/write.h"
#include "help.h"
#include "host/describe/load.h"

/* ---- a model, and who says what the test says ---- */

#define WORD(key_, type_, size_, space_, flags_, ...)                                                                  \
    {                                                                                                                  \
        .id = key_, .name = key_, .unit = "",                                                                          \
        .format = &(const bil_format){.type = type_, .size = size_, .mul = 1, __VA_ARGS__}, .at = {.key = key_},       \
        .space = space_, .cls = BIL_CLASS_SETUP, .flags = flags_, .stage = 5                                           \
    }
enum { ALARM, FLOW, NAME_, PUMP, SHEET, WORDS };
static const char *const off_on[] = {"off", "on"};
static const bil_param params[WORDS] = {
    WORD("alarm", BIL_U16, 2, 0, BIL_READABLE | BIL_WRITABLE, .decimals = 1),
    WORD("flow", BIL_I16, 2, 0, BIL_READABLE | BIL_WRITABLE, 0),
    WORD("name", BIL_TEXT, 12, 0, BIL_READABLE | BIL_WRITABLE, 0),
    WORD("pump", BIL_BOOL, 1, 1, BIL_READABLE, .words = off_on),
    WORD("sheet", BIL_FILE, BIL_FILE_RAW, 2, BIL_READABLE | BIL_WRITABLE, .form = &bil_form_file, .high = 300),
};
static const bil_space spaces[] = {{.ask = "show {key}",
                                    .set = "let {key}={value}",
                                    .answer = "{key} = {value}",
                                    .reading = BIL_SHARE_NONE,
                                    .writing = BIL_SHARE_NONE,
                                    .keys = true,
                                    .read_most = 1,
                                    .write_most = 1},
                                   {.ask = "list",
                                    .answer = "{key}: {value}",
                                    .reading = BIL_SHARE_ANY,
                                    .writing = BIL_SHARE_NONE,
                                    .keys = true,
                                    .read_most = 99,
                                    .write_most = 1},
                                   {.ask = "part {file} {offset}",
                                    .set = "put {file} {offset} {value}",
                                    .answer = "{offset}: {value}",
                                    .reading = BIL_SHARE_NONE,
                                    .writing = BIL_SHARE_NONE,
                                    .keys = true,
                                    .read_most = 1,
                                    .write_most = 24}};
static const bil_console talk = {.prompt = "> ",
                                 .ends = "\r",
                                 .discard = "\x15",
                                 .done = "OK",
                                 .refuses = "NO {code}",
                                 .later = "WAIT",
                                 .taken = "IN USE {who}",
                                 .more = "--more--",
                                 .echo = true};
static const uint16_t by_place[] = {ALARM, FLOW, NAME_, PUMP, SHEET};
static const bil_description model = {.vendor = "",
                                      .model = "W",
                                      .layout = "",
                                      .count = WORDS,
                                      .space_count = 3,
                                      .spaces = spaces,
                                      .params = params,
                                      .by_place = by_place,
                                      .link = {.reply_ms = 100, .late_ms = 400},
                                      .console = &talk};

typedef struct speaker {
    const char *says;       /* in answer to the first line that is sent */
    size_t size, at, piece; /* so many bytes at once */
    uint32_t apart_ms;      /* and so long between them */
    bool endless, hangs_up; /* it begins again and again; it is gone behind its last byte */
    bool asked, connected;
    unsigned pages; /* keys that were hit for the next one */
    uint64_t now, bytes;
    char heard[2000];
    size_t heard_size;
} speaker;

static bil_outcome dial(void *ctx, bil_result *result)
{
    speaker *s = ctx;
    (void)result;
    s->connected = true;
    return BIL_DONE;
}

static bool hear(void *ctx, const char *bytes, size_t count)
{
    speaker *s = ctx;
    if (s->heard_size + count < sizeof s->heard) {
        memcpy(s->heard + s->heard_size, bytes, count);
        s->heard_size += count;
    }
    s->asked = s->asked || memchr(bytes, '\r', count);
    s->pages += count == 1 && bytes[0] == ' ';
    return s->connected;
}

static int say(void *ctx, char *bytes, size_t room, uint32_t within_ms)
{
    speaker *s = ctx;
    static const char greeting[] = "W\r\n> ";
    if (!s->connected)
        return -1;
    if (!s->asked && s->bytes < sizeof greeting - 1) {
        memcpy(bytes, greeting, sizeof greeting - 1);
        s->bytes += sizeof greeting - 1;
        return sizeof greeting - 1;
    }
    if (s->endless && s->at == s->size)
        s->at = 0;
    if (!s->asked || s->at == s->size || s->apart_ms > within_ms) {
        s->now += within_ms;
        return s->asked && s->at == s->size && s->hangs_up ? -1 : 0;
    }
    size_t count = s->size - s->at;
    const char *page = s->says;
    for (unsigned i = 0; page && i <= s->pages && !s->endless; i++) { /* up to the end of this page */
        page = strstr(page, "--more--");
        page = page ? page + 8 : NULL;
    }
    if (page && !s->endless)
        count = (size_t)(page - s->says) - s->at;
    if (!count) {
        s->now += within_ms;
        return 0;
    }
    count = s->piece && s->piece < count ? s->piece : count;
    count = count < room ? count : room;
    memcpy(bytes, s->says + s->at, count);
    s->at += count;
    s->bytes += count;
    s->now += s->apart_ms;
    return (int)count;
}

static void hang_up(void *ctx)
{
    ((speaker *)ctx)->connected = false;
}

static uint64_t now_ms(void *ctx)
{
    return ((speaker *)ctx)->now;
}

static const bil_stream_ops speaking = {dial, hear, say, hang_up};
static const bil_clock_ops watch = {now_ms, NULL};

/* One question to it; `raw` has room for every value. */
static bil_outcome ask(speaker *s, bil_console_link *memory, uint16_t param, bool write, uint8_t *raw, uint8_t *cause,
                       bil_result *result)
{
    bil_link link = bil_console_link_over(memory, (bil_stream){&speaking, s, true, 2}, (bil_clock){&watch, s}, NULL);
    const bil_transfer t = {
        .description = &model, .items = &param, .count = 1, .write = write, .value = true, .raw = raw, .cause = cause};
    *result = (bil_result){0};
    assert_int_equal(link.ops->connect(link.ctx, &(bil_connect){.description = &model}, result), BIL_DONE);
    *cause = BIL_OK;
    return link.ops->transfer(link.ctx, &t, result);
}

static speaker saying(const char *says, size_t size)
{
    return (speaker){.says = says, .size = size};
}

static bool is_printable(const char *text)
{
    for (; *text; text++)
        if (*text < 0x20 || *text > 0x7e)
            return false;
    return true;
}

/* ---- answers ---- */

static const char answer[] = "show alarm\r\nalarm = 12.5\r\n> ";

static void in_pieces_and_cut(void **state)
{
    (void)state;
    bil_console_link link;
    bil_result result;
    uint8_t raw[BIL_TEXT_MAX], cause;
    for (size_t piece = 1; piece < sizeof answer; piece++) {
        speaker s = saying(answer, sizeof answer - 1);
        s.piece = piece;
        s.apart_ms = (uint32_t)(piece % 3); /* further apart than the stream says would end the answer at "> " */
        assert_int_equal(ask(&s, &link, ALARM, false, raw, &cause, &result), BIL_DONE);
        assert_int_equal(cause, BIL_OK);
        assert_int_equal(bil_value_number(raw, 2), 125);
        assert_int_equal(s.heard_size, 11);
        assert_memory_equal(s.heard, "show alarm\r", 11);
    }
    for (size_t cut = 0; cut < sizeof answer - 1; cut++)
        for (int gone = 0; gone < 2; gone++) {
            speaker s = saying(answer, cut);
            s.hangs_up = gone;
            assert_int_equal(ask(&s, &link, ALARM, false, raw, &cause, &result), BIL_UNKNOWN);
            assert_int_equal(result.cause, gone ? BIL_E_LOST : cut ? BIL_E_GARBLED : BIL_E_SILENT);
            assert_true(is_printable(link.heard));
        }
}

/* Every byte of the answer, replaced by each other one: where it stands in the value that may be another value, since
 * nothing guards what is said; else it is no value at all, or the same. */
static void every_byte_changed(void **state)
{
    (void)state;
    bil_console_link link;
    bil_result result;
    char changed[sizeof answer];
    uint8_t raw[BIL_TEXT_MAX], cause;
    const size_t from = 20, to = 24; /* "12.5" */
    unsigned other = 0, none = 0, same = 0;
    for (size_t at = 0; at < sizeof answer - 1; at++)
        for (int byte = 0; byte < 256; byte++) {
            memcpy(changed, answer, sizeof answer);
            changed[at] = (char)byte;
            speaker s = saying(changed, sizeof answer - 1);
            bil_outcome outcome = ask(&s, &link, ALARM, false, raw, &cause, &result);
            assert_true(is_printable(link.heard));
            if (outcome != BIL_DONE || cause != BIL_OK) {
                none++;
                continue;
            }
            bool right = bil_value_number(raw, 2) == 125;
            bool digit = at >= from && at < to && byte >= '0' && byte <= '9';
            if (!right && !digit && !(at == from && byte && strchr(" \t+", byte))) /* a blank more, or a sign */
                fail_msg("byte %zu as %d gives %u", at, byte, (unsigned)bil_value_number(raw, 2));
            other += !right;
            same += right;
        }
    print_message("%u answers with another byte: %u no value, %u the same, %u another digit\n", none + same + other,
                  none, same, other);
    assert_true(other == 40 &&
                same >= sizeof answer - 1); /* three digits with nine others each, ten for the point, and those three */
}

#define LINE_500                                                                                                       \
    "0123456789012345678901234567890123456789012345678901234567890123456789012345678901234567890123456789"             \
    "0123456789012345678901234567890123456789012345678901234567890123456789012345678901234567890123456789"             \
    "0123456789012345678901234567890123456789012345678901234567890123456789012345678901234567890123456789"             \
    "0123456789012345678901234567890123456789012345678901234567890123456789012345678901234567890123456789"             \
    "0123456789012345678901234567890123456789012345678901234567890123456789012345678901234567890123456789"

static const struct {
    const char *what, *says;
    uint16_t param;
    bool write, endless;
    uint32_t apart_ms;
    bil_outcome outcome;
    int cause; /* of the transfer, or of the value */
    const char *heard;
} hostile[] = {
    {"an answer", "show name\r\nname = mill 2\r\n> ", NAME_, false, false, 0, BIL_DONE, BIL_OK, ""},
    {"a write", "let flow=-7\r\nOK\r\n> ", FLOW, true, false, 0, BIL_DONE, BIL_OK, ""},
    {"refused", "let flow=-7\r\nNO 42\r\n> ", FLOW, true, false, 0, BIL_REFUSED, BIL_E_REFUSED, ""},
    {"busy", "let flow=-7\r\nWAIT\r\n> ", FLOW, true, false, 0, BIL_BUSY, BIL_E_BUSY, ""},
    {"neither yes nor no", "let flow=-7\r\nwhat?\r\n> ", FLOW, true, false, 0, BIL_UNKNOWN, BIL_E_GARBLED, "what?"},
    {"another form", "show flow\r\nflow: 7\r\n> ", FLOW, false, false, 0, BIL_DONE, BIL_E_GARBLED, "flow: 7"},
    {"another value", "show flow\r\nalarm = 7\r\n> ", FLOW, false, false, 0, BIL_DONE, BIL_E_GARBLED, "alarm = 7"},
    {"another question", "show alarm\r\nflow = 7\r\n> ", FLOW, false, false, 0, BIL_UNKNOWN, BIL_E_GARBLED, ""},
    {"twice", "show flow\r\nflow = 7\r\nflow = 7\r\n> ", FLOW, false, false, 0, BIL_DONE, BIL_E_GARBLED, ""},
    {"the whole twice", "show flow\r\nflow = 7\r\n> show flow\r\nflow = 7\r\n> ", FLOW, false, false, 0, BIL_UNKNOWN,
     BIL_E_GARBLED, NULL},
    {"a prompt in a value", "show name\r\nname = a\r\n> b\r\n> ", NAME_, false, false, 0, BIL_UNKNOWN, BIL_E_GARBLED,
     "> b"},
    {"a prompt at the end of a value", "show name\r\nname = a> \r\n> ", NAME_, false, false, 0, BIL_DONE, BIL_OK, ""},
    {"no such number", "show flow\r\nflow = 32768\r\n> ", FLOW, false, false, 0, BIL_DONE, BIL_E_ENCODING, ""},
    {"no number", "show flow\r\nflow = 7x\r\n> ", FLOW, false, false, 0, BIL_DONE, BIL_E_ENCODING, ""},
    {"more decimals", "show alarm\r\nalarm = 1.25\r\n> ", ALARM, false, false, 0, BIL_DONE, BIL_E_ENCODING, ""},
    {"too long a text", "show name\r\nname = 1234567890123\r\n> ", NAME_, false, false, 0, BIL_DONE, BIL_E_ENCODING,
     ""},
    {"broken UTF-8", "show name\r\nname = a\xc3(\r\n> ", NAME_, false, false, 0, BIL_DONE, BIL_E_ENCODING, ""},
    {"another word", "list\r\npump: perhaps\r\n> ", PUMP, false, false, 0, BIL_DONE, BIL_E_ENCODING, ""},
    {"control characters", "show name\r\nname = a\x1b[2Jb\r\n> ", NAME_, false, false, 0, BIL_DONE, BIL_E_GARBLED,
     "name = a.[2Jb"},
    {"a bell for an echo", "\ashow name\r\nname = a\r\n> ", NAME_, false, false, 0, BIL_UNKNOWN, BIL_E_GARBLED, ""},
    {"a line that returns", "show name\r\nname = a\rname = b\r\n> ", NAME_, false, false, 0, BIL_DONE, BIL_E_GARBLED,
     NULL},
    {"a line without end", "show name\r\nname = " LINE_500 "\r\n> ", NAME_, false, false, 0, BIL_DONE, BIL_E_GARBLED,
     NULL},
    {"pages", "list\r\nfill: 1\r\n--more--\r        \rpump: on\r\n> ", PUMP, false, false, 0, BIL_DONE, BIL_OK, NULL},
    {"pages without end", "\r\nx\r\n--more--", PUMP, false, true, 0, BIL_UNKNOWN, BIL_E_GARBLED, NULL},
    {"lines without end", "x\r\n", PUMP, false, true, 0, BIL_UNKNOWN, BIL_E_GARBLED, NULL},
    {"one line without end", "xxxxxxxxxxxxxxxx", PUMP, false, true, 0, BIL_UNKNOWN, BIL_E_GARBLED, NULL},
    {"slower than anything", "x", PUMP, false, true, 200, BIL_UNKNOWN, BIL_E_GARBLED, NULL},
    {"nothing but a prompt", "> ", FLOW, false, false, 0, BIL_UNKNOWN, BIL_E_GARBLED, ""},
    {"nothing but a prompt for a write", "> ", FLOW, true, false, 0, BIL_UNKNOWN, BIL_E_GARBLED, ""},
    {"no such value", "show flow\r\n> ", FLOW, false, false, 0, BIL_DONE, BIL_E_REFUSED, ""},
    {"nothing", "", PUMP, false, false, 0, BIL_UNKNOWN, BIL_E_SILENT, ""},
};

static void what_a_device_may_say(void **state)
{
    (void)state;
    for (size_t i = 0; i < sizeof hostile / sizeof hostile[0]; i++)
        for (size_t piece = 0; piece <= 64; piece += piece ? 63 : 1) { /* at once, and byte by byte */
            bil_console_link link;
            bil_result result;
            uint8_t raw[BIL_TEXT_MAX] = {0xff, 0xf9}, cause;
            speaker s = saying(hostile[i].says, strlen(hostile[i].says));
            s.endless = hostile[i].endless;
            s.apart_ms = hostile[i].apart_ms;
            s.piece = piece;
            bil_outcome outcome = ask(&s, &link, hostile[i].param, hostile[i].write, raw, &cause, &result);
            int error = outcome == BIL_DONE ? (hostile[i].write ? BIL_OK : cause) : (int)result.cause;
            if (outcome != hostile[i].outcome || error != hostile[i].cause ||
                (hostile[i].heard && strcmp(link.heard, hostile[i].heard) != 0))
                fail_msg("%s: outcome %d, %s, heard \"%s\"", hostile[i].what, (int)outcome, bil_error_name(error),
                         link.heard);
            assert_true(is_printable(link.heard));
            assert_true(s.bytes < BIL_CONSOLE_MOST + 200 && s.now < 700000);
            assert_int_equal(s.connected, outcome != BIL_UNKNOWN);
            if (hostile[i].outcome == BIL_REFUSED)
                assert_int_equal(result.code, 42);
        }
}

/* What came behind the answer before is never taken for one. */
static void what_comes_unasked(void **state)
{
    (void)state;
    bil_console_link link;
    bil_result result;
    uint8_t raw[BIL_TEXT_MAX], cause;
    speaker s = saying("show flow\r\nflow = 7\r\n> flow = 8\r\n> ", 35);
    s.piece = 23; /* the rest comes later than the stream says */
    assert_int_equal(ask(&s, &link, FLOW, false, raw, &cause, &result), BIL_UNKNOWN);
    s = saying("show flow\r\nflow = 7\r\n> ", 23);
    assert_int_equal(ask(&s, &link, FLOW, false, raw, &cause, &result), BIL_DONE);
    s.says = "> flow = 8\r\n> ";
    s.size = strlen(s.says);
    s.at = 0;
    const uint16_t flow = FLOW;
    const bil_transfer t = {.description = &model, .items = &flow, .count = 1, .raw = raw, .cause = &cause};
    bil_link over = {NULL, &link};
    bil_console_link other;
    over.ops = bil_console_link_over(&other, link.stream, link.clock, NULL).ops;
    assert_int_equal(over.ops->transfer(&link, &t, &result), BIL_NOT_SENT);
    assert_int_equal(result.cause, BIL_E_GARBLED);
    assert_false(s.connected);
}

/* What the device keeps of the same values is asked for by the question of another space. */
static void copies_that_it_keeps(void **state)
{
    (void)state;
    static bil_space three[3];
    static const bil_bank banks[] = {{.kind = BIL_BANK_KEPT, .copy = 2, .space = 0, .at = 2, .when = BIL_NONE}};
    bil_description keeps = model;
    memcpy(three, spaces, sizeof spaces);
    three[2] = spaces[0];
    three[2].ask = "old 2 {key}";
    three[2].answer = "old {key}: {value}";
    keeps.spaces = three;
    keeps.space_count = 3;
    keeps.banks = banks;
    keeps.bank_count = 1;
    bil_console_link link;
    bil_result result = {0};
    uint8_t raw[BIL_TEXT_MAX], cause = BIL_OK;
    const uint16_t flow = FLOW;
    speaker s = saying("old 2 flow\r\nold flow: -7\r\n> ", 28);
    bil_link over = bil_console_link_over(&link, (bil_stream){&speaking, &s, true, 2}, (bil_clock){&watch, &s}, NULL);
    assert_int_equal(over.ops->connect(over.ctx, &(bil_connect){.description = &keeps}, &result), BIL_DONE);
    const bil_transfer t = {.description = &keeps,
                            .items = &flow,
                            .count = 1,
                            .value = true,
                            .bank = 1 + BIL_BANK_KEPT,
                            .copy = 2,
                            .raw = raw,
                            .cause = &cause};
    assert_int_equal(over.ops->transfer(over.ctx, &t, &result), BIL_DONE);
    assert_int_equal(cause, BIL_OK);
    assert_int_equal((int16_t)bil_value_number(raw, 2), -7);
}

/* A secret goes out, and nothing of it stays behind, whatever is echoed. */
static void a_secret_leaves_no_trace(void **state)
{
    (void)state;
    static const char *const says[] = {"let name=olive-oil\r\nOK\r\n> ", "let name=*********\r\nNO 9\r\n> ",
                                       "olive-oil? what?\r\nolive-oil\r\n> ", "olive-oil"};
    const uint16_t name = NAME_;
    for (size_t i = 0; i < sizeof says / sizeof says[0]; i++) {
        bil_console_link link;
        bil_result result = {0};
        uint8_t raw[BIL_TEXT_MAX] = "olive-oil";
        speaker s = saying(says[i], strlen(says[i]));
        bil_link over =
            bil_console_link_over(&link, (bil_stream){&speaking, &s, true, 2}, (bil_clock){&watch, &s}, NULL);
        assert_int_equal(over.ops->connect(over.ctx, &(bil_connect){.description = &model}, &result), BIL_DONE);
        const bil_transfer t = {
            .description = &model, .items = &name, .count = 1, .write = true, .secret = 1, .raw = raw};
        over.ops->transfer(over.ctx, &t, &result);
        assert_non_null(memmem(s.heard, s.heard_size, "let name=olive-oil\r", 19));
        assert_null(memmem(&link, sizeof link, "olive", 5));
        assert_string_equal(link.heard, "");
    }
}

/* ---- patterns and values ---- */

/* A random pattern, filled, is told apart again, as long as no value has what follows it. */
static void patterns_there_and_back(void **state)
{
    (void)state;
    static const char *const texts[] = {" = ", ": ", "=", " ", ";", "v", "->", "{{", "}}"};
    dice d = {5};
    unsigned found = 0;
    for (unsigned i = 0; i < 200000 * rounds(1); i++) {
        char pattern[80] = "", line[200], value[20] = "", key[20];
        bool has_key = roll_below(&d, 2), row = roll_below(&d, 2), first = roll_below(&d, 2);
        const char *join = texts[roll_below(&d, 9)], *end = roll_below(&d, 3) ? "" : texts[roll_below(&d, 7)];
        snprintf(key, sizeof key, "%c%u low", 'a' + (int)roll_below(&d, 3), (unsigned)roll_below(&d, 20));
        for (unsigned k = roll_below(&d, 8); k > 0; k--)
            value[strlen(value)] = " =:;v->low{}123"[roll_below(&d, 15)];
        const char *name = row ? "{row}" : "{key}";
        if (has_key)
            snprintf(pattern, sizeof pattern, "%s%s%s%s", first ? name : "{value}", join, first ? "{value}" : name,
                     end);
        else
            snprintf(pattern, sizeof pattern, "%s{value}%s", join, end);
        assert_int_equal(bil_pattern_fill(pattern, key, value, line, sizeof line), BIL_OK);
        bil_part part;
        bool fits = bil_pattern_fits(pattern, key, line, strlen(line), &part);
        /* what follows the value: text that means itself, with braces that stand for one, or nothing */
        const char *behind = has_key && !first ? join : end;
        char follows[4] = {behind[0], behind[0] && behind[1] != behind[0] ? behind[1] : '\0'};
        const char *at = behind[0] == ' ' && !behind[1] ? strchr(value, ' ') : behind[0] ? strstr(value, behind) : NULL;
        bool clear = !behind[0] || (!at && !strchr(value, follows[0]));
        if ((value[0] ? value[0] : behind[0]) == ' ' && (!has_key || first)) /* blanks belong to what stands before */
            clear = clear && join[strlen(join) - 1] != ' ';
        if (!clear)
            continue;
        found++;
        if (!fits || part.length != strlen(value) || memcmp(part.text, value, part.length) != 0)
            fail_msg("\"%s\" in \"%s\"", pattern, line);
        if (has_key && bil_pattern_fits(pattern, "zz low", line, strlen(line), &part))
            fail_msg("\"%s\" isn't about zz: \"%s\"", pattern, line);
    }
    print_message("%u values found in lines\n", found);
    assert_true(found > 50000);
}

/* Every value that the parameters of the logger can have, as they are said and heard; what is said for another value is
 * another text. */
static void values_there_and_back(void **state)
{
    (void)state;
    const bil_description *logger = &bil_description_el_16;
    dice d = {7};
    for (uint16_t i = 0; i < logger->count; i++) {
        const bil_format *f = logger->params[i].format;
        if (f->type == BIL_FILE) /* these go another way */
            continue;
        char before[BIL_VALUE_TEXT] = "";
        uint8_t last[BIL_TEXT_MAX] = {0};
        for (int k = 0; k < 200; k++) {
            uint8_t raw[BIL_TEXT_MAX] = {0}, back[BIL_TEXT_MAX];
            char text[BIL_VALUE_TEXT];
            if (f->type == BIL_TEXT)
                for (uint32_t n = roll_below(&d, f->size + 1u); n > 0; n--)
                    raw[n - 1] = (uint8_t)('!' + roll_below(&d, 90));
            else if (f->choice_count)
                bil_value_put_number(raw, f->size, f->choices[roll_below(&d, f->choice_count)].value);
            else
                bil_value_put_number(raw, f->size, f->type == BIL_BOOL ? roll_below(&d, 2) : roll(&d));
            if (f->type == BIL_TEXT && f->words && strcmp((char *)raw, f->words[0]) == 0)
                continue; /* the word for an empty one */
            assert_int_equal(bil_value_say(f, raw, NULL, text, sizeof text), BIL_OK);
            assert_int_equal(bil_value_hear(f, text, strlen(text), NULL, back), BIL_OK);
            assert_memory_equal(back, raw, f->size);
            if (k > 0)
                assert_int_equal(strcmp(text, before) == 0, memcmp(last, raw, f->size) == 0);
            memcpy(before, text, sizeof before);
            memcpy(last, raw, sizeof last);
        }
    }
}

/* ---- files ---- */

enum { SHEET_MOST = 300 };
/* A device with one file, which it gives and takes in pieces; told here from the text of the header alone. */
typedef struct shelf {
    uint8_t file[2 * SHEET_MOST], put[2 * SHEET_MOST];
    size_t size, put_size, piece;
    bool whole, connected, greeted;
    uint32_t lines;
    char line[400], out[1200];
    size_t line_size, out_at, out_size;
    size_t said, wrong_at; /* bytes that it said in answers; the one that is another: `wrong` */
    char wrong;
    unsigned behind; /* it answers for a place so far behind the one that was asked for */
    uint64_t now;
} shelf;

static void shelf_answers(shelf *s)
{
    unsigned from = 0;
    char hex[300] = "";
    s->out_at = s->out_size = 0;
    s->lines++;
    s->out_size = (size_t)snprintf(s->out, sizeof s->out, "%s\r\n", s->line);
    if (sscanf(s->line, "part sheet %u", &from) == 1) {
        size_t n = s->out_size;
        n += (size_t)snprintf(s->out + n, sizeof s->out - n, "%u: ", from + s->behind);
        for (size_t i = from; i < s->size && i < from + s->piece; i++)
            n += (size_t)snprintf(s->out + n, sizeof s->out - n, "%02x", s->file[i]);
        s->out_size = n + (size_t)snprintf(s->out + n, sizeof s->out - n, "\r\n");
    } else if (sscanf(s->line, "put sheet %u %299s", &from, hex) >= 1 && from == s->put_size) {
        for (const char *c = hex; c[0]; c += 2)
            s->put[s->put_size++] = (uint8_t)strtoul((char[]){c[0], c[1], 0}, NULL, 16);
        s->whole = !hex[0];
        s->out_size += (size_t)snprintf(s->out + s->out_size, sizeof s->out - s->out_size, "OK\r\n");
    } else {
        s->out_size += (size_t)snprintf(s->out + s->out_size, sizeof s->out - s->out_size, "NO 3\r\n");
    }
    s->out_size += (size_t)snprintf(s->out + s->out_size, sizeof s->out - s->out_size, "> ");
}

static bool shelf_hears(void *ctx, const char *bytes, size_t count)
{
    shelf *s = ctx;
    for (size_t i = 0; i < count; i++) {
        if (bytes[i] != '\r') {
            s->line[s->line_size++] = bytes[i];
            assert_true(s->line_size < sizeof s->line - 1);
            continue;
        }
        s->line[s->line_size] = '\0';
        s->line_size = 0;
        shelf_answers(s);
    }
    return s->connected;
}

static int shelf_says(void *ctx, char *bytes, size_t room, uint32_t within_ms)
{
    shelf *s = ctx;
    if (!s->greeted) {
        s->greeted = true;
        memcpy(bytes, "> ", 2);
        return 2;
    }
    size_t count = s->out_size - s->out_at;
    count = count < room ? count : room;
    if (!count)
        s->now += within_ms;
    for (size_t i = 0; i < count; i++, s->said++) {
        bytes[i] = s->out[s->out_at++];
        if (s->said == s->wrong_at)
            bytes[i] = s->wrong;
    }
    return s->connected ? (int)count : -1;
}

static bil_outcome shelf_dials(void *ctx, bil_result *result)
{
    (void)result;
    ((shelf *)ctx)->connected = true;
    return BIL_DONE;
}

static void shelf_hangs_up(void *ctx)
{
    ((shelf *)ctx)->connected = false;
}

static uint64_t shelf_now(void *ctx)
{
    return ((shelf *)ctx)->now;
}

/* Whoever has the bytes, or takes them. */
typedef struct sheet {
    uint8_t bytes[2 * SHEET_MOST];
    size_t size, at;
    unsigned begun, stop_at; /* no more bytes from here on */
} sheet;

static bool sheet_begin(void *ctx)
{
    sheet *s = ctx;
    s->at = 0;
    s->begun++;
    return true;
}

static bil_error sheet_take(void *ctx, const uint8_t *bytes, size_t count)
{
    sheet *s = ctx;
    if (s->at + count > SHEET_MOST)
        return BIL_E_RANGE;
    memcpy(s->bytes + s->at, bytes, count);
    s->at += count;
    return BIL_OK;
}

static size_t sheet_give(void *ctx, uint8_t *bytes, size_t most)
{
    sheet *s = ctx;
    size_t end = s->stop_at ? s->stop_at : s->size, count = end - s->at < most ? end - s->at : most;
    count = count > 7 ? 7 : count; /* they may come in smaller parts */
    memcpy(bytes, s->bytes + s->at, count);
    s->at += count;
    return count;
}

static bil_outcome move_sheet(shelf *s, sheet *with, bool write, uint8_t *cause, bil_result *result)
{
    static const bil_stream_ops ops = {shelf_dials, shelf_hears, shelf_says, shelf_hangs_up};
    static const bil_clock_ops clock = {shelf_now, NULL};
    static const uint16_t item = SHEET;
    bil_console_link memory;
    bil_link link = bil_console_link_over(&memory, (bil_stream){&ops, s, true, 2}, (bil_clock){&clock, s}, NULL);
    uint8_t raw[BIL_FILE_RAW] = {0};
    bil_value_put_number(raw, 8, with->size);
    raw[20] = with->size > 0; /* the digest isn't the link's affair */
    const bil_bytes bytes = {sheet_begin, sheet_take, sheet_give, with};
    const bil_transfer t = {.description = &model,
                            .items = &item,
                            .count = 1,
                            .write = write,
                            .value = true,
                            .raw = raw,
                            .bytes = &bytes,
                            .cause = cause};
    *result = (bil_result){0};
    *cause = BIL_OK;
    assert_int_equal(link.ops->connect(link.ctx, &(bil_connect){.description = &model}, result), BIL_DONE);
    return link.ops->transfer(link.ctx, &t, result);
}

static void sheet_by_chance(dice *d, uint8_t *bytes, size_t size)
{
    for (size_t i = 0; i < size; i++)
        bytes[i] = (uint8_t)roll_below(d, 256);
}

/* Every length goes there and back, in pieces of any size, in the requests that it takes at least. */
static void files_of_every_length(void **state)
{
    (void)state;
    dice d = {11};
    for (size_t size = 0; size <= SHEET_MOST; size++) {
        shelf s = {.size = size, .piece = 1 + roll_below(&d, 200), .wrong_at = SIZE_MAX};
        sheet mine = {.size = 0}, theirs = {.size = size};
        uint8_t cause;
        bil_result result;
        sheet_by_chance(&d, s.file, size);
        assert_int_equal(move_sheet(&s, &mine, false, &cause, &result), BIL_DONE);
        assert_true(cause == BIL_OK && mine.at == size && memcmp(mine.bytes, s.file, size) == 0);
        assert_int_equal(mine.begun, size > 0);
        assert_int_equal(s.lines, (size + s.piece - 1) / s.piece + 1);
        assert_int_equal(result.more + 1, s.lines);
        s = (shelf){.wrong_at = SIZE_MAX};
        sheet_by_chance(&d, theirs.bytes, size);
        assert_int_equal(move_sheet(&s, &theirs, true, &cause, &result), BIL_DONE);
        assert_true(s.whole && s.put_size == size && memcmp(s.put, theirs.bytes, size) == 0);
        assert_int_equal(s.lines, (size + 23) / 24 + 1);
        assert_int_equal(result.more + 1, s.lines);
    }
}

/* Each byte of what the device says becomes another: what counts as read is the file, but for a digit that became
 * another digit, which nothing guards. */
static void a_changed_byte_is_no_other_file(void **state)
{
    (void)state;
    static const char others[] = " 0:g\r\n\0>F";
    unsigned done = 0, digits = 0, none = 0;
    for (int write = 0; write < 2; write++)
        for (size_t at = 0; at < 400; at++)
            for (size_t k = 0; k < sizeof others - 1; k++) {
                shelf s = {.size = 50, .piece = 20, .wrong_at = at, .wrong = others[k]};
                sheet one = {.size = 50};
                uint8_t cause;
                bil_result result;
                dice d = {5};
                sheet_by_chance(&d, s.file, 50);
                sheet_by_chance(&d, one.bytes, write ? 50 : 0);
                bil_outcome outcome = move_sheet(&s, &one, write, &cause, &result);
                bool whole = outcome == BIL_DONE && !cause;
                assert_true((outcome == BIL_DONE) == (result.cause == BIL_OK));
                if (!whole) {
                    none++;
                    continue;
                }
                bool same = write ? s.whole && s.put_size == 50 : one.at == 50 && memcmp(one.bytes, s.file, 50) == 0;
                assert_true(same || (!write && others[k] == '0' && one.at == 50));
                done += same;
                digits += !same;
            }
    print_message("%u changed bytes: %u no file, %u the same file, %u another digit\n", none + done + digits, none,
                  done, digits);
    assert_true(none > 2000 && digits < 110);
}

static void what_becomes_no_file(void **state)
{
    (void)state;
    uint8_t cause;
    bil_result result;
    shelf s = {.size = 2 * SHEET_MOST, .piece = 24, .wrong_at = SIZE_MAX}; /* more than it may have */
    sheet one = {.size = 0};
    assert_int_equal(move_sheet(&s, &one, false, &cause, &result), BIL_REFUSED);
    assert_true(result.cause == BIL_E_RANGE && one.at <= SHEET_MOST && s.lines == SHEET_MOST / 24 + 1);
    s = (shelf){.size = 30, .piece = 24, .behind = 1, .wrong_at = SIZE_MAX}; /* another piece */
    one = (sheet){.size = 0};
    assert_int_equal(move_sheet(&s, &one, false, &cause, &result), BIL_UNKNOWN);
    assert_int_equal(result.cause, BIL_E_GARBLED);
    for (unsigned stop = 1; stop < 60; stop += 29) { /* whoever has it, has no more */
        s = (shelf){.wrong_at = SIZE_MAX};
        one = (sheet){.size = 60, .stop_at = stop};
        assert_int_equal(move_sheet(&s, &one, true, &cause, &result), stop < 24 ? BIL_NOT_SENT : BIL_UNKNOWN);
        assert_true(result.cause == BIL_E_LOST && !s.whole);
    }
    s = (shelf){.put_size = 9, .wrong_at = SIZE_MAX}; /* it wants another place: it says no */
    one = (sheet){.size = 60};
    assert_int_equal(move_sheet(&s, &one, true, &cause, &result), BIL_REFUSED);
    assert_int_equal(result.code, 3);
}

/* ---- descriptions ---- */

static const char sound[] =
    "bilancia_description: 0\nvendor: Esempio\nmodel: T\nrevision: 1\nfirmware: [\"1\"]\nhardware: [A]\n"
    "link: {kind: console, prompt: \"> \", discard: \"^U\", done: OK, refuses: \"NO {code}\"}\n"
    "spaces:\n"
    "  one: {read: \"show {key}\", answer: \"{key} = {value}\", write: \"let {key}={value}\"}\n"
    "  rows: {read: table, answer: \"{row} {low} {high}\", write: \"ch {row} {column} {value}\", shares: any}\n"
    "stored_values: by_restart\nidentify: {model: id.model}\n"
    "groups:\n"
    "  - repeat: {id: ch, count: 3}\n"
    "    parameters: {low: {name: Low, type: u16, class: setup, space: rows, at: \"c{n} low\"}}\n"
    "parameters:\n"
    "  id.model: {name: M, type: text, size: 8, class: unit, space: one, at: model}\n"
    "  x.on: {name: On, type: bool, class: setup, space: one, at: on, words: [\"off\", \"on\"]}\n"
    "  x.kind: {name: Kind, type: choice8, class: setup, space: one, at: kind, choices: {0: a, 1: b}, words: [A, B]}\n";

static void descriptions_that_make_no_sense(void **state)
{
    (void)state;
    static const struct {
        const char *from, *to, *says;
    } wrong[] = {
        {"", "", NULL},
        {"kind: console", "kind: telepathy", "none of"},
        {"prompt: \"> \", ", "", "\"prompt\" is missing"},
        {"prompt: \"> \"", "prompt: \"\"", "without a prompt"},
        {"prompt: \"> \"", "prompt: \"> \", largest_read: 20", "no key that belongs here"},
        {"discard: \"^U\"", "discard: \"^M\"", "ends no line"},
        {"discard: \"^U\"", "discard: U", "held with Ctrl"},
        {"kind: console,", "kind: console, login: {greets: T, asks: \"word: \"},", NULL},
        {"kind: console,", "kind: console, login: {greets: T},", "\"asks\" is missing"},
        {"kind: console,", "kind: console, login: {asks: W},", "\"greets\" is missing"},
        {"kind: console,", "kind: console, login: {greets: \"T {x\", asks: W},", "isn't closed"},
        {"kind: console,", "kind: console, login: {greets: T, asks: W, user: me},", "belong together"},
        {"kind: console,", "kind: console, login: {greets: T, asks: W, asks_user: U},", "belong together"},
        {"kind: console,", "kind: console, login: {greets: T, asks: W, asks_user: U, user: \"\"},",
         "no name of a user"},
        {"kind: console,", "kind: console, login: {greets: T, asks: W, slot: One},", "a secret has a name"},
        {"kind: console,", "kind: console, login: {greets: T, asks: W, wrong: One},", "no key that belongs here"},
        {"NO {code}", "NO {code", "isn't closed"},
        {"NO {code}", "NO code}", "in pairs"},
        {"NO {code}", "", "can be seen"},
        {"kind: console, ", "", "no key that belongs here"}, /* of registers */
        {"spaces:", "link_unit: x.on\nspaces:", "for registers"},
        {"spaces:", "banks: [{holds: stored, cells: [0, 1], at: 2}]\nspaces:", "no key that belongs here"},
        {"stored_values", "banks: [{holds: stored, space: one, in: one}]\nstored_values",
         "another space that can be read"},
        {"stored_values", "banks: [{holds: stored, space: one, in: rows}]\nstored_values", "in the same way"},
        {"stored_values", "banks: [{holds: kept, space: one, in: rows}]\nstored_values", "numbered with"},
        {"  one: {read", "  one: {table: holding, read", "no key that belongs here"},
        {"read: \"show {key}\", ", "", "belong together"},
        {", answer: \"{key} = {value}\"", "", "belong together"},
        {"read: \"show {key}\"", "read: \"show {value}\"", "no value yet"},
        {"write: \"let {key}={value}\"", "write: \"let {key}\"", "{value} is missing"},
        {"read: table", "read: \"table {row}\"", "names none"},
        {"{row} {low} {high}", "{row} {high}", "has no place for it"},
        {"\"c{n} low\"", "\"c{n}\"", "a row and a column"},
        {"\"c{n} low\"", "c low", "the same name there"},
        {"count: 3", "count: 3, stride: 1", "no stride"},
        {"type: text, size: 8, class: unit", "type: file, size: 8, class: setup", "says files: yes"},
        {"  one:", "  one: {read: \"show {key} {offset}\", answer: \"{value}\"}\n  two:", "are for files"},
        {"  one: {", "  one: {files: yes, ", "go in pieces"},
        {"  one: {", "  one: {most: 20, ", "only a space of files"},
        {"  one:", "  f: {read: \"part {file} {offset}\", answer: \"{value}\", files: yes}\n  one:", "go in pieces"},
        {"  one:", "  f: {read: \"part {offset}\", answer: \"{offset} {value}\", files: yes}\n  one:", "go in pieces"},
        {"  one:", "  f: {read: \"part {file} {offset}\", answer: \"{offset}:{value}\", files: yes, most: 81}\n  one:",
         "81"},
        {"  one: {read: \"show {key}\", answer: \"{key} = {value}\", write: \"let {key}={value}\"}",
         "  one: {read: \"part {file} {offset}\", answer: \"{offset}:{value}\", "
         "write: \"put {file} {offset} {value}\", files: yes}",
         "say type: file"},
        {"space: one, at: on", "at: on", "\"space\" is missing"},
        {"space: one, at: on", "space: holding, at: on", "is no space: one of"},
        {"at: on,", "at: \"\",", "name of the value"},
        {"at: on,", "at: on, bit: 3,", "part of a cell"},
        {"at: on,", "at: on, form: plain,", "looks in cells"},
        {"at: on,", "at: on, byte_order: low_first,", "for registers"},
        {"at: on,", "at: on, writes: single,", "for registers"},
        {"at: kind,", "at: on,", "the same name there"},
        {"[\"off\", \"on\"]", "[\"off\"]", "2 words"},
        {"[A, B]", "[A, A]", "stands here twice"},
        {"[A, B]", "[A, B, C]", "2 words"},
        {"type: text, size: 8", "type: text, size: 8, words: [a, b]", "1 words"},
        {"class: unit, space: one", "class: unit, access: read_write, space: rows", "a row and a column"},
    };
    for (size_t i = 0; i < sizeof wrong / sizeof wrong[0]; i++) {
        char text[3000], why[400] = "";
        const char *at = strstr(sound, wrong[i].from);
        assert_non_null(at);
        snprintf(text, sizeof text, "%.*s%s%s", (int)(at - sound), sound, wrong[i].to, at + strlen(wrong[i].from));
        loaded_description loaded;
        int error = description_load_text(&loaded, "t.yaml", text, strlen(text), why, sizeof why);
        if (!wrong[i].says) {
            assert_int_equal(error, BIL_OK);
            assert_int_equal(bil_description_check(&loaded.table, NULL), BIL_OK);
            assert_string_equal(loaded.table.params[2].at.key, "c3 low");
            description_free(&loaded);
        } else if (error != BIL_E_YAML || strncmp(why, "t.yaml:", 7) != 0 || !strstr(why, wrong[i].says)) {
            fail_msg("\"%s\" for \"%s\" gives \"%s\"", wrong[i].to, wrong[i].from, error ? why : "no error");
        }
    }
}

static void same_text(const char *a, const char *b)
{
    if (a != b)
        assert_string_equal(a ? a : "", b ? b : "");
}

/* What the generator writes is what the loader has read. */
static void the_table_is_the_description(void **state)
{
    (void)state;
    loaded_description loaded;
    char why[400];
    assert_int_equal(description_load(&loaded, BILANCIA_SOURCE "/descriptions/el-16.yaml", why, sizeof why), BIL_OK);
    const bil_description *a = &loaded.table, *b = &bil_description_el_16;
    same_text(a->layout, b->layout);
    const bil_console_login *in = a->console->login, *also = b->console->login;
    assert_true(in && also && a->login_slot == 1 && b->login_slot == 1);
    same_text(in->greets, also->greets);
    same_text(in->whom, also->whom);
    same_text(in->user, also->user);
    same_text(in->asks, also->asks);
    same_text(in->refuses, also->refuses);
    same_text(in->locked, also->locked);
    assert_true(a->count == b->count && a->space_count == b->space_count && a->unlock_ends_with_link == 1 &&
                b->unlock_ends_with_link == 1);
    const bil_console *x = a->console, *y = b->console;
    const char *const says[] = {x->prompt,  y->prompt,  x->ends,  y->ends,  x->discard, y->discard, x->done, y->done,
                                x->refuses, y->refuses, x->later, y->later, x->taken,   y->taken,   x->more, y->more};
    for (size_t i = 0; i < sizeof says / sizeof says[0]; i += 2)
        same_text(says[i], says[i + 1]);
    assert_true(x->echo && y->echo);
    for (uint16_t i = 0; i < a->space_count; i++) {
        same_text(a->spaces[i].ask, b->spaces[i].ask);
        same_text(a->spaces[i].set, b->spaces[i].set);
        same_text(a->spaces[i].answer, b->spaces[i].answer);
        assert_true(a->spaces[i].reading == b->spaces[i].reading && b->spaces[i].keys &&
                    a->spaces[i].read_most == b->spaces[i].read_most);
    }
    for (uint16_t i = 0; i < a->count; i++) {
        const bil_format *f = a->params[i].format, *g = b->params[i].format;
        same_text(a->params[i].at.key, b->params[i].at.key);
        assert_int_equal(a->by_place[i], b->by_place[i]);
        assert_true(!f->words == !g->words && f->form == g->form);
        unsigned words = !f->words ? 0 : f->type == BIL_BOOL ? 2 : f->type == BIL_TEXT ? 1 : f->choice_count;
        for (unsigned k = 0; k < words; k++)
            same_text(f->words[k], g->words[k]);
    }
    assert_int_equal(bil_description_check(b, NULL), BIL_OK);
    description_free(&loaded);
    /* one that somebody made by hand, and got wrong */
    bil_console console = *b->console;
    bil_description table = *b;
    table.console = &console;
    console.prompt = "";
    assert_int_equal(bil_description_check(&table, NULL), BIL_E_TABLE);
    console = *b->console;
    console.ends = "x";
    assert_int_equal(bil_description_check(&table, NULL), BIL_E_TABLE);
    console = *b->console;
    for (int i = 0; i < 4; i++) {
        bil_console_login login = *b->console->login;
        console.login = &login;
        *(i == 0 ? &login.greets : i == 1 ? &login.asks : &login.user) = i == 3 ? "" : NULL;
        assert_int_equal(bil_description_check(&table, NULL), BIL_E_TABLE);
    }
    console = *b->console;
    table.login_slot = 0;
    assert_int_equal(bil_description_check(&table, NULL), BIL_E_TABLE);
    table.login_slot = 2;
    assert_int_equal(bil_description_check(&table, NULL), BIL_E_TABLE);
    table.login_slot = 1;
    assert_int_equal(bil_description_check(&table, NULL), BIL_OK);
    bil_space broken[8];
    memcpy(broken, b->spaces, b->space_count * sizeof broken[0]);
    table.spaces = broken;
    for (int i = 0; i < 3; i++) {
        memcpy(broken, b->spaces, b->space_count * sizeof broken[0]);
        broken[0].answer = i == 0 ? NULL : broken[0].answer;
        broken[0].keys = i != 1;
        broken[2].set = i == 2 ? NULL : broken[2].set;
        assert_int_equal(bil_description_check(&table, NULL), BIL_E_TABLE);
    }
    /* a link of another kind has nothing to do with it */
    bench cells;
    bil_result result = {0};
    bench_open(&cells, &sim_ed30, &bil_description_ed_30, false);
    assert_int_equal(cells.link.ops->connect(cells.link.ctx, &(bil_connect){.description = b}, &result), BIL_REFUSED);
    assert_int_equal(result.cause, BIL_E_OTHER_MODEL);
    bench_close(&cells);
    bench_open(&cells, &sim_el16, b, false);
    assert_int_equal(
        cells.link.ops->connect(cells.link.ctx, &(bil_connect){.description = &bil_description_ed_30}, &result),
        BIL_REFUSED);
    bench_close(&cells);
}

/* ---- requests, worked out by hand ---- */

static void the_least_requests(void **state)
{
    (void)state;
    bench b;
    bench_open(&b, &sim_el16, &bil_description_el_16, false);
    /* who it is: one. The unit once more with the values: one. The table: one. Beside it 14 settings, one each: three
     * of the logger, two of the clock, four of alarms, three of the display, name and number. The script of 82 bytes
     * in pieces of 64: two, and one for its end. */
    assert_int_equal(bench_read(&b, true).u.end.verdict, BIL_VERDICT_VERIFIED);
    assert_int_equal(b.progress.identity_requests, 1);
    assert_int_equal(b.progress.read_requests, 19);
    want_text(&b, "channel_3.high", "9.500");
    want_text(&b, "channel_12.label", "Olive pits");
    want_text(&b, "alarm.text", "Pits are full");
    assert_int_equal(bench_write(&b, bench_config(&b)).u.end.verdict, BIL_VERDICT_VERIFIED);
    assert_int_equal(b.progress.written, 3);
    assert_int_equal(b.progress.write_requests, 3);
    /* read whole before it is held and while it is, back after the one stage, and twice for the proof: 16 each, and
     * what state it is in; the bytes of the script for the safety copy and for the proof: 3 each */
    assert_int_equal(b.progress.read_requests, 5 * 17 + 2 * 3);
    bench_close(&b);
    /* nine lines a page: the table of one line and sixteen takes one more, each time */
    bench_open(&b, &sim_el16, &bil_description_el_16, false);
    sim_set(b.unit, "display.lines", "9", (char[100]){0}, 100);
    assert_int_equal(bench_read(&b, true).u.end.verdict, BIL_VERDICT_VERIFIED);
    assert_int_equal(b.progress.read_requests, 20);
    bench_close(&b);
}

/* ---- a login ---- */

enum { CHANGED, MUTE, CUT, TAMPERINGS };
/* What a device says with one byte of it changed, or nothing behind that, or cut off there; and all that is said to it.
 */
typedef struct tampered {
    bil_stream below;
    int how;
    size_t at, heard, sent;
    bool happened;
    char said[400];
} tampered;

static bil_outcome tampered_connect(void *ctx, bil_result *result)
{
    tampered *t = ctx;
    return t->below.ops->connect(t->below.ctx, result);
}

static bool tampered_send(void *ctx, const char *bytes, size_t count)
{
    tampered *t = ctx;
    assert_true(t->sent + count < sizeof t->said);
    memcpy(t->said + t->sent, bytes, count);
    t->sent += count;
    return t->below.ops->send(t->below.ctx, bytes, count);
}

static int tampered_receive(void *ctx, char *bytes, size_t room, uint32_t within_ms)
{
    tampered *t = ctx;
    int count = t->below.ops->receive(t->below.ctx, bytes, room, within_ms);
    if (count <= 0 || t->heard + (size_t)count <= t->at) {
        t->heard += count > 0 ? (size_t)count : 0;
        return count;
    }
    size_t before = t->at > t->heard ? t->at - t->heard : 0;
    bool now = t->at >= t->heard;
    t->happened = true;
    t->heard += (size_t)count;
    if (t->how == CHANGED) {
        bytes[before] ^= now ? 1 : 0;
        return count;
    }
    return before ? (int)before : t->how == CUT ? -1 : 0;
}

static void tampered_close(void *ctx)
{
    tampered *t = ctx;
    t->below.ops->close(t->below.ctx);
}

static const char who_it_is[] = "el-16 EL16-2209 console";

/* A password goes to who says of itself what is known, and to nobody else. */
static bil_error only_to_it(void *ctx, const char *says, char out[BIL_TEXT_MAX + 1])
{
    *(unsigned *)ctx += 1;
    strcpy(out, "olive");
    return strcmp(says, who_it_is) == 0 ? BIL_OK : BIL_E_NOT_TRUSTED;
}

static unsigned times_in(const tampered *t, const char *what)
{
    unsigned count = 0;
    for (const char *at = t->said; (at = memmem(at, t->sent - (size_t)(at - t->said), what, strlen(what))); at++)
        count++;
    return count;
}

/* Whatever becomes of any byte of a login: the password is said once at most, behind the greeting and the question for
 * it, it stays nowhere, and who isn't in says so. */
static void a_login_byte_by_byte(void **state)
{
    (void)state;
    static const bil_stream_ops ops = {tampered_connect, tampered_send, tampered_receive, tampered_close};
    unsigned in = 0, told = 0, all = 0;
    for (int line = 0; line < 2; line++)
        for (int how = 0; how < TAMPERINGS; how++)
            for (size_t at = 0, more = 1; more; at++, all++) {
                bench b;
                unsigned asked = 0;
                bil_result result = {0};
                bench_open(&b, &sim_el16, &bil_description_el_16, false);
                b.unit->guarded = true;
                tampered t = {.below = sim_stream_open(&b.stream, &b.sim, line), .how = how, .at = at};
                bil_link link = bil_console_link_over(&b.words, (bil_stream){&ops, &t, !line, 2}, b.clock, NULL);
                b.words.doorman = (bil_doorman){only_to_it, &asked};
                bil_outcome outcome =
                    link.ops->connect(link.ctx, &(bil_connect){.description = b.description}, &result);
                more = t.happened;
                unsigned said = times_in(&t, "olive");
                assert_true(said <= 1 && asked <= 1 && said <= asked);
                assert_true(!said || memmem(t.said, t.sent, "setup\rolive\r", 12));
                assert_true((outcome == BIL_DONE) == b.words.open);
                assert_true(outcome != BIL_DONE || (said == 1 && b.stream.session.lets == 0));
                assert_true(outcome == BIL_DONE || (said ? outcome == BIL_REFUSED : result.cause != BIL_OK));
                assert_int_equal(b.unit->wrong, 0);
                assert_null(memmem(&b.words, sizeof b.words, "olive", 5));
                assert_true(more || outcome == BIL_DONE);
                in += outcome == BIL_DONE;
                told += said;
                link.ops->close(link.ctx);
                bench_close(&b);
            }
    print_message("logins disturbed at each byte: %u, %u times the password went out, %u times in\n", all, told, in);
    assert_true(all > 300 && told > in && in > 20);
}

/* Nobody tries a wrong password twice; who isn't known gets none; and who is in reads as ever, also behind a time-out
 * and a restart of the device. */
static void who_may_log_in(void **state)
{
    (void)state;
    bench b;
    bench_open(&b, &sim_el16, &bil_description_el_16, false);
    b.unit->guarded = true;
    bil_action end = bench_read(&b, true);
    assert_int_equal(end.u.end.cause, BIL_OK);
    assert_string_equal(b.says, who_it_is);
    assert_int_equal(b.progress.read_requests, 19);
    assert_int_equal(b.progress.identity_requests, 1);
    assert_text(&b.have, "plant.name", "tank-room");
    want_text(&b, "alarm.delay", "7");
    assert_int_equal(bench_write(&b, bench_config(&b)).u.end.verdict, BIL_VERDICT_VERIFIED); /* over its restart */
    assert_true(b.asked >= 3);
    static const struct {
        bil_error door, cause;
        const char *password;
        unsigned wrong;
    } tries[] = {{BIL_OK, BIL_E_PASSWORD, "wrong", 1},
                 {BIL_E_NOT_TRUSTED, BIL_E_NOT_TRUSTED, "olive", 1},
                 {BIL_E_NO_PASSWORD, BIL_E_NO_PASSWORD, "olive", 1},
                 {BIL_OK, BIL_OK, "olive", 0},
                 {BIL_OK, BIL_E_PASSWORD, "wrong", 1},
                 {BIL_OK, BIL_E_PASSWORD, "wrong", 2},
                 {BIL_OK, BIL_E_PASSWORD, "wrong", 3},
                 {BIL_OK, BIL_E_PASSWORD, "wrong", 4},
                 {BIL_OK, BIL_E_ACCOUNT_LOCKED, "wrong", 0},
                 {BIL_OK, BIL_E_ACCOUNT_LOCKED, "olive", 0}};
    for (size_t i = 0; i < sizeof tries / sizeof tries[0]; i++) {
        b.shut_out = tries[i].door;
        b.password = tries[i].password;
        assert_int_equal(bench_read(&b, false).u.end.cause, tries[i].cause);
        assert_int_equal(b.unit->wrong, tries[i].wrong);
    }
    b.sim.now += 600000;
    assert_int_equal(bench_read(&b, false).u.end.cause, BIL_OK);
    /* it logs out by itself, and is logged in to again */
    unsigned asked = b.asked;
    bil_result result = {0};
    uint16_t index = index_of(b.description, "plant.name");
    uint8_t raw[BIL_TEXT_MAX], cause;
    bil_transfer one = {.description = b.description, .items = &index, .count = 1, .raw = raw, .cause = &cause};
    const bil_connect to = {.description = b.description};
    assert_int_equal(b.link.ops->connect(b.link.ctx, &to, &result), BIL_DONE);
    assert_int_equal(b.link.ops->transfer(b.link.ctx, &one, &result), BIL_DONE);
    b.sim.now += 3600000;
    assert_int_equal(b.link.ops->transfer(b.link.ctx, &one, &result), BIL_NOT_SENT);
    assert_int_equal(b.link.ops->connect(b.link.ctx, &to, &result), BIL_DONE);
    assert_int_equal(b.asked, asked + 2);
    /* nobody there to ask: nothing is said */
    b.words.doorman = (bil_doorman){0};
    assert_int_equal(b.link.ops->connect(b.link.ctx, &to, &result), BIL_REFUSED);
    assert_int_equal(result.cause, BIL_E_NO_PASSWORD);
    bench_close(&b);
}

/* The panel has the one session that there is; later it has ended. */
static void the_session_is_taken(void **state)
{
    (void)state;
    bench b;
    sim_session panel;
    bench_open(&b, &sim_el16, &bil_description_el_16, false);
    sim_session_open(&panel, b.unit, 0, false);
    bil_action end = bench_read(&b, false);
    assert_int_equal(end.u.end.verdict, BIL_VERDICT_UNTOUCHED);
    assert_int_equal(end.u.end.cause, BIL_E_SESSION_TAKEN);
    assert_string_equal(b.words.heard, "panel");
    sim_session_close(&panel);
    assert_int_equal(bench_read(&b, false).u.end.verdict, BIL_VERDICT_VERIFIED);
    b.sim.now += 200000; /* nobody types for longer than it waits: it hangs up, and the next job connects anew */
    assert_int_equal(bench_read(&b, false).u.end.verdict, BIL_VERDICT_VERIFIED);
    bench_close(&b);
}

/* ---- a shell that we didn't write ---- */

static const char shell[] =
    "bilancia_description: 0\nvendor: Esempio\nmodel: SH\nrevision: 1\nfirmware: [\"1\"]\nhardware: [A]\n"
    "link: {kind: console, prompt: \"mill> \", ends: lf, echo: yes, done: taken, reply_ms: 700, late_ms: 3000}\n"
    "spaces:\n"
    "  vars: {read: \"echo {key}=${{{key}}}\", answer: \"{key}={value}\", write: \"{key}='{value}'; echo taken\"}\n"
    "  all: {read: set, answer: \"{key}='{value}'\", shares: any}\n"
    "stored_values: not_readable\nwrites_last: yes\n"
    "identify: {model: id.model, firmware: id.firmware, hardware: id.hardware, serial: id.serial}\n"
    "parameters:\n"
    "  id.model: {name: M, type: text, size: 8, class: unit, space: vars, at: model}\n"
    "  id.firmware: {name: F, type: text, size: 8, class: unit, space: vars, at: firmware}\n"
    "  id.hardware: {name: H, type: text, size: 8, class: unit, space: vars, at: hardware}\n"
    "  id.serial: {name: S, type: text, size: 8, class: unit, space: vars, at: serial}\n"
    "  mill.speed: {name: Speed, type: u16, class: setup, space: vars, at: speed, scale: 0.1}\n"
    "  mill.label: {name: Label, type: text, size: 20, class: setup, space: vars, at: label}\n"
    "  mill.heater: {name: Heater, type: bool, class: setup, space: vars, at: heater, words: [cold, warm]}\n"
    "  room.name: {name: Room, type: text, size: 20, class: setup, access: read, space: all, at: room}\n"
    "  room.floor: {name: Floor, type: i8, class: setup, access: read, space: all, at: floor}\n";

#define SHELL                                                                                                          \
    "env -i PATH=/usr/bin:/bin \"PS1=mill> \" PS2= model=SH firmware=1 hardware=A serial=7 speed=52.5 label=olives "   \
    "heater=warm \"room=press room\" \"floor=-1 \" sh -i"

/* Who lets nobody in without a login. */
static const char door[] = "stty -echo; echo mill 7 says hello\n"
                           "while :; do printf 'who: '; read u; printf 'word of %s: ' \"$u\"; read p; echo; stty echo\n"
                           "[ \"$u $p\" = 'me press' ] && exec " SHELL "\nstty -echo; echo no way in; done\n";

static void put_file(const char *path, const char *text)
{
    FILE *file = fopen(path, "w");
    fputs(text, file);
    fclose(file);
}

static bool press(void *ctx, const char *where, const char *which, bool may_ask, char *out, size_t size)
{
    (void)where;
    (void)which;
    snprintf(out, size, "%s", may_ask ? (const char *)ctx : "");
    return may_ask;
}

static bool says_hello(void *ctx, const char *where, const char *says, const char *before)
{
    (void)ctx;
    (void)where;
    assert_string_equal(says, "mill 7 says hello");
    assert_string_equal(before, "");
    return true;
}

/* Opens it there with this password; what comes of it. */
static int read_shell(const char *path, const char *at, char *word)
{
    char text[BIL_VALUE_TEXT + 20];
    bil_host *host;
    bil_device *device = NULL;
    bil_host_config config = {
        .struct_size = sizeof config, .site = "", .password = press, .trust = says_hello, .ctx = word};
    assert_int_equal(bil_host_open(&host, &config), BIL_OK);
    assert_int_equal(bil_host_add_description(host, path), BIL_OK);
    int error = bil_device_open(host, at, &device);
    if (!error && (error = bil_device_read(device, NULL)) == BIL_OK) {
        assert_int_equal(bil_device_value(device, "mill.speed", text, sizeof text), BIL_OK);
        assert_string_equal(text, "52.5");
        assert_int_equal(bil_device_value(device, "room.name", text, sizeof text), BIL_OK);
        assert_string_equal(text, "press room");
    }
    bil_device_close(device);
    bil_host_close(host);
    return error;
}

static void a_shell_behind_socat(void **state)
{
    (void)state;
    char folder[] = "/tmp/bilancia-shell-XXXXXX", path[100], behind[100], guarded[3000], command[500], at[100];
    assert_non_null(mkdtemp(folder));
    snprintf(path, sizeof path, "%s/sh.yaml", folder);
    snprintf(behind, sizeof behind, "%s/door", folder);
    put_file(behind, door);
    setenv("XDG_STATE_HOME", folder, 1);
    for (int login = 0; login < 2; login++) {
        int port = 0, ends[2];
        const char *kind = strstr(shell, "kind: console,");
        snprintf(guarded, sizeof guarded,
                 "%.*skind: console, login: {greets: \"mill {n} says hello\", asks_user: \"who: \", user: me, "
                 "asks: \"word of {who}: \", refuses: no way in}%s",
                 (int)(kind - shell), shell, kind + 13);
        put_file(path, login ? guarded : shell);
        snprintf(command, sizeof command,
                 login ? "EXEC:'sh %s',pty,setsid,ctty,stderr,echo=0" : "EXEC:'%s',pty,setsid,ctty,stderr",
                 login ? behind : SHELL);
        assert_int_equal(pipe(ends), 0);
        pid_t peer = fork();
        if (peer == 0) {
            setenv("ENV", "", 1);
            dup2(ends[1], STDERR_FILENO);
            execlp("socat", "socat", "-d", "-d", "-ly", "-lf", "/dev/stderr",
                   "TCP-LISTEN:0,bind=127.0.0.1,fork,reuseaddr", command, (char *)NULL);
            _exit(127);
        }
        close(ends[1]);
        FILE *said = fdopen(ends[0], "r");
        for (char line[600]; !port && fgets(line, sizeof line, said);)
            if (strstr(line, "listening on"))
                port = atoi(strrchr(line, ':') + 1);
        assert_true(port > 0);
        snprintf(at, sizeof at, "console+tcp://127.0.0.1:%d", port);
        if (login)
            assert_int_equal(read_shell(path, at, "pres"), BIL_E_PASSWORD);
        assert_int_equal(read_shell(path, at, "press"), BIL_OK);
        kill(peer, SIGTERM);
        waitpid(peer, NULL, 0);
        fclose(said);
    }
    unlink(path);
    unlink(behind);
    snprintf(path, sizeof path, "%s/bilancia/decided", folder);
    unlink(path);
    rmdir(dirname(path));
    assert_int_equal(rmdir(folder), 0);
}

int main(void)
{
    const struct CMUnitTest tests[] = {
        cmocka_unit_test(in_pieces_and_cut),
        cmocka_unit_test(every_byte_changed),
        cmocka_unit_test(what_a_device_may_say),
        cmocka_unit_test(what_comes_unasked),
        cmocka_unit_test(copies_that_it_keeps),
        cmocka_unit_test(a_secret_leaves_no_trace),
        cmocka_unit_test(patterns_there_and_back),
        cmocka_unit_test(values_there_and_back),
        cmocka_unit_test(files_of_every_length),
        cmocka_unit_test(a_changed_byte_is_no_other_file),
        cmocka_unit_test(what_becomes_no_file),
        cmocka_unit_test(descriptions_that_make_no_sense),
        cmocka_unit_test(the_table_is_the_description),
        cmocka_unit_test(the_least_requests),
        cmocka_unit_test(a_login_byte_by_byte),
        cmocka_unit_test(who_may_log_in),
        cmocka_unit_test(the_session_is_taken),
        cmocka_unit_test(a_shell_behind_socat),
    };
    return cmocka_run_group_tests_name("console", tests, NULL, NULL);
}

/* Questions and answers over a stream: one transfer is one question, with the answer up to the prompt. */
#include "bilancia/console.h"

#include "../core/bytes.h"
#include "../core/require.h"
#include "../core/text.h"

enum {
    WAKING_MS = 100,    /* who is woken may say its prompt more than once: so long no other one comes */
    CHARACTER_MS = 10,  /* no answer comes slower than this */
    GREETING_MS = 1000, /* how long a prompt may take on a new connection, unless replies take longer */
    PIECE_KEY = 120,    /* name and place of a piece of a file */
};

/* What a line may say, in the order in which that is looked for. */
enum { DONE, REFUSED, LATER, TAKEN, NOTHING };
/* And on a new connection, where a login comes first. */
enum { GREETED = DONE, WRONG = REFUSED, LOCKED = LATER };

/* An answer that is coming in. */
typedef struct answer {
    bool returned; /* a carriage return came, which a line feed has to follow */
    bool erasing;  /* what stands at the end of a page is being wiped out */
    bool bad;      /* the line isn't one that could be meant */
    bool strange;  /* the answer isn't: too long, without end, or it isn't the one to this question */
    bool secret;   /* nothing of it is remembered */
    uint8_t said;  /* what lines said: 1 << DONE and so on */
    uint16_t pages, lines;
    size_t length; /* of the line so far */
    bil_console_link *link;
    const bil_console *console;
    const bil_transfer *transfer; /* NULL: a new connection */
    const char *question;         /* of a login, that ends the answer, too; or NULL */
    const char *key;              /* of the value that was asked for, or of a piece of a file */
    size_t count;                 /* bytes of that, in the place of what was said */
    size_t prompt;                /* its length */
    uint32_t reply_ms, quiet_ms;  /* behind a prompt nothing follows: so long that is waited for */
    uint32_t bytes, code;
} answer;

static const bil_param *param_of(const bil_transfer *t, uint16_t i)
{
    return &t->description->params[t->items[i]];
}

static const bil_space *space_of(const bil_transfer *t)
{
    const bil_bank *bank = bil_description_bank(t->description, param_of(t, 0), t->bank, t->copy);
    return &t->description->spaces[bank ? bank->at : param_of(t, 0)->space];
}

/* Is the question for one value, rather than for a table? */
static bool asks_one(const bil_transfer *t)
{
    return space_of(t)->reading == BIL_SHARE_NONE;
}

/* ---- lines ---- */

static void remember(bil_console_link *link, const char *text, size_t length)
{
    bil_text_seen(text, length, link->heard, BIL_CONSOLE_HEARD);
}

/* Does the line begin with this name's first word? */
static bool begins(const char *key, const char *line, size_t length)
{
    size_t n = 0;
    while (n < length && key[n] == line[n] && key[n] != ' ')
        n++;
    return key[n] == ' ' || !key[n];
}

/* The value of this line, where it has one of those that are read. Two for the same value are none. */
static bool take_values(answer *a)
{
    const bil_transfer *t = a->transfer;
    const bil_space *space = space_of(t);
    uint8_t *raw = t->raw;
    /* of a table most lines are of other rows */
    size_t name = strlen(space->answer) < 5 ? 0 : 5;
    bool any = false, named = bil_text_is("{row}", space->answer, name) || bil_text_is("{key}", space->answer, name);
    for (uint16_t i = 0; i < t->count; i++) {
        const bil_param *param = param_of(t, i);
        bil_part part;
        if ((!named || begins(param->at.key, a->link->line, a->length)) &&
            bil_pattern_fits(space->answer, param->at.key, a->link->line, a->length, &part) && part.text) {
            bool first = t->cause[i] == BIL_E_REFUSED;
            int error = bil_value_hear(param->format, part.text, part.length, a->link->floats, raw);
            t->cause[i] = (uint8_t)(!first ? BIL_E_GARBLED : error ? BIL_E_ENCODING : BIL_OK);
            any = true;
        }
        raw += param->format->size;
    }
    return any;
}

/* The bytes of a piece, two digits each. What was said has come back by now, where it does, and leaves its place. */
static bool take_piece(answer *a)
{
    bil_part part;
    if (!bil_pattern_fits(space_of(a->transfer)->answer, a->key, a->link->line, a->length, &part) || !part.text)
        return false;
    bool good = a->transfer->cause[0] == BIL_E_REFUSED && part.length % 2 == 0;
    a->count = part.length / 2;
    for (size_t i = 0; i < a->count && good; i++) {
        int high = bil_hex_value(part.text[2 * i]), low = bil_hex_value(part.text[2 * i + 1]);
        good = high >= 0 && low >= 0;
        a->link->said[i] = (char)((unsigned)high << 4 | (unsigned)low); /* of no account where it isn't */
    }
    a->transfer->cause[0] = good ? BIL_OK : BIL_E_GARBLED;
    return true;
}

/* Which of these a line says. */
static unsigned says(const answer *a, bil_part *part)
{
    const bil_console *c = a->console;
    const bil_console_login *l = a->transfer ? NULL : c->login;
    const char *const patterns[] = {l ? l->greets : c->done, l ? l->refuses : c->refuses, l ? l->locked : c->later,
                                    c->taken};
    unsigned i = DONE;
    while (i < NOTHING && !(patterns[i] && bil_pattern_fits(patterns[i], NULL, a->link->line, a->length, part)))
        i++;
    return i;
}

/* A line that is whole. */
static void take_line(answer *a)
{
    bil_console_link *link = a->link;
    const bil_console *c = a->console;
    const bil_transfer *t = a->transfer;
    bil_part part = {NULL, 0};
    if (a->lines++ == 0 && t && c->echo) { /* of a secret many show stars */
        size_t said = strlen(link->said) - strlen(c->ends);
        a->strange = !t->secret && (a->length != said || memcmp(link->line, link->said, said) != 0);
    } else {
        bool value = !a->bad && t && !t->write && (t->bytes ? take_piece(a) : take_values(a));
        unsigned what = value ? DONE : a->bad ? NOTHING : says(a, &part);
        if (what == REFUSED)
            a->code = bil_text_number(part.text, part.length);
        if (what == TAKEN)
            remember(link, part.text ? part.text : "", part.length);
        if (what == GREETED && !t && c->login)
            remember(link, link->line, a->length);
        if (what == NOTHING && a->length && t && !t->secret) {
            if (!link->heard[0])
                remember(link, link->line, a->length);
            if (a->said & 1 << DONE && !t->write && asks_one(t))
                t->cause[0] = BIL_E_GARBLED; /* it may be the rest of a value with an end of line in it */
        }
        a->said |= (uint8_t)(1 << what);
    }
    a->length = 0;
    a->bad = false;
}

static bool stands(const answer *a, const char *text)
{
    return text && !a->bad && !a->returned && bil_text_is(text, a->link->line, a->length);
}

/* Does it ask who logs in, or for the password? */
static bool asks(const answer *a)
{
    bil_part part;
    return a->question && !a->bad && !a->returned &&
           bil_pattern_fits(a->question, NULL, a->link->line, a->length, &part);
}

/* One character. A line that is too long is no line; where it goes on doesn't matter any more. */
static void take(answer *a, char c)
{
    if (a->erasing && (c == '\r' || c == '\b' || c == ' '))
        return;
    a->erasing = false;
    if (c == '\n') {
        take_line(a);
        a->returned = false;
        return;
    }
    /* an answer has a prompt, at its end */
    a->strange = a->strange || (a->length == a->prompt && stands(a, a->console->prompt));
    bool control = (uint8_t)c < 0x20 || c == 0x7f;
    a->bad = a->bad || a->returned || a->length == BIL_CONSOLE_LINE || (control && c != '\r' && c != '\t');
    a->returned = c == '\r';
    if (c != '\r' && a->length < BIL_CONSOLE_LINE)
        a->link->line[a->length++] = c;
}

/* ---- answers ---- */

/* Listens up to the prompt, or a question. BIL_OK, or why it didn't come. */
static bil_error listen(answer *a)
{
    bil_console_link *link = a->link;
    const bil_stream *s = &link->stream;
    uint64_t start = link->clock.ops->now_ms(link->clock.ctx);
    for (;;) {
        bool prompt = stands(a, a->console->prompt) || asks(a);
        int count = s->ops->receive(s->ctx, link->piece, sizeof link->piece, prompt ? a->quiet_ms : a->reply_ms);
        if (count == 0 && prompt)
            return BIL_OK;
        if (count <= 0) {
            if (a->length && !link->heard[0] && !a->secret)
                remember(link, link->line, a->length);
            return count < 0 ? BIL_E_LOST : a->bytes ? BIL_E_GARBLED : BIL_E_SILENT;
        }
        for (int i = 0; i < count; i++)
            take(a, link->piece[i]);
        a->bytes += (uint32_t)count;
        uint64_t now = link->clock.ops->now_ms(link->clock.ctx);
        if (a->bytes > BIL_CONSOLE_MOST || a->pages > BIL_CONSOLE_PAGES ||
            now - start > a->reply_ms + (uint64_t)a->bytes * CHARACTER_MS)
            return BIL_E_GARBLED;
        if (stands(a, a->console->more)) {
            a->pages++;
            a->length = 0;
            a->erasing = true;
            if (!s->ops->send(s->ctx, " ", 1))
                return BIL_E_LOST;
        }
    }
}

static void hang_up(void *ctx)
{
    bil_console_link *link = ctx;
    link->open = false;
    link->stream.ops->close(link->stream.ctx);
}

static answer begin(bil_console_link *link, const bil_description *d, const bil_transfer *t)
{
    return (answer){.link = link,
                    .console = d->console,
                    .transfer = t,
                    .secret = t && t->secret,
                    .prompt = strlen(d->console->prompt),
                    .reply_ms = d->link.reply_ms * 2u + 100,
                    .quiet_ms = link->stream.quiet_ms};
}

/* What may have a secret in it. */
static void wipe(bil_console_link *link)
{
    bil_wipe(link->said, sizeof link->said);
    bil_wipe(link->line, sizeof link->line);
    bil_wipe(link->piece, sizeof link->piece);
}

/* Something is said, unless `text` is NULL, and what comes is heard. */
static bil_error hear(answer *a, const char *text)
{
    const bil_stream *s = &a->link->stream;
    const char *ends = a->console->ends;
    a->bad = a->returned = false;
    a->said = 0;
    a->bytes = 0;
    a->length = 0;
    if (text && (!s->ops->send(s->ctx, text, strlen(text)) || !s->ops->send(s->ctx, ends, strlen(ends))))
        return BIL_E_LOST;
    return listen(a);
}

/* Behind the first question of a login, up to the prompt. Who doesn't show which model it is isn't told anything, and
 * whatever comes of the password, it isn't said again: an account may be locked by that. */
static bil_error log_in(answer *a)
{
    bil_console_link *link = a->link;
    const bil_console_login *login = a->console->login;
    const char *first = a->question;
    char password[BIL_TEXT_MAX + 1];
    if (!link->heard[0])
        return BIL_E_OTHER_MODEL;
    bil_error cause =
        link->doorman.give ? link->doorman.give(link->doorman.ctx, link->heard, password) : BIL_E_NO_PASSWORD;
    if (!cause && login->whom) {
        a->question = login->asks;
        cause = hear(a, login->user);
    }
    if (!cause && asks(a)) {
        a->secret = true;
        a->question = first;
        cause = hear(a, password);
        if (a->said & 1 << WRONG || (!cause && asks(a)))
            cause = BIL_E_PASSWORD;
    }
    if (a->said & 1 << LOCKED)
        cause = BIL_E_ACCOUNT_LOCKED;
    bil_wipe(password, sizeof password);
    wipe(link);
    return cause;
}

static bil_outcome refuse(bil_result *result, bil_error cause)
{
    result->cause = cause;
    return BIL_REFUSED;
}

/* The prompt of a new connection. A device on a line that was there before says nothing by itself: it is woken, and
 * before that it forgets what somebody may have begun to say. */
static bil_outcome dial(void *ctx, const bil_connect *to, bil_result *result)
{
    bil_console_link *link = ctx;
    const bil_stream *s = &link->stream;
    const bil_console *c = to->description->console;
    link->open = false;
    link->heard[0] = '\0';
    if (!c)
        return refuse(result, BIL_E_OTHER_MODEL); /* it speaks another way */
    if (s->ops->connect(s->ctx, result) != BIL_DONE)
        return BIL_NOT_SENT;
    answer a = begin(link, to->description, NULL);
    if (c->login)
        a.question = c->login->whom ? c->login->whom : c->login->asks;
    a.reply_ms = a.reply_ms > GREETING_MS ? a.reply_ms : GREETING_MS;
    bil_error cause = s->session ? hear(&a, NULL) : BIL_E_SILENT;
    if (cause && cause != BIL_E_LOST && !(a.said & 1 << TAKEN)) {
        a.quiet_ms += WAKING_MS;
        cause = hear(&a, c->discard ? c->discard : "");
    }
    bool login = !cause && asks(&a);
    if (login)
        cause = log_in(&a);
    else if (cause == BIL_E_SILENT && link->heard[0]) /* it said something before it was woken */
        cause = BIL_E_GARBLED;
    if (a.said & 1 << TAKEN)
        cause = BIL_E_SESSION_TAKEN;
    result->cause = cause;
    link->open = !cause;
    if (!link->open)
        hang_up(link);
    return link->open ? BIL_DONE : login ? BIL_REFUSED : BIL_NOT_SENT;
}

/* Nothing but an answer may leave the connection as it is: it is given up, so that nobody hears a late one. */
static bil_outcome doubt(bil_console_link *link, bil_result *result, bil_error cause, bil_outcome outcome)
{
    hang_up(link);
    result->cause = cause;
    return outcome;
}

/* What is to be said; false where it can't be: it is longer than a line, or can't be said. */
static bool compose(bil_console_link *link, const bil_transfer *t, const char *key, const char *value)
{
    const bil_space *space = space_of(t);
    const char *pattern = t->write ? space->set : space->ask, *ends = t->description->console->ends;
    bool good =
        pattern && bil_pattern_fill(pattern, key, t->write ? value : NULL, link->said, BIL_CONSOLE_LINE + 1) == BIL_OK;
    good = good && bil_text_is_printable(link->said, strlen(link->said));
    if (good)
        memcpy(link->said + strlen(link->said), ends, strlen(ends) + 1);
    return good;
}

/* `count` becomes how many bytes of a file came. */
static bil_outcome ask(bil_console_link *link, const bil_transfer *t, const char *key, const char *value, size_t *count,
                       bil_result *result)
{
    const bil_stream *s = &link->stream;
    answer a = begin(link, t->description, t);
    a.key = key;
    if (!compose(link, t, key, value))
        return refuse(result, BIL_E_ENCODING);
    for (uint16_t i = 0; !t->write && i < t->count; i++)
        t->cause[i] = BIL_E_REFUSED;
    if (!s->ops->send(s->ctx, link->said, strlen(link->said)))
        return doubt(link, result, BIL_E_LOST, BIL_UNKNOWN);
    bil_error cause = listen(&a);
    result->more += a.pages;
    result->code = a.code;
    bool done = a.said & 1 << DONE, refused = a.said & 1 << REFUSED;
    if (cause && !(t->write && done && a.console->done && cause == BIL_E_LOST))
        return doubt(link, result, cause, BIL_UNKNOWN);
    if (cause) /* it took the order, and ended the session with that */
        hang_up(link);
    result->cause = BIL_OK;
    if (a.strange || (a.console->echo && !a.lines)) /* a prompt by itself answers nothing */
        return doubt(link, result, BIL_E_GARBLED, BIL_UNKNOWN);
    if (refused || a.said & 1 << LATER) {
        result->cause = refused ? BIL_E_REFUSED : BIL_E_BUSY;
        return refused ? BIL_REFUSED : BIL_BUSY;
    }
    if (t->write && a.console->done && !done) /* whatever that was: what became of it is read back */
        return doubt(link, result, BIL_E_GARBLED, BIL_UNKNOWN);
    bool other = !t->write && link->heard[0] && asks_one(t) && t->cause[0] == BIL_E_REFUSED;
    if (other) /* it didn't refuse: it said something else */
        t->cause[0] = BIL_E_GARBLED;
    if (t->bytes && !t->write && t->cause[0]) /* nothing of a file is left out */
        return doubt(link, result, BIL_E_GARBLED, BIL_UNKNOWN);
    *count = a.count;
    return BIL_DONE;
}

/* ---- files ---- */

/* The next bytes as digits, at most as many as go into a piece. How many bytes; -1: there are fewer than there should.
 */
static int next_bytes(const bil_transfer *t, uint32_t from, uint32_t size, char text[BIL_VALUE_TEXT])
{
    uint8_t bytes[BIL_CONSOLE_PIECE];
    uint32_t most = space_of(t)->write_most, count = size - from < most ? size - from : most;
    if (size && !from && !t->bytes->begin(t->bytes->ctx))
        return -1;
    for (size_t at = 0, got; at < count; at += got)
        if ((got = t->bytes->give(t->bytes->ctx, bytes + at, count - at)) == 0)
            return -1;
    text_out out;
    bil_out_open(&out, text, BIL_VALUE_TEXT - 1);
    bil_out_hex(&out, bytes, count);
    return bil_out_end(&out) == BIL_OK ? (int)count : -1;
}

/* Piece after piece, and an empty one behind the last: that ends it in both directions. */
static bil_outcome move_file(bil_console_link *link, const bil_transfer *t, bil_result *result)
{
    const bil_bytes *bytes = t->bytes;
    bil_outcome outcome;
    char piece[PIECE_KEY], text[BIL_VALUE_TEXT];
    uint32_t at = 0, size = (uint32_t)bil_file_size(t->raw);
    size_t count = 0;
    do {
        int next = t->write ? next_bytes(t, at, size, text) : 0;
        text_out key;
        bil_out_open(&key, piece, sizeof piece - 1);
        bil_out_lit(&key, param_of(t, 0)->at.key);
        bil_out_lit(&key, " ");
        bil_out_number(&key, at);
        bil_out_end(&key);
        result->more += at > 0;
        result->cause = BIL_E_LOST;
        outcome = next < 0 ? BIL_NOT_SENT : ask(link, t, piece, text, &count, result);
        if (t->write)
            count = (size_t)next;
        else if (outcome == BIL_DONE && count)
            result->cause = at || bytes->begin(bytes->ctx) ? bytes->take(bytes->ctx, (const uint8_t *)link->said, count)
                                                           : BIL_E_LOST;
        if (outcome == BIL_DONE && result->cause)
            outcome = BIL_REFUSED;
        if (outcome > BIL_REFUSED && at && t->write) /* what came before it has happened */
            outcome = BIL_UNKNOWN;
        at += (uint32_t)count;
    } while (outcome == BIL_DONE && count > 0);
    return outcome;
}

/* ---- the link ---- */

static bil_outcome move_values(bil_console_link *link, const bil_transfer *t, bil_result *result)
{
    const bil_param *param = param_of(t, 0);
    char value[BIL_VALUE_TEXT];
    size_t none;
    bil_outcome outcome = BIL_REFUSED;
    result->cause = BIL_E_ENCODING;
    if (!t->write || bil_value_say(param->format, t->raw, link->floats, value, sizeof value) == BIL_OK)
        outcome = ask(link, t, param->at.key, value, &none, result);
    if (t->secret)
        bil_wipe(value, sizeof value);
    return outcome;
}

static bil_outcome transfer(void *ctx, const bil_transfer *t, bil_result *result)
{
    bil_console_link *link = ctx;
    char stray;
    result->cause = BIL_OK;
    result->more = 0;
    link->heard[0] = '\0';
    if (!link->open)
        return doubt(link, result, BIL_E_LOST, BIL_NOT_SENT);
    if (!t->description->console)
        return refuse(result, BIL_E_OTHER_MODEL);
    /* what comes unasked isn't the answer to this question: an old one, or the rest of one that looked whole */
    int came = link->stream.ops->receive(link->stream.ctx, &stray, 1, 0);
    if (came)
        return doubt(link, result, came < 0 ? BIL_E_LOST : BIL_E_GARBLED, BIL_NOT_SENT);
    bil_outcome outcome = (t->bytes ? move_file : move_values)(link, t, result);
    if (t->secret) /* nothing of it stays */
        wipe(link);
    return outcome;
}

bil_link bil_console_link_over(bil_console_link *memory, bil_stream stream, bil_clock clock,
                               const bil_float_ops *floats)
{
    static const bil_link_ops ops = {dial, transfer, hang_up};
    require(memory && stream.ops && clock.ops);
    memory->stream = stream;
    memory->clock = clock;
    memory->floats = floats;
    memory->doorman = (bil_doorman){0};
    memory->heard[0] = '\0';
    memory->open = false;
    return (bil_link){&ops, memory};
}

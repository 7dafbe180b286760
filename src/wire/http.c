/* Documents at resources: one transfer is one request, but for a document that is written whole, which is read before.
 */
#include "bilancia/http.h"

#include "../core/bytes.h"
#include "../core/require.h"
#include "bilancia/console.h"
#include "document.h"

enum { CONNECTING_MS = 100, NAME = 200 };

static const bil_param *param_of(const bil_transfer *t, uint16_t i)
{
    return &t->description->params[t->items[i]];
}

/* The number of the space that they lie in, in the bank that is asked for. */
static uint16_t index_of(const bil_transfer *t)
{
    const bil_bank *bank = bil_description_bank(t->description, param_of(t, 0), t->bank, t->copy);
    return bank ? bank->at : param_of(t, 0)->space;
}

static const bil_space *space_of(const bil_transfer *t)
{
    return &t->description->spaces[index_of(t)];
}

static bool is_called(const char *pattern, const char *method)
{
    return bil_text_is(method, pattern, bil_until(pattern, ' '));
}

static const char *path_of(const char *pattern)
{
    return pattern + bil_until(pattern, ' ') + 1;
}

static void forget_password(bil_http_link *link)
{
    bil_wipe(link->password, sizeof link->password);
}

/* Nothing is known of a connection that isn't there yet. */
static void begin(bil_http_link *link)
{
    forget_password(link);
    memset(link->tags, 0, sizeof link->tags);
    link->heard[0] = '\0';
}

/* Where the tag of a space is kept, or that of a file, behind those of all spaces; NULL: there is no room for one. */
static char *tag_of(bil_http_link *link, const bil_transfer *t)
{
    unsigned place = t->bytes ? t->description->space_count + param_of(t, 0)->cells : index_of(t);
    return place < BIL_HTTP_TAGS ? link->tags[place] : NULL;
}

/* ---- what goes out ---- */

/* Puts the wanted values into the document that is there. Its length, or -1. */
static int merge(bil_http_link *link, const bil_transfer *t, size_t size)
{
    char text[2 * BIL_TEXT_MAX + 8];
    const uint8_t *raw = t->raw;
    for (uint16_t i = 0; i < t->count; i++) {
        const bil_param *param = param_of(t, i);
        const char *found;
        size_t length, count;
        if (bil_document_find(link->room, size, param->at.key, &found, &length) != BIL_OK ||
            bil_document_say(param->format, raw, link->floats, text, sizeof text) != BIL_OK)
            return -1;
        char *at = link->room + (found - link->room);
        count = strlen(text);
        if (size - length + count > link->half)
            return -1;
        memmove(at + count, at + length, size - (size_t)(at - link->room) - length);
        memcpy(at, text, count);
        size = size - length + count;
        raw += param->format->size;
    }
    return (int)size;
}

static unsigned containers_of(const char *key, size_t length)
{
    unsigned count = 0;
    for (size_t i = 1; i < length; i++)
        count += key[i] == '/';
    return count;
}

static void put_name(text_out *out, const char *token, size_t length)
{
    char name[NAME];
    out->full |= length > sizeof name;
    if (!out->full)
        bil_json_string(out, name, bil_token_text(token, length, name));
    bil_out_lit(out, ":");
}

/* A document with these values and nothing else (RFC 7396). They come by their pointers, so that what lies in the same
 * place follows each other. */
static int compose(bil_http_link *link, const bil_transfer *t)
{
    text_out out;
    const uint8_t *raw = t->raw;
    const char *before = "";
    bil_out_open(&out, link->room, link->half);
    bil_out_lit(&out, "{");
    for (uint16_t i = 0; i < t->count; i++) {
        const bil_param *param = param_of(t, i);
        const char *key = param->at.key;
        size_t shared = 0; /* up to the last slash of both */
        for (size_t k = 0; key[k] && key[k] == before[k]; k++)
            shared = key[k] == '/' ? k : shared;
        if (i) {
            for (unsigned k = containers_of(before, strlen(before)); k > containers_of(key, shared + 1); k--)
                bil_out_lit(&out, "}");
            bil_out_lit(&out, ",");
        }
        for (const char *token = key + shared + 1; token[-1]; token += bil_until(token, '/') + 1) {
            size_t length = bil_until(token, '/');
            put_name(&out, token, length);
            if (token[length])
                bil_out_lit(&out, "{");
        }
        char text[2 * BIL_TEXT_MAX + 8];
        if (bil_document_say(param->format, raw, link->floats, text, sizeof text) != BIL_OK)
            return -1;
        bil_out_lit(&out, text);
        before = key;
        raw += param->format->size;
    }
    for (unsigned k = containers_of(before, strlen(before)) + 1; k > 0; k--)
        bil_out_lit(&out, "}");
    return out.full ? -1 : (int)(out.at - out.start);
}

/* ---- what comes back ---- */

static bil_outcome refuse(bil_result *result, bil_error cause)
{
    result->cause = cause;
    return BIL_REFUSED;
}

/* Does a reply that was taken say no all the same? */
static bool says_no(const bil_http *how, const bil_http_reply *reply, bil_result *result)
{
    const char *at;
    size_t length;
    if (!how->refuses || !reply->size ||
        bil_document_find(reply->body, reply->size, how->refuses, &at, &length) != BIL_OK ||
        bil_text_is("null", at, length) || bil_text_is("false", at, length))
        return false;
    result->code = bil_text_number(at, length);
    return true;
}

/* `writes`: it carried a document. `login`: a password may have been in it, or tried by it. */
static bil_outcome judge(bil_http_link *link, const bil_http *how, bool login, bool writes, const bil_http_reply *reply,
                         bil_result *result)
{
    unsigned status = reply->status;
    bool done = status == 200 || (writes && (status == 201 || status == 204));
    result->code = status;
    bool no = done && writes && says_no(how, reply, result);
    if (done && !no) {
        result->code = 0;
        return BIL_DONE;
    }
    if (!login)
        bil_text_seen(reply->body, reply->size, link->heard, BIL_HTTP_HEARD);
    if (no)
        return refuse(result, BIL_E_REFUSED);
    if (status == 423 || (login && status == 429))
        return refuse(result, BIL_E_ACCOUNT_LOCKED);
    if (status == 401 || status == 403)
        return refuse(result, link->password[0] ? BIL_E_PASSWORD : BIL_E_NO_PASSWORD);
    if (status == 412)
        return refuse(result, BIL_E_FOREIGN_CHANGE);
    if (status >= 300 && status < 500 && status != 429)
        return refuse(result, BIL_E_REFUSED);
    bool busy = status == 429 || status == 503;
    result->cause = busy ? BIL_E_BUSY : status == 202 && writes ? BIL_E_AT_WORK : BIL_E_GARBLED;
    return busy ? BIL_BUSY : BIL_UNKNOWN;
}

/* One request; what it brings is in `reply`. */
static bil_outcome send(bil_http_link *link, bool login, bil_http_request *request, bil_http_reply *reply,
                        bil_result *result)
{
    const bil_http *how = link->description->http;
    request->within_ms = link->description->link.reply_ms * 2u + CONNECTING_MS;
    request->password = link->password[0] ? link->password : NULL;
    request->user = how->user;
    request->login = how->login;
    reply->room = link->half;
    reply->size = 0;
    reply->status = 0;
    reply->tag[0] = reply->realm[0] = '\0';
    result->cause = BIL_OK;
    bil_outcome outcome = link->port.ops->request(link->port.ctx, request, reply, result);
    return outcome == BIL_DONE ? judge(link, how, login, request->type != NULL, reply, result) : outcome;
}

/* The same for a transfer, with the tag of its document or file. */
static bil_outcome ask(bil_http_link *link, const bil_transfer *t, bil_http_request *request, bil_http_reply *reply,
                       bil_result *result)
{
    char *tag = tag_of(link, t);
    request->tag = request->type && tag && tag[0] ? tag : NULL;
    bil_outcome outcome = send(link, t->secret && t->secret <= BIL_SECRETS_MAX, request, reply, result);
    /* the one that came is kept, or the one that was forgotten; a weak one never matches (RFC 9110, 8.8.3.2) */
    const char *came = outcome == BIL_DONE && reply->tag[0] == '"' ? reply->tag : "";
    if (tag)
        memcpy(tag, came, strlen(came) + 1);
    return outcome;
}

/* Reads a document into the first half of the room, with its tag. */
static bil_outcome fetch(bil_http_link *link, const bil_transfer *t, bil_http_reply *reply, bil_result *result)
{
    bil_http_request request = {.method = space_of(t)->ask};
    reply->body = link->room;
    request.path = path_of(request.method);
    return ask(link, t, &request, reply, result);
}

static bil_outcome read_values(bil_http_link *link, const bil_transfer *t, bil_result *result)
{
    bil_http_reply reply;
    bil_outcome outcome = fetch(link, t, &reply, result);
    uint8_t *raw = t->raw;
    document d;
    int whole = outcome == BIL_DONE ? bil_document_open(&d, reply.body, reply.size) : BIL_OK;
    for (uint16_t i = 0; outcome == BIL_DONE && i < t->count; i++) {
        const bil_param *param = param_of(t, i);
        const char *at;
        size_t length;
        int error = whole ? whole : bil_document_look(&d, param->at.key, &at, &length);
        if (!error)
            error = bil_document_hear(param->format, at, length, link->floats, raw);
        if (error == BIL_E_GARBLED) {
            bil_text_seen(reply.body, reply.size, link->heard, BIL_HTTP_HEARD);
            result->cause = BIL_E_GARBLED;
            return BIL_UNKNOWN;
        }
        t->cause[i] = (uint8_t)error;
        raw += param->format->size;
    }
    return outcome;
}

static bil_outcome write_values(bil_http_link *link, const bil_transfer *t, bil_result *result)
{
    const bil_space *space = space_of(t);
    bil_http_request request = {.method = space->set, .path = path_of(space->set), .body = link->room};
    bil_http_reply reply = {.size = 0};
    bool whole = is_called(space->set, "PUT") && space->ask;
    if (whole) {
        bil_outcome outcome = fetch(link, t, &reply, result);
        result->more++;
        if (outcome != BIL_DONE) /* nothing was changed by that */
            return outcome == BIL_UNKNOWN ? BIL_NOT_SENT : outcome;
    }
    int size = whole ? merge(link, t, reply.size) : compose(link, t);
    if (size < 0)
        return refuse(result, BIL_E_REFUSED);
    request.size = (size_t)size;
    request.type = is_called(space->set, "PATCH") ? "application/merge-patch+json" : "application/json";
    reply.body = link->room + link->half;
    return ask(link, t, &request, &reply, result);
}

/* The bytes of a file as they are, at a path of its own. */
static bil_outcome move_file(bil_http_link *link, const bil_transfer *t, bil_result *result)
{
    const bil_space *space = space_of(t);
    const char *pattern = t->write ? space->set : space->ask;
    bool gone = t->write && bil_file_is_none(t->raw);
    bil_http_request request = {.method = gone ? "DELETE " : pattern,
                                .path = link->room,
                                .type = t->write ? "application/octet-stream" : NULL,
                                .body = link->room, /* of no bytes */
                                .bytes = gone ? NULL : t->bytes,
                                .size = t->write ? bil_file_size(t->raw) : 0};
    bil_http_reply reply = {.body = link->room + link->half};
    text_out path;
    bil_out_open(&path, link->room, link->half - 1);
    bil_out_lit(&path, path_of(pattern));
    bil_out_lit(&path, param_of(t, 0)->at.key);
    if (bil_out_end(&path) != BIL_OK)
        return refuse(result, BIL_E_REFUSED);
    bil_outcome outcome = ask(link, t, &request, &reply, result);
    bool none =
        outcome == BIL_REFUSED && reply.status == 404 && (gone || !t->write); /* said of a file, that is an answer */
    return none ? BIL_DONE : outcome;
}

/* The password is kept for the requests that follow, once it was tried. */
static bil_outcome try_password(bil_http_link *link, const char *path, bil_result *result)
{
    bil_http_request request = {.method = "GET ", .path = path};
    bil_http_reply reply = {.body = link->room};
    bil_outcome outcome =
        link->password[0] ? send(link, true, &request, &reply, result) : refuse(result, BIL_E_PASSWORD);
    if (outcome != BIL_DONE)
        forget_password(link);
    return outcome;
}

static bil_outcome log_in(bil_http_link *link, const bil_transfer *t, bil_result *result)
{
    uint8_t size = param_of(t, 0)->format->size;
    forget_password(link);
    memcpy(link->password, t->raw, size < BIL_TEXT_MAX ? size : BIL_TEXT_MAX);
    return try_password(link, path_of(space_of(t)->set), result);
}

/* A device that shows nothing without a login, not even who it is: it names its realm, and who doesn't know that gives
 * no password. */
static bil_outcome enter(bil_http_link *link, bil_result *result)
{
    const bil_http *how = link->description->http;
    const bil_doorman *by = &link->doorman;
    bil_http_request request = {.method = "GET ", .path = how->enter};
    bil_http_reply reply = {.body = link->room};
    bil_part none;
    bil_outcome outcome = send(link, false, &request, &reply, result);
    if (outcome == BIL_REFUSED) {
        bil_text_seen(reply.realm, strlen(reply.realm), link->heard, BIL_HTTP_HEARD);
        if (!bil_pattern_fits(how->greets, NULL, reply.realm, strlen(reply.realm), &none))
            result->cause = BIL_E_OTHER_MODEL;
        else if (result->cause == BIL_E_NO_PASSWORD && by->give)
            result->cause = by->give(by->ctx, link->heard, link->password);
        if (!result->cause)
            outcome = try_password(link, how->enter, result);
    }
    return outcome > BIL_REFUSED ? BIL_NOT_SENT : outcome;
}

/* ---- the link ---- */

static void hang_up(void *ctx)
{
    bil_http_link *link = ctx;
    forget_password(link);
    link->port.ops->close(link->port.ctx);
}

static bil_outcome dial(void *ctx, const bil_connect *to, bil_result *result)
{
    bil_http_link *link = ctx;
    const bil_description *d = to->description;
    begin(link);
    link->description = d;
    bil_outcome outcome = d->http ? link->port.ops->connect(link->port.ctx, result) : refuse(result, BIL_E_OTHER_MODEL);
    return outcome == BIL_DONE && d->http->enter ? enter(link, result) : outcome;
}

static bil_outcome transfer(void *ctx, const bil_transfer *t, bil_result *result)
{
    bil_http_link *link = ctx;
    result->cause = BIL_OK;
    result->more = 0;
    link->heard[0] = '\0';
    link->description = t->description;
    if (!t->description->http)
        return refuse(result, BIL_E_OTHER_MODEL);
    bil_outcome outcome = t->bytes                               ? move_file(link, t, result)
                          : !t->write                            ? read_values(link, t, result)
                          : is_called(space_of(t)->set, "LOGIN") ? log_in(link, t, result)
                                                                 : write_values(link, t, result);
    if (t->secret)
        bil_wipe(link->room, 2 * link->half);
    return outcome;
}

bil_link bil_http_link_over(bil_http_link *memory, bil_http_port port, const bil_float_ops *floats, char *room,
                            size_t size)
{
    static const bil_link_ops ops = {dial, transfer, hang_up};
    require(memory && port.ops && room && size >= 1000);
    memory->port = port;
    memory->floats = floats;
    memory->doorman = (bil_doorman){0};
    memory->room = room;
    memory->half = size / 2;
    begin(memory);
    return (bil_link){&ops, memory};
}

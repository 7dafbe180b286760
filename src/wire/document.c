/* JSON documents as they lie in memory: where a value stands, and what it is. Nothing is copied, nothing recurs. */
#include "document.h"

#include "../core/bytes.h"
#include "../core/require.h"
#include "bilancia/console.h"

enum { NAME = 200 }; /* bytes of a member's name that can be meant */

size_t bil_until(const char *text, char end)
{
    size_t n = 0;
    while (text[n] && text[n] != end)
        n++;
    return n;
}

static const char *blanks(const char *at, const char *end)
{
    while (at < end && (*at == ' ' || *at == '\t' || *at == '\n' || *at == '\r'))
        at++;
    return at;
}

/* Behind the string that begins here; NULL: it is none. */
static const char *behind_string(const char *at, const char *end)
{
    if (at == end || *at++ != '"')
        return NULL;
    for (; at < end && *at != '"'; at++) {
        if ((uint8_t)*at < 0x20)
            return NULL;
        at += *at == '\\' && at + 1 < end; /* which escape it is shows when it is looked at */
    }
    return at < end ? at + 1 : NULL;
}

static const char *behind_scalar(const char *at, const char *end)
{
    json_in in = {at, end, false};
    if (at < end && *at == '"')
        return behind_string(at, end);
    bil_json_need_word(&in);
    return in.failed ? NULL : in.at;
}

/* Behind the colon that follows a member's name, and blanks. */
static const char *behind_colon(const char *at, const char *end)
{
    at = at ? blanks(at, end) : NULL;
    return at && at < end && *at == ':' ? blanks(at + 1, end) : NULL;
}

/* Behind the value that begins here, with all that lies in it; NULL: it is no such value, or lies too deep. */
static const char *behind_value(const char *at, const char *end)
{
    uint32_t objects = 0; /* one bit for each that is open, the innermost lowest; else it is an array */
    unsigned depth = 0;
    do {
        bool opens = at && at < end && (*at == '{' || *at == '[');
        if (opens) {
            objects = objects << 1 | (*at == '{');
            if (++depth > BIL_HTTP_DEEPEST)
                return NULL;
            at = blanks(at + 1, end);
        } else {
            at = at ? behind_scalar(at, end) : NULL;
        }
        for (bool empty = opens; at && depth; empty = false) { /* up to where the next value begins */
            at = blanks(at, end);
            if (at < end && *at == (objects & 1 ? '}' : ']')) {
                at++;
                depth--;
                objects >>= 1;
                continue;
            }
            if (!empty && (at == end || *at++ != ','))
                return NULL;
            at = blanks(at, end);
            at = objects & 1 ? behind_colon(behind_string(at, end), end) : at;
            break;
        }
    } while (at && depth);
    return at;
}

/* ---- strings ---- */

static void put_character(text_out *out, uint32_t c)
{
    char bytes[4];
    int count = c < 0x80 ? 1 : c < 0x800 ? 2 : c < 0x10000 ? 3 : 4;
    for (int i = count - 1; i > 0; i--, c >>= 6)
        bytes[i] = (char)(0x80 | (c & 0x3f));
    bytes[0] = (char)(count == 1 ? c : (0xf00u >> count & 0xff) | c);
    bil_out_raw(out, bytes, (size_t)count);
}

/* Four hex digits; -1: they aren't. */
static int32_t take_hex(const char *at, const char *end)
{
    int32_t number = 0;
    for (int i = 0; i < 4; i++) {
        int digit = at + i < end ? bil_hex_value((char)(at[i] >= 'A' && at[i] <= 'F' ? at[i] | 0x20 : at[i])) : -1;
        if (digit < 0)
            return -1;
        number = number << 4 | digit;
    }
    return number;
}

/* The text of a string, which is whole with its quotes; -1: it is longer than `size`, or has an escape that is none. */
static int text_of(const char *at, size_t length, char *out, size_t size)
{
    static const char escapes[] = "\"\"\\\\//b\bf\fn\nr\rt\t";
    const char *end = at + length - 1;
    text_out to;
    bil_out_open(&to, out, size);
    for (at++; at < end; at++) {
        if (*at != '\\') {
            bil_out_raw(&to, at, 1);
            continue;
        }
        int32_t c = *++at == 'u' ? take_hex(at + 1, end) : -1;
        if (c >= 0) {
            at += 4;
            if (c >= 0xd800 && c < 0xdc00 && end - at > 2 && at[1] == '\\' && at[2] == 'u') { /* the first of two */
                int32_t low = take_hex(at + 3, end);
                c = low >= 0xdc00 && low < 0xe000 ? 0x10000 + ((c - 0xd800) << 10) + (low - 0xdc00) : -1;
                at += 6;
            }
            if (c < 0 || (c >= 0xd800 && c < 0xe000))
                return -1;
            put_character(&to, (uint32_t)c);
            continue;
        }
        int i = 0;
        while (escapes[i] && escapes[i] != *at)
            i += 2;
        if (!escapes[i])
            return -1;
        bil_out_raw(&to, &escapes[i + 1], 1);
    }
    return to.full ? -1 : (int)(to.at - to.start);
}

size_t bil_token_text(const char *token, size_t length, char *out)
{
    size_t count = 0;
    for (size_t i = 0; i < length; i++) {
        bool escape = token[i] == '~' && i + 1 < length;
        out[count++] = (char)(!escape ? token[i] : token[++i] == '1' ? '/' : '~');
    }
    return count;
}

/* ---- pointers ---- */

/* Is this string that text? One with escapes is longer than what it stands for. */
static bool is_called(const char *at, size_t length, const char *meant, size_t wanted)
{
    char name[NAME];
    size_t escape = 0;
    if (length == wanted + 2)
        return memcmp(at + 1, meant, wanted) == 0;
    while (length > wanted + 2 && escape < length && at[escape] != '\\')
        escape++;
    return length > wanted + 2 && escape < length && text_of(at, length, name, sizeof name) == (int)wanted &&
           memcmp(name, meant, wanted) == 0;
}

/* The member of this name, or the element of this number, of what begins here. `at` becomes where its value begins. */
static int step_into(const char **at, const char *end, const char *token, size_t length)
{
    const char *p = *at, *found = NULL;
    bool object = *p == '{';
    char meant[NAME];
    uint32_t index = 0;
    if (length > NAME || (!object && *p != '['))
        return BIL_E_REFUSED;
    size_t wanted = bil_token_text(token, length, meant);
    p = blanks(p + 1, end);
    while (*p != '}' && *p != ']') { /* all of it was looked at before: every bracket is there */
        bool here;
        if (!object) {
            char number[DIGITS];
            size_t from = bil_decimal(index++, number);
            here = length == DIGITS - from && memcmp(token, number + from, length) == 0;
        } else {
            const char *name = p;
            p = behind_string(p, end);
            here = is_called(name, (size_t)(p - name), meant, wanted);
            p = behind_colon(p, end);
        }
        if (here && found)
            return BIL_E_GARBLED;
        found = here ? p : found;
        if (found && !object)
            break; /* a number is there once, a name has to be */
        p = blanks(behind_value(p, end), end);
        p = *p == ',' ? blanks(p + 1, end) : p;
    }
    *at = found;
    return found ? BIL_OK : BIL_E_REFUSED;
}

int bil_document_open(document *d, const char *text, size_t size)
{
    const char *end = text + size, *root = blanks(text, end), *behind = behind_value(root, end);
    *d = (document){root, end, root, ""};
    return behind && blanks(behind, end) == end ? BIL_OK : BIL_E_GARBLED;
}

int bil_document_look(document *d, const char *pointer, const char **at, size_t *length)
{
    size_t shared = 0, last = 0;
    for (size_t i = 0; pointer[i]; i++)
        last = pointer[i] == '/' ? i : last;
    while (shared < last && d->last[shared] == pointer[shared])
        shared++;
    bool beside =
        shared == last && d->last[shared] == '/' && !d->last[shared + 1 + bil_until(d->last + shared + 1, '/')];
    const char *p = beside ? d->parent : d->root;
    for (const char *token = beside ? pointer + last : pointer; *token == '/';) {
        size_t n = bil_until(++token, '/');
        d->parent = p;
        int error = step_into(&p, d->end, token, n);
        d->last = error ? "" : pointer;
        if (error)
            return error;
        token += n;
    }
    *at = p;
    *length = (size_t)(behind_value(p, d->end) - p);
    return BIL_OK;
}

int bil_document_find(const char *text, size_t size, const char *pointer, const char **at, size_t *length)
{
    require(text && pointer && at && length);
    document d;
    int error = bil_document_open(&d, text, size);
    return error ? error : bil_document_look(&d, pointer, at, length);
}

/* ---- values ---- */

static bool is_string(const bil_format *format)
{
    return format->words || format->type == BIL_TEXT || (format->form && format->form->text);
}

/* Its format as what stands there counts: a number without the names that people see. */
static bil_format plain_of(const bil_format *format)
{
    bil_format plain = *format;
    uint8_t type = format->type;
    plain.choice_count = 0;
    if (type == BIL_CHOICE8 || type == BIL_CHOICE16 || (type >= BIL_BITS8 && type <= BIL_BITS32))
        plain.type = (uint8_t)(format->size == 1 ? BIL_U8 : format->size == 2 ? BIL_U16 : BIL_U32);
    return plain;
}

int bil_document_say(const bil_format *format, const uint8_t *raw, const bil_float_ops *floats, char *out, size_t size)
{
    require(format && raw && out && size);
    const bil_format plain = plain_of(format);
    char text[BIL_VALUE_TEXT];
    text_out to;
    bil_out_open(&to, out, size - 1);
    if (is_string(format)) {
        int error = bil_value_say(format, raw, floats, text, sizeof text);
        if (error)
            return error;
        bil_json_string(&to, text, strlen(text));
        return bil_out_end(&to);
    }
    int error = bil_value_text(&plain, raw, floats, out, size);
    size_t length = error ? 0 : strlen(out);
    return error ? error : behind_scalar(out, out + length) == out + length ? BIL_OK : BIL_E_NO_TEXT; /* infinite */
}

/* A number with an exponent as one without: 1.5e3 is 1500. False where that is longer than `out`. */
static bool write_out(const char *at, size_t length, text_out *out)
{
    size_t mantissa = 0, point = 0;
    while (mantissa < length && (at[mantissa] | 0x20) != 'e')
        mantissa++;
    int shift = 0;
    bool down = mantissa + 1 < length && at[mantissa + 1] == '-';
    for (size_t i = mantissa; i < length && shift < 100; i++)
        shift = at[i] >= '0' && at[i] <= '9' ? shift * 10 + (at[i] - '0') : shift;
    shift = down ? -shift : shift;
    bool minus = *at == '-';
    bil_out_raw(out, at, minus);
    at += minus;
    mantissa -= minus;
    while (point < mantissa && at[point] != '.')
        point++;
    int before = (int)point + shift, count = (int)mantissa - (point < mantissa); /* digits: before its point, and all */
    for (int i = before < 1 ? before - 1 : 0; i < count || i < before; i++) {
        if (i == before)
            bil_out_lit(out, ".");
        bil_out_raw(out, i >= 0 && i < count ? at + i + (i >= (int)point) : "0", 1);
    }
    return !out->full;
}

int bil_document_hear(const bil_format *format, const char *at, size_t length, const bil_float_ops *floats,
                      uint8_t *raw)
{
    require(format && at && raw);
    char text[BIL_VALUE_TEXT];
    if (bil_text_is("null", at, length))
        return BIL_E_REFUSED;
    if ((*at == '"') != is_string(format) || *at == '{' || *at == '[')
        return BIL_E_ENCODING;
    if (*at == '"') {
        int count = text_of(at, length, text, sizeof text);
        return count >= 0 && bil_value_hear(format, text, (size_t)count, floats, raw) == BIL_OK ? BIL_OK
                                                                                                : BIL_E_ENCODING;
    }
    const bil_format plain = plain_of(format);
    text_out to;
    bil_out_open(&to, text, sizeof text);
    if (bil_type_is_float((bil_type)format->type) || format->type == BIL_BOOL)
        bil_out_raw(&to, at, length);
    else if (!write_out(at, length, &to))
        return BIL_E_ENCODING;
    return bil_value_parse(&plain, text, (size_t)(to.at - to.start), floats, raw) == BIL_OK ? BIL_OK : BIL_E_ENCODING;
}

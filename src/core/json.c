#include "json.h"

#include "bytes.h"

/* ---- emitting ---- */

void bil_json_hex(text_out *out, const uint8_t *bytes, size_t count)
{
    bil_out_lit(out, "\"");
    bil_out_hex(out, bytes, count);
    bil_out_lit(out, "\"");
}

void bil_json_string(text_out *out, const char *text, size_t length)
{
    bil_out_lit(out, "\"");
    for (size_t i = 0; i < length; i++) {
        char c = text[i];
        if (c == '"' || c == '\\') {
            char pair[2] = {'\\', c};
            bil_out_raw(out, pair, 2);
        } else {
            bil_out_raw(out, &c, 1);
        }
    }
    bil_out_lit(out, "\"");
}

int bil_json_close(text_out *out, size_t *length)
{
    bil_out_lit(out, "\n");
    *length = (size_t)(out->at - out->start);
    return out->full ? BIL_E_SPACE : BIL_OK;
}

/* ---- scanning ---- */

bool bil_json_try(json_in *in, const char *text)
{
    size_t length = strlen(text);
    if (in->failed || (size_t)(in->end - in->at) < length || memcmp(in->at, text, length) != 0)
        return false;
    in->at += length;
    return true;
}

void bil_json_need(json_in *in, const char *text)
{
    if (!bil_json_try(in, text))
        in->failed = true;
}

/* Length of the character that starts here, when it is printable UTF-8 of more than one byte. */
static size_t multibyte_length(const char *at, size_t left)
{
    for (size_t length = 2; length <= 4 && length <= left; length++)
        if (bil_text_is_printable(at, length))
            return length;
    return 0;
}

bil_str bil_json_take_string(json_in *in)
{
    bil_str body = {"", 0};
    bil_json_need(in, "\"");
    if (in->failed)
        return body;
    const char *start = in->at;
    while (in->at < in->end && *in->at != '"') {
        unsigned char c = (unsigned char)*in->at;
        size_t left = (size_t)(in->end - in->at), step = 1;
        if (c == '\\')
            step = left > 1 && (in->at[1] == '"' || in->at[1] == '\\') ? 2 : 0;
        else if (c >= 0x80)
            step = multibyte_length(in->at, left);
        else if (c < 0x20 || c == 0x7f)
            step = 0;
        if (step == 0) {
            in->failed = true;
            return body;
        }
        in->at += step;
    }
    body = (bil_str){start, (size_t)(in->at - start)};
    bil_json_need(in, "\"");
    return body;
}

uint64_t bil_json_take_number(json_in *in, uint64_t largest)
{
    uint64_t number = 0;
    const char *start = in->at;
    while (!in->failed && in->at < in->end && *in->at >= '0' && *in->at <= '9') {
        unsigned digit = (unsigned)(*in->at - '0');
        if (number > (largest - digit) / 10)
            in->failed = true;
        number = number * 10 + digit;
        in->at++;
    }
    if (in->at == start || (*start == '0' && in->at - start > 1))
        in->failed = true;
    return in->failed ? 0 : number;
}

size_t bil_json_take_hex(json_in *in, uint8_t *bytes, size_t most)
{
    size_t count = 0;
    bil_json_need(in, "\"");
    while (!in->failed && in->end - in->at >= 2 && *in->at != '"' && count < most) {
        int high = bil_hex_value(in->at[0]), low = bil_hex_value(in->at[1]);
        if (high < 0 || low < 0) {
            in->failed = true;
            break;
        }
        bytes[count++] = (uint8_t)(high << 4 | low);
        in->at += 2;
    }
    bil_json_need(in, "\"");
    return in->failed ? 0 : count;
}

static size_t digits(json_in *in)
{
    const char *start = in->at;
    while (in->at < in->end && *in->at >= '0' && *in->at <= '9')
        in->at++;
    return (size_t)(in->at - start);
}

static bool takes(json_in *in, char c)
{
    bool is = in->at < in->end && *in->at == c;
    in->at += is;
    return is;
}

/* RFC 8259, 6; true, false and null as well. */
void bil_json_need_word(json_in *in)
{
    bool word = in->at < in->end && *in->at >= 'f'; /* most are numbers */
    if (word && (bil_json_try(in, "true") || bil_json_try(in, "false") || bil_json_try(in, "null")))
        return;
    takes(in, '-');
    const char *first = in->at;
    size_t whole = digits(in);
    bool bad = whole == 0 || (*first == '0' && whole > 1);
    if (takes(in, '.'))
        bad |= digits(in) == 0;
    if (takes(in, 'e') || takes(in, 'E')) {
        if (!takes(in, '-'))
            takes(in, '+');
        bad |= digits(in) == 0;
    }
    in->failed |= bad;
}

bil_str bil_json_take_value(json_in *in)
{
    const char *start = in->at;
    if (!in->failed && in->at < in->end && *in->at == '"')
        bil_json_take_string(in);
    else
        bil_json_need_word(in);
    return in->failed ? (bil_str){"", 0} : (bil_str){start, (size_t)(in->at - start)};
}

/* ---- bodies of strings ---- */

bool bil_str_plain(bil_str json, char *out, size_t size)
{
    size_t used = 0;
    if (size == 0)
        return false;
    for (size_t i = 0; i < json.length; i++) {
        char c = json.text[i];
        if (c == '\\')
            c = json.text[++i];
        if (used + 1 >= size) {
            out[used] = '\0';
            return false;
        }
        out[used++] = c;
    }
    out[used] = '\0';
    return true;
}

int bil_str_order(bil_str a, bil_str b)
{
    int order = memcmp(a.text, b.text, a.length < b.length ? a.length : b.length);
    return order ? order : (int)a.length - (int)b.length;
}

bool bil_str_equal(bil_str a, bil_str b)
{
    return a.length == b.length && (a.length == 0 || memcmp(a.text, b.text, a.length) == 0);
}

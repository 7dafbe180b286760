/* Patterns of what is said and heard, and values in words. */
#include "bilancia/console.h"

#include "../core/bytes.h"
#include "../core/require.h"
#include "../core/text.h"

/* ---- patterns ---- */

/* The next piece of a pattern: text that means itself, or what stands between two braces. */
typedef struct piece {
    const char *text;
    size_t length;
    bool place; /* between braces */
} piece;

/* What may stand there, in the order of `names`: first what is known of a value before it is said. */
enum { KEY, ROW, FILE_NAME, COLUMN, OFFSET, VALUE };
static const char names[] = "key\0row\0file\0column\0offset\0value\0code\0who\0";

static bool next_piece(const char **at, piece *p)
{
    const char *text = *at;
    size_t n = 0;
    if (!text[0])
        return false;
    p->place = text[0] == '{' && text[1] != '{';
    if (p->place) {
        while (text[n] && text[n] != '}')
            n++;
        *p = (piece){text + 1, n - 1, true};
        *at = text + n + (text[n] == '}');
        return true;
    }
    if ((text[0] == '{' || text[0] == '}') && text[1] == text[0]) { /* a brace that means itself */
        *p = (piece){text, 1, false};
        *at = text + 2;
        return true;
    }
    for (n = 1; text[n] && text[n] != '{' && text[n] != '}';)
        n++;
    *p = (piece){text, n, false};
    *at = text + n;
    return true;
}

/* The row and the column of a name: its first word, and what follows; of a file its name, and the place of a piece. */
static bil_part row_of(const char *key)
{
    size_t n = 0;
    while (key[n] && key[n] != ' ')
        n++;
    return (bil_part){key, n};
}

static bil_part column_of(const char *key)
{
    bil_part row = row_of(key);
    const char *rest = key + row.length;
    rest += *rest == ' ';
    return (bil_part){rest, strlen(rest)};
}

/* What is known of a place before a line is looked at; NULL: nothing. */
static bil_part known_at(int what, const char *key)
{
    if (key && what == KEY)
        return (bil_part){key, strlen(key)};
    if (key && (what == ROW || what == FILE_NAME))
        return row_of(key);
    if (key && (what == COLUMN || what == OFFSET))
        return column_of(key);
    return (bil_part){NULL, 0};
}

int bil_pattern_fill(const char *pattern, const char *key, const char *value, char *out, size_t size)
{
    require(pattern && out && size);
    text_out to;
    piece p;
    bil_out_open(&to, out, size - 1);
    while (next_piece(&pattern, &p)) {
        int what = bil_place(names, p.text, p.length);
        bil_part known = known_at(what, key);
        if (!p.place)
            bil_out_raw(&to, p.text, p.length);
        else if (known.text)
            bil_out_raw(&to, known.text, known.length);
        else if (value && what == VALUE)
            bil_out_lit(&to, value);
    }
    return bil_out_end(&to);
}

/* How much of the line this text takes, which means itself; a blank takes one or more. -1: it isn't there. */
static int takes(const piece *p, const char *line, size_t length)
{
    size_t at = 0;
    for (size_t i = 0; i < p->length; i++) {
        bool blank = p->text[i] == ' ';
        if (at == length || (line[at] != p->text[i] && !(blank && line[at] == '\t')))
            return -1;
        at++;
        while (blank && at < length && (line[at] == ' ' || line[at] == '\t'))
            at++;
    }
    return (int)at;
}

/* Where the place that begins here ends: before the next piece that means itself, or with the line. */
static size_t end_of_place(const char *rest, const char *line, size_t length)
{
    piece next;
    if (!next_piece(&rest, &next) || next.place)
        return length;
    size_t end = 0;
    while (end < length && takes(&next, line + end, length - end) < 0)
        end++;
    return end;
}

bool bil_pattern_fits(const char *pattern, const char *key, const char *line, size_t length, bil_part *found)
{
    require(pattern && line && found);
    piece p;
    const bil_part column = key ? column_of(key) : (bil_part){NULL, 0};
    *found = (bil_part){NULL, 0};
    while (next_piece(&pattern, &p)) {
        if (!p.place) {
            int taken = takes(&p, line, length);
            if (taken < 0)
                return false;
            line += taken;
            length -= (size_t)taken;
            continue;
        }
        int what = bil_place(names, p.text, p.length);
        bil_part known = known_at(what, key);
        size_t size = known.text ? known.length : end_of_place(pattern, line, length);
        if (size > length || (known.text && memcmp(known.text, line, size) != 0))
            return false;
        bool own = !known.text && column.length && column.length == p.length;
        if (what >= VALUE || (own && memcmp(column.text, p.text, p.length) == 0))
            *found = (bil_part){line, size};
        line += size;
        length -= size;
    }
    return length == 0;
}

/* ---- values ---- */

/* Its format as what is said of it counts: without the names that people see. */
static bil_format spoken(const bil_format *format)
{
    bil_format plain = *format;
    plain.choice_count = 0;
    if (plain.type == BIL_BOOL) /* 0 or 1 */
        plain.type = BIL_U8;
    return plain;
}

uint16_t bil_words_of(const bil_format *format)
{
    require(format);
    bool choice = format->type == BIL_CHOICE8 || format->type == BIL_CHOICE16;
    uint16_t others = format->type == BIL_BOOL ? 2 : format->type == BIL_TEXT;
    return choice ? format->choice_count : others;
}

/* Which of its words is this value? -1: none. */
static int word_of(const bil_format *format, const uint8_t *raw)
{
    uint32_t number = (uint32_t)bil_value_number(raw, format->size <= 4 ? format->size : 1);
    if (!format->words)
        return -1;
    if (format->type == BIL_BOOL)
        return raw[0] != 0;
    for (uint16_t i = 0; i < format->choice_count; i++)
        if (format->choices[i].value == number)
            return i;
    return format->type == BIL_TEXT && raw[0] == 0 ? 0 : -1;
}

int bil_value_say(const bil_format *format, const uint8_t *raw, const bil_float_ops *floats, char *out, size_t size)
{
    require(format && raw && out && size);
    int word = word_of(format, raw);
    const bil_format plain = spoken(format);
    if (word < 0)
        return bil_value_text(&plain, raw, floats, out, size);
    text_out to;
    bil_out_open(&to, out, size - 1);
    bil_out_lit(&to, format->words[word]);
    return bil_out_end(&to);
}

int bil_value_hear(const bil_format *format, const char *text, size_t length, const bil_float_ops *floats, uint8_t *raw)
{
    require(format && text && raw);
    const bil_format plain = spoken(format);
    uint16_t words = format->words ? bil_words_of(format) : 0;
    for (uint16_t i = 0; i < words; i++)
        if (bil_text_is(format->words[i], text, length)) {
            memset(raw, 0, format->size);
            if (format->type != BIL_TEXT)
                bil_value_put_number(raw, format->size, format->type == BIL_BOOL ? i : format->choices[i].value);
            return BIL_OK;
        }
    if (words && format->type == BIL_BOOL)
        return BIL_E_CHOICE;
    int error = bil_value_parse(&plain, text, length, floats, raw);
    return !error && format->type == BIL_BOOL && raw[0] > 1 ? BIL_E_RANGE : error;
}

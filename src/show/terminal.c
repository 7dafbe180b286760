#include "show/terminal.h"

#include <jansson.h>
#include <stdarg.h>
#include <stdlib.h>
#include <string.h>

#include "show/plain.h"
#include "show/tint.h"

bool terminal_takes(uint32_t c)
{
    static const struct {
        uint32_t first, last;
    } steering[] = {{0, 0x1f},        {0x7f, 0x9f},     {0x61c, 0x61c},     {0x200e, 0x200f},
                    {0x2028, 0x202e}, {0x2066, 0x2069}, {0xd800, 0xdfff},   {0xfeff, 0xfeff},
                    {0xfff9, 0xfffb}, {0xfffe, 0xffff}, {0xe0000, 0xe007f}, {0x110000, UINT32_MAX}};
    for (size_t i = 0; i < sizeof steering / sizeof steering[0]; i++)
        if (c >= steering[i].first && c <= steering[i].last)
            return false;
    return true;
}

bool terminal_character(const char *text, uint32_t *character, size_t *bytes)
{
    static const uint32_t least[] = {0, 0, 0x80, 0x800, 0x10000};
    const uint8_t *at = (const uint8_t *)text;
    size_t length = at[0] < 0x80 ? 1 : at[0] < 0xc2 ? 0 : at[0] < 0xe0 ? 2 : at[0] < 0xf0 ? 3 : at[0] < 0xf5 ? 4 : 0;
    *bytes = 1;
    *character = at[0];
    if (length == 0)
        return false;
    uint32_t all = length == 1 ? at[0] : at[0] & (0xffu >> (length + 1));
    for (size_t i = 1; i < length; i++) {
        if ((at[i] & 0xc0) != 0x80) /* the end of the text, too */
            return false;
        all = all << 6 | (at[i] & 0x3f);
    }
    if (all < least[length] || all > 0x10ffff || (all >= 0xd800 && all <= 0xdfff))
        return false;
    *character = all;
    *bytes = length;
    return true;
}

/* How many bytes from here on go out as they are. */
static size_t clean_part(const char *text, size_t length)
{
    size_t at = 0;
    while (at < length) {
        uint8_t byte = (uint8_t)text[at];
        if (byte >= 0x20 && byte < 0x7f) {
            at++;
            continue;
        }
        uint32_t character;
        size_t bytes;
        if (!terminal_character(text + at, &character, &bytes) || bytes > length - at || !terminal_takes(character))
            break;
        at += bytes;
    }
    return at;
}

bool terminal_is_clean(const char *text)
{
    size_t length = strlen(text);
    return clean_part(text, length) == length;
}

static void put_bytes(FILE *out, const char *text, size_t length)
{
    if (plain_wanted(out))
        plain_put(out, text, length);
    else
        fwrite(text, 1, length, out);
}

void terminal_put(FILE *out, const char *text, size_t length)
{
    length = strnlen(text, length);
    while (length > 0) {
        size_t part = clean_part(text, length), bytes;
        uint32_t character;
        put_bytes(out, text, part);
        text += part;
        length -= part;
        if (length == 0)
            return;
        bool whole = terminal_character(text, &character, &bytes) && bytes <= length;
        fprintf(out, whole ? "<U+%04X>" : "<%02x>", whole ? (unsigned)character : (unsigned)(uint8_t)*text);
        text += whole ? bytes : 1;
        length -= whole ? bytes : 1;
    }
}

/* ---- formats ---- */

typedef struct conversion {
    char flags[8];
    int width, precision; /* -1: none */
    char length[3], kind;
} conversion;

/* Reads what stands behind a % and returns what follows it. */
static const char *take_conversion(const char *at, va_list *list, conversion *c)
{
    size_t used = 0;
    *c = (conversion){.width = 0, .precision = -1};
    for (; *at && strchr("-+ #0", *at) && used + 1 < sizeof c->flags; at++)
        c->flags[used++] = *at;
    if (*at == '*') {
        c->width = va_arg(*list, int);
        at++;
    } else {
        c->width = (int)strtol(at, (char **)(uintptr_t)&at, 10);
    }
    if (*at == '.' && at[1] == '*') {
        c->precision = va_arg(*list, int);
        at += 2;
    } else if (*at == '.') {
        c->precision = (int)strtol(at + 1, (char **)(uintptr_t)&at, 10);
    }
    used = 0;
    for (; *at && strchr("hlz", *at) && used + 1 < sizeof c->length; at++)
        c->length[used++] = *at;
    c->kind = *at ? *at++ : '\0';
    return at;
}

static void put_text(FILE *out, const conversion *c, const char *text)
{
    bool left = strchr(c->flags, '-') || c->width < 0;
    size_t width = (size_t)abs(c->width),
           length = c->precision < 0 ? strlen(text) : strnlen(text, (size_t)c->precision);
    for (size_t i = length; !left && i < width; i++)
        putc(' ', out);
    if (tint_is_code(text))
        fputs(text, out);
    else
        terminal_put(out, text, length);
    for (size_t i = length; left && i < width; i++)
        putc(' ', out);
}

static void put_number(FILE *out, const conversion *c, va_list *list)
{
    char format[40], precision[20] = "";
    if (c->precision >= 0)
        snprintf(precision, sizeof precision, ".%d", c->precision);
    bool is_signed = c->kind == 'd' || c->kind == 'i', longer = strcmp(c->length, "ll") == 0;
    if (c->kind == 'c') {
        char one[2] = {(char)va_arg(*list, int), '\0'};
        put_text(out, c, one);
    } else if (c->kind == 'f') {
        snprintf(format, sizeof format, "%%%s*%sf", c->flags, precision);
        fprintf(out, format, c->width, va_arg(*list, double));
    } else {
        long long number = longer                                     ? va_arg(*list, long long)
                           : strcmp(c->length, "l") == 0 && is_signed ? va_arg(*list, long)
                           : strcmp(c->length, "l") == 0              ? (long long)va_arg(*list, unsigned long)
                           : strcmp(c->length, "z") == 0              ? (long long)va_arg(*list, size_t)
                           : is_signed                                ? va_arg(*list, int)
                                                                      : (long long)va_arg(*list, unsigned);
        snprintf(format, sizeof format, "%%%s*%sll%c", c->flags, precision, c->kind);
        fprintf(out, format, c->width, number);
    }
}

static int tell_list(FILE *out, const char *format, va_list *list)
{
    while (*format) {
        size_t plain = strcspn(format, "%");
        put_bytes(out, format, plain);
        format += plain;
        if (!*format)
            break;
        if (format[1] == '%') {
            putc('%', out);
            format += 2;
            continue;
        }
        conversion c;
        format = take_conversion(format + 1, list, &c);
        if (c.kind == 's') {
            const char *text = va_arg(*list, const char *);
            put_text(out, &c, text ? text : "");
        } else {
            put_number(out, &c, list);
        }
    }
    return ferror(out) ? -1 : 0;
}

int tell(FILE *out, const char *format, ...)
{
    /* where both streams lead to one file, a message must neither overtake what was said before it nor cut a character
     * of it in two */
    if (out == stderr)
        fflush(stdout);
    va_list list;
    va_start(list, format);
    int result = tell_list(out, format, &list);
    va_end(list);
    return result;
}

int say(const char *format, ...)
{
    va_list list;
    va_start(list, format);
    int result = tell_list(stdout, format, &list);
    va_end(list);
    return result;
}

void tell_json(FILE *out, json_t *json, size_t flags)
{
    char *text = json ? json_dumps(json, flags) : NULL;
    json_decref(json);
    for (const char *at = text ? text : "null"; *at;) {
        uint32_t character;
        size_t bytes, good = clean_part(at, strcspn(at, "\n"));
        fwrite(at, 1, good, out);
        at += good;
        if (!*at)
            break;
        if (*at == '\n') {
            putc(*at++, out);
        } else {
            bool whole = terminal_character(at, &character, &bytes);
            if (whole && character > 0xffff)
                fprintf(out, "\\u%04x", (unsigned)(0xd7c0 + (character >> 10)));
            if (whole)
                fprintf(out, "\\u%04x", (unsigned)(character > 0xffff ? 0xdc00 | (character & 0x3ff) : character));
            at += bytes;
        }
    }
    free(text);
}

const char *pasted(const char *word, char *out, size_t size)
{
    static const char plain[] = "ABCDEFGHIJKLMNOPQRSTUVWXYZabcdefghijklmnopqrstuvwxyz0123456789_./:@%+=,#-";
    if (word[0] && word[0] != '#' && strspn(word, plain) == strlen(word)) {
        snprintf(out, size, "%s", word);
        return out;
    }
    size_t used = 0;
    out[used++] = '\'';
    for (const char *c = word; *c && used + 6 < size; c++) {
        const char *as = *c == '\'' ? "'\\''" : (char[2]){*c, '\0'};
        size_t length = strlen(as);
        memcpy(out + used, as, length);
        used += length;
    }
    memcpy(out + used, "'", 2);
    return out;
}

#include "show/view.h"

#include <stdlib.h>
#include <string.h>

#include "port/storage.h"
#include "show/age.h"
#include "show/need.h"

const report_kind *report_kind_of(const char *path)
{
    for (const report_kind *const *kind = report_kinds; *kind; kind++)
        if (storage_ends_with(path, (*kind)->ending))
            return *kind;
    return NULL;
}

const char *side_label(const findings *f, size_t which)
{
    static const char *const two[] = {"Left", "Right"};
    static const char *const more[] = {"A", "B", "C", "D", "E", "F", "G", "H", "I", "J", "K", "L", "M", "N", "O", "P"};
    return f->count == 1 ? "Value" : f->count == 2 ? two[which] : more[which];
}

void side_line(const side *s, char *what, size_t what_size, char *who, size_t who_size)
{
    char age[64] = "";
    snprintf(what, what_size, "%s%s%s%s", s->text, s->extra[0] ? " (" : "", s->extra, s->extra[0] ? ")" : "");
    if (s->kind == SIDE_COPY)
        age_text(s->origin.when, age, sizeof age);
    snprintf(who, who_size, "%s %s%s%s%s%s%s%s", s->origin.vendor, s->origin.model,
             s->origin.firmware[0] ? ", firmware " : "", s->origin.firmware,
             s->origin.serial[0] ? ", serial number " : "", s->origin.serial,
             age[0] ? set_is_offline(&s->origin) ? ", made offline " : ", read " : "", age);
}

static bool has_bit(const char *all, const char *name, size_t length)
{
    for (const char *at = all; *at;) {
        size_t its = strcspn(at, "+");
        if (its == length && memcmp(at, name, length) == 0)
            return true;
        at += its + (at[its] == '+');
    }
    return false;
}

static void add_missing(const char *has, const char *hasnt, const char *label, char *out, size_t size)
{
    bool first = true;
    for (const char *at = has; *at;) {
        size_t length = strcspn(at, "+"), used = strlen(out);
        if (!has_bit(hasnt, at, length) && !(length == 1 && *at == '0') && used < size) {
            snprintf(out + used, size - used, "%s%s%.*s", first ? used ? "; " : "" : ", ", first ? label : "",
                     (int)length, at);
            first = false;
        }
        at += length + (at[length] == '+');
    }
}

void bits_text(const findings *f, const finding *one, char *out, size_t size)
{
    out[0] = '\0';
    bool bits = one->item->type >= BIL_BITS8 && one->item->type <= BIL_BITS32;
    if (!bits || f->count != 2 || one->relation != BIL_REL_CHANGED)
        return;
    char left[2 * BIL_VALUE_TEXT], right[2 * BIL_VALUE_TEXT];
    item_bare_text(one->items[0], f->sides[0].description, left, sizeof left);
    item_bare_text(one->items[1], f->sides[1].description, right, sizeof right);
    add_missing(left, right, "left only ", out, size);
    add_missing(right, left, "right only ", out, size);
}

void file_lines(const findings *f, const finding *one, lines_tell *tell, void *ctx)
{
    enum { TEXT_MOST = 1 << 16 };
    if (one->item->type != BIL_FILE || f->count != 2 || one->relation != BIL_REL_CHANGED)
        return;
    char *texts = need(2, TEXT_MOST);
    size_t size[2];
    bool good = true;
    for (size_t i = 0; i < 2 && good; i++) {
        char *text = texts + i * TEXT_MOST;
        size[i] = (size_t)bil_file_size(one->items[i]->raw);
        good = side_file(&f->sides[i], one->items[i]->raw, (uint8_t *)text, TEXT_MOST) && lines_are_text(text, size[i]);
    }
    if (good)
        lines_compare(texts, size[0], texts + TEXT_MOST, size[1], tell, ctx);
    free(texts);
}

void line_text(const char *text, size_t length, char out[LINE_TEXT])
{
    if (length >= LINE_TEXT)
        for (length = LINE_TEXT - 1; length > 0 && ((unsigned char)text[length] & 0xc0) == 0x80;)
            length--;
    snprintf(out, LINE_TEXT, "%.*s", (int)length, text);
    for (char *tab = out; (tab = strchr(tab, '\t'));)
        *tab = ' ';
}

#include "show/columns.h"

#include <string.h>

#include "show/terminal.h"

enum { NARROW = 60 };

size_t shown_width(const char *text)
{
    size_t width = 0;
    for (; *text; text++)
        width += ((unsigned char)*text & 0xc0) != 0x80;
    return width;
}

void put_cell(FILE *file, const char *text, size_t width)
{
    static const char blanks[] = "                                                                                ";
    size_t all = shown_width(text), most = all > width ? width - 1 : width, bytes = 0;
    for (size_t shown = 0; text[bytes]; bytes++) {
        shown += ((unsigned char)text[bytes] & 0xc0) != 0x80;
        if (shown > most)
            break;
    }
    terminal_put(file, text, bytes);
    if (all > width)
        terminal_put(file, "…", SIZE_MAX);
    else if (width - all < sizeof blanks)
        fwrite(blanks, 1, width - all, file);
}

void put_last_cell(FILE *file, const char *text, size_t width)
{
    if (shown_width(text) > width)
        put_cell(file, text, width);
    else
        terminal_put(file, text, SIZE_MAX);
}

size_t id_width(const screen *l, size_t count)
{
    return l->width >= 110 || count == 1 ? 28 : 24;
}

size_t value_width(const screen *l, size_t count)
{
    if (l->width < NARROW || count == 0)
        return 0;
    size_t names = l->width >= 110 ? 32 : count == 2 ? 20 : 0;
    size_t each = (l->width - id_width(l, count) - 2 - names) / count;
    return each < 12 ? 0 : each - 1 > 24 ? 24 : each - 1;
}

/* Each value once, behind the labels of all that have it. */
static void put_below(const screen *l, const value_row *row)
{
    uint32_t told = 0;
    for (size_t i = 0; i < row->count; i++) {
        if (told >> i & 1)
            continue;
        bool odd = row->odd >> i & 1;
        tell(l->out, "%s%s%s", tint_code(l->colour && odd, TINT_WARN), odd ? "  ▸" : "   ",
             tint_code(l->colour && odd, TINT_PLAIN));
        for (size_t k = i; k < row->count; k++)
            if (strcmp(row->values[i], row->values[k]) == 0) {
                told |= UINT32_C(1) << k;
                tell(l->out, " %-*s", row->count == 2 ? 5 : 1, row->labels[k]);
            }
        tell(l->out, "  %s\n", row->values[i]);
    }
}

void put_value_row(const screen *l, const value_row *row)
{
    size_t width = value_width(l, row->count), ids = id_width(l, row->count), longest = 0;
    for (size_t i = 0; i < row->count; i++) {
        size_t its = shown_width(row->values[i]) + 2 * (row->odd >> i & 1);
        longest = its > longest ? its : longest;
    }
    tell(l->out, "%s%s%s ", tint_code(l->colour, TINT_WARN), row->mark, tint_code(l->colour, TINT_PLAIN));
    if (l->width < NARROW) {
        tell(l->out, "%s\n  %s\n", row->id, row->name);
        put_below(l, row);
        return;
    }
    if (shown_width(row->id) > ids || longest > width) {
        tell(l->out, "%s  %s\n", row->id, row->name);
        put_below(l, row);
        return;
    }
    bool names = l->width > ids + 10 + row->count * (width + 1);
    put_cell(l->out, row->id, ids);
    for (size_t i = 0; i < row->count; i++) {
        bool odd = row->odd >> i & 1;
        tell(l->out, " %s%s", tint_code(l->colour && odd, TINT_WARN), odd ? "▸ " : "");
        bool last = i + 1 == row->count && !names;
        (last ? put_last_cell : put_cell)(l->out, row->values[i], odd ? width - 2 : width);
        fputs(tint_code(l->colour && odd, TINT_PLAIN), l->out);
    }
    if (names) {
        putc(' ', l->out);
        put_last_cell(l->out, row->name, l->width - ids - 3 - row->count * (width + 1));
    }
    putc('\n', l->out);
}

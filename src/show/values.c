#include "show/values.h"

#include <string.h>

#include "show/terminal.h"

enum { NARROW = 60, WIDE = 110 };

/* The most that an id, and a value beside others, takes; longer ones stand below. */
static size_t id_most(const screen *l, size_t count)
{
    return l->width >= WIDE || count == 1 ? 28 : 24;
}

static size_t value_most(const screen *l, size_t count)
{
    if (l->width < NARROW || count == 0)
        return 0;
    size_t names = l->width >= WIDE ? 32 : count == 2 ? 20 : 0;
    size_t each = (l->width - id_most(l, count) - 2 - names) / count;
    return each < 12 ? 0 : each - 1 > 24 ? 24 : each - 1;
}

void values_begin(value_table *t, screen l, size_t count, const char *const *labels)
{
    *t = (value_table){.screen = l, .count = count};
    grid_begin(&t->grid, 1 + count, NULL);
    if (!labels || !value_most(&l, count))
        return;
    const char *heads[GRID_MOST] = {"parameter"};
    for (size_t i = 0; i < count; i++)
        heads[1 + i] = labels[i];
    grid_heading(&t->grid, heads, "");
}

/* Each value once, behind the labels of all that have it. */
static void put_below(FILE *out, bool colour, const value_row *row)
{
    uint32_t told = 0;
    for (size_t i = 0; i < row->count; i++) {
        if (told >> i & 1)
            continue;
        bool odd = row->odd >> i & 1;
        tell(out, "%s%s%s", tint_code(colour && odd, TINT_WARN), odd ? "  ▸" : "   ",
             tint_code(colour && odd, TINT_PLAIN));
        for (size_t k = i; k < row->count; k++)
            if (strcmp(row->values[i], row->values[k]) == 0) {
                told |= UINT32_C(1) << k;
                tell(out, " %-*s", row->count == 2 ? 5 : 1, row->labels[k]);
            }
        tell(out, "  %s\n", row->values[i]);
    }
}

void values_row(value_table *t, const value_row *row)
{
    const screen *l = &t->screen;
    FILE *out = t->grid.out;
    size_t longest = 0;
    if (!out)
        return;
    for (size_t i = 0; i < row->count; i++) {
        size_t its = shown_width(row->values[i]) + 2 * (row->odd >> i & 1);
        longest = its > longest ? its : longest;
    }
    if (l->width < NARROW || shown_width(row->id) > id_most(l, row->count) || longest > value_most(l, row->count)) {
        grid_line(&t->grid);
        tell(out, "%s%s%s %s", tint_code(l->colour, TINT_WARN), row->mark, tint_code(l->colour, TINT_PLAIN), row->id);
        tell(out, l->width < NARROW ? "\n  %s\n" : "  %s\n", row->name);
        put_below(out, l->colour, row);
        return;
    }
    grid_row(&t->grid, row->mark, tint_code(l->colour, TINT_WARN));
    grid_cell(&t->grid, row->id, "");
    for (size_t i = 0; i < row->count; i++) {
        bool odd = row->odd >> i & 1;
        char text[600];
        snprintf(text, sizeof text, "%s%s", odd ? "▸ " : "", row->values[i]);
        grid_cell(&t->grid, text, tint_code(l->colour && odd, TINT_WARN));
    }
    tell(out, "%s\n", row->name);
}

bool values_end(value_table *t)
{
    return grid_end(&t->grid, t->screen.out, t->screen.whole ? 0 : t->screen.width);
}

#include "show/channels.h"

#include <stdlib.h>
#include <string.h>

#include "bilancia/description.h"
#include "show/terminal.h"

enum { COLUMNS = 24, DIGITS_MOST = 9, VALUES_MOST = BIL_PARAMS_MAX }; /* no description has more of them */

/* The length of the name in front of "_" and a number; 0: there is no such. */
static size_t name_length(const char *group)
{
    const char *line = strrchr(group, '_');
    bool number = line && line > group && line[1] >= '1' && line[1] <= '9';
    size_t digits = number ? strspn(line + 1, "0123456789") : 0;
    return digits && digits <= DIGITS_MOST && line[1 + digits] == '\0' ? (size_t)(line - group) : 0;
}

bool channels_goes_on(const channels *c, const char *group)
{
    size_t length = name_length(group);
    bool same = c->count == 0 || (strlen(c->name) == length && strncmp(c->name, group, length) == 0);
    return length && same && c->count < VALUES_MOST;
}

bool channels_add(channels *c, const char *group, const channel_value *value)
{
    if (c->count == c->room) {
        size_t room = c->room ? 2 * c->room : 64;
        channel_value *more = realloc(c->values, room * sizeof *more);
        if (!more)
            return false;
        c->values = more;
        c->room = room;
    }
    channel_value own = {strdup(value->id), strdup(value->name), strdup(value->text), value->mark};
    c->values[c->count++] = own;
    snprintf(c->name, sizeof c->name, "%.*s", (int)name_length(group), group);
    return own.id && own.name && own.text;
}

void channels_forget(channels *c)
{
    for (size_t i = 0; i < c->count; i++) {
        free(c->values[i].id);
        free(c->values[i].name);
        free(c->values[i].text);
    }
    free(c->values);
    *c = (channels){.count = 0};
}

static unsigned long number_of(const channels *c, const channel_value *v)
{
    return strtoul(v->id + strlen(c->name) + 1, NULL, 10);
}

/* What stands behind the group. */
static const char *rest_of(const channel_value *v)
{
    const char *dot = strchr(v->id, '.');
    return dot ? dot + 1 : "";
}

/* What the columns are, in the order in which they come first, and how wide. */
typedef struct columns {
    const char *heads[COLUMNS];
    size_t widths[COLUMNS], count;
} columns;

static size_t column_of(const columns *k, const channel_value *v)
{
    size_t i = 0;
    while (i < k->count && strcmp(k->heads[i], rest_of(v)) != 0)
        i++;
    return i;
}

/* A value with its mark, where it has one: "· 1.0121". */
static const char *marked(const channel_value *v, char *out, size_t size)
{
    bool any = v->mark[0] && v->mark[0] != ' ';
    snprintf(out, size, "%s%s%s", any ? v->mark : "", any ? " " : "", v->text);
    return out;
}

/* False: there are too many. */
static bool columns_of(const channels *c, columns *k)
{
    char text[600];
    k->count = 0;
    for (size_t i = 0; i < c->count; i++) {
        size_t at = column_of(k, &c->values[i]);
        if (at == COLUMNS)
            return false;
        if (at == k->count) {
            k->heads[k->count++] = rest_of(&c->values[i]);
            k->widths[at] = shown_width(k->heads[at]);
        }
        size_t width = shown_width(marked(&c->values[i], text, sizeof text));
        k->widths[at] = width > k->widths[at] ? width : k->widths[at];
    }
    return true;
}

/* What stands in front of the columns: the group. */
static size_t label_width(const channels *c)
{
    size_t most = 0;
    for (size_t i = 0; i < c->count; i++) {
        size_t width = strcspn(c->values[i].id, ".");
        most = width > most ? width : most;
    }
    return most;
}

bool channels_make_a_table(const channels *c, const screen *l)
{
    columns k;
    bool many = false, fits = true;
    for (size_t i = 1; i < c->count; i++)
        many = many || number_of(c, &c->values[i]) != number_of(c, &c->values[0]);
    if (!many || !columns_of(c, &k))
        return false;
    for (size_t i = 0; i < k.count; i++)
        fits = fits && 2 + label_width(c) + 2 + k.widths[i] <= l->width;
    return fits;
}

static int by_number(const void *a, const void *b, void *of)
{
    const channel_value *x = a, *y = b;
    unsigned long m = number_of(of, x), n = number_of(of, y);
    return m != n ? (m > n) - (m < n) : strcmp(x->id, y->id);
}

/* The columns from `first` to before `end`, of all of them. */
static void put_part(const channels *c, const columns *k, size_t first, size_t end, const screen *l, FILE *out)
{
    size_t label = label_width(c);
    tell(out, "  %s", tint_code(l->colour, TINT_BOLD));
    put_cell(out, "", label);
    for (size_t i = first; i < end; i++) {
        fputs("  ", out);
        put_cell(out, k->heads[i], i + 1 < end ? k->widths[i] : shown_width(k->heads[i]));
    }
    tell(out, "%s\n", tint_code(l->colour, TINT_PLAIN));
    for (size_t i = 0, next; i < c->count; i = next) {
        unsigned long number = number_of(c, &c->values[i]);
        char head[BIL_ID_MAX + 1], text[600];
        snprintf(head, sizeof head, "%.*s", (int)strcspn(c->values[i].id, "."), c->values[i].id);
        fputs("  ", out);
        put_cell(out, head, label);
        for (next = i; next < c->count && number_of(c, &c->values[next]) == number;)
            next++;
        for (size_t column = first; column < end; column++) {
            const char *shown = "—";
            for (size_t v = i; v < next; v++)
                if (column_of(k, &c->values[v]) == column)
                    shown = marked(&c->values[v], text, sizeof text);
            fputs("  ", out);
            put_cell(out, shown, column + 1 < end ? k->widths[column] : shown_width(shown));
        }
        putc('\n', out);
    }
}

bool channels_put(channels *c, const screen *l, FILE *out)
{
    columns k;
    size_t groups = 1;
    qsort_r(c->values, c->count, sizeof *c->values, by_number, c);
    columns_of(c, &k);
    for (size_t i = 1; i < c->count; i++)
        groups += number_of(c, &c->values[i]) != number_of(c, &c->values[i - 1]);
    tell(out, "%s%s_%lu to %s_%lu%s  %zu values in %zu groups\n", tint_code(l->colour, TINT_BOLD), c->name,
         number_of(c, &c->values[0]), c->name, number_of(c, &c->values[c->count - 1]), tint_code(l->colour, TINT_PLAIN),
         c->count, groups);
    for (size_t first = 0, end; first < k.count; first = end) {
        size_t used = 2 + label_width(c);
        for (end = first; end < k.count && (end == first || used + 2 + k.widths[end] <= l->width); end++)
            used += 2 + k.widths[end];
        put_part(c, &k, first, end, l, out);
    }
    channels_forget(c);
    return !ferror(out);
}

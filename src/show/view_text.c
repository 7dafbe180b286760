/* Findings as text: for a terminal of any width, or for a file. */
#include <stdlib.h>
#include <string.h>

#include "bilancia/words.h"
#include "show/age.h"
#include "show/need.h"
#include "show/terminal.h"
#include "show/unit_text.h"
#include "show/view.h"

enum { HEADING = 26 }; /* room for "12345 of 1234567 differ" */

static const char *code(const view *v, tint t)
{
    return tint_code(v->screen.colour, t);
}

/* One side alone: the unit, and how the copy came to be. */
static void begin_sheet(view *v, const side *s)
{
    const set_origin *o = &s->origin;
    FILE *out = v->screen.out;
    char age[64];
    age_text(o->when, age, sizeof age);
    tell(out, "%s%s%s  %s\n", code(v, TINT_BOLD), s->kind == SIDE_COPY ? "Saved copy" : side_kind_text(s->kind),
         code(v, TINT_PLAIN), s->text);
    if (s->kind == SIDE_COPY && strcmp(s->place, s->text) != 0)
        tell(out, "File        %s\n", s->place);
    tell(out, "Device      %s%s%s%s%s\n", code(v, TINT_BOLD), o->device[0] ? o->device : "without a name",
         code(v, TINT_PLAIN), set_is_offline(o) ? "" : " at ",
         set_is_offline(o)      ? ""
         : s->kind == SIDE_COPY ? o->from
                                : s->place);
    char unit[UNIT_TEXT];
    tell(out, "Unit        %s\n",
         unit_text(&(unit_says){o->vendor, o->model, o->hardware, o->firmware, o->serial, NULL}, unit));
    if (s->kind != SIDE_COPY)
        return;
    tell(out, "%s        %s (%s) by %s%s%s\n", set_is_offline(o) ? "Made" : "Read", o->when, age,
         o->who[0] ? o->who : "nobody named", o->why[0] ? ": " : "", o->why);
    if (o->parent[0])
        tell(out, "Made from   %s\n", o->parent);
    if (set_is_offline(o))
        tell(out, "%s!%s           made offline: the values were never read from a device\n", code(v, TINT_WARN),
             code(v, TINT_PLAIN));
}

static void end_sheet(view *v, const findings *f)
{
    size_t i;
    json_t *one;
    FILE *out = v->screen.out;
    tell(out, "%sNot in the copy, on purpose%s\n", code(v, TINT_BOLD), code(v, TINT_PLAIN));
    json_array_foreach(f->sides[0].left_out, i, one)
    {
        fputs("- ", out);
        put_cell(out, json_string_value(json_object_get(one, "id")), 24);
        putc(' ', out);
        put_cell(out, json_string_value(json_object_get(one, "class")), 9);
        tell(out, " %s%s\n", json_string_value(json_object_get(one, "name")),
             json_object_get(one, "sealed") ? ": sealed in the copy, under a passphrase" : "");
    }
    tell(out, "\n· of the place, of the unit, or calibration; the rest is the work\n");
    if (f->damaged < 0)
        tell(out, "%s✓ whole and unaltered%s: ", code(v, TINT_GOOD), code(v, TINT_PLAIN));
}

static void begin(view *v, const findings *f)
{
    if (f->count == 1) {
        begin_sheet(v, &f->sides[0]);
        putc('\n', v->screen.out);
        values_begin(&v->values, v->screen, 1, NULL);
        return;
    }
    char what[STORAGE_PATH + 200], who[6 * SET_TEXT];
    for (size_t i = 0; i < f->count; i++) {
        const side *s = &f->sides[i];
        side_line(s, what, sizeof what, who, sizeof who);
        if (v->screen.width < 60)
            tell(v->screen.out, "%s%s%s %s\n%s\n%s\n", code(v, TINT_BOLD), side_label(f, i), code(v, TINT_PLAIN),
                 side_kind_text(s->kind), what, who);
        else
            tell(v->screen.out, "%-6s %s%s%s  %s\n       %s\n", side_label(f, i), code(v, TINT_BOLD),
                 side_kind_text(s->kind), code(v, TINT_PLAIN), what, who);
    }
    putc('\n', v->screen.out);
    const char *labels[SIDES_MOST];
    for (size_t i = 0; i < f->count; i++)
        labels[i] = side_label(f, i);
    values_begin(&v->values, v->screen, f->count, labels);
}

/* What is known of a group only behind its values. */
static void fill_heading(view *v, const char *text)
{
    if (!v->heading)
        return;
    fseek(v->values.grid.out, v->heading, SEEK_SET);
    tell(v->values.grid.out, "%s", text);
    fseek(v->values.grid.out, 0, SEEK_END);
    v->heading = 0;
}

/* How many of a group differ is known at its end, and stands in its heading. */
static void end_group(view *v, const findings *f)
{
    if (!v->heading)
        return;
    unsigned all =
        f->before.apart + f->before.differing + f->before.relation[BIL_REL_EQUAL] + f->before.relation[BIL_REL_WITHIN];
    char text[HEADING + 20];
    if (f->count > 1)
        snprintf(text, sizeof text, "%u of %u differ%s", f->before.differing, all, f->before.differing == 1 ? "s" : "");
    else
        snprintf(text, sizeof text, "%u value%s", all, plural(all));
    fill_heading(v, text);
}

static void begin_group(view *v, const char *group)
{
    FILE *out = v->values.grid.out;
    grid_line(&v->values.grid);
    if (v->any)
        fputs("\n", out);
    grid_line(&v->values.grid);
    tell(out, "%s%s%s  ", code(v, TINT_BOLD), group, code(v, TINT_PLAIN));
    fflush(out);
    v->heading = ftell(out);
    tell(out, "%*s\n", HEADING, "");
    if (v->heading <= 0)
        v->heading = 0;
}

/* What was collected of channels, as a table; where it makes none, as groups like any other. */
static void end_channels(view *v)
{
    channels *c = &v->channels;
    FILE *out = v->values.grid.out;
    if (c->count && channels_make_a_table(c, &v->screen)) {
        grid_line(&v->values.grid);
        fputs(v->any ? "\n" : "", out);
        v->failed = !channels_put(c, &v->screen, out) || v->failed;
        v->any = true;
    }
    for (size_t i = 0; i < c->count; i++) {
        const channel_value *one = &c->values[i];
        size_t length = strcspn(one->id, "."), end = i;
        if (i == 0 || strncmp(c->values[i - 1].id, one->id, length + 1) != 0) {
            while (end < c->count && strncmp(c->values[end].id, one->id, length + 1) == 0)
                end++;
            char group[BIL_ID_MAX + 1];
            snprintf(group, sizeof group, "%.*s", (int)length, one->id);
            begin_group(v, group);
            char text[HEADING + 20];
            snprintf(text, sizeof text, "%zu value%s", end - i, plural((unsigned)(end - i)));
            fill_heading(v, text);
        }
        const char *label = "Value", *text = one->text;
        values_row(&v->values, &(value_row){one->mark, one->id, one->name, 1, &label, &text, 0});
        v->any = true;
    }
    channels_forget(c);
}

/* Of one side alone, groups that are all alike stand in a table, where there is room for such. */
static bool is_channel(view *v, const findings *f, const finding *one, const char *name, const char *mark,
                       const char *text)
{
    if (f->count != 1 || v->screen.width < 60 || !channels_goes_on(&(channels){.count = 0}, one->group))
        return false;
    if (!channels_goes_on(&v->channels, one->group))
        end_channels(v);
    channel_value value = {(char *)one->id, (char *)name, (char *)text, mark};
    v->failed = !channels_add(&v->channels, one->group, &value) || v->failed;
    return true;
}

enum { SHOWN = 12 }; /* lines of a file, unless all is shown */

typedef struct told_lines {
    view *v;
    unsigned count;
} told_lines;

static void put_line(void *ctx, char sign, unsigned number, const char *text, size_t length)
{
    told_lines *t = ctx;
    if (t->count++ >= SHOWN && !t->v->all)
        return;
    char line[LINE_TEXT];
    line_text(text, length, line);
    size_t taken = 11, width = shown_width(line), room = t->v->screen.width > taken ? t->v->screen.width - taken : 0;
    grid_line(&t->v->values.grid);
    tell(t->v->values.grid.out, "    %4u %c ", number, sign);
    put_cell(t->v->values.grid.out, line, width < room || t->v->screen.whole ? width : room);
    putc('\n', t->v->values.grid.out);
}

static void put_lines(view *v, const findings *f, const finding *one)
{
    told_lines t = {v, 0};
    file_lines(f, one, put_line, &t);
    if (t.count > SHOWN && !v->all) {
        grid_line(&v->values.grid);
        tell(v->values.grid.out, "         and %u more lines (--all)\n", t.count - SHOWN);
    }
}

static void row(view *v, const findings *f, const finding *one)
{
    if (one->new_group)
        end_group(v, f);
    if ((!v->all && !one->differs) || !v->values.grid.out)
        return;
    char name[512], values[SIDES_MOST][2 * BIL_VALUE_TEXT], bits[4 * BIL_VALUE_TEXT];
    const char *labels[SIDES_MOST], *texts[SIDES_MOST];
    bil_str_plain(one->item->name, name, sizeof name);
    for (size_t i = 0; i < f->count; i++) {
        snprintf(values[i], sizeof values[i], "—");
        if (one->items[i])
            item_text(one->items[i], f->sides[i].description, values[i], sizeof values[i]);
        texts[i] = values[i];
        labels[i] = side_label(f, i);
    }
    if (v->screen.width >= 110 && one->differs && one->weight & (BIL_NEEDS_HOLD | BIL_NEEDS_RESTART)) {
        size_t used = strlen(name);
        snprintf(name + used, sizeof name - used, "%s%s", one->weight & BIL_NEEDS_HOLD ? " · held" : "",
                 one->weight & BIL_NEEDS_RESTART ? " · restart" : "");
    }
    const char *mark = one->differs && one->weight & BIL_SAFETY          ? "!"
                       : f->count == 1 && one->relation == BIL_REL_EQUAL ? one->item->cls ? "·" : " "
                       : one->apart                                      ? "·"
                                                                         : bil_relation_mark(one->relation);
    if (is_channel(v, f, one, name, mark, texts[0]))
        return;
    end_channels(v);
    if (strcmp(v->group, one->group) != 0) {
        strcpy(v->group, one->group);
        begin_group(v, one->group);
    }
    v->any = true;
    values_row(&v->values, &(value_row){mark, one->id, name, f->count, labels, texts, one->odd});
    bits_text(f, one, bits, sizeof bits);
    if (bits[0]) {
        grid_line(&v->values.grid);
        tell(v->values.grid.out, "    %s\n", bits);
    }
    put_lines(v, f, one);
}

static void put_differing(view *v, const findings *f)
{
    static const char *const words[BIL_RELATION_COUNT] = {
        [BIL_REL_CHANGED] = "changed",       [BIL_REL_ONLY_LEFT] = "only left",
        [BIL_REL_ONLY_RIGHT] = "only right", [BIL_REL_MISSING] = "missing on some sides",
        [BIL_REL_UNREADABLE] = "unreadable", [BIL_REL_NOT_COMPARABLE] = "not comparable"};
    const finding_counts *n = &f->total;
    FILE *out = v->screen.out;
    tell(out, "%s≠ %u differ%s%s (", code(v, TINT_WARN), n->differing, n->differing == 1 ? "s" : "",
         code(v, TINT_PLAIN));
    const char *between = "";
    for (int i = 0; i < BIL_RELATION_COUNT; i++)
        if (words[i] && n->relation[i]) {
            tell(out, "%s%u %s", between, n->relation[i], words[i]);
            between = ", ";
        }
    tell(out, "), %u equal", n->relation[BIL_REL_EQUAL]);
}

/* Which side says something else than the rest, the one that does so most often first. */
static void put_odd(view *v, const findings *f)
{
    size_t worst = 0;
    for (size_t i = 0; i < f->count; i++)
        worst = f->total.odd[i] > f->total.odd[worst] ? i : worst;
    if (!f->total.odd[worst])
        return;
    tell(v->screen.out, "%s▸%s odd one out: ", code(v, TINT_WARN), code(v, TINT_PLAIN));
    for (unsigned most = f->total.odd[worst]; most > 0; most--)
        for (size_t i = 0; i < f->count; i++)
            if (f->total.odd[i] == most)
                tell(v->screen.out, "%s%s in %u", most == f->total.odd[worst] && i == worst ? "" : ", ",
                     side_label(f, i), most);
    tell(v->screen.out, " of %u\n", f->total.differing);
}

static bool end(view *v, const findings *f)
{
    const finding_counts *n = &f->total;
    FILE *out = v->screen.out;
    end_group(v, f);
    end_channels(v);
    bool kept = values_end(&v->values) && !v->failed;
    if (v->any)
        putc('\n', out);
    if (f->damaged >= 0)
        tell(out, "%s✗ %s is damaged%s: only what stands before the damage was looked at, and it can't be trusted\n",
             code(v, TINT_BAD), f->sides[f->damaged].text, code(v, TINT_PLAIN));
    unsigned equal = n->relation[BIL_REL_EQUAL];
    if (f->count == 1)
        end_sheet(v, f);
    if (f->count == 1)
        tell(out, "%u values, %u that could not be read, %zu left out", equal, n->relation[BIL_REL_UNREADABLE],
             json_array_size(f->sides[0].left_out));
    else if (n->differing == 0)
        tell(out, "%s✓ equal%s: %u value%s", code(v, TINT_GOOD), code(v, TINT_PLAIN), equal, equal == 1 ? "" : "s");
    else
        put_differing(v, f);
    if (n->relation[BIL_REL_WITHIN])
        tell(out, ", ≈ %u within tolerance", n->relation[BIL_REL_WITHIN]);
    if (n->safety || n->hold || n->restart)
        fputs("; ", out);
    if (n->safety)
        tell(out, "%s!%s %u safety-relevant", code(v, TINT_WARN), code(v, TINT_PLAIN), n->safety);
    if (n->hold)
        tell(out, "%s%u held", n->safety ? ", " : "", n->hold);
    if (n->restart)
        tell(out, "%s%u restart", n->safety || n->hold ? ", " : "", n->restart);
    if (n->apart)
        tell(out, ", · %u meant to differ", n->apart);
    putc('\n', out);
    if (f->count > 2)
        put_odd(v, f);
    return kept && !ferror(out);
}

view view_text(screen l, bool all)
{
    static const view_ops ops = {begin, row, end};
    return (view){.ops = &ops, .screen = l, .all = all};
}

static view make(FILE *out, bool all)
{
    enum { WIDTH = 110 };
    (void)all;
    return view_text((screen){out, WIDTH, false, true}, true);
}

const report_kind report_text = {".txt", make, 0};

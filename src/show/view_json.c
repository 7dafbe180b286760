/* Findings for programs; docs/schema/compare.json describes them. */
#include <jansson.h>

#include "bilancia/words.h"
#include "show/terminal.h"
#include "show/view.h"

static void begin(view *v, const findings *f)
{
    fputs("{\n  \"sides\": [", v->screen.out);
    for (size_t i = 0; i < f->count; i++) {
        const side *s = &f->sides[i];
        json_t *json = json_pack("{s:s,s:s,s:s,s:s,s:s,s:s,s:s,s:s}", "label", side_label(f, i), "kind",
                                 side_kind_name(s->kind), "from", s->kind == SIDE_COPY ? s->place : s->text, "model",
                                 s->origin.model, "firmware", s->origin.firmware, "serial", s->origin.serial, "device",
                                 s->origin.device, "when", s->kind == SIDE_COPY ? s->origin.when : "");
        fputs(i ? ",\n    " : "\n    ", v->screen.out);
        tell_json(v->screen.out, json, 0);
    }
    fputs("\n  ],\n  \"parameters\": [", v->screen.out);
}

static void put_text(FILE *out, const char *text)
{
    json_t *json = json_string(text);
    tell_json(out, json, JSON_ENCODE_ANY);
}

/* The strings of an item are bodies of JSON strings, and its value is a token: they go out as they are. Rows come by
 * the ten thousand. */
static void put_value(FILE *out, const bil_item *item, const bil_description *description)
{
    static const char digits[] = "0123456789abcdef";
    if (!item) {
        fputs("null", out);
        return;
    }
    if (item->unreadable) {
        fprintf(out, "{\"unreadable\":\"%s\"}", bil_host_error_name(item->unreadable));
        return;
    }
    char hex[2 * BIL_TEXT_MAX];
    for (uint8_t i = 0; i < item->size; i++) {
        hex[2 * i] = digits[item->raw[i] >> 4];
        hex[2 * i + 1] = digits[item->raw[i] & 15];
    }
    fputs("{\"raw\":\"", out);
    fwrite(hex, 1, 2u * item->size, out);
    fputs("\",\"value\":", out);
    char text[2 * BIL_VALUE_TEXT];
    item_fit fit = item_value(item, description, text, sizeof text);
    put_text(out, text);
    if (fit != ITEM_FITS) {
        fputs(",\"said\":\"", out);
        bool quoted = item->value.text[0] == '"';
        fwrite(item->value.text + quoted, 1, item->value.length - 2u * quoted, out);
        putc('"', out);
    }
    putc('}', out);
}

typedef struct told_lines {
    FILE *out;
    bool any;
} told_lines;

static const char *truth(unsigned flag)
{
    return flag ? "true" : "false";
}

static void put_line(void *ctx, char sign, unsigned number, const char *text, size_t length)
{
    told_lines *t = ctx;
    json_t *json = json_pack("{s:s,s:I,s:s%}", "only", sign == '-' ? "left" : "right", "line", (json_int_t)number,
                             "text", text, length);
    fputs(t->any ? "," : ",\"lines\":[", t->out);
    tell_json(t->out, json, 0);
    t->any = true;
}

static void row(view *v, const findings *f, const finding *one)
{
    if (!v->all && !one->differs && !one->apart)
        return;
    FILE *out = v->screen.out;
    const bil_item *item = one->item;
    fprintf(out, "%s{\"id\":\"%s\",\"name\":\"%.*s\",\"unit\":\"%.*s\",\"class\":\"%s\",\"relation\":\"%s\"",
            v->any ? ",\n    " : "\n    ", one->id, (int)item->name.length, item->name.text, (int)item->unit.length,
            item->unit.length ? item->unit.text : "", bil_class_name(item->cls), bil_relation_name(one->relation));
    fprintf(out, ",\"meant_to_differ\":%s,\"safety\":%s,\"needs_hold\":%s,\"needs_restart\":%s,\"values\":[",
            truth(one->apart), truth(one->weight & BIL_SAFETY), truth(one->weight & BIL_NEEDS_HOLD),
            truth(one->weight & BIL_NEEDS_RESTART));
    for (size_t i = 0; i < f->count; i++) {
        if (i)
            putc(',', out);
        put_value(out, one->items[i], f->sides[i].description);
    }
    fputs("],\"odd\":[", out);
    const char *between = "";
    for (size_t i = 0; i < f->count; i++)
        if (one->odd >> i & 1) {
            fprintf(out, "%s\"%s\"", between, side_label(f, i));
            between = ",";
        }
    told_lines lines = {out, false};
    putc(']', out);
    file_lines(f, one, put_line, &lines);
    fputs(lines.any ? "]}" : "}", out);
    v->any = true;
}

static bool end(view *v, const findings *f)
{
    const finding_counts *n = &f->total;
    json_t *odd = json_object(), *damaged = json_array();
    for (size_t i = 0; f->count > 2 && i < f->count; i++)
        json_object_set_new(odd, side_label(f, i), json_integer(n->odd[i]));
    if (f->damaged >= 0)
        json_array_append_new(damaged, json_string(side_why(&f->sides[f->damaged])));
    fputs("\n  ],\n  \"damaged\": ", v->screen.out);
    tell_json(v->screen.out, damaged, 0);
    fputs(",\n  \"odd\": ", v->screen.out);
    tell_json(v->screen.out, odd, 0);
    fputs(",\n  \"counts\": {", v->screen.out);
    for (int i = 0; i < BIL_RELATION_COUNT; i++)
        fprintf(v->screen.out, "\"%s\": %u, ", bil_relation_name((bil_relation)i), n->relation[i]);
    fprintf(v->screen.out, "\"meant_to_differ\": %u, \"safety\": %u, \"needs_hold\": %u, \"needs_restart\": %u},\n",
            n->apart, n->safety, n->hold, n->restart);
    fprintf(v->screen.out, "  \"differing\": %u\n}\n", n->differing);
    return !ferror(v->screen.out);
}

view view_json(FILE *out, bool all)
{
    static const view_ops ops = {begin, row, end};
    return (view){.ops = &ops, .screen = {.out = out}, .all = all};
}

/* Findings for programs; docs/schema/compare.json describes them. */
#include <jansson.h>
#include <string.h>

#include "view.h"

static void begin(view *v, const findings *f)
{
    fputs("{\n  \"sides\": [", v->look.out);
    for (size_t i = 0; i < f->count; i++) {
        const side *s = &f->sides[i];
        json_t *json =
            json_pack("{s:s,s:s,s:s,s:s,s:s,s:s,s:s,s:s}", "label", side_label(f, i), "kind", side_kind_name(s->kind),
                      "from", s->text, "model", s->origin.model, "firmware", s->origin.firmware, "serial",
                      s->origin.serial, "device", s->origin.device, "when", s->kind == SIDE_COPY ? s->origin.when : "");
        fputs(i ? ",\n    " : "\n    ", v->look.out);
        json_dumpf(json, v->look.out, 0);
        json_decref(json);
    }
    fputs("\n  ],\n  \"parameters\": [", v->look.out);
}

static json_t *value_json(const bil_item *item, const bil_description *description)
{
    if (!item)
        return json_null();
    if (item->unreadable)
        return json_pack("{s:s}", "unreadable", bil_error_name(item->unreadable));
    char hex[2 * BIL_TEXT_MAX + 1] = "", text[2 * BIL_VALUE_TEXT];
    for (uint8_t i = 0; i < item->size; i++)
        snprintf(hex + 2 * i, 3, "%02x", item->raw[i]);
    item_bare_text(item, description, text, sizeof text);
    return json_pack("{s:s,s:s}", "raw", hex, "value", text);
}

static void row(view *v, const findings *f, const finding *one)
{
    if (!v->all && !one->differs && !one->apart)
        return;
    char name[512], unit[64];
    bil_str_plain(one->item->name, name, sizeof name);
    bil_str_plain(one->item->unit, unit, sizeof unit);
    json_t *values = json_array(), *odd = json_array();
    for (size_t i = 0; i < f->count; i++) {
        json_array_append_new(values, value_json(one->items[i], f->sides[i].description));
        if (one->odd >> i & 1)
            json_array_append_new(odd, json_string(side_label(f, i)));
    }
    json_t *json = json_pack("{s:s,s:s,s:s,s:s,s:s,s:b,s:b,s:b,s:b,s:o,s:o}", "id", one->id, "name", name, "unit", unit,
                             "class", bil_class_name(one->item->cls), "relation", bil_relation_name(one->relation),
                             "meant_to_differ", one->apart, "safety", (one->weight & BIL_SAFETY) != 0, "needs_hold",
                             (one->weight & BIL_NEEDS_HOLD) != 0, "needs_restart",
                             (one->weight & BIL_NEEDS_RESTART) != 0, "values", values, "odd", odd);
    fputs(v->any ? ",\n    " : "\n    ", v->look.out);
    json_dumpf(json, v->look.out, JSON_COMPACT);
    json_decref(json);
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
    fputs("\n  ],\n  \"damaged\": ", v->look.out);
    json_dumpf(damaged, v->look.out, 0);
    fputs(",\n  \"odd\": ", v->look.out);
    json_dumpf(odd, v->look.out, 0);
    fputs(",\n  \"counts\": {", v->look.out);
    for (int i = 0; i < BIL_RELATION_COUNT; i++)
        fprintf(v->look.out, "\"%s\": %u, ", bil_relation_name((bil_relation)i), n->relation[i]);
    fprintf(v->look.out, "\"meant_to_differ\": %u, \"safety\": %u, \"needs_hold\": %u, \"needs_restart\": %u},\n",
            n->apart, n->safety, n->hold, n->restart);
    fprintf(v->look.out, "  \"differing\": %u\n}\n", n->differing);
    json_decref(odd);
    json_decref(damaged);
    return !ferror(v->look.out);
}

view view_json(FILE *out, bool all)
{
    static const view_ops ops = {begin, row, end};
    return (view){.ops = &ops, .look = {.out = out}, .all = all};
}

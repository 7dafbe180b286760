/* A saved copy for programs. */
#include <jansson.h>

#include "show/terminal.h"
#include "show/view.h"

static void begin(view *v, const findings *f)
{
    const set_origin *o = &f->sides[0].origin;
    FILE *out = v->screen.out;
    json_t *unit = json_pack("{s:s,s:s,s:s,s:s,s:s,s:s}", "vendor", o->vendor, "model", o->model, "hardware",
                             o->hardware, "firmware", o->firmware, "serial", o->serial, "device", o->device);
    json_t *read = json_pack("{s:s,s:s,s:s,s:s}", "when", o->when, "who", o->who, "why", o->why, "from", o->from);
    fputs("{\"unit\": ", out);
    tell_json(out, unit, 0);
    fputs(",\n \"read\": ", out);
    tell_json(out, read, 0);
    fputs(",\n \"values\": [", out);
}

static void row(view *v, const findings *f, const finding *one)
{
    const bil_item *item = one->item;
    FILE *out = v->screen.out;
    char hex[2 * BIL_TEXT_MAX + 1] = "";
    (void)f;
    for (uint8_t i = 0; i < item->size; i++)
        snprintf(hex + 2 * i, 3, "%02x", item->raw[i]);
    tell(out, "%s\n  {\"id\": \"%.*s\", \"type\": \"%s\", \"class\": \"%s\", ", v->any ? "," : "", (int)item->id.length,
         item->id.text, bil_type_name(item->type), bil_class_name(item->cls));
    v->any = true;
    if (item->unreadable)
        tell(out, "\"unreadable\": \"%s\", ", bil_host_error_name(item->unreadable));
    else
        tell(out, "\"raw\": \"%s\", \"value\": %.*s, ", hex, (int)item->value.length, item->value.text);
    tell(out, "\"unit\": \"%.*s\", \"name\": \"%.*s\"}", (int)item->unit.length, item->unit.text,
         (int)item->name.length, item->name.text);
}

/* What a damaged copy holds is no answer: it isn't brought to its end. */
static bool end(view *v, const findings *f)
{
    FILE *out = v->screen.out;
    if (f->damaged < 0) {
        fputs("],\n \"left_out\": ", out);
        tell_json(out, json_incref(f->sides[0].left_out), 0);
        fputs("}\n", out);
    }
    return !ferror(out);
}

view view_json_copy(FILE *out)
{
    static const view_ops ops = {begin, row, end};
    return (view){.ops = &ops, .screen = {.out = out}, .all = true};
}

/* Findings for spreadsheets (RFC 4180). A text that one would take for a formula has an apostrophe before it. */
#include <csv.h>
#include <stdlib.h>
#include <string.h>

#include "bilancia/words.h"
#include "host/copy/csv.h"
#include "show/view.h"

static void begin(view *v, const findings *f)
{
    csv_put(v->screen.out, "id", false);
    csv_put(v->screen.out, "name", true);
    csv_put(v->screen.out, "group", true);
    csv_put(v->screen.out, "class", true);
    csv_put(v->screen.out, "unit", true);
    if (f->count > 1) {
        csv_put(v->screen.out, "relation", true);
        csv_put(v->screen.out, "meant_to_differ", true);
        csv_put(v->screen.out, "safety", true);
    }
    for (size_t i = 0; i < f->count; i++) {
        char key[40];
        bool alone = f->count == 1;
        snprintf(key, sizeof key, alone ? "value" : "value %s", side_label(f, i));
        csv_put_text(v->screen.out, key, true);
        snprintf(key, sizeof key, alone ? "raw" : "raw %s", side_label(f, i));
        csv_put_text(v->screen.out, key, true);
    }
    csv_end(v->screen.out);
}

static void row(view *v, const findings *f, const finding *one)
{
    char text[2 * BIL_VALUE_TEXT], plain[512], hex[2 * BIL_TEXT_MAX + 1];
    bil_str_plain(one->item->name, plain, sizeof plain);
    csv_put_text(v->screen.out, one->id, false);
    csv_put_text(v->screen.out, plain, true);
    csv_put_text(v->screen.out, one->group, true);
    csv_put(v->screen.out, bil_class_name(one->item->cls), true);
    bil_str_plain(one->item->unit, plain, sizeof plain);
    csv_put_text(v->screen.out, plain, true);
    if (f->count > 1) {
        csv_put(v->screen.out, bil_relation_name(one->relation), true);
        csv_put(v->screen.out, one->apart ? "yes" : "no", true);
        csv_put(v->screen.out, one->weight & BIL_SAFETY ? "yes" : "no", true);
    }
    for (size_t i = 0; i < f->count; i++) {
        const bil_item *item = one->items[i];
        text[0] = hex[0] = '\0';
        if (item)
            item_bare_text(item, f->sides[i].description, text, sizeof text);
        for (uint8_t k = 0; item && !item->unreadable && k < item->size; k++)
            snprintf(hex + 2 * k, 3, "%02x", item->raw[k]);
        csv_put_text(v->screen.out, text, true);
        csv_put(v->screen.out, hex, true);
    }
    csv_end(v->screen.out);
}

static bool end(view *v, const findings *f)
{
    (void)f;
    return !ferror(v->screen.out);
}

static view make(FILE *out, bool all)
{
    static const view_ops ops = {begin, row, end};
    (void)all; /* a spreadsheet can sort for itself */
    return (view){.ops = &ops, .screen = {.out = out}, .all = true};
}

const report_kind report_csv = {".csv", make, 0};

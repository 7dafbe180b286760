/* Parameters, what resets them, and their factory values. */
#include <stdlib.h>
#include <string.h>

#include "bilancia/cells.h"
#include "bilancia/host_error.h"
#include "host/base/float_text.h"
#include "host/describe/loading.h"

/* By the function for one cell or coil, for some of its bits, or together with its neighbours. */
static void load_way(load *l, yaml_node_t *map, bil_param *param)
{
    yaml_node_t *writes = load_get(l, map, "writes");
    if (writes && l->kind->keys && !l->bad)
        load_complain(l, writes, "this is for registers");
    const bil_format *f = param->format;
    uint8_t way = l->bad ? 0 : writes ? load_want_way(l, writes) : l->way;
    bool part = f->width && f->width < 16, readable = param->flags & BIL_READABLE;
    if (l->bad || !(param->flags & BIL_WRITABLE))
        return;
    if (param->cells > 1 && (way == BIL_WAY_SINGLE || (way == BIL_WAY_MASKED && writes)))
        load_complain(
            l, writes ? writes : map,
            "%s takes %u cells, and this way of writing has one: say writes: multiple, where the device takes that",
            param->id, param->cells);
    else if (way == BIL_WAY_MASKED && !f->width && writes)
        load_complain(l, writes, "a masked write is for a value that has only some bits of its cell: see \"bit\"");
    else if (way != BIL_WAY_MASKED && part && !readable)
        load_complain(l, map,
                      "%s has some bits of a cell, which is read before it is written, and can't be read: "
                      "say writes: masked, where the device takes that",
                      param->id);
    /* masked may be the usual way of the device, and this value has its cells for itself */
    param->way = way == BIL_WAY_MASKED && !f->width ? BIL_WAY_TOGETHER : way;
}

static void load_flags(load *l, yaml_node_t *map, bil_param *param)
{
    static const char *const ways[] = {"read", "write", "read_write", NULL};
    static const char *const wants[] = {"hold", "restart", NULL};
    static const char *const owners[] = {"unit", "place", NULL};
    static const uint8_t usual[BIL_CLASS_COUNT] = {3, 3, 3, BIL_READABLE, BIL_WRITABLE, BIL_READABLE, BIL_WRITABLE};
    yaml_node_t *access = load_get(l, map, "access"), *needs = load_get(l, map, "needs"),
                *safety = load_get(l, map, "safety"), *of = load_get(l, map, "of"),
                *rights = load_get(l, map, "rights");
    param->flags = access ? (uint8_t)(load_want_name(l, access, ways) + 1) : usual[param->cls];
    if (needs) {
        load_want_kind(l, needs, YAML_SEQUENCE_NODE);
        for (yaml_node_item_t *item = needs->data.sequence.items.start;
             !l->bad && item < needs->data.sequence.items.top; item++)
            param->flags |= load_want_name(l, load_node(l, *item), wants) ? BIL_NEEDS_RESTART : BIL_NEEDS_HOLD;
    }
    if (safety && load_want_yes(l, safety))
        param->flags |= BIL_SAFETY;
    if (rights && load_want_yes(l, rights))
        param->flags |= BIL_ACCESS;
    if (of && param->cls != BIL_CLASS_CALIBRATION)
        load_complain(l, of, "only a calibration is of the unit or of the place");
    if (of && load_want_name(l, of, owners))
        param->flags |= BIL_OF_PLACE;
    if (!l->bad && !(param->flags & BIL_READABLE) && !bil_class_left_out((bil_class)param->cls))
        load_complain(l, map, "a parameter of class %s must be readable, else a write can't be proved",
                      bil_class_name((bil_class)param->cls));
    bool reads = load_can_read(l, param->space), writes = load_can_write(l, param->space);
    if (!l->bad && ((param->flags & BIL_WRITABLE && !writes) || (param->flags & BIL_READABLE && !reads)))
        load_complain(l, map,
                      writes ? "what is there can't be read: say access: write"
                             : "what is there can't be written: say access: read");
    load_way(l, map, param);
}

void load_check_id(load *l, yaml_node_t *key, const char *id)
{
    bool start = true, good = *id != '\0';
    for (const char *c = id; *c && good; c++) {
        if (*c == '.')
            good = !start;
        else
            good = (*c >= 'a' && *c <= 'z') || (*c >= '0' && *c <= '9') || *c == '_';
        start = *c == '.';
    }
    if (!good || start)
        load_complain(l, key, "\"%s\" is no id: words of a to z, 0 to 9 and _, joined by dots", id);
}

/* The most bytes that the device takes; of a file in records all that there are. */
static void load_file(load *l, yaml_node_t *map, yaml_node_t *size, bil_format *format)
{
    format->form = &bil_form_file;
    format->high = size ? (uint64_t)load_want_number(l, size, 1, FILE_MOST) : FILE_MOST;
    format->low = l->table->console != NULL; /* in words a file of no bytes is none */
    if (!size && !l->kind->keys)
        load_complain(l, map, "\"size\" is missing here: the bytes of the file");
}

/* Type and size, and the class. */
static void load_kind(load *l, yaml_node_t *map, bil_param *param, bil_format *format)
{
    yaml_node_t *type = load_need(l, map, "type"), *cls = l->bad ? NULL : load_need(l, map, "class"),
                *size = load_get(l, map, "size");
    if (l->bad)
        return;
    const char *type_name = load_want_text(l, type, NAME_LIMIT), *class_name = load_want_text(l, cls, NAME_LIMIT);
    int type_number = bil_type_from_name(type_name, strlen(type_name));
    int class_number = bil_class_from_name(class_name, strlen(class_name));
    if (type_number < 0)
        load_complain(l, type, "\"%s\" is no type", type_name);
    if (class_number < 0)
        load_complain(l, cls, "\"%s\" is no class", class_name);
    if (l->bad)
        return;
    format->type = (uint8_t)type_number;
    param->cls = (uint8_t)class_number;
    format->size = (uint8_t)bil_type_size((bil_type)type_number);
    if (type_number == BIL_TEXT && !size)
        load_complain(l, map, "\"size\" is missing here: the bytes of the text");
    else if (type_number == BIL_TEXT)
        format->size = (uint8_t)load_want_number(l, size, 1, BIL_TEXT_MAX);
    else if (type_number == BIL_FILE)
        load_file(l, map, size, format);
    else if (size)
        load_complain(l, size, "only a text and a file have a size");
}

/* A text of the device identification. */
static void load_object(load *l, yaml_node_t *map, bil_param *param, bil_format *format)
{
    if (param->format->type != BIL_TEXT || load_get(l, map, "form"))
        load_complain(l, map, "what the identification has is a text, and has no form");
    format->form = NULL;
    l->own_spaces[param->space].reach = &bil_reach_objects;
}

/* Its space, and where it lies there. */
static void load_cell(load *l, yaml_node_t *map, bil_param *param, bil_format *format)
{
    bool bits = l->table->spaces[param->space].bits;
    if (bits && param->format->type != BIL_BOOL)
        load_complain(l, load_get(l, map, "type"), "a coil or discrete input is a bool");
    else if (bits && (param->format->width || param->format->form))
        load_complain(l, load_get(l, map, "name"), "%s is one bit: it has no \"bit\" and no \"form\"",
                      node_text(load_get(l, map, "name")));
    bil_space *space = &l->own_spaces[param->space];
    bool file = param->format->type == BIL_FILE;
    param->cells = bits || file ? 1 : (uint8_t)bil_value_cells(param->format);
    if (file != (space->table == BIL_RECORDS))
        load_complain(l, map, file ? "a file lies in the space records" : "in records lie files: say type: file");
    else if (file && (format->high % 2 || format->high > RECORDS_MOST))
        load_complain(l, load_get(l, map, "size"), "records have 2 to %d bytes, an even number", RECORDS_MOST);
    else if (file)
        format->low = format->high;
    else if (space->mailbox && param->format->width)
        load_complain(l, load_get(l, map, "bit"), "a value of a mailbox has its cells for itself");
    else if (space->table == BIL_OBJECTS)
        load_object(l, map, param, format);
    else if (bits || param->format->width)
        space->reach = bits ? &bil_reach_bits : &bil_reach_parts;
    yaml_node_t *at = l->bad ? NULL : load_need(l, map, "at");
    if (at)
        param->at.number = (uint32_t)load_want_number(l, at, file,
                                                      space->table == BIL_OBJECTS ? 255
                                                      : space->mailbox            ? 65535
                                                                                  : 65536 - param->cells);
}

static void load_at(load *l, yaml_node_t *map, bil_param *param, bil_format *format)
{
    yaml_node_t *space = l->kind->keys ? load_need(l, map, "space") : load_get(l, map, "space");
    if (l->bad)
        return;
    param->space = load_want_space(l, space);
    yaml_node_t *at = l->bad || !l->kind->keys ? NULL : load_need(l, map, "at");
    yaml_node_t *cells = load_get(l, map, "cell_order"), *bytes = load_get(l, map, "byte_order");
    if (at && (cells || bytes))
        load_complain(l, cells ? cells : bytes, "this is for registers");
    else if (at)
        l->kind->key(l, param, at);
    else if (!l->bad)
        load_cell(l, map, param, format);
}

/* `only: {hardware: [B], from: "2.0"}`; the mode comes behind all parameters, see load_modes. */
static void load_only(load *l, yaml_node_t *map, bil_param *param)
{
    static const char *const keys[] = {"hardware", "firmware", "from", "before", "mode", NULL};
    yaml_node_t *node = l->bad ? NULL : load_get(l, map, "only");
    if (!node)
        return;
    load_check_keys(l, node, keys);
    if (l->bad)
        return;
    yaml_node_t *hardware = load_get(l, node, "hardware"), *firmware = load_get(l, node, "firmware"),
                *from = load_get(l, node, "from"), *before = load_get(l, node, "before");
    bil_only *only = load_take(l, sizeof *only);
    only->holds = bil_only_some_units;
    if (hardware)
        only->hardwares = load_texts(l, hardware, 255, &only->hardware_count);
    if (firmware && !l->bad)
        only->firmwares = load_texts(l, firmware, 255, &only->firmware_count);
    if (from && !l->bad)
        only->from = load_keep(l, load_want_text(l, from, NAME_LIMIT));
    if (before && !l->bad)
        only->before = load_keep(l, load_want_text(l, before, NAME_LIMIT));
    if (!l->bad && !hardware && !firmware && !from && !before && !load_get(l, node, "mode"))
        load_complain(l, node, "say which units have it, or in which mode: hardware, firmware, from, before, mode");
    for (uint8_t i = 0; i < only->hardware_count && !l->bad; i++)
        if (!bil_description_names_hardware(l->table, only->hardwares[i]))
            load_complain(l, hardware, "the hardware \"%s\" isn't in the list of the description", only->hardwares[i]);
    param->only = only;
}

void load_param(load *l, yaml_node_t *map, bil_param *param)
{
    static const char *const keys[] = {
        "name",    "type",   "class", "at",     "space",   "unit",       "size",       "scale",
        "offset",  "limits", "step",  "rounds", "choices", "bits",       "access",     "needs",
        "safety",  "rights", "of",    "stage",  "resets",  "cell_order", "byte_order", "tolerance",
        "factory", "writes", "form",  "bit",    "only",    "words",      NULL};
    static void (*const parts[])(load * l, yaml_node_t * map, bil_format * format) = {
        load_form, load_part, load_scale, load_choices, load_limits, load_room, load_tolerance, load_words};
    load_check_keys(l, map, keys);
    yaml_node_t *name = l->bad ? NULL : load_need(l, map, "name");
    if (l->bad)
        return;
    yaml_node_t *unit = load_get(l, map, "unit"), *stage = load_get(l, map, "stage");
    param->name = load_keep(l, load_want_text(l, name, BIL_NAME_MAX));
    param->unit = unit ? load_keep(l, load_want_text(l, unit, BIL_UNIT_MAX)) : "";
    param->stage = stage ? (uint8_t)load_want_number(l, stage, 0, 9) : 5;
    bil_format *format = load_take(l, sizeof *format);
    param->format = format;
    load_kind(l, map, param, format);
    if (!l->bad)
        format->order = load_order(l, map, l->order);
    for (size_t i = 0; i < sizeof parts / sizeof parts[0] && !l->bad; i++)
        parts[i](l, map, format);
    if (!l->bad)
        load_at(l, map, param, format);
    if (!l->bad)
        load_flags(l, map, param);
    load_only(l, map, param);
}

uint16_t load_want_param(load *l, yaml_node_t *node)
{
    const char *id = load_want_text(l, node, BIL_ID_MAX);
    int32_t index = l->bad ? -1 : bil_description_find(l->table, id, strlen(id));
    if (index < 0)
        load_complain(l, node, "there is no parameter \"%s\"", id);
    return index < 0 ? 0 : (uint16_t)index;
}

/* The first parameter whose id begins like this, or comes behind such ones; they are in order. */
static uint32_t load_first_of(const load *l, const char *begin, size_t length)
{
    uint32_t low = 0, high = l->table->count;
    while (low < high) {
        uint32_t middle = (low + high) / 2;
        if (strncmp(l->params[middle].id, begin, length) < 0)
            low = middle + 1;
        else
            high = middle;
    }
    return low;
}

void load_with_number(const char *pattern, uint16_t number, char *out, size_t size)
{
    const char *at = strstr(pattern, "{n}");
    if (at && number)
        snprintf(out, size, "%.*s%u%s", (int)(at - pattern), pattern, number, at + 3);
    else
        snprintf(out, size, "%s", pattern);
}

/* "group.*" stands for all of a group. */
void load_resets(load *l, uint16_t index)
{
    yaml_node_t *list = load_get(l, l->nodes[index], "resets");
    if (!list)
        return;
    load_want_kind(l, list, YAML_SEQUENCE_NODE);
    uint16_t *resets = load_take(l, 256 * sizeof *resets);
    size_t count = 0;
    for (yaml_node_item_t *item = list->data.sequence.items.start; !l->bad && item < list->data.sequence.items.top;
         item++) {
        yaml_node_t *node = load_node(l, *item);
        char text[BIL_ID_MAX + 8];
        load_with_number(load_want_text(l, node, BIL_ID_MAX), l->numbers[index], text, sizeof text);
        size_t length = strlen(text), before = count;
        bool group = length > 2 && strcmp(text + length - 2, ".*") == 0;
        int32_t one = group ? -1 : bil_description_find(l->table, text, length);
        if (one >= 0 && one != index && count < 255)
            resets[count++] = (uint16_t)one;
        for (uint32_t i = group ? load_first_of(l, text, length - 1) : l->table->count;
             i < l->table->count && count < 255 && strncmp(l->params[i].id, text, length - 1) == 0; i++)
            if (i != index)
                resets[count++] = (uint16_t)i;
        if (count == before)
            load_complain(l, node, "there is no parameter \"%s\"", text);
    }
    if (count >= 255)
        load_complain(l, list, "at most 254 parameters can be reset by one");
    l->params[index].resets = resets;
    l->params[index].reset_count = (uint8_t)count;
}

/* Values as delivered: one image's worth of raw values, as far as they are named. */
void load_factory(load *l)
{
    bil_description *d = l->table;
    uint8_t *raw = load_take(l, d->raw_size), *known = load_take(l, d->count);
    bool any = false;
    for (uint16_t i = 0; i < d->count && !l->bad; i++) {
        yaml_node_t *node = load_get(l, l->nodes[i], "factory");
        const bil_param *p = &l->params[i];
        if (!node)
            continue;
        const char *text = load_want_text(l, node, BIL_TEXT_MAX);
        int error = l->bad ? BIL_OK : bil_value_parse(p->format, text, strlen(text), &host_floats, raw + p->raw_at);
        if (!l->bad && !error && p->flags & BIL_WRITABLE)
            error = bil_value_check(p->format, raw + p->raw_at);
        if (error)
            load_complain(l, node, "%s", bil_host_error_text(error));
        else if (bil_class_left_out((bil_class)p->cls) || p->cls == BIL_CLASS_UNIT)
            load_complain(l, node, "a parameter of class %s has no factory value", bil_class_name((bil_class)p->cls));
        known[i] = 1;
        any = true;
    }
    d->factory = any ? raw : NULL;
    d->factory_known = any ? known : NULL;
}

/* Parameters, what resets them, and their factory values. */
#include <stdlib.h>
#include <string.h>

#include "bilancia/cells.h"
#include "bilancia/host_error.h"
#include "host/base/float_text.h"
#include "host/describe/loading.h"

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
    if (!l->bad && param->space == BIL_INPUT && param->flags & BIL_WRITABLE)
        load_complain(l, map, "input cells can't be written: say access: read");
}

static void check_id(load *l, yaml_node_t *key)
{
    const char *id = load_want_text(l, key, BIL_ID_MAX);
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

static void load_param(load *l, yaml_node_t *key, yaml_node_t *map, bil_param *param)
{
    static const char *const keys[] = {
        "name",   "type",  "class",  "at",         "space",      "unit",      "size",    "scale",  "offset",
        "limits", "step",  "rounds", "choices",    "bits",       "access",    "needs",   "safety", "rights",
        "of",     "stage", "resets", "cell_order", "byte_order", "tolerance", "factory", NULL};
    load_check_keys(l, map, keys);
    yaml_node_t *name = l->bad ? NULL : load_need(l, map, "name");
    yaml_node_t *type = l->bad ? NULL : load_need(l, map, "type");
    yaml_node_t *cls = l->bad ? NULL : load_need(l, map, "class");
    yaml_node_t *at = l->bad ? NULL : load_need(l, map, "at");
    if (l->bad)
        return;
    yaml_node_t *unit = load_get(l, map, "unit"), *size = load_get(l, map, "size"), *space = load_get(l, map, "space"),
                *stage = load_get(l, map, "stage");
    param->id = load_keep(l, node_text(key));
    param->name = load_keep(l, load_want_text(l, name, BIL_NAME_MAX));
    param->unit = unit ? load_keep(l, load_want_text(l, unit, BIL_UNIT_MAX)) : "";
    const char *type_name = load_want_text(l, type, NAME_LIMIT), *class_name = load_want_text(l, cls, NAME_LIMIT);
    int type_number = bil_type_from_name(type_name, strlen(type_name));
    int class_number = bil_class_from_name(class_name, strlen(class_name));
    if (type_number < 0)
        load_complain(l, type, "\"%s\" is no type", type_name);
    if (class_number < 0)
        load_complain(l, cls, "\"%s\" is no class", class_name);
    if (l->bad)
        return;
    bil_format *format = &param->format;
    format->type = (uint8_t)type_number;
    param->cls = (uint8_t)class_number;
    format->size = (uint8_t)bil_type_size((bil_type)type_number);
    if (type_number == BIL_TEXT) {
        if (!size)
            load_complain(l, map, "\"size\" is missing here: the bytes of the text, an even number");
        else if ((format->size = (uint8_t)load_want_number(l, size, 2, BIL_TEXT_MAX)) % 2 != 0)
            load_complain(l, size, "a text takes whole cells of two bytes");
    } else if (size) {
        load_complain(l, size, "only a text has a size");
    }
    if (l->bad)
        return;
    format->order = load_order(l, map, l->order);
    param->space = load_want_space(l, space);
    param->cells = (uint8_t)bil_value_cells(format);
    param->at.number = (uint32_t)load_want_number(l, at, 0, 65536 - param->cells);
    param->stage = stage ? (uint8_t)load_want_number(l, stage, 0, 9) : 5;
    load_scale(l, map, format);
    if (!l->bad)
        load_choices(l, map, format);
    if (!l->bad)
        load_limits(l, map, format);
    if (!l->bad)
        load_tolerance(l, map, format);
    if (!l->bad)
        load_flags(l, map, param);
}

typedef struct pair_of_nodes {
    yaml_node_t *key, *value;
} pair_of_nodes;

static int by_key(const void *a, const void *b)
{
    const pair_of_nodes *x = a, *y = b;
    return strcmp(node_text(x->key), node_text(y->key));
}

void load_params(load *l, yaml_node_t *map)
{
    load_want_kind(l, map, YAML_MAPPING_NODE);
    for (yaml_node_pair_t *pair = map->data.mapping.pairs.start; !l->bad && pair < map->data.mapping.pairs.top; pair++)
        check_id(l, load_node(l, pair->key));
    if (l->bad)
        return;
    size_t count = (size_t)(map->data.mapping.pairs.top - map->data.mapping.pairs.start);
    if (count == 0 || count > BIL_PARAMS_MAX) {
        load_complain(l, map, "a description has 1 to %d parameters", BIL_PARAMS_MAX);
        return;
    }
    pair_of_nodes *pairs = load_take(l, count * sizeof *pairs);
    for (size_t i = 0; i < count; i++)
        pairs[i] = (pair_of_nodes){load_node(l, map->data.mapping.pairs.start[i].key),
                                   load_node(l, map->data.mapping.pairs.start[i].value)};
    qsort(pairs, count, sizeof *pairs, by_key);
    l->params = load_take(l, count * sizeof *l->params);
    l->nodes = load_take(l, count * sizeof(yaml_node_t *));
    uint32_t raw_at = 0;
    for (size_t i = 0; i < count && !l->bad; i++) {
        if (i > 0 && by_key(&pairs[i - 1], &pairs[i]) == 0)
            load_complain(l, pairs[i].key, "\"%s\" stands here twice", node_text(pairs[i].key));
        else
            load_param(l, pairs[i].key, pairs[i].value, &l->params[i]);
        l->nodes[i] = pairs[i].value;
        l->params[i].raw_at = (uint16_t)raw_at;
        raw_at += l->params[i].format.size;
        if (raw_at > UINT16_MAX)
            load_complain(l, pairs[i].key, "all values together take more than %d bytes", UINT16_MAX);
    }
    l->table->params = l->params;
    l->table->count = (uint16_t)count;
    l->table->raw_size = raw_at;
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
        const char *text = load_want_text(l, node, BIL_ID_MAX);
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
        int error = l->bad ? BIL_OK : bil_value_parse(&p->format, text, strlen(text), &host_floats, raw + p->raw_at);
        if (!l->bad && !error && p->flags & BIL_WRITABLE)
            error = bil_value_check(&p->format, raw + p->raw_at);
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

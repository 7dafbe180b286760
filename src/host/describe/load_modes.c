/* Parameters that are there only in a mode: `only: {mode: {dosing.kind: [by_pulse]}}`. */
#include <string.h>

#include "host/describe/loading.h"

static yaml_node_t *mode_of(load *l, uint16_t index)
{
    yaml_node_t *only = load_get(l, l->nodes[index], "only");
    return only ? load_get(l, only, "mode") : NULL;
}

/* Does this one decide which others are there? It has to be known before them, always. */
static void want_decides(load *l, yaml_node_t *node, const bil_param *mode, const bil_param *param)
{
    if (mode->only)
        load_complain(l, node, "%s isn't always there itself, so that it can't decide that others are", mode->id);
    else if (!(mode->flags & BIL_READABLE) || bil_class_left_out((bil_class)mode->cls))
        load_complain(l, node, "%s is in no copy, so that it can't decide what else is", mode->id);
    else if (mode->flags & param->flags & BIL_WRITABLE && mode->stage >= param->stage)
        load_complain(l, node, "%s is written in stage %u, and has to be in force before stage %u of %s", mode->id,
                      mode->stage, param->stage, param->id);
}

static void load_mode(load *l, uint16_t index, yaml_node_t *map)
{
    load_want_kind(l, map, YAML_MAPPING_NODE);
    if (!l->bad && map->data.mapping.pairs.top - map->data.mapping.pairs.start != 1)
        load_complain(l, map, "one parameter decides whether this one is there");
    if (l->bad)
        return;
    yaml_node_t *key = load_node(l, map->data.mapping.pairs.start->key),
                *list = load_node(l, map->data.mapping.pairs.start->value);
    char id[BIL_ID_MAX + 8];
    load_with_number(load_want_text(l, key, BIL_ID_MAX), l->numbers[index], id, sizeof id);
    int32_t found = l->bad ? -1 : bil_description_find(l->table, id, strlen(id));
    if (found < 0)
        load_complain(l, key, "there is no parameter \"%s\"", id);
    size_t count = l->bad ? 0 : load_want_list(l, list, 255);
    if (!l->bad && count == 0)
        load_complain(l, list, "say with which of its values");
    if (l->bad)
        return;
    bil_only *only = load_take(l, sizeof *only);
    uint32_t *modes = load_take(l, (count + 1) * sizeof *modes);
    want_decides(l, key, &l->params[found], &l->params[index]);
    for (size_t i = 0; i < count && !l->bad; i++)
        modes[i] = load_want_value(l, load_node(l, list->data.sequence.items.start[i]), (uint16_t)found);
    *only = *l->params[index].only; /* which units have it is told there, for all of a group */
    only->holds = bil_only_in_mode;
    only->mode = (uint16_t)found;
    only->modes = modes;
    only->mode_count = (uint8_t)count;
    l->params[index].only = only;
    l->params[found].flags |= BIL_MODE;
}

void load_modes(load *l)
{
    for (uint16_t i = 0; i < l->table->count && !l->bad; i++) {
        yaml_node_t *map = mode_of(l, i);
        if (map)
            load_mode(l, i, map);
    }
}

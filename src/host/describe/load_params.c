/* All parameters, in the order of their ids: those that stand for themselves, and those of groups that repeat. */
#include <stdlib.h>
#include <string.h>

#include "host/describe/loading.h"

/* One that is to be loaded. Of a group that repeats, the first one is loaded; the others are as it is, elsewhere. */
typedef struct entry {
    const char *id;
    yaml_node_t *key, *value;
    uint16_t number;  /* which repetition, from 1; 0: it stands for itself */
    uint32_t further; /* so many cells behind where the text says */
    uint32_t *first;  /* index of the first repetition, shared by all of them */
} entry;

typedef struct entries {
    entry *list;
    size_t count;
} entries;

static int by_id(const void *a, const void *b)
{
    const entry *x = a, *y = b;
    return strcmp(x->id, y->id);
}

static size_t pairs_of(const yaml_node_t *map)
{
    return (size_t)(map->data.mapping.pairs.top - map->data.mapping.pairs.start);
}

static void add(load *l, entries *all, const entry *one)
{
    if (all->count == BIL_PARAMS_MAX)
        load_complain(l, one->key, "a description has 1 to %d parameters", BIL_PARAMS_MAX);
    else if (!l->bad)
        all->list[all->count++] = *one;
}

static void gather(load *l, entries *all, yaml_node_t *map)
{
    load_want_kind(l, map, YAML_MAPPING_NODE);
    for (size_t i = 0; !l->bad && i < pairs_of(map); i++) {
        entry one = {.key = load_node(l, map->data.mapping.pairs.start[i].key),
                     .value = load_node(l, map->data.mapping.pairs.start[i].value)};
        one.id = load_want_text(l, one.key, BIL_ID_MAX);
        load_check_id(l, one.key, one.id);
        add(l, all, &one);
    }
}

/* `{repeat: {id: channel, count: 16, stride: 20}, parameters: {...}}`: channel_1.sensor to channel_16.sensor. */
static void gather_group(load *l, entries *all, yaml_node_t *group)
{
    static const char *const keys[] = {"repeat", "parameters", NULL}, *const how[] = {"id", "count", "stride", NULL};
    load_check_keys(l, group, keys);
    yaml_node_t *repeat = l->bad ? NULL : load_need(l, group, "repeat"),
                *map = l->bad ? NULL : load_need(l, group, "parameters");
    if (!l->bad)
        load_check_keys(l, repeat, how);
    if (!l->bad)
        load_want_kind(l, map, YAML_MAPPING_NODE);
    yaml_node_t *word = l->bad ? NULL : load_need(l, repeat, "id"),
                *count = l->bad ? NULL : load_need(l, repeat, "count"),
                *stride = l->bad ? NULL : load_get(l, repeat, "stride");
    if (!l->bad && !stride && !l->kind->keys)
        stride = load_need(l, repeat, "stride");
    if (!l->bad && stride && l->kind->keys)
        load_complain(l, stride, "names have no stride: the number goes where they have {n}");
    if (l->bad)
        return;
    const char *name = load_want_text(l, word, BIL_ID_MAX);
    uint16_t times = (uint16_t)load_want_number(l, count, 1, 1000);
    uint32_t step = stride ? (uint32_t)load_want_number(l, stride, 1, 65535) : 0;
    for (size_t i = 0; !l->bad && i < pairs_of(map); i++) {
        uint32_t *first = load_take(l, sizeof *first);
        for (uint16_t n = 1; !l->bad && n <= times; n++) {
            char id[2 * BIL_ID_MAX + 10];
            entry one = {.key = load_node(l, map->data.mapping.pairs.start[i].key),
                         .value = load_node(l, map->data.mapping.pairs.start[i].value),
                         .number = n,
                         .further = (n - 1u) * step,
                         .first = first};
            snprintf(id, sizeof id, "%s_%u.%s", name, n, load_want_text(l, one.key, BIL_ID_MAX));
            if (strlen(id) > BIL_ID_MAX)
                load_complain(l, one.key, "\"%s\" is longer than %d bytes", id, BIL_ID_MAX);
            load_check_id(l, one.key, id);
            one.id = load_keep(l, id);
            add(l, all, &one);
        }
    }
}

/* The number goes where the name has {n}, else behind it. */
static const char *numbered(load *l, const entry *one)
{
    const char *name = node_text(load_get(l, one->value, "name")), *at = strstr(name, "{n}");
    char whole[BIL_NAME_MAX + 12];
    int length = at ? (int)(at - name) : (int)strlen(name);
    snprintf(whole, sizeof whole, "%.*s%s%u%s", length, name, at ? "" : " ", one->number, at ? at + 3 : "");
    if (strlen(whole) > BIL_NAME_MAX)
        load_complain(l, one->key, "the name \"%s\" is longer than %d bytes", whole, BIL_NAME_MAX);
    return load_keep(l, whole);
}

static void load_one(load *l, const entry *one, bil_param *param)
{
    if (one->number <= 1)
        load_param(l, one->value, param);
    else
        *param = l->params[*one->first];
    if (l->bad)
        return;
    param->id = load_keep(l, one->id);
    if (one->number)
        param->name = numbered(l, one);
    if (l->own_spaces[param->space].keys) {
        char key[300];
        load_with_number(load_want_text(l, load_get(l, one->value, "at"), 255), one->number, key, sizeof key);
        param->at.key = load_keep(l, key);
        return;
    }
    param->at.number += one->further;
    uint32_t cells = l->own_spaces[param->space].reading == BIL_SHARE_NEIGHBOURS ? param->cells : 1;
    if (param->at.number + cells > 65536)
        load_complain(l, one->value, "%s lies behind the last cell, 65535", param->id);
}

void load_params(load *l, yaml_node_t *map)
{
    entries all = {.list = load_take(l, BIL_PARAMS_MAX * sizeof *all.list)};
    yaml_node_t *groups = load_get(l, yaml_document_get_root_node(&l->document), "groups");
    gather(l, &all, map);
    if (groups)
        load_want_kind(l, groups, YAML_SEQUENCE_NODE);
    for (yaml_node_item_t *item = groups && !l->bad ? groups->data.sequence.items.start : NULL;
         item && !l->bad && item < groups->data.sequence.items.top; item++)
        gather_group(l, &all, load_node(l, *item));
    if (!l->bad && all.count == 0)
        load_complain(l, map, "a description has 1 to %d parameters", BIL_PARAMS_MAX);
    if (l->bad)
        return;
    qsort(all.list, all.count, sizeof *all.list, by_id);
    l->params = load_take(l, all.count * sizeof *l->params);
    l->nodes = load_take(l, all.count * sizeof(yaml_node_t *));
    l->numbers = load_take(l, all.count * sizeof *l->numbers);
    for (int others = 0; others < 2; others++) /* the first of each group, then those that are as it is */
        for (size_t i = 0; i < all.count && !l->bad; i++) {
            const entry *one = &all.list[i];
            if (i > 0 && by_id(one - 1, one) == 0)
                load_complain(l, one->key, "\"%s\" stands here twice", one->id);
            if (one->number == 1)
                *one->first = (uint32_t)i;
            if (!l->bad && (one->number > 1) == others)
                load_one(l, one, &l->params[i]);
            l->nodes[i] = one->value;
            l->numbers[i] = one->number;
        }
    uint32_t raw_at = 0;
    for (size_t i = 0; i < all.count && !l->bad; i++) {
        l->params[i].raw_at = (uint16_t)raw_at;
        raw_at += l->params[i].format->size;
        if (raw_at > UINT16_MAX)
            load_complain(l, all.list[i].key, "all values together take more than %d bytes", UINT16_MAX);
    }
    l->table->params = l->params;
    l->table->count = (uint16_t)all.count;
    l->table->raw_size = raw_at;
}

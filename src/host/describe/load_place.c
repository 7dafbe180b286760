/* The link, and where values lie on it. */
#include <stdlib.h>
#include <string.h>

#include "bilancia/cells.h"
#include "host/describe/loading.h"

uint8_t load_want_space(load *l, yaml_node_t *node)
{
    static const char *const names[] = {"holding", "input", NULL};
    return node ? (uint8_t)load_want_name(l, node, names) : BIL_HOLDING;
}

uint8_t load_order(load *l, yaml_node_t *map, uint8_t usual)
{
    static const char *const ways[] = {"high_first", "low_first", NULL};
    yaml_node_t *cells = load_get(l, map, "cell_order"), *bytes = load_get(l, map, "byte_order");
    uint8_t order = usual;
    if (cells)
        order = (uint8_t)((order & ~BIL_LOW_CELL_FIRST) | (load_want_name(l, cells, ways) ? BIL_LOW_CELL_FIRST : 0));
    if (bytes)
        order = (uint8_t)((order & ~BIL_LOW_BYTE_FIRST) | (load_want_name(l, bytes, ways) ? BIL_LOW_BYTE_FIRST : 0));
    return order;
}

static int by_place(const void *a, const void *b, void *params)
{
    const bil_param *x = (const bil_param *)params + *(const uint16_t *)a;
    const bil_param *y = (const bil_param *)params + *(const uint16_t *)b;
    return x->space != y->space ? x->space - y->space : (int)x->at.number - (int)y->at.number;
}

void load_by_place(load *l)
{
    uint16_t *order = load_take(l, l->table->count * sizeof *order);
    for (uint16_t i = 0; i < l->table->count; i++)
        order[i] = i;
    qsort_r(order, l->table->count, sizeof *order, by_place, l->params);
    for (uint16_t i = 0; i < l->table->count && !l->bad; i++) {
        const bil_param *param = &l->params[order[i]];
        const bil_space *space = &l->table->spaces[param->space];
        uint16_t most =
            param->flags & BIL_WRITABLE && space->write_most < space->read_most ? space->write_most : space->read_most;
        if (param->cells > most)
            load_complain(l, l->nodes[order[i]], "%s takes %u cells, more than one request carries", param->id,
                          param->cells);
        if (i == 0)
            continue;
        const bil_param *before = &l->params[order[i - 1]];
        if (before->space == param->space && before->at.number + before->cells > param->at.number)
            load_complain(l, l->nodes[order[i]], "%s and %s lie on the same cell %u", before->id, param->id,
                          (unsigned)param->at.number);
    }
    l->table->by_place = order;
}

static uint16_t link_number(load *l, yaml_node_t *map, const char *key, long low, long high, long usual)
{
    yaml_node_t *node = load_get(l, map, key);
    return (uint16_t)(node ? load_want_number(l, node, low, high) : usual);
}

static void load_across(load *l, yaml_node_t *list)
{
    static const char *const keys[] = {"space", "cells", NULL};
    load_want_kind(l, list, YAML_SEQUENCE_NODE);
    size_t count = l->bad ? 0 : (size_t)(list->data.sequence.items.top - list->data.sequence.items.start);
    bil_range *ranges = load_take(l, (count + 1) * sizeof *ranges);
    for (size_t i = 0; i < count && !l->bad; i++) {
        yaml_node_t *map = load_node(l, list->data.sequence.items.start[i]);
        load_check_keys(l, map, keys);
        yaml_node_t *cells = l->bad ? NULL : load_need(l, map, "cells");
        if (l->bad)
            return;
        yaml_node_t *space = load_get(l, map, "space");
        load_want_kind(l, cells, YAML_SEQUENCE_NODE);
        if (!l->bad && cells->data.sequence.items.top - cells->data.sequence.items.start != 2)
            load_complain(l, cells, "cells are [first, last]");
        if (l->bad)
            return;
        ranges[i].space = load_want_space(l, space);
        ranges[i].first = (uint16_t)load_want_number(l, load_node(l, cells->data.sequence.items.start[0]), 0, 65535);
        ranges[i].last =
            (uint16_t)load_want_number(l, load_node(l, cells->data.sequence.items.start[1]), ranges[i].first, 65535);
    }
    l->table->across = ranges;
    l->table->across_count = (uint16_t)count;
}

void load_link(load *l, yaml_node_t *map)
{
    static const char *const keys[] = {"largest_read", "largest_write", "reply_ms",     "late_ms",
                                       "busy_ms",      "busy_tries",    "request_cost", "cell_cost",
                                       "cell_order",   "byte_order",    "across",       NULL};
    load_check_keys(l, map, keys);
    if (l->bad)
        return;
    l->table->link = (bil_link_limits){
        .reply_ms = link_number(l, map, "reply_ms", 1, 60000, 500),
        .late_ms = link_number(l, map, "late_ms", 1, 60000, 2000),
        .busy_ms = link_number(l, map, "busy_ms", 1, 60000, 200),
        .busy_tries = link_number(l, map, "busy_tries", 0, 1000, 25),
        .request_cost = link_number(l, map, "request_cost", 1, 10000, 1),
        .cell_cost = link_number(l, map, "cell_cost", 0, 10000, 0),
    };
    bil_space *spaces = load_take(l, 2 * sizeof *spaces);
    spaces[BIL_HOLDING] = (bil_space){.read_most = link_number(l, map, "largest_read", 1, BIL_CELLS_MAX, BIL_CELLS_MAX),
                                      .write_most = link_number(l, map, "largest_write", 1, 123, 123)};
    spaces[BIL_INPUT] = spaces[BIL_HOLDING]; /* nothing there can be written */
    l->table->spaces = spaces;
    l->table->space_count = 2;
    l->order = load_order(l, map, 0);
    yaml_node_t *across = load_get(l, map, "across");
    if (across)
        load_across(l, across);
}

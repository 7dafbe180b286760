/* The link, and where values lie on it. */
#include <stdlib.h>
#include <string.h>

#include "bilancia/cells.h"
#include "host/describe/loading.h"

#define TABLE_NAME(NAME, name) name,
static const char *const tables[] = {BIL_CELL_TABLE_NAMES(TABLE_NAME) NULL};
#undef TABLE_NAME

static bool is_in_bits(unsigned table)
{
    return table == BIL_COILS || table == BIL_DISCRETE;
}

bool load_can_write(const load *l, uint8_t space)
{
    const bil_space *s = &l->table->spaces[space];
    return s->keys ? s->set != NULL : s->table != BIL_INPUT && s->table != BIL_DISCRETE && s->table != BIL_OBJECTS;
}

bool load_can_read(const load *l, uint8_t space)
{
    const bil_space *s = &l->table->spaces[space];
    return !s->keys || s->ask;
}

uint8_t load_want_space(load *l, yaml_node_t *node)
{
    if (!node)
        return BIL_HOLDING;
    const char *name = load_want_text(l, node, NAME_LIMIT);
    for (uint8_t i = 0; i < l->table->space_count; i++)
        if (strcmp(l->spaces[i], name) == 0)
            return i;
    load_complain(l, node, "\"%s\" is no space: %sone of \"spaces\"", name,
                  l->kind->keys ? "" : "holding, input, coils, discrete, identification, or ");
    return BIL_HOLDING;
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

static int by_place(const void *a, const void *b, void *of)
{
    const bil_description *d = of;
    const bil_param *x = &d->params[*(const uint16_t *)a], *y = &d->params[*(const uint16_t *)b];
    return x->space != y->space           ? x->space - y->space
           : d->spaces[x->space].keys     ? strcmp(x->at.key, y->at.key)
           : x->at.number != y->at.number ? (int)x->at.number - (int)y->at.number
                                          : x->format->bit - y->format->bit;
}

/* Two values in one cell: each has bits of its own, and they are written in one way. */
static void load_share(load *l, yaml_node_t *node, const bil_param *before, const bil_param *param)
{
    const bil_format *a = before->format, *b = param->format;
    unsigned cell = (unsigned)param->at.number;
    if (!a->width || !b->width)
        load_complain(l, node, "%s and %s lie on the same cell %u", before->id, param->id, cell);
    else if (a->bit + a->width > b->bit)
        load_complain(l, node, "%s and %s lie on the same bits of cell %u", before->id, param->id, cell);
    else if ((a->order ^ b->order) & BIL_LOW_BYTE_FIRST)
        load_complain(l, node, "%s and %s share cell %u, and so the order of its bytes", before->id, param->id, cell);
    else if (before->way != param->way && before->flags & param->flags & BIL_WRITABLE)
        load_complain(l, node, "%s and %s share cell %u, and so the way in which it is written", before->id, param->id,
                      cell);
}

/* Each value has a number by itself there, rather than cells side by side. */
static bool has_numbers(const bil_space *space)
{
    return space->reading != BIL_SHARE_NEIGHBOURS;
}

/* No two values have the same name there. */
static void want_own_key(load *l, uint16_t before, uint16_t index)
{
    const bil_param *a = &l->params[before], *b = &l->params[index];
    if (before != index && a->space == b->space && strcmp(a->at.key, b->at.key) == 0)
        load_complain(l, l->nodes[index], "%s and %s have the same name there", a->id, b->id);
}

void load_file_lies(load *l, uint16_t index, bool of_files)
{
    bool file = l->params[index].format->type == BIL_FILE;
    if (file != of_files)
        load_complain(l, l->nodes[index],
                      file ? "a file lies in a space that says files: yes" : "in this space lie files: say type: file");
}

void load_by_place(load *l)
{
    uint16_t *order = load_take(l, l->table->count * sizeof *order);
    for (uint16_t i = 0; i < l->table->count; i++)
        order[i] = i;
    qsort_r(order, l->table->count, sizeof *order, by_place, l->table);
    l->table->by_place = order;
    for (uint16_t i = 0; i < l->table->count && !l->bad; i++) {
        const bil_param *param = &l->params[order[i]];
        const bil_space *space = &l->table->spaces[param->space];
        if (space->keys) {
            want_own_key(l, i ? order[i - 1] : order[i], order[i]);
            if (!l->bad && l->kind->check)
                l->kind->check(l, order[i]);
            continue;
        }
        uint16_t most =
            param->flags & BIL_WRITABLE && space->write_most < space->read_most ? space->write_most : space->read_most;
        unsigned carried = param->cells + (space->mailbox && space->mailbox->echo ? 1u : 0); /* with its number */
        if (carried > most && space->table != BIL_OBJECTS)
            load_complain(l, l->nodes[order[i]], "%s takes %u cells, more than one request carries", param->id,
                          param->cells);
        if (i == 0)
            continue;
        const bil_param *before = &l->params[order[i - 1]];
        if (before->space == param->space && has_numbers(space) && before->at.number == param->at.number)
            load_complain(l, l->nodes[order[i]], "%s and %s have the same number there", before->id, param->id);
        else if (before->space == param->space && !has_numbers(space) &&
                 before->at.number + before->cells > param->at.number)
            load_share(l, l->nodes[order[i]], before, param);
    }
}

/* Once the spaces are known. */
void load_across(load *l, yaml_node_t *link)
{
    static const char *const keys[] = {"space", "cells", NULL};
    yaml_node_t *list = load_get(l, link, "across");
    if (!list)
        return;
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

uint8_t load_want_table(load *l, yaml_node_t *node)
{
    return (uint8_t)load_want_name(l, node, tables);
}

uint8_t load_want_way(load *l, yaml_node_t *node)
{
    static const char *const ways[] = {"multiple", "single", "masked", NULL};
    return (uint8_t)load_want_name(l, node, ways);
}

/* The four tables of the device itself. */
static void load_tables(load *l, yaml_node_t *map)
{
    enum { WRITE = 123, WRITE_BITS = 1968 }; /* Modbus Application Protocol 1.1b3, 6.11 and 6.12 */
    bil_space *spaces = load_take(l, SPACES_LIMIT * sizeof *spaces);
    for (uint8_t i = 0; i < BIL_CELL_TABLES; i++) {
        bool bits = is_in_bits(i);
        long most = bits ? BIL_CELL_BITS_MAX : BIL_CELLS_MAX, write = bits ? WRITE_BITS : WRITE;
        spaces[i] = (bil_space){.bits = bits, .table = i};
        spaces[i].read_most = load_number(l, map, bits ? "largest_read_bits" : "largest_read", 1, most, most);
        spaces[i].write_most = load_number(l, map, bits ? "largest_write_bits" : "largest_write", 1, write, write);
        l->spaces[i] = tables[i];
    }
    spaces[BIL_RECORDS].reach = &bil_reach_records;
    spaces[BIL_RECORDS].reading = spaces[BIL_RECORDS].writing = BIL_SHARE_NONE;
    spaces[BIL_OBJECTS].reading = BIL_SHARE_ANY; /* they all come in one reply, or in few */
    spaces[BIL_OBJECTS].writing = BIL_SHARE_NONE;
    spaces[BIL_OBJECTS].read_most = 255;
    l->table->spaces = l->own_spaces = spaces;
    l->table->space_count = BIL_CELL_TABLES;
}

void load_cell_link(load *l, yaml_node_t *map)
{
    static const char *const keys[] = {"kind",
                                       "largest_read",
                                       "largest_write",
                                       "largest_read_bits",
                                       "largest_write_bits",
                                       "reply_ms",
                                       "late_ms",
                                       "busy_ms",
                                       "busy_tries",
                                       "pause_ms",
                                       "write_pause_ms",
                                       "request_cost",
                                       "cell_cost",
                                       "cell_order",
                                       "byte_order",
                                       "writes",
                                       "across",
                                       NULL};
    load_check_keys(l, map, keys);
    if (l->bad)
        return;
    load_tables(l, map);
    yaml_node_t *writes = load_get(l, map, "writes");
    l->way = writes ? load_want_way(l, writes) : BIL_WAY_TOGETHER;
    l->order = load_order(l, map, 0);
}

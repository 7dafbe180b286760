/* Spaces beside the four tables of the device itself: those at other unit numbers, and mailboxes. */
#include <string.h>

#include "bilancia/cells.h"
#include "host/describe/loading.h"

/* Cells of the device, by table and unit number, that a parameter mustn't have: those of a mailbox. */
static bool lies_in(const bil_space *a, uint32_t first, uint32_t last, const bil_space *b, uint32_t at, uint32_t cells)
{
    return a->table == b->table && a->unit == b->unit && at <= last && at + cells > first;
}

/* The widest value says how many cells a mailbox has. */
static uint32_t widest(const load *l, uint16_t space)
{
    uint32_t most = 1;
    for (uint16_t i = 0; i < l->table->count; i++)
        if (l->params[i].space == space && l->params[i].cells > most)
            most = l->params[i].cells;
    return most;
}

static void check_mailbox(load *l, uint16_t index)
{
    const bil_space *space = &l->own_spaces[index];
    const bil_mailbox *box = space->mailbox;
    uint32_t last = box->value + widest(l, index) - 1u;
    if (last > UINT16_MAX || (box->index >= box->value && box->index <= last))
        load_complain(l, l->space_nodes[index], "the mailbox \"%s\" overlaps itself, or lies behind the last cell",
                      l->spaces[index]);
    for (uint16_t i = 0; i < l->table->count && !l->bad; i++) {
        const bil_param *p = &l->params[i];
        const bil_space *other = &l->own_spaces[p->space];
        if (!other->mailbox && (lies_in(space, box->value, last, other, p->at.number, p->cells) ||
                                lies_in(space, box->index, box->index, other, p->at.number, p->cells)))
            load_complain(l, l->nodes[i], "%s lies on a cell of the mailbox \"%s\"", p->id, l->spaces[index]);
    }
    for (uint16_t i = 0; i < index && !l->bad; i++) {
        const bil_space *other = &l->own_spaces[i];
        const bil_mailbox *two = other->mailbox;
        if (two && (lies_in(space, box->value, last, other, two->value, widest(l, i)) ||
                    lies_in(space, box->value, last, other, two->index, 1) ||
                    lies_in(space, box->index, box->index, other, two->value, widest(l, i)) ||
                    lies_in(space, box->index, box->index, other, two->index, 1)))
            load_complain(l, l->space_nodes[index], "the mailboxes \"%s\" and \"%s\" overlap", l->spaces[i],
                          l->spaces[index]);
    }
}

void load_check_mailboxes(load *l)
{
    for (uint16_t i = 0; i < l->table->space_count && !l->bad; i++)
        if (l->own_spaces[i].mailbox)
            check_mailbox(l, i);
}

/* `mailbox: {index: 900, value: 901}` */
static void load_mailbox(load *l, yaml_node_t *map, bil_space *space)
{
    static const char *const keys[] = {"index", "value", "writes", "echo", NULL};
    load_check_keys(l, map, keys);
    yaml_node_t *index = l->bad ? NULL : load_need(l, map, "index"),
                *value = l->bad ? NULL : load_need(l, map, "value");
    if (l->bad)
        return;
    yaml_node_t *writes = load_get(l, map, "writes"), *echo = load_get(l, map, "echo");
    bil_mailbox *box = load_take(l, sizeof *box);
    box->index = (uint16_t)load_want_number(l, index, 0, 65535);
    box->value = (uint16_t)load_want_number(l, value, 0, 65535);
    box->way = writes ? load_want_way(l, writes) : l->way == BIL_WAY_MASKED ? BIL_WAY_TOGETHER : l->way;
    box->echo = box->value == box->index + 1 && !(echo && !load_want_yes(l, echo));
    if (!l->bad && space->table != BIL_HOLDING)
        load_complain(l, map, "a mailbox is in holding cells");
    else if (!l->bad && box->way == BIL_WAY_MASKED)
        load_complain(l, writes, "the number takes its whole cell");
    else if (!l->bad && echo && load_want_yes(l, echo) && !box->echo)
        load_complain(l, echo, "the number is read back with the value where that lies right behind it");
    space->mailbox = box;
    space->reach = &bil_reach_mailbox;
    space->reading = space->writing = BIL_SHARE_NONE;
}

/* `unit: 247` is that number, `above: 1` the next one above that of the device. */
static int16_t load_want_unit(load *l, yaml_node_t *map)
{
    yaml_node_t *unit = load_get(l, map, "unit"), *above = load_get(l, map, "above");
    if (!unit && !above && load_get(l, map, "mailbox"))
        return 0;
    if (!unit == !above)
        load_complain(l, map, "a space has either a \"unit\", or how far it is \"above\" the number of the device");
    if (l->bad)
        return 0;
    return (int16_t)(above ? -load_want_number(l, above, 1, 255) : load_want_number(l, unit, 0, 255) + 1);
}

/* One of the device's cells: at another unit number, or in a mailbox. */
void load_cell_space(load *l, yaml_node_t *node, bil_space *space)
{
    static const char *const keys[] = {"table", "unit", "above", "mailbox", NULL};
    load_check_keys(l, node, keys);
    yaml_node_t *box = l->bad ? NULL : load_get(l, node, "mailbox"), *table = l->bad ? NULL
                                                                              : box  ? load_get(l, node, "table")
                                                                                     : load_need(l, node, "table");
    if (l->bad)
        return;
    *space = l->own_spaces[!table ? 0 : load_want_table(l, table)];
    space->unit = load_want_unit(l, node);
    if (box && !l->bad)
        load_mailbox(l, box, space);
}

void load_spaces(load *l, yaml_node_t *map)
{
    load_want_kind(l, map, YAML_MAPPING_NODE);
    if (!l->bad)
        load_check_keys(l, map, NULL);
    for (yaml_node_pair_t *pair = l->bad ? NULL : map->data.mapping.pairs.start;
         !l->bad && pair < map->data.mapping.pairs.top; pair++) {
        yaml_node_t *key = load_node(l, pair->key), *node = load_node(l, pair->value);
        uint16_t index = l->table->space_count;
        if (index == SPACES_LIMIT) {
            load_complain(l, key, "a description has at most %d spaces", SPACES_LIMIT);
            return;
        }
        l->spaces[index] = load_keep(l, load_want_text(l, key, NAME_LIMIT));
        for (uint16_t i = 0; !l->kind->keys && i < BIL_CELL_TABLES; i++)
            if (strcmp(l->spaces[i], l->spaces[index]) == 0)
                load_complain(l, key, "\"%s\" is the space of the device itself", l->spaces[i]);
        l->space_nodes[index] = node;
        if (!l->bad)
            l->kind->space(l, node, &l->own_spaces[index]);
        l->table->space_count++;
    }
}

static void want_harmless(load *l, uint16_t index)
{
    if (!l->bad && index != BIL_NONE && l->params[index].only)
        load_complain(l, l->nodes[index], "%s is read to tell who answers, and so every unit has to have it",
                      l->params[index].id);
    if (!l->bad && index != BIL_NONE && l->own_spaces[l->params[index].space].mailbox)
        load_complain(l, l->nodes[index],
                      "%s is read to tell who answers, and a mailbox is written to be read: on another device that "
                      "would do harm",
                      l->params[index].id);
}

void load_check_harmless(load *l)
{
    const bil_description *d = l->table;
    const uint16_t single[] = {d->starts, d->uptime, d->state, d->changes};
    for (size_t i = 0; i < sizeof single / sizeof single[0]; i++)
        want_harmless(l, single[i]);
    for (size_t i = 0; i < BIL_ID_COUNT; i++)
        want_harmless(l, d->identity[i]);
    for (size_t i = 0; i < d->sign_count; i++)
        want_harmless(l, d->signs[i].param);
    for (size_t i = 0; i < d->unit_same_count; i++)
        want_harmless(l, d->unit_same[i]);
    for (size_t i = 0; i < d->unit_grows_count; i++)
        want_harmless(l, d->unit_grows[i]);
}

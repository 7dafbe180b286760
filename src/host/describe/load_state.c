/* What tells who a unit is, what it is doing, that it was restarted or changed; and its other banks. */
#include <string.h>

#include "bilancia/host_error.h"
#include "host/base/float_text.h"
#include "host/describe/loading.h"

/* `{id.type: 304, id.board: 7}`: what shows the model where no text names it. */
static void load_signs(load *l, yaml_node_t *map)
{
    size_t count = (size_t)(map->data.mapping.pairs.top - map->data.mapping.pairs.start);
    bil_sign *signs = load_take(l, (BIL_SIGNS_MAX + 1) * sizeof *signs);
    load_check_keys(l, map, NULL);
    if (!l->bad && (count == 0 || count > BIL_SIGNS_MAX))
        load_complain(l, map, "1 to %d parameters show a model together", BIL_SIGNS_MAX);
    for (size_t i = 0; i < count && !l->bad; i++) {
        yaml_node_t *key = load_node(l, map->data.mapping.pairs.start[i].key),
                    *value = load_node(l, map->data.mapping.pairs.start[i].value);
        signs[i].param = load_want_param(l, key);
        signs[i].value = l->bad ? 0 : load_want_value(l, value, signs[i].param);
        if (!l->bad && !(l->params[signs[i].param].flags & BIL_READABLE))
            load_complain(l, key, "this parameter can't be read");
    }
    l->table->signs = signs;
    l->table->sign_count = (uint8_t)count;
    l->table->identity[BIL_ID_MODEL] = signs[0].param;
}

void load_identity(load *l, yaml_node_t *map)
{
    static const char *const keys[] = {"vendor", "model", "hardware", "firmware", "serial", "name", NULL};
    load_check_keys(l, map, keys);
    for (int i = 0; i < BIL_ID_COUNT && !l->bad; i++) {
        yaml_node_t *node = load_get(l, map, keys[i]);
        l->table->identity[i] = BIL_NONE;
        if (node && i == BIL_ID_MODEL && node->type == YAML_MAPPING_NODE) {
            load_signs(l, node);
            continue;
        }
        if (node)
            l->table->identity[i] = load_want_param(l, node);
        if (node && !l->bad && !(l->params[l->table->identity[i]].flags & BIL_READABLE))
            load_complain(l, node, "this parameter can't be read");
    }
    if (!l->bad && l->table->identity[BIL_ID_MODEL] == BIL_NONE)
        load_complain(l, map, "\"model\" is missing here");
}

/* A value of a parameter for a procedure: by name for choices and bits, else as people write it. */
void load_want_raw(load *l, yaml_node_t *node, uint16_t index, uint8_t *raw)
{
    const char *text = load_want_text(l, node, BIL_TEXT_MAX);
    int error = l->bad ? 0 : bil_value_parse(l->params[index].format, text, strlen(text), &host_floats, raw);
    if (error)
        load_complain(l, node, "%s", bil_host_error_text(error));
}

uint32_t load_want_value(load *l, yaml_node_t *node, uint16_t index)
{
    const bil_format *format = l->params[index].format;
    uint8_t raw[BIL_TEXT_MAX];
    if (!l->bad && (format->type == BIL_TEXT || format->size > 4))
        load_complain(l, node, "this takes values of at most 32 bits");
    load_want_raw(l, node, index, raw);
    uint32_t value = 0;
    for (uint8_t i = 0; i < format->size && !l->bad; i++)
        value = value << 8 | raw[i];
    return value;
}

void load_state(load *l, yaml_node_t *map)
{
    static const char *const keys[] = {"parameter", "held", "idle", "switched_on", NULL};
    load_check_keys(l, map, keys);
    yaml_node_t *on = l->bad ? NULL : load_get(l, map, "switched_on");
    yaml_node_t *param = l->bad ? NULL : load_need(l, map, "parameter");
    yaml_node_t *held = l->bad ? NULL : load_need(l, map, "held"), *idle = l->bad ? NULL : load_get(l, map, "idle");
    if (l->bad)
        return;
    l->table->state = load_want_param(l, param);
    if (!l->bad)
        l->table->state_held = load_want_value(l, held, l->table->state);
    if (!l->bad && idle)
        load_want_kind(l, idle, YAML_SEQUENCE_NODE);
    for (yaml_node_item_t *item = idle && !l->bad ? idle->data.sequence.items.start : NULL;
         item && !l->bad && item < idle->data.sequence.items.top; item++) {
        uint32_t value = load_want_value(l, load_node(l, *item), l->table->state);
        if (!l->bad && (value >= 32 || value == l->table->state_held))
            load_complain(l, load_node(l, *item),
                          "a state in which the machine stands by itself: below 32, and not the held one");
        l->table->state_idle |= l->bad ? 0 : UINT32_C(1) << value;
    }
    uint32_t first = on && !l->bad ? load_want_value(l, on, l->table->state) : 0;
    bool stands = first < 32 && l->table->state_idle >> first & 1;
    l->table->works_when_on = on && !l->bad && !stands && first != l->table->state_held;
}

/* Stages after which the device restarts before the next one. */
void load_restart_after(load *l, yaml_node_t *list)
{
    load_want_kind(l, list, YAML_SEQUENCE_NODE);
    for (yaml_node_item_t *item = l->bad ? NULL : list->data.sequence.items.start;
         item && !l->bad && item < list->data.sequence.items.top; item++)
        l->table->restart_after |= (uint16_t)(1 << load_want_number(l, load_node(l, *item), 0, 9));
}

/* The unit number by which the device is reached on its line: the last thing that a write may change. */
void load_link_unit(load *l, yaml_node_t *node)
{
    uint16_t index = load_want_param(l, node);
    if (l->bad)
        return;
    const bil_param *param = &l->params[index];
    l->table->link_unit = index;
    bool number = param->format->type == BIL_U8 || param->format->type == BIL_U16;
    if (!number || param->cls != BIL_CLASS_PLACE || !(param->flags & BIL_WRITABLE))
        load_complain(l, node, "the unit number of a link is a writable u8 or u16 of the class place");
    for (uint16_t i = 0; i < l->table->count && !l->bad; i++)
        if (l->params[i].stage > param->stage)
            load_complain(l, node, "%s has a later stage, but the link's own settings are written last",
                          l->params[i].id);
}

void load_unstored(load *l, yaml_node_t *map)
{
    static const char *const keys[] = {"parameter", "value", NULL};
    load_check_keys(l, map, keys);
    yaml_node_t *param = l->bad ? NULL : load_need(l, map, "parameter");
    yaml_node_t *value = l->bad ? NULL : load_need(l, map, "value");
    if (l->bad)
        return;
    l->table->unstored = load_want_param(l, param);
    if (!l->bad)
        l->table->unstored_value = load_want_value(l, value, l->table->unstored);
}

/* A counter is saved with each copy, so that the next read can tell whether it has moved. */
void load_changes(load *l, yaml_node_t *node)
{
    l->table->changes = load_want_param(l, node);
    const bil_param *param = l->bad ? NULL : &l->params[l->table->changes];
    if (param && (param->cls != BIL_CLASS_UNIT || !(param->flags & BIL_READABLE)))
        load_complain(l, node, "a counter of changes is a readable parameter of the class unit");
}

/* A number of at most 32 bits that can be read. */
static uint16_t load_want_counter(load *l, yaml_node_t *node)
{
    uint16_t index = load_want_param(l, node);
    const bil_param *p = l->bad ? NULL : &l->params[index];
    bool number = p && (p->format->type == BIL_U8 || p->format->type == BIL_U16 || p->format->type == BIL_U32);
    if (p && (!number || !(p->flags & BIL_READABLE)))
        load_complain(l, node, "this is told by a readable u8, u16 or u32");
    return index;
}

/* Values of the unit that tell it from others. */
static const uint16_t *load_unit_list(load *l, yaml_node_t *list, bool grows, uint8_t *count)
{
    enum { MOST = 4 };
    size_t n = load_want_list(l, list, MOST);
    uint16_t *params = load_take(l, (n + 1) * sizeof *params);
    for (size_t i = 0; i < n && !l->bad; i++) {
        yaml_node_t *node = load_node(l, list->data.sequence.items.start[i]);
        params[i] = grows ? load_want_counter(l, node) : load_want_param(l, node);
        const bil_param *p = l->bad ? NULL : &l->params[params[i]];
        if (p && (p->cls != BIL_CLASS_UNIT || !(p->flags & BIL_READABLE)))
            load_complain(l, node, "a unit is told by readable values of the class unit");
    }
    *count = (uint8_t)n;
    return params;
}

/* What tells the unit, beside its serial number. */
void load_unit_shows(load *l, yaml_node_t *map)
{
    static const char *const keys[] = {"same", "grows", "no_serial", NULL};
    load_check_keys(l, map, keys);
    if (l->bad)
        return;
    yaml_node_t *same = load_get(l, map, "same"), *grows = load_get(l, map, "grows"),
                *none = load_get(l, map, "no_serial");
    bil_description *d = l->table;
    if (same)
        d->unit_same = load_unit_list(l, same, false, &d->unit_same_count);
    if (grows && !l->bad)
        d->unit_grows = load_unit_list(l, grows, true, &d->unit_grows_count);
    if (none && !l->bad)
        d->no_serial = load_texts(l, none, BIL_TEXT_MAX, &d->no_serial_count);
}

/* What only a restart does. */
void load_restart_shows(load *l, yaml_node_t *map)
{
    static const char *const keys[] = {"counter", "uptime", "hold_lost", "absent_ms", NULL};
    load_check_keys(l, map, keys);
    if (l->bad)
        return;
    yaml_node_t *counter = load_get(l, map, "counter"), *uptime = load_get(l, map, "uptime"),
                *lost = load_get(l, map, "hold_lost"), *absent = load_get(l, map, "absent_ms");
    bil_description *d = l->table;
    if (counter)
        d->starts = load_want_counter(l, counter);
    if (uptime && !l->bad)
        d->uptime = load_want_counter(l, uptime);
    d->restart_ends_hold = lost && load_want_yes(l, lost);
    if (d->restart_ends_hold && !l->bad && (d->restart_keeps_hold || d->state == BIL_NONE))
        load_complain(l, lost, "a hold that is lost is seen only with a state, and where a restart doesn't keep it");
    d->restart_absent_ms = absent && !l->bad ? (uint32_t)load_want_number(l, absent, 100, 3600000) : 0;
}

static void load_bank(load *l, yaml_node_t *map, bil_bank *bank)
{
    static const char *const keys[] = {"holds", "copy", "space", "cells", "at", "when", NULL};
    static const char *const names[] = {"holds", "copy", "space", "in", "when", NULL};
    static const char *const kinds[] = {"stored", "factory", "kept", NULL};
    bool named = l->kind->keys;
    load_check_keys(l, map, named ? names : keys);
    yaml_node_t *holds = l->bad ? NULL : load_need(l, map, "holds"),
                *cells = l->bad ? NULL : load_need(l, map, named ? "space" : "cells"),
                *at = l->bad ? NULL : load_need(l, map, named ? "in" : "at");
    if (l->bad)
        return;
    yaml_node_t *space = load_get(l, map, "space"), *copy = load_get(l, map, "copy"), *when = load_get(l, map, "when");
    bank->kind = (uint8_t)load_want_name(l, holds, kinds);
    bank->space = load_want_space(l, space);
    bank->when = when ? load_want_param(l, when) : BIL_NONE;
    if (when && !l->bad && !(l->params[bank->when].flags & BIL_READABLE))
        load_complain(l, when, "this parameter can't be read");
    if ((bank->kind == BIL_BANK_KEPT) != (copy != NULL))
        load_complain(l, copy ? copy : map, "copies that the device keeps are numbered with \"copy\", others aren't");
    bank->copy = copy && !l->bad ? (uint8_t)load_want_number(l, copy, 1, 99) : 0;
    if (named) { /* the whole of it lies there under the same names */
        bank->at = load_want_space(l, at);
        if (!l->bad && (bank->at == bank->space || !load_can_read(l, (uint8_t)bank->at) ||
                        l->own_spaces[bank->at].reading != l->own_spaces[bank->space].reading))
            load_complain(l, at, "this is another space that can be read, in the same way");
        return;
    }
    load_want_kind(l, cells, YAML_SEQUENCE_NODE);
    if (!l->bad && cells->data.sequence.items.top - cells->data.sequence.items.start != 2)
        load_complain(l, cells, "cells are [first, last]");
    if (l->bad)
        return;
    bank->first = (uint16_t)load_want_number(l, load_node(l, cells->data.sequence.items.start[0]), 0, 65535);
    bank->last = (uint16_t)load_want_number(l, load_node(l, cells->data.sequence.items.start[1]), bank->first, 65535);
    bank->at = (uint16_t)load_want_number(l, at, 0, 65535 - (bank->last - bank->first));
}

/* What belongs to the unit or is measured is never read from a bank; and where a value lies is told once. */
static void check_bank(load *l, const yaml_node_t *node, const bil_bank *banks, const bil_bank *b)
{
    for (uint16_t i = 0; i < l->table->count; i++) {
        const bil_param *p = &l->params[i];
        bool among =
            p->space == b->space && (l->kind->keys || (p->at.number <= b->last && p->at.number + p->cells > b->first));
        if ((p->cls == BIL_CLASS_UNIT || p->cls == BIL_CLASS_LIVE) && among)
            load_complain(l, node, "%s is of the unit, or measured, and lies among these values", p->id);
    }
    for (const bil_bank *other = banks; other < b; other++)
        if (other->kind == b->kind && other->copy == b->copy && other->space == b->space && other->first <= b->last &&
            b->first <= other->last)
            load_complain(l, node, "these values lie in another place of the same kind, too");
}

void load_banks(load *l, yaml_node_t *list)
{
    size_t count = load_want_list(l, list, 255);
    bil_bank *banks = load_take(l, (count + 1) * sizeof *banks);
    for (size_t i = 0; i < count && !l->bad; i++) {
        yaml_node_t *node = load_node(l, list->data.sequence.items.start[i]);
        load_bank(l, node, &banks[i]);
        if (!l->bad)
            check_bank(l, node, banks, &banks[i]);
    }
    l->table->banks = banks;
    l->table->bank_count = (uint8_t)count;
}

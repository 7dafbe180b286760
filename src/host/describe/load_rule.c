/* Rules between values. */
#include <string.h>

#include "host/describe/loading.h"

/* {parameter: ID, is: VALUE} */
static void load_condition(load *l, yaml_node_t *map, uint16_t *index, uint32_t *value)
{
    static const char *const keys[] = {"parameter", "is", NULL};
    load_check_keys(l, map, keys);
    yaml_node_t *param = l->bad ? NULL : load_need(l, map, "parameter"), *is = l->bad ? NULL : load_need(l, map, "is");
    if (l->bad)
        return;
    *index = load_want_param(l, param);
    if (!l->bad)
        *value = load_want_value(l, is, *index);
}

static bool same_measure(const bil_param *a, const bil_param *b)
{
    return a->format->type == b->format->type && a->format->size == b->format->size &&
           a->format->mul == b->format->mul && a->format->offset == b->format->offset &&
           a->format->decimals == b->format->decimals && strcmp(a->unit, b->unit) == 0;
}

/* A list of parameters that can be held against each other. */
static void load_alike(load *l, yaml_node_t *list, bil_rule *rule)
{
    load_want_kind(l, list, YAML_SEQUENCE_NODE);
    size_t count = l->bad ? 0 : (size_t)(list->data.sequence.items.top - list->data.sequence.items.start);
    if (!l->bad && (count < 2 || count > 100))
        load_complain(l, list, "there must be 2 to 100 of these");
    uint16_t *params = load_take(l, (count + 1) * sizeof *params);
    for (size_t i = 0; i < count && !l->bad; i++) {
        yaml_node_t *node = load_node(l, list->data.sequence.items.start[i]);
        params[i] = load_want_param(l, node);
        const bil_param *p = l->bad ? NULL : &l->params[params[i]];
        if (p && p->format->type == BIL_TEXT)
            load_complain(l, node, "a text can't stand in a rule");
        else if (p && !same_measure(p, &l->params[params[0]]))
            load_complain(l, node, "%s has another type, scale or unit than %s", p->id, l->params[params[0]].id);
        else if (p && rule->kind == BIL_RULE_ORDER &&
                 (!(format_is_integer(p->format) || bil_type_is_float((bil_type)p->format->type)) ||
                  p->format->mul < 0))
            load_complain(l, node, "only numbers have an order");
    }
    rule->params = params;
    rule->count = (uint16_t)count;
}

static void load_rule(load *l, yaml_node_t *map, bil_rule *rule)
{
    static const char *const kinds[] = {"unique", "order", "allowed", "required"};
    static const char *const keys[] = {"unique", "order", "allowed", "required", "but", "when", "why", NULL};
    load_check_keys(l, map, keys);
    yaml_node_t *node = NULL, *but = l->bad ? NULL : load_get(l, map, "but"),
                *when = l->bad ? NULL : load_get(l, map, "when");
    for (uint8_t i = 0; i < 4 && !l->bad; i++) {
        yaml_node_t *one = load_get(l, map, kinds[i]);
        if (one && node)
            load_complain(l, one, "a rule says one of unique, order, allowed, required");
        if (one) {
            rule->kind = i;
            node = one;
        }
    }
    if (!l->bad && !node)
        load_complain(l, map, "a rule says one of unique, order, allowed, required");
    yaml_node_t *why = l->bad ? NULL : load_need(l, map, "why");
    if (l->bad)
        return;
    rule->why = load_keep(l, load_want_text(l, why, 160));
    bool pair = rule->kind >= BIL_RULE_ALLOWED;
    if (pair != (when != NULL))
        load_complain(l, when ? when : map, "\"when\" belongs to allowed and required");
    if (but && rule->kind != BIL_RULE_UNIQUE)
        load_complain(l, but, "\"but\" belongs to unique");
    if (l->bad)
        return;
    if (!pair) {
        load_alike(l, node, rule);
        if (but && !l->bad)
            rule->value[0] = load_want_value(l, but, rule->params[0]);
        rule->free = but != NULL;
        return;
    }
    uint16_t *params = load_take(l, 2 * sizeof *params);
    load_condition(l, node, &params[0], &rule->value[0]);
    if (!l->bad)
        load_condition(l, when, &params[1], &rule->value[1]);
    rule->params = params;
    rule->count = 2;
}

void load_rules(load *l, yaml_node_t *list)
{
    size_t count = load_want_list(l, list, 1000);
    bil_rule *rules = load_take(l, (count + 1) * sizeof *rules);
    for (size_t i = 0; i < count && !l->bad; i++)
        load_rule(l, load_node(l, list->data.sequence.items.start[i]), &rules[i]);
    l->table->rules = rules;
    l->table->rule_count = (uint16_t)count;
}

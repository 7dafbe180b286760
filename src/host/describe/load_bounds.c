/* Limits that another parameter gives: each becomes a rule, that the one is at most the other. */
#include <stdlib.h>
#include <string.h>

#include "host/describe/loading.h"

typedef struct bound {
    uint16_t low, high; /* parameters: the first is at most the second */
    yaml_node_t *node;
} bound;

static bool comparable(const bil_param *a, const bil_param *b)
{
    const bil_format *x = a->format, *y = b->format;
    bool whole = format_is_integer(x) && format_is_integer(y) &&
                 bil_type_is_signed((bil_type)x->type) == bil_type_is_signed((bil_type)y->type);
    return (whole || (bil_type_is_float((bil_type)x->type) && x->type == y->type)) && x->mul > 0 && x->mul == y->mul &&
           x->offset == y->offset && x->decimals == y->decimals && strcmp(a->unit, b->unit) == 0;
}

static void take_bound(load *l, uint16_t index, int side, yaml_node_t *node, bound *out)
{
    char id[BIL_ID_MAX + 8];
    load_with_number(load_want_text(l, node, BIL_ID_MAX), l->numbers[index], id, sizeof id);
    int32_t other = l->bad ? -1 : bil_description_find(l->table, id, strlen(id));
    if (other < 0) {
        load_complain(l, node, "there is no parameter \"%s\"", id);
        return;
    }
    const bil_param *own = &l->params[index], *its = &l->params[other];
    if (other == index)
        load_complain(l, node, "%s can't be its own limit", own->id);
    else if (!comparable(own, its))
        load_complain(l, node, "%s has another type, scale or unit than %s", its->id, own->id);
    *out = side ? (bound){index, (uint16_t)other, node} : (bound){(uint16_t)other, index, node};
}

static int by_low(const void *a, const void *b)
{
    const bound *x = a, *y = b;
    return x->low != y->low ? (x->low > y->low) - (x->low < y->low) : (x->high > y->high) - (x->high < y->high);
}

static void tell_circle(load *l, const uint16_t *way, size_t from, size_t end, const yaml_node_t *node)
{
    char text[300] = "";
    for (size_t i = from, used = 0; i < end && used < sizeof text - BIL_ID_MAX - 3; i++)
        used += (size_t)snprintf(text + used, sizeof text - used, "%s%s", i > from ? ", " : "", l->params[way[i]].id);
    load_complain(l, node, "limits that depend on each other in a circle leave no room but for a single value: %s",
                  text);
}

static bil_format *format_of(load *l, uint16_t index)
{
    return (bil_format *)(uintptr_t)l->params[index].format; /* the loader's own, and no other parameter's */
}

/* What is at most another value is at most the highest that this one can be; and the other way round. */
static void narrow(load *l, const bound *b, bool from_above)
{
    bil_format *low = format_of(l, b->low), *high = format_of(l, b->high);
    bool both = low->limited && high->limited;
    if (both && from_above && low->high > high->high)
        low->high = high->high;
    if (both && !from_above && high->low < low->low)
        high->low = low->low;
}

/* Along the bounds from each parameter, without going anywhere twice; one that is on the way already closes a circle.
 * The limits that are numbers go along with that: each parameter is left when all above it are, and in the order in
 * which they were left, backwards, all below it were. */
static void go_along(load *l, const bound *bounds, size_t count)
{
    enum { ON_THE_WAY = 1, DONE };
    uint16_t all = l->table->count;
    uint32_t *next = load_take(l, (all + 1u) * sizeof *next);
    uint16_t *way = load_take(l, (all + 1u) * sizeof *way);
    uint8_t *seen = load_take(l, all);
    uint16_t *left = load_take(l, (all + 1u) * sizeof *left), left_count = 0;
    for (size_t i = 0, at = 0; i <= all; i++) {
        next[i] = (uint32_t)at;
        while (at < count && bounds[at].low == i)
            at++;
    }
    for (size_t i = 0; i < count && !l->bad; i++) {
        size_t length = 0;
        if (!seen[bounds[i].low])
            way[length++] = bounds[i].low;
        while (length && !l->bad) {
            uint16_t here = way[length - 1];
            seen[here] = ON_THE_WAY;
            const bound *b = &bounds[next[here]];
            if (next[here] >= count || b->low != here) {
                seen[here] = DONE;
                left[left_count++] = here;
                length--;
                for (size_t k = next[here]; k-- > 0 && bounds[k].low == here;)
                    narrow(l, &bounds[k], true);
                continue;
            }
            next[here]++;
            size_t from = 0;
            while (seen[b->high] == ON_THE_WAY && way[from] != b->high)
                from++;
            if (seen[b->high] == ON_THE_WAY)
                tell_circle(l, way, from, length, b->node);
            else if (!seen[b->high])
                way[length++] = b->high;
        }
    }
    while (left_count-- > 0 && !l->bad)
        for (size_t k = next[left[left_count]]; k-- > 0 && bounds[k].low == left[left_count];)
            narrow(l, &bounds[k], false);
}

void load_bounds(load *l)
{
    bil_description *d = l->table;
    size_t count = 0, most = 0;
    for (uint32_t i = 0; i < 2u * d->count; i++)
        most += load_is_bound(load_limit(l, l->nodes[i / 2], i % 2));
    if (most == 0)
        return;
    bound *bounds = load_take(l, most * sizeof *bounds);
    for (uint32_t i = 0; i < 2u * d->count && !l->bad; i++) {
        yaml_node_t *node = load_limit(l, l->nodes[i / 2], i % 2);
        if (load_is_bound(node))
            take_bound(l, (uint16_t)(i / 2), i % 2, node, &bounds[count++]);
    }
    if (l->bad)
        return;
    qsort(bounds, count, sizeof *bounds, by_low);
    go_along(l, bounds, count);
    bil_rule *rules = load_take(l, (d->rule_count + count) * sizeof *rules);
    if (d->rule_count)
        memcpy(rules, d->rules, d->rule_count * sizeof *rules);
    for (size_t i = 0; i < count && !l->bad; i++) {
        if (i && by_low(&bounds[i - 1], &bounds[i]) == 0)
            continue; /* both say so */
        uint16_t *params = load_take(l, 2 * sizeof *params);
        char why[2 * BIL_ID_MAX + 60];
        params[0] = bounds[i].low;
        params[1] = bounds[i].high;
        snprintf(why, sizeof why, "%s is at most %s", l->params[params[0]].id, l->params[params[1]].id);
        rules[d->rule_count++] =
            (bil_rule){.kind = BIL_RULE_ORDER, .count = 2, .params = params, .why = load_keep(l, why)};
    }
    d->rules = rules;
}

#include "host/look/finding.h"

#include <fnmatch.h>
#include <stdio.h>
#include <string.h>

#include "host/describe/choice.h"

bool filter_is_set(const finding_filter *f)
{
    return f->group || f->match || f->cls || f->safety;
}

bool filter_passes(const finding_filter *f, const char *id, bil_class cls, uint8_t weight)
{
    size_t length = f->group ? strlen(f->group) : 0;
    return (!f->safety || weight & BIL_SAFETY) && (!f->cls || strcmp(f->cls, bil_class_name(cls)) == 0) &&
           (!f->group || (strncmp(id, f->group, length) == 0 && id[length] == '.')) &&
           (!f->match || fnmatch(f->match, id, 0) == 0);
}

/* Where two sides tell who they are of, do they tell the same? */
static bool of_one_unit(const side *sides, size_t count)
{
    const char *serial = "";
    for (size_t i = 0; i < count; i++) {
        const char *its = sides[i].origin.serial;
        if (its[0] && serial[0] && strcmp(its, serial) != 0)
            return false;
        serial = its[0] ? its : serial;
    }
    return true;
}

void findings_begin(findings *f, side *sides, size_t count, const finding_filter *filter, bool quick)
{
    *f = (findings){.sides = sides, .count = count, .filter = *filter, .damaged = -1};
    f->same_unit = of_one_unit(sides, count);
    for (size_t i = 0; i < count; i++) {
        f->columns[i].source = side_source(&sides[i]);
        if (!f->description)
            f->description = sides[i].description;
    }
    f->pair = (set_pair){.left = &sides[0].set, .right = &sides[count - 1].set, .group = f->group};
    bool files =
        sides[0].kind == SIDE_COPY && sides[count - 1].kind == SIDE_COPY && !sides[0].lent && !sides[count - 1].lent;
    if (quick && count == 2 && !filter_is_set(filter) && files)
        f->skip = set_pair_skip(&f->pair);
}

static uint8_t weight_of(const findings *f, const finding *out)
{
    int32_t index = f->description ? bil_description_find(f->description, out->id, strlen(out->id)) : -1;
    return index < 0 ? 0 : f->description->params[index].flags & (BIL_SAFETY | BIL_NEEDS_HOLD | BIL_NEEDS_RESTART);
}

static bool agree(const findings *f, const bil_item *a, const bil_item *b)
{
    if (!a || !b)
        return a == b;
    bil_relation relation = bil_relate(a, b, f->description);
    return relation == BIL_REL_EQUAL || relation == BIL_REL_WITHIN ||
           (relation == BIL_REL_UNREADABLE && a->unreadable && b->unreadable);
}

/* The sides that don't say what more sides say than anything else; 0 when no value has the most. */
static uint32_t odd_ones(const findings *f, const finding *out)
{
    unsigned most = 0;
    uint32_t with_most = 0;
    bool tie = false;
    for (size_t i = 0; i < f->count; i++) {
        uint32_t alike = 0;
        unsigned votes = 0;
        for (size_t k = 0; k < f->count; k++)
            if (agree(f, out->items[i], out->items[k])) {
                alike |= UINT32_C(1) << k;
                votes++;
            }
        if (votes == most && alike != with_most)
            tie = true;
        if (votes > most) {
            most = votes;
            with_most = alike;
            tie = false;
        }
    }
    return tie ? 0 : ~with_most & ((UINT32_C(1) << f->count) - 1);
}

/* Of many: the worst that can be said of any of them beside the first. */
static bil_relation relate_many(const findings *f, const finding *out)
{
    bool seen[BIL_RELATION_COUNT] = {false};
    static const bil_relation worst_first[] = {BIL_REL_NOT_COMPARABLE, BIL_REL_MISSING, BIL_REL_UNREADABLE,
                                               BIL_REL_CHANGED, BIL_REL_WITHIN};
    for (size_t i = 0; i < f->count; i++)
        seen[out->items[i] ? bil_relate(out->item, out->items[i], f->description) : BIL_REL_MISSING] = true;
    if (f->count == 1)
        return out->item->unreadable ? BIL_REL_UNREADABLE : BIL_REL_EQUAL;
    for (size_t i = 0; i < sizeof worst_first / sizeof worst_first[0]; i++)
        if (seen[worst_first[i]])
            return worst_first[i];
    return BIL_REL_EQUAL;
}

static void add(finding_counts *n, const finding *out, size_t sides)
{
    n->relation[out->relation] += !out->apart;
    n->apart += out->apart;
    n->differing += out->differs;
    n->safety += out->differs && out->weight & BIL_SAFETY;
    n->hold += out->differs && out->weight & BIL_NEEDS_HOLD;
    n->restart += out->differs && out->weight & BIL_NEEDS_RESTART;
    for (size_t i = 0; i < sides; i++)
        n->odd[i] += out->differs && out->odd >> i & 1;
}

static bool no_column_waits(const findings *f)
{
    return !f->columns[0].have && !f->columns[1].have && !f->columns[0].done && !f->columns[1].done;
}

static void judge(findings *f, finding *out)
{
    bil_str_plain(out->item->id, out->id, sizeof out->id);
    out->relation = f->count == 2 ? bil_relate(out->items[0], out->items[1], f->description) : relate_many(f, out);
    bool differs = f->count > 1 && out->relation != BIL_REL_EQUAL && out->relation != BIL_REL_WITHIN;
    out->apart = differs && bil_meant_to_differ(out->item->cls, f->same_unit);
    out->differs = differs && !out->apart;
    out->weight = weight_of(f, out);
    out->odd = differs && f->count > 2 ? odd_ones(f, out) : 0;
}

static void enter_group(findings *f, finding *out)
{
    size_t length = strcspn(out->id, ".");
    memcpy(out->group, out->id, length);
    out->group[length] = '\0';
    out->new_group = strcmp(out->group, f->group) != 0;
    if (!out->new_group)
        return;
    f->before = f->current;
    f->current = (finding_counts){0};
    strcpy(f->group, out->group);
}

/* Somebody mistyped an id or a group? */
static void offer(findings *f, const finding *out)
{
    char group[BIL_ID_MAX + 1];
    snprintf(group, sizeof group, "%.*s", (int)strcspn(out->id, "."), out->id);
    if (f->filter.group && strcmp(group, f->filter.group) != 0)
        nearest_offer(&f->like, f->filter.group, group);
    if (f->filter.match && !strpbrk(f->filter.match, "*?["))
        nearest_offer(&f->like, f->filter.match, out->id);
}

/* Does it lie outside of what one of the sides keeps? That says nothing of it. */
static bool is_beyond(const findings *f, const finding *out)
{
    bool beyond = false;
    for (size_t i = 0; i < f->count; i++) {
        const side *s = &f->sides[i];
        const bil_description *d = out->items[i] ? NULL : s->description;
        int32_t index = d ? bil_description_find(d, out->item->id.text, out->item->id.length) : -1;
        const bil_param *p = index < 0 ? NULL : &d->params[index];
        beyond = beyond || (p && s->bank && !bil_description_bank(d, p, s->bank, (uint8_t)s->copy)) ||
                 (p && s->kind == SIDE_COPY && s->origin.scope[0] && !choice_has(s->origin.scope, p));
    }
    return beyond;
}

int findings_next(findings *f, finding *out)
{
    for (;;) {
        *out = (finding){0};
        if (f->skip.equal && f->group[0] && no_column_waits(f)) {
            unsigned skipped = f->skip.equal(f->skip.ctx);
            f->current.relation[BIL_REL_EQUAL] += skipped;
            f->total.relation[BIL_REL_EQUAL] += skipped;
        }
        int got = bil_align(f->columns, f->count, out->items);
        for (size_t i = 0; i < f->count && got < 0; i++)
            if (f->columns[i].error) {
                f->damaged = (int)i;
                f->error = -got;
            }
        if (got != 1) {
            f->before = f->current;
            f->group[0] = '\0';
            return 0;
        }
        for (size_t i = 0; !out->item; i++)
            out->item = out->items[i];
        if (is_beyond(f, out))
            continue;
        judge(f, out);
        if (filter_is_set(&f->filter) && !filter_passes(&f->filter, out->id, out->item->cls, out->weight)) {
            offer(f, out);
            continue;
        }
        enter_group(f, out);
        add(&f->current, out, f->count);
        add(&f->total, out, f->count);
        return 1;
    }
}

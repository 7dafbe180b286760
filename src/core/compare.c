#include "bilancia/compare.h"

#include <string.h>

#include "bytes.h"
#include "json.h"
#include "require.h"

static int image_next(void *ctx, bil_item *item)
{
    bil_image_source *source = ctx;
    for (; source->at < source->image->description->count; source->at++)
        if (source->image->state[source->at] != BIL_ABSENT) {
            bil_image_item(source->image, source->at++, item);
            return 1;
        }
    return 0;
}

bil_source bil_image_as_source(bil_image_source *state, const bil_image *image)
{
    require(state && image);
    *state = (bil_image_source){image, 0};
    return (bil_source){image_next, state};
}

/* Does it say what its bits mean? A writer that can't format a float says null. */
static bool says_value(const bil_item *item)
{
    return item->value.length && item->value.text[0] != 'n';
}

static bool same_bits(const bil_item *a, const bil_item *b)
{
    return a->size == b->size && memcmp(a->raw, b->raw, a->size) == 0;
}

static bool tolerated(const bil_item *a, const bil_item *b, const bil_description *description)
{
    int32_t index = description ? bil_description_find(description, a->id.text, a->id.length) : -1;
    const bil_format *format = index < 0 ? NULL : description->params[index].format;
    if (!format || format->type != a->type || format->size != a->size || a->size != b->size)
        return false;
    uint8_t kept[2][BIL_TEXT_MAX];
    bil_value_rounded(format, a->raw, kept[0]);
    bil_value_rounded(format, b->raw, kept[1]);
    if (memcmp(kept[0], kept[1], a->size) == 0)
        return true;
    return bil_value_near(format, a->raw, b->raw);
}

bil_relation bil_relate(const bil_item *left, const bil_item *right, const bil_description *description)
{
    require(left || right);
    if (!left || !right)
        return left ? BIL_REL_ONLY_LEFT : BIL_REL_ONLY_RIGHT;
    if (left->type != right->type || left->cls != right->cls || !bil_str_equal(left->unit, right->unit))
        return BIL_REL_NOT_COMPARABLE;
    if (left->unreadable || right->unreadable)
        return BIL_REL_UNREADABLE;
    bool same = same_bits(left, right);
    bool may_be_scaled = left->type != BIL_TEXT && !bil_type_is_float(left->type);
    if (may_be_scaled && says_value(left) && says_value(right) && same != bil_str_equal(left->value, right->value))
        return BIL_REL_NOT_COMPARABLE;
    if (same)
        return BIL_REL_EQUAL;
    return tolerated(left, right, description) ? BIL_REL_WITHIN : BIL_REL_CHANGED;
}

bool bil_meant_to_differ(bil_class cls, bool same_unit)
{
    return cls == BIL_CLASS_UNIT || (!same_unit && (cls == BIL_CLASS_PLACE || cls == BIL_CLASS_CALIBRATION));
}

int bil_source_prove(bil_source source)
{
    bil_item item;
    int got;
    do
        got = source.next(source.ctx, &item);
    while (got == 1);
    return -got;
}

int bil_align(bil_column *columns, size_t count, const bil_item **row)
{
    require(columns && row);
    const bil_item *first = NULL;
    for (size_t i = 0; i < count; i++) {
        bil_column *c = &columns[i];
        if (!c->have && !c->done) {
            int got = c->source.next(c->source.ctx, &c->item);
            if (got < 0)
                return c->error = got;
            c->have = got == 1;
            c->done = got == 0;
        }
        if (c->have && (!first || bil_str_order(c->item.id, first->id) < 0))
            first = &c->item;
    }
    for (size_t i = 0; first && i < count; i++) {
        bil_column *c = &columns[i];
        bool there = c->have && bil_str_order(c->item.id, first->id) == 0;
        row[i] = there ? &c->item : NULL;
        c->have = c->have && !there;
    }
    return first != NULL;
}

void bil_compare_init(bil_compare *compare, bil_source left, bil_source right)
{
    require(compare && left.next && right.next);
    memset(compare, 0, sizeof *compare);
    compare->column[0].source = left;
    compare->column[1].source = right;
}

int bil_compare_next(bil_compare *compare, bil_difference *difference)
{
    require(compare && difference);
    bil_column *left = &compare->column[0], *right = &compare->column[1];
    if (compare->skip.equal && !left->have && !right->have && !left->done && !right->done)
        compare->count[BIL_REL_EQUAL] += compare->skip.equal(compare->skip.ctx);
    const bil_item *row[2];
    int got = bil_align(compare->column, 2, row);
    if (got != 1)
        return got;
    bil_relation relation = bil_relate(row[0], row[1], compare->description);
    bool apart = relation > BIL_REL_WITHIN && bil_meant_to_differ((row[0] ? row[0] : row[1])->cls, compare->same_unit);
    *difference = (bil_difference){relation, row[0], row[1], apart};
    compare->count[relation]++;
    return 1;
}

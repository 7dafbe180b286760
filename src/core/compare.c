#include "bilancia/compare.h"

#include <string.h>

#include "require.h"

static const char *const names[BIL_RELATION_COUNT] = {
#define NAME(NAME_, name, mark, text) name,
    BIL_RELATIONS(NAME)
#undef NAME
};

static const char *const marks[BIL_RELATION_COUNT] = {
#define MARK(NAME_, name, mark, text) mark,
    BIL_RELATIONS(MARK)
#undef MARK
};

const char *bil_relation_name(bil_relation relation)
{
    return names[relation];
}

const char *bil_relation_mark(bil_relation relation)
{
    return marks[relation];
}

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

void bil_compare_init(bil_compare *compare, bil_source left, bil_source right)
{
    require(compare && left.next && right.next);
    memset(compare, 0, sizeof *compare);
    compare->source[0] = left;
    compare->source[1] = right;
}

static int by_id(const bil_item *a, const bil_item *b)
{
    size_t shorter = a->id.length < b->id.length ? a->id.length : b->id.length;
    int order = memcmp(a->id.text, b->id.text, shorter);
    return order ? order : (a->id.length > b->id.length) - (a->id.length < b->id.length);
}

static bil_relation relate(const bil_item *a, const bil_item *b)
{
    if (a->type != b->type || a->cls != b->cls)
        return BIL_REL_NOT_COMPARABLE;
    if (a->unreadable || b->unreadable)
        return BIL_REL_UNREADABLE;
    return a->size == b->size && memcmp(a->raw, b->raw, a->size) == 0 ? BIL_REL_EQUAL : BIL_REL_CHANGED;
}

int bil_compare_next(bil_compare *compare, bil_difference *difference)
{
    require(compare && difference);
    if (compare->skip.equal && !compare->have[0] && !compare->have[1] && !compare->done[0] && !compare->done[1])
        compare->count[BIL_REL_EQUAL] += compare->skip.equal(compare->skip.ctx);
    for (uint8_t side = 0; side < 2; side++) {
        if (compare->have[side] || compare->done[side])
            continue;
        int got = compare->source[side].next(compare->source[side].ctx, &compare->item[side]);
        if (got < 0) {
            compare->failed_side = side;
            return got;
        }
        compare->have[side] = got == 1;
        compare->done[side] = got == 0;
    }
    if (!compare->have[0] && !compare->have[1])
        return 0;
    int order = !compare->have[1] ? -1 : !compare->have[0] ? 1 : by_id(&compare->item[0], &compare->item[1]);
    *difference = (bil_difference){
        .relation = order < 0   ? BIL_REL_ONLY_LEFT
                    : order > 0 ? BIL_REL_ONLY_RIGHT
                                : relate(&compare->item[0], &compare->item[1]),
        .left = order <= 0 ? &compare->item[0] : NULL,
        .right = order >= 0 ? &compare->item[1] : NULL,
    };
    compare->have[0] = compare->have[0] && order > 0;
    compare->have[1] = compare->have[1] && order < 0;
    compare->count[difference->relation]++;
    return 1;
}

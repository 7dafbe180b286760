/* bilancia/compare.h - two streams of items, both sorted by id, merged in constant memory. */
#ifndef BILANCIA_COMPARE_H
#define BILANCIA_COMPARE_H

#include "bilancia/set.h"

/* A source of items in rising order of their ids. `next` returns 1 with an item whose strings stay good
 * until the next call, 0 at the end, or minus a bil_error. */
typedef struct bil_source {
    int (*next)(void *ctx, bil_item *item);
    void *ctx;
} bil_source;

/* An image as a source: every parameter that is present or unreadable. */
typedef struct bil_image_source {
    const bil_image *image;
    uint16_t at;
} bil_image_source;
bil_source bil_image_as_source(bil_image_source *state, const bil_image *image);

/* X(NAME, "name", "mark", "text") */
/* clang-format off */
#define BIL_RELATIONS(X) \
    X(EQUAL, "equal", "=", "equal") \
    X(CHANGED, "changed", "≠", "changed") \
    X(ONLY_LEFT, "only_left", "‹", "only on the left") \
    X(ONLY_RIGHT, "only_right", "›", "only on the right") \
    X(UNREADABLE, "unreadable", "?", "could not be read") \
    X(NOT_COMPARABLE, "not_comparable", "!", "not comparable: another type")
/* clang-format on */

typedef enum bil_relation {
#define BIL_RELATION_ENUM(NAME, name, mark, text) BIL_REL_##NAME,
    BIL_RELATIONS(BIL_RELATION_ENUM)
#undef BIL_RELATION_ENUM
        BIL_RELATION_COUNT
} bil_relation;

const char *bil_relation_name(bil_relation relation);
const char *bil_relation_mark(bil_relation relation);

typedef struct bil_difference {
    bil_relation relation;
    const bil_item *left, *right; /* NULL on the side that doesn't have it */
} bil_difference;

/* Steps over parameters that are equal on both sides and returns how many; called only while both sides stand before
 * their next item. With it, equal parameters are counted but not all of them are given. */
typedef struct bil_skip {
    uint32_t (*equal)(void *ctx);
    void *ctx;
} bil_skip;

typedef struct bil_compare {
    bil_source source[2];
    bil_skip skip; /* may be set after bil_compare_init */
    bil_item item[2];
    uint8_t have[2], done[2];
    uint8_t failed_side; /* 0 left, 1 right, when bil_compare_next failed */
    uint32_t count[BIL_RELATION_COUNT];
} bil_compare;

void bil_compare_init(bil_compare *compare, bil_source left, bil_source right);
/* 1 with the next parameter, equal ones too; 0 at the end; minus a bil_error. */
int bil_compare_next(bil_compare *compare, bil_difference *difference);

#endif

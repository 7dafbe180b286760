/* bilancia/compare.h - streams of items, each sorted by id, laid side by side in constant memory.
 *
 * bil_compare is for two, and says how they relate; bil_align is for any number.
 *
 * Thread rules: a comparison belongs to one thread at a time; all else is pure. */
#ifndef BILANCIA_COMPARE_H
#define BILANCIA_COMPARE_H

#include "bilancia/set.h"

#ifdef __cplusplus
extern "C" {
#endif

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
    X(WITHIN, "within", "≈", "within what the description tolerates or the device rounds") \
    X(CHANGED, "changed", "≠", "changed") \
    X(ONLY_LEFT, "only_left", "‹", "only on the left") \
    X(ONLY_RIGHT, "only_right", "›", "only on the right") \
    X(MISSING, "missing", "◦", "missing on some sides") \
    X(UNREADABLE, "unreadable", "?", "could not be read") \
    X(NOT_COMPARABLE, "not_comparable", "!", "not comparable: another type, unit of measure or scale")
/* clang-format on */

/* How the items of one id relate. */
typedef enum bil_relation {
#define BIL_RELATION_ENUM(NAME, name, mark, text) BIL_REL_##NAME,
    BIL_RELATIONS(BIL_RELATION_ENUM)
#undef BIL_RELATION_ENUM
        BIL_RELATION_COUNT
} bil_relation;

/* (MISSING is for more than two sides; see BIL_REL_ONLY_LEFT and _RIGHT for two.) */

/* How two items of one id relate; BIL_REL_ONLY_LEFT or _RIGHT where one is NULL, not both. Types, classes and units of
 * measure must be the same, and where both say what their bits mean, the same bits must mean the same. `description`
 * tells what is tolerated and rounded; NULL: nothing is. */
bil_relation bil_relate(const bil_item *left, const bil_item *right, const bil_description *description);

/* Does a value of this class differ between two units by its nature: what belongs to the unit, and between two units in
 * two places their places and calibrations? Such a difference is none of the work. */
bool bil_meant_to_differ(bil_class cls, bool same_unit);

/* Takes a source to its end: BIL_OK when everything in it is whole, else the error. A set is proved by its last line
 * alone: whoever must not tell a difference before that is sure takes both sides to their ends once, and then compares
 * from their beginnings. */
int bil_source_prove(bil_source source);

/* One of the streams. Zero but for its source at the start. */
typedef struct bil_column {
    bil_source source;
    bil_item item;
    uint8_t have, done;
    int error; /* minus a bil_error, after it failed */
} bil_column;

/* The next id that any of the columns has: row[i] is the item of column i, or NULL where it hasn't got it. 1, 0 at the
 * end, or minus the bil_error of a column that failed; that column may then be marked done, and the rest goes on. The
 * items stay good until the next call. */
int bil_align(bil_column *columns, size_t count, const bil_item **row);

/* One id, as bil_compare_next tells it. */
typedef struct bil_difference {
    bil_relation relation;
    const bil_item *left, *right; /* NULL on the side that doesn't have it */
    bool apart;                   /* neither equal nor within what is tolerated, but meant to differ */
} bil_difference;

/* Steps over parameters that are equal on both sides and returns how many; called only while both sides stand before
 * their next item. With it, equal parameters are counted but not all of them are given. */
typedef struct bil_skip {
    uint32_t (*equal)(void *ctx);
    void *ctx;
} bil_skip;

/* A comparison in progress, in the caller's memory. */
typedef struct bil_compare {
    bil_column column[2];               /* 0 left, 1 right; their errors tell which one failed */
    bil_skip skip;                      /* may be set after bil_compare_init */
    const bil_description *description; /* may be set after bil_compare_init; see bil_relate */
    bool same_unit;                     /* both are of one unit: may be set after bil_compare_init; see `apart` */
    uint32_t count[BIL_RELATION_COUNT];
} bil_compare;

/* Begins; nothing of either source is asked for yet. */
void bil_compare_init(bil_compare *compare, bil_source left, bil_source right);
/* 1 with the next parameter, equal ones too; 0 at the end; minus a bil_error. */
int bil_compare_next(bil_compare *compare, bil_difference *difference);

#ifdef __cplusplus
}
#endif

#endif

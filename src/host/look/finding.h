/* What a comparison says of each parameter, for any number of sides up to SIDES_MOST. One side alone is a sheet. */
#ifndef BIL_HOST_LOOK_FINDING_H
#define BIL_HOST_LOOK_FINDING_H

#include "host/base/nearest.h"
#include "host/look/side.h"

enum { SIDES_MOST = 16 };

/* What is looked at; NULL and false: everything. */
typedef struct finding_filter {
    const char *group, *match, *cls;
    int safety;
} finding_filter;

typedef struct finding_counts {
    unsigned relation[BIL_RELATION_COUNT]; /* meant to differ ones only under EQUAL and WITHIN */
    unsigned apart, differing, safety, hold, restart;
    unsigned odd[SIDES_MOST];
} finding_counts;

typedef struct finding {
    bil_relation relation;
    const bil_item *items[SIDES_MOST]; /* NULL on a side that doesn't have it */
    const bil_item *item;              /* the first of them */
    uint32_t odd;                      /* a bit for each side that says something else than the most say; more than two
                                        * sides, else 0 */
    bool differs;                      /* and counts: neither equal, nor within tolerance, nor meant to differ */
    bool apart;                        /* differs, but is meant to between two units */
    uint8_t weight; /* BIL_SAFETY, BIL_NEEDS_HOLD, BIL_NEEDS_RESTART, as far as a description tells */
    bool new_group;
    char id[BIL_ID_MAX + 1], group[BIL_ID_MAX + 1];
} finding;

typedef struct findings {
    side *sides;
    size_t count;
    finding_filter filter;
    const bil_description *description; /* of one of the sides, or NULL */
    bool same_unit;
    finding_counts total;  /* so far */
    finding_counts before; /* of the group that the last finding ended, or, at the end, of the last one */
    int damaged;           /* side that turned out to be damaged, -1: none; what stands before the damage was told */
    int error;             /* why */
    nearest like;          /* of what the filter kept out: the id or group most like the one looked for */
    /* own */
    bil_column columns[SIDES_MOST];
    set_pair pair;
    bil_skip skip;
    finding_counts current;
    char group[BIL_ID_MAX + 1];
} findings;

/* Two sides and nothing to look at alone: equal parameters may be counted without being given (`quick`), but the first
 * of each group is. */
void findings_begin(findings *f, side *sides, size_t count, const finding_filter *filter, bool quick);
/* 1 with the next one, 0 at the end. The items stay good until the next call. */
int findings_next(findings *f, finding *out);

/* Is anything looked at alone? */
bool filter_is_set(const finding_filter *filter);
bool filter_passes(const finding_filter *filter, const char *id, bil_class cls, uint8_t weight);

#endif

/* bilancia/plan.h - which blocks to read, what to write.
 *
 * Thread rules: all functions are pure; the caller owns all memory. */
#ifndef BILANCIA_PLAN_H
#define BILANCIA_PLAN_H

#include "bilancia/image.h"

#ifdef __cplusplus
extern "C" {
#endif

/* Why values are written. */
typedef enum bil_purpose { BIL_RESTORE, BIL_REPLACEMENT, BIL_CLONE, BIL_PURPOSE_COUNT } bil_purpose;

/* May this parameter's value go to a device? setup always; place for restore and replacement; calibration on
 * request, of the unit to the same unit, of the place also to its replacement; nothing else. */
bool bil_plan_goes(const bil_param *param, bil_purpose purpose, bool with_calibration);

/* What requests are for, and what they cost. */
typedef struct bil_request_rule {
    bool write;
    uint8_t bank, copy;    /* as in bil_transfer: values that lie in different places of it share no request */
    uint16_t request_cost; /* of each request, 1 to 65535 */
    uint16_t cell_cost;    /* of each cell in it, gaps too, or of each value where a space has no cells */
} bil_request_rule;

/* Finds the cheapest requests that hold the given parameters, as their spaces let values share one: provably the least
 * sum of costs, against all ways to part them.
 *
 * `items` are indices of parameters by place; with a bank, those of each place of it behind each other. `next[i]`
 * becomes the index of the first item that isn't in the request which begins with item i; so requests are 0, next[0],
 * next[next[0]], ... until `count`. `cost` is working memory; cost[0] ends as the cost of all. Both have count + 1
 * elements. A value of several cells is never split; one that is larger than a request stands alone. `steps`, when not
 * NULL, counts the inner steps: at most count times the cells of a request. */
void bil_plan_requests(const bil_description *description, const uint16_t *items, uint16_t count,
                       const bil_request_rule *rule, uint32_t *cost, uint16_t *next, uint32_t *steps);

/* What decides about one parameter of a write. */
typedef enum bil_write_need {
    BIL_NEED_NOTHING, /* already right */
    BIL_NEED_ROUNDED, /* right but for the rounding that the description declares */
    BIL_NEED_WRITE,   /* differs */
    BIL_NEED_READ,    /* differs as far as known, but the device's value is not known */
    BIL_NEED_FIXED,   /* differs, and the device takes no value for it */
    BIL_NEED_LACKS,   /* the copy should have a value for it and hasn't: BIL_UNREADABLE in `want` */
    BIL_NEED_OUT      /* not wanted, or its class doesn't go there */
} bil_write_need;

/* What is to be done about a parameter, when the device holds `have` and `want` is wanted. */
bil_write_need bil_plan_need(const bil_image *have, const bil_image *want, uint16_t index, bil_purpose purpose,
                             bool with_calibration);

#ifdef __cplusplus
}
#endif

#endif

/* bilancia/rule.h - do the rules between parameters hold?
 *
 * Thread rules: all functions are pure; the caller owns all memory. */
#ifndef BILANCIA_RULE_H
#define BILANCIA_RULE_H

#include "bilancia/plan.h"

#ifdef __cplusplus
extern "C" {
#endif

/* Where values come from: the raw value of a parameter, or NULL where it isn't known. */
typedef struct bil_values {
    const uint8_t *(*raw)(void *ctx, uint16_t index);
    void *ctx;
} bil_values;

/* An image as it is. */
bil_values bil_image_values(const bil_image *image);

/* The device as it will be after a write: what goes of `want`, and `have` for the rest. */
typedef struct bil_outlook {
    const bil_image *have, *want;
    bil_purpose purpose;
    bool with_calibration;
} bil_outlook;
bil_values bil_outlook_values(bil_outlook *outlook);

/* Looks for a broken rule, from number `from` on. Returns its number and the two parameters that disagree, or -1 when
 * all hold. A rule about a value that isn't known holds. O(count^2) of the parameters of a rule. */
int32_t bil_rule_broken(const bil_description *description, bil_values values, uint16_t from, uint16_t params[2]);

#ifdef __cplusplus
}
#endif

#endif

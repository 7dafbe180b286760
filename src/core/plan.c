#include "bilancia/plan.h"

#include <string.h>

#include "bytes.h"
#include "require.h"

bool bil_plan_goes(const bil_param *param, bil_purpose purpose, bool with_calibration)
{
    require(param);
    switch ((bil_class)param->cls) {
    case BIL_CLASS_SETUP:
        return true;
    case BIL_CLASS_PLACE:
        return purpose != BIL_CLONE;
    case BIL_CLASS_CALIBRATION:
        return with_calibration &&
               (purpose == BIL_RESTORE || (purpose == BIL_REPLACEMENT && param->flags & BIL_OF_PLACE));
    default:
        return false;
    }
}

/* May this value be in a request that goes on to `end`, without a gap that nobody may read? */
static bool borders(const bil_description *d, const bil_param *param, uint32_t end, bool write)
{
    return param->at.number <= end || (!write && bil_description_across(d, param->space, end, param->at.number - 1u));
}

/* May they be in one request, as far as the way of writing goes? By the functions for a single cell, or for some bits
 * of one, only what lies in the same one. */
static bool go_together(const bil_param *first, const bil_param *other)
{
    return (first->way | other->way) == BIL_WAY_TOGETHER || first->at.number == other->at.number;
}

/* From the last item back: the cheapest way to hold items i.. is one request i..k and the cheapest way to hold what
 * follows. A request may hold fewer items than fit only because that makes the rest cheaper; all ends are tried, so
 * the sum is the minimum. */
void bil_plan_requests(const bil_description *description, const uint16_t *items, uint16_t count,
                       const bil_request_rule *rule, uint32_t *cost, uint16_t *next, uint32_t *steps)
{
    require(description && rule && cost && next && (items || count == 0));
    const bil_param *params = description->params;
    cost[count] = 0;
    next[count] = count;
    for (uint16_t i = count; i-- > 0;) {
        const bil_param *first = &params[items[i]];
        const bil_space *space = &description->spaces[first->space];
        uint8_t sharing = rule->write ? space->writing : space->reading;
        uint16_t most = rule->write ? space->write_most : space->read_most;
        const bil_bank *bank = bil_description_bank(description, first, rule->bank, rule->copy);
        uint32_t end = first->at.number; /* one past the last cell so far */
        cost[i] = UINT32_MAX;
        for (uint16_t k = i; k < count; k++) {
            const bil_param *param = &params[items[k]];
            if (k > i && (sharing == BIL_SHARE_NONE || param->space != first->space ||
                          (rule->write && !go_together(first, param)) ||
                          bil_description_bank(description, param, rule->bank, rule->copy) != bank ||
                          (sharing == BIL_SHARE_NEIGHBOURS && !borders(description, param, end, rule->write))))
                break;
            end = param->at.number + param->cells;
            uint32_t size = sharing == BIL_SHARE_NEIGHBOURS ? end - first->at.number : k - i + 1u;
            if (k > i && size > most)
                break;
            if (steps)
                ++*steps;
            if (sharing == BIL_SHARE_ANY && k > i) {
                /* requests behind are full but for the first one: the least number for all is had by filling that up */
                if (next[k] - i <= most) {
                    next[i] = next[k];
                    cost[i] = cost[k] + rule->cell_cost;
                }
                break;
            }
            /* of bits, sixteen are a cell */
            uint32_t once = rule->request_cost + (space->bits ? (size + 15) / 16 : size) * rule->cell_cost, sum = once;
            if (space->reach && space->reach->more)
                sum += once * space->reach->more(description, items + i, (uint16_t)(k - i + 1), rule->write);
            sum += cost[k + 1];
            if (sum < cost[i]) {
                cost[i] = sum;
                next[i] = (uint16_t)(k + 1);
            }
        }
    }
}

/* Will the unit have it, once the copy's mode is in force? */
static bool comes_with(const bil_only *only, const bil_image *have, const bil_image *want)
{
    return only->mode_count && only->holds(only, have, want->state[only->mode] == BIL_PRESENT ? want : have);
}

bil_write_need bil_plan_need(const bil_image *have, const bil_image *want, uint16_t index, bil_purpose purpose,
                             bool with_calibration)
{
    require(have && want && index < have->description->count);
    const bil_param *param = &have->description->params[index];
    bool writable = param->flags & BIL_WRITABLE;
    if (want->state[index] == BIL_ABSENT || !bil_plan_goes(param, purpose, with_calibration))
        return BIL_NEED_OUT;
    if (want->state[index] == BIL_UNREADABLE)
        return writable ? BIL_NEED_LACKS : BIL_NEED_OUT;
    if (!writable)
        return have->state[index] == BIL_PRESENT && !bil_image_same(have, want, index) ? BIL_NEED_FIXED : BIL_NEED_OUT;
    if (have->state[index] != BIL_PRESENT && (!param->only || have->state[index] != BIL_ABSENT))
        return BIL_NEED_READ;
    if (have->state[index] != BIL_PRESENT) /* this unit hasn't it, or not in its mode: does the copy bring that? */
        return comes_with(param->only, have, want) ? BIL_NEED_WRITE : BIL_NEED_FIXED;
    if (bil_image_same(have, want, index))
        return BIL_NEED_NOTHING;
    uint8_t rounded[BIL_TEXT_MAX];
    bil_value_rounded(param->format, bil_image_raw(want, index), rounded);
    return memcmp(rounded, bil_image_raw(have, index), param->format->size) == 0 ? BIL_NEED_ROUNDED : BIL_NEED_WRITE;
}

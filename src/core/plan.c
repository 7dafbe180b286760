#include "bilancia/plan.h"

#include <string.h>

#include "require.h"

static const char *const purposes[BIL_PURPOSE_COUNT] = {"restore", "replacement", "clone"};

const char *bil_purpose_name(bil_purpose purpose)
{
    return purposes[purpose];
}

int bil_purpose_from_name(const char *name)
{
    for (int i = 0; i < BIL_PURPOSE_COUNT; i++)
        if (strcmp(purposes[i], name) == 0)
            return i;
    return -1;
}

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

/* From the last item back: the cheapest way to hold items i.. is one block i..k and the cheapest way to hold what
 * follows. A block may hold fewer items than fit only because that makes the rest cheaper; all ends are tried, so
 * the sum is the minimum. */
void bil_plan_blocks(const bil_description *description, const uint16_t *items, uint16_t count,
                     const bil_block_rule *rule, uint32_t *cost, uint16_t *next, uint32_t *steps)
{
    require(description && rule && cost && next && (items || count == 0));
    cost[count] = 0;
    next[count] = count;
    for (uint16_t i = count; i-- > 0;) {
        const bil_param *first = &description->params[items[i]];
        uint32_t end = first->address; /* one past the last cell so far */
        cost[i] = UINT32_MAX;
        for (uint16_t k = i; k < count; k++) {
            const bil_param *param = &description->params[items[k]];
            if (k > i) {
                if (param->space != first->space)
                    break;
                if (param->address > end &&
                    !(rule->across && bil_description_across(description, first->space, end, param->address - 1u)))
                    break;
            }
            end = param->address + (uint32_t)param->cells; /* values never overlap */
            uint32_t cells = end - first->address;
            if (k > i && cells > rule->largest)
                break;
            if (steps)
                ++*steps;
            uint32_t sum = rule->request_cost + cells * rule->cell_cost + cost[k + 1];
            if (sum < cost[i]) {
                cost[i] = sum;
                next[i] = (uint16_t)(k + 1);
            }
        }
    }
}

uint16_t bil_plan_read(const bil_description *description, uint16_t *items)
{
    require(description && items);
    uint16_t count = 0;
    for (uint16_t i = 0; i < description->count; i++) {
        const bil_param *param = &description->params[description->by_address[i]];
        if (param->flags & BIL_READABLE && !bil_class_left_out((bil_class)param->cls))
            items[count++] = description->by_address[i];
    }
    return count;
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
    if (have->state[index] != BIL_PRESENT)
        return BIL_NEED_READ;
    if (bil_image_same(have, want, index))
        return BIL_NEED_NOTHING;
    uint8_t rounded[BIL_TEXT_MAX];
    bil_value_rounded(&param->format, bil_image_raw(want, index), rounded);
    return memcmp(rounded, bil_image_raw(have, index), param->format.size) == 0 ? BIL_NEED_ROUNDED : BIL_NEED_WRITE;
}

uint16_t bil_plan_write(const bil_image *have, const bil_image *want, bil_purpose purpose, bool with_calibration,
                        uint8_t stage, uint16_t *items)
{
    require(have && want && items);
    const bil_description *description = have->description;
    uint16_t count = 0;
    for (uint16_t i = 0; i < description->count; i++) {
        uint16_t index = description->by_address[i];
        if (description->params[index].stage != stage)
            continue;
        bil_write_need need = bil_plan_need(have, want, index, purpose, with_calibration);
        if (need == BIL_NEED_WRITE || need == BIL_NEED_READ)
            items[count++] = index;
    }
    return count;
}

#include "bilancia/rule.h"

#include "require.h"

static const uint8_t *image_raw(void *ctx, uint16_t index)
{
    const bil_image *image = ctx;
    return image->state[index] == BIL_PRESENT ? bil_image_raw(image, index) : NULL;
}

bil_values bil_image_values(const bil_image *image)
{
    require(image);
    return (bil_values){image_raw, (void *)(uintptr_t)image};
}

static const uint8_t *outlook_raw(void *ctx, uint16_t index)
{
    const bil_outlook *o = ctx;
    bil_write_need need = bil_plan_need(o->have, o->want, index, o->purpose, o->with_calibration);
    const bil_image *from = need == BIL_NEED_WRITE || need == BIL_NEED_READ ? o->want : o->have;
    return image_raw((void *)(uintptr_t)from, index);
}

bil_values bil_outlook_values(bil_outlook *outlook)
{
    require(outlook && outlook->have && outlook->want);
    return (bil_values){outlook_raw, outlook};
}

/* The place of a value in the order of its type. */
static bool key_of(const bil_description *d, bil_values values, uint16_t index, uint64_t *key)
{
    const bil_format *format = d->params[index].format;
    const uint8_t *raw = values.raw(values.ctx, index);
    if (raw)
        *key = bil_value_key((bil_type)format->type, raw, format->size);
    return raw != NULL;
}

static bool is_value(const bil_description *d, bil_values values, uint16_t index, uint32_t value, bool unknown)
{
    const uint8_t *raw = values.raw(values.ctx, index);
    return raw ? (uint32_t)bil_value_number(raw, d->params[index].format->size) == value : unknown;
}

static bool two_alike(const bil_description *d, const bil_rule *rule, bil_values values, uint16_t params[2])
{
    uint64_t a, b;
    for (uint16_t i = 0; i < rule->count; i++)
        for (uint16_t k = 0; k < i; k++) {
            bool alike = key_of(d, values, rule->params[k], &a) && key_of(d, values, rule->params[i], &b) && a == b;
            if (alike && !(rule->free && is_value(d, values, rule->params[i], rule->value[0], false))) {
                params[0] = rule->params[k];
                params[1] = rule->params[i];
                return true;
            }
        }
    return false;
}

static bool out_of_order(const bil_description *d, const bil_rule *rule, bil_values values, uint16_t params[2])
{
    uint64_t a, b;
    for (uint16_t i = 1; i < rule->count; i++) {
        params[0] = rule->params[i - 1];
        params[1] = rule->params[i];
        if (key_of(d, values, params[0], &a) && key_of(d, values, params[1], &b) && a > b)
            return true;
    }
    return false;
}

static bool broken(const bil_description *d, const bil_rule *rule, bil_values values, uint16_t params[2])
{
    if (rule->kind == BIL_RULE_UNIQUE)
        return two_alike(d, rule, values, params);
    if (rule->kind == BIL_RULE_ORDER)
        return out_of_order(d, rule, values, params);
    params[0] = rule->params[0];
    params[1] = rule->params[1];
    if (rule->kind == BIL_RULE_ALLOWED)
        return is_value(d, values, params[0], rule->value[0], false) &&
               !is_value(d, values, params[1], rule->value[1], true);
    return is_value(d, values, params[1], rule->value[1], false) &&
           !is_value(d, values, params[0], rule->value[0], true);
}

int32_t bil_rule_broken(const bil_description *description, bil_values values, uint16_t from, uint16_t params[2])
{
    require(description && values.raw && params);
    for (uint16_t i = from; i < description->rule_count; i++)
        if (broken(description, &description->rules[i], values, params))
            return i;
    return -1;
}

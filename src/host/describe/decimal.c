/* Exact decimals: scales, steps, tolerances. */
#include "host/describe/loading.h"

decimal load_want_decimal(load *l, yaml_node_t *node)
{
    const char *text = load_want_text(l, node, 20);
    decimal d = {0, 0};
    bool negative = text[0] == '-', point = false;
    const char *at = text + negative;
    size_t digits = 0;
    for (; *at; at++) {
        if (*at == '.' && !point && digits > 0) {
            point = true;
            continue;
        }
        if (*at < '0' || *at > '9' || ++digits > 15)
            break;
        d.mantissa = d.mantissa * 10 + (*at - '0');
        d.decimals = (uint8_t)(d.decimals + point);
    }
    if (*at || digits == 0 || at[-1] == '.' || d.decimals > DECIMALS_LIMIT)
        load_complain(l, node, "an exact decimal like 0.01 is wanted (at most %d decimals), not \"%s\"", DECIMALS_LIMIT,
                      text);
    if (negative)
        d.mantissa = -d.mantissa;
    return d;
}

static int64_t power_of_ten(unsigned n)
{
    int64_t power = 1;
    while (n-- > 0)
        power *= 10;
    return power;
}

/* With so many decimals more; false where that is too large a number. */
bool decimal_widen(int64_t *mantissa, unsigned decimals)
{
    return !__builtin_mul_overflow(*mantissa, power_of_ten(decimals), mantissa);
}

/* A length such as a step, in raw units. */
uint32_t load_want_raw_length(load *l, yaml_node_t *node, const bil_format *format)
{
    decimal d = load_want_decimal(l, node);
    if (l->bad)
        return 0;
    int64_t size = d.mantissa, mul = format->mul < 0 ? -(int64_t)format->mul : format->mul;
    if (d.decimals > format->decimals && size % power_of_ten(d.decimals - format->decimals) == 0)
        size /= power_of_ten(d.decimals - format->decimals);
    else if (d.decimals > format->decimals || !decimal_widen(&size, format->decimals - d.decimals))
        size = 0;
    if (size <= 0 || size % mul != 0 || size / mul > UINT32_MAX) {
        load_complain(l, node, "this must be a positive multiple of the scale");
        return 0;
    }
    return (uint32_t)(size / mul);
}

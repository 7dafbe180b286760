/* What the bits of a value mean: scale, choices, limits, tolerance. */
#include <stdlib.h>
#include <string.h>

#include "bilancia/host_error.h"
#include "host/base/float_text.h"
#include "host/describe/loading.h"

bool format_is_integer(const bil_format *format)
{
    return format->type >= BIL_U8 && format->type <= BIL_I64; /* in the order of BIL_TYPES */
}

static bool is_power_of_ten(int64_t number)
{
    while (number >= 10 && number % 10 == 0)
        number /= 10;
    return number == 1;
}

void load_scale(load *l, yaml_node_t *map, bil_format *format)
{
    yaml_node_t *scale = load_get(l, map, "scale"), *offset = load_get(l, map, "offset");
    format->mul = 1;
    if (!scale && !offset)
        return;
    bool is_float = bil_type_is_float((bil_type)format->type);
    if (is_float && offset)
        load_complain(l, offset, "a float has no offset");
    else if (!is_float && !format_is_integer(format))
        load_complain(l, scale ? scale : offset, "only numbers can be scaled");
    if (l->bad)
        return;
    decimal s = {1, 0}, o = {0, 0};
    if (scale)
        s = load_want_decimal(l, scale);
    if (offset)
        o = load_want_decimal(l, offset);
    if (l->bad)
        return;
    if (s.mantissa == 0) {
        load_complain(l, scale, "a scale of zero loses every value");
        return;
    }
    uint8_t decimals = s.decimals > o.decimals ? s.decimals : o.decimals;
    int64_t mul = s.mantissa, add = o.mantissa;
    if (!decimal_widen(&mul, decimals - s.decimals) || !decimal_widen(&add, decimals - o.decimals) || mul > INT32_MAX ||
        mul < -INT32_MAX || add > INT32_MAX || add < -INT32_MAX) {
        load_complain(l, scale ? scale : offset, "scale and offset are too large together");
        return;
    }
    if (format->size == 8 && !is_float && (mul != 1 || add != 0)) {
        load_complain(l, scale ? scale : offset,
                      "a 64 bit value takes a scale of 1, 0.1, 0.01 and so on, and no offset");
        return;
    }
    if (is_float && !is_power_of_ten(mul)) {
        load_complain(l, scale, "the scale of a float is a power of ten: 0.001, 100");
        return;
    }
    format->decimals = decimals;
    format->mul = (int32_t)mul;
    format->offset = (int32_t)add;
}

void load_choices(load *l, yaml_node_t *map, bil_format *format)
{
    bool bits = format->type >= BIL_BITS8 && format->type <= BIL_BITS32;
    bool choice = format->type == BIL_CHOICE8 || format->type == BIL_CHOICE16;
    yaml_node_t *node = load_get(l, map, bits ? "bits" : "choices");
    yaml_node_t *wrong = load_get(l, map, bits ? "choices" : "bits");
    if (wrong)
        load_complain(l, wrong, "this type has no %s", bits ? "choices" : "bits");
    if (node && !bits && !choice)
        load_complain(l, node, "this type has no choices");
    if (!node && (bits || choice))
        load_complain(l, map, "\"%s\" is missing here", bits ? "bits" : "choices");
    if (l->bad || !node)
        return;
    load_want_kind(l, node, YAML_MAPPING_NODE);
    size_t count = l->bad ? 0 : (size_t)(node->data.mapping.pairs.top - node->data.mapping.pairs.start);
    if (!l->bad && (count == 0 || count > 256))
        load_complain(l, node, "there must be 1 to 256 of these");
    if (!l->bad)
        load_check_keys(l, node, NULL);
    if (l->bad)
        return;
    bil_choice *choices = load_take(l, count * sizeof *choices);
    long most = bits ? 8L * format->size - 1 : format->size == 1 ? 255 : 65535;
    size_t length = 0;
    for (size_t i = 0; i < count && !l->bad; i++) {
        yaml_node_pair_t *pair = node->data.mapping.pairs.start + i;
        yaml_node_t *name = load_node(l, pair->value);
        choices[i].value = (uint32_t)load_want_number(l, load_node(l, pair->key), 0, most);
        choices[i].name = load_keep(l, load_want_text(l, name, NAME_LIMIT));
        length += strlen(choices[i].name) + 1;
        if (strspn(choices[i].name, "abcdefghijklmnopqrstuvwxyz0123456789_") != strlen(choices[i].name) ||
            !(choices[i].name[0] >= 'a' && choices[i].name[0] <= 'z'))
            load_complain(l, name, "a name here begins with a letter and has only a to z, 0 to 9 and _");
        for (size_t k = 0; k < i && !l->bad; k++)
            if (choices[k].value == choices[i].value || strcmp(choices[k].name, choices[i].name) == 0)
                load_complain(l, name, "this name or value stands here twice");
    }
    if (bits && length > BIL_VALUE_TEXT - 16)
        load_complain(l, node, "the names of all bits together are longer than %d bytes", BIL_VALUE_TEXT - 16);
    format->choices = choices;
    format->choice_count = (uint16_t)count;
}

bool load_is_bound(const yaml_node_t *node)
{
    return node && node->type == YAML_SCALAR_NODE && node_text(node)[0] >= 'a' && node_text(node)[0] <= 'z';
}

yaml_node_t *load_limit(load *l, yaml_node_t *map, int side)
{
    yaml_node_t *limits = load_get(l, map, "limits");
    return limits && limits->type == YAML_SEQUENCE_NODE ? load_node(l, limits->data.sequence.items.start[side]) : NULL;
}

/* The largest or smallest that there is, as a key; of floats, that is finite. */
static uint64_t extreme_key(const bil_format *format, bool high)
{
    uint8_t raw[8];
    bool is_signed = bil_type_is_signed((bil_type)format->type);
    memset(raw, high ? 0xff : 0, sizeof raw);
    if (bil_type_is_float((bil_type)format->type)) {
        raw[0] = high ? 0x7f : 0xff;
        raw[1] = format->size == 4 ? 0x7f : 0xef;
        memset(raw + 2, 0xff, sizeof raw - 2);
    } else if (is_signed) {
        raw[0] ^= 0x80;
    }
    return bil_value_key((bil_type)format->type, raw, format->size);
}

static uint64_t load_want_key(load *l, yaml_node_t *node, const bil_format *format, bool high)
{
    uint8_t raw[BIL_TEXT_MAX];
    if (load_is_bound(node)) /* another parameter, see load_bounds */
        return extreme_key(format, high != (format->mul < 0));
    const char *text = load_want_text(l, node, 40);
    int error = l->bad ? 0 : bil_value_parse(format, text, strlen(text), &host_floats, raw);
    if (error)
        load_complain(l, node, "%s", bil_host_error_text(error));
    return l->bad ? 0 : bil_value_key((bil_type)format->type, raw, format->size);
}

void load_limits(load *l, yaml_node_t *map, bil_format *format)
{
    yaml_node_t *limits = load_get(l, map, "limits"), *step = load_get(l, map, "step"),
                *rounds = load_get(l, map, "rounds");
    bool numeric = format_is_integer(format) || bil_type_is_float((bil_type)format->type);
    if (limits) {
        load_want_kind(l, limits, YAML_SEQUENCE_NODE);
        if (!l->bad && (!numeric || limits->data.sequence.items.top - limits->data.sequence.items.start != 2))
            load_complain(l, limits, "limits are [lowest, highest], of a number");
        if (l->bad)
            return;
        uint64_t a = load_want_key(l, load_node(l, limits->data.sequence.items.start[0]), format, false);
        uint64_t b = load_want_key(l, load_node(l, limits->data.sequence.items.start[1]), format, true);
        bool turned = format->mul < 0; /* a negative scale turns the order round */
        format->low = turned ? b : a;
        format->high = turned ? a : b;
        format->limited = true;
        if (!l->bad && format->low > format->high)
            load_complain(l, limits, "the lower limit comes first");
    }
    if (step) {
        if (!limits || !format_is_integer(format))
            load_complain(l, step, "a step needs limits, and a whole number underneath");
        else if (load_is_bound(load_limit(l, map, 0)))
            load_complain(l, step, "steps count from the lowest value, which has to be a number for that");
        else
            format->step = load_want_raw_length(l, step, format);
    }
    if (rounds && !l->bad) {
        static const char *const keys[] = {"to", "how", NULL};
        static const char *const how[] = {"nearest", "down", "up", NULL};
        load_check_keys(l, rounds, keys);
        yaml_node_t *to = l->bad ? NULL : load_need(l, rounds, "to");
        yaml_node_t *which = l->bad ? NULL : load_need(l, rounds, "how");
        if (l->bad)
            return;
        if (!format_is_integer(format) || format->offset != 0)
            load_complain(l, rounds, "rounding is for whole numbers without offset");
        format->round_to = load_want_raw_length(l, to, format);
        format->rounding = (uint8_t)(load_want_name(l, which, how) + 1);
    }
}

/* For a float a share of the larger value, in per cent; kept in 1/100000. */
static uint32_t load_want_share(load *l, yaml_node_t *node, const bil_format *format)
{
    char text[24];
    snprintf(text, sizeof text, "%s", load_want_text(l, node, 20));
    size_t length = strlen(text);
    int64_t part = 0;
    char *end = text;
    if (length > 1 && text[length - 1] == '%') {
        text[length - 1] = '\0';
        part = strtoll(text, &end, 10) * 1000;
        int64_t unit = 100;
        if (*end == '.')
            for (end++; *end >= '0' && *end <= '9' && unit; end++, unit /= 10)
                part += (*end - '0') * unit;
    }
    if (end == text || *end || part <= 0 || part > 10000 || format->size != 4) {
        load_complain(l, node, "the tolerance of an f32 is a share from 0.001%% to 10%%");
        return 0;
    }
    return (uint32_t)part;
}

void load_tolerance(load *l, yaml_node_t *map, bil_format *format)
{
    yaml_node_t *tolerance = load_get(l, map, "tolerance");
    if (!tolerance)
        return;
    if (format_is_integer(format))
        format->tolerance = load_want_raw_length(l, tolerance, format);
    else if (bil_type_is_float((bil_type)format->type))
        format->tolerance = load_want_share(l, tolerance, format);
    else
        load_complain(l, tolerance, "only numbers have a tolerance");
}

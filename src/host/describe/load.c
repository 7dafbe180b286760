/* The loader works through the document key by key; every key it doesn't know is an error at its place. It never
 * follows the document's own nesting, so anchors and aliases can't make it run away. */
#include "host/describe/load.h"

#include <errno.h>
#include <stdarg.h>
#include <stdlib.h>
#include <string.h>
#include <yaml.h>

#include "bilancia/host_error.h"
#include "host/base/arena.h"
#include "host/base/float_text.h"
#include "port/digest.h"
#include "port/storage.h"

enum { FILE_LIMIT = 8 << 20, DECIMALS_LIMIT = 9, NAME_LIMIT = 31 };

typedef struct load {
    yaml_document_t document;
    const char *path;
    char *why;
    size_t why_size;
    arena *memory;
    bil_description *table;
    bil_param *params;
    yaml_node_t **nodes; /* of the parameters, in the order of params */
    uint8_t order;       /* the model's usual cell order */
    bool bad;
} load;

/* ---- errors and nodes ---- */

static void complain_at(load *l, yaml_mark_t mark, const char *format, va_list list)
{
    if (l->bad)
        return; /* the first one counts */
    l->bad = true;
    int used = snprintf(l->why, l->why_size, "%s:%zu:%zu: ", l->path, mark.line + 1, mark.column + 1);
    if (used > 0 && (size_t)used < l->why_size)
        vsnprintf(l->why + used, l->why_size - (size_t)used, format, list);
}

__attribute__((format(printf, 3, 4))) static void complain(load *l, const yaml_node_t *node, const char *format, ...)
{
    va_list list;
    va_start(list, format);
    complain_at(l, node->start_mark, format, list);
    va_end(list);
}

static yaml_node_t *node_at(load *l, int index)
{
    return yaml_document_get_node(&l->document, index);
}

static const char *text_of(const yaml_node_t *node)
{
    return (const char *)node->data.scalar.value;
}

static const char *want_text(load *l, yaml_node_t *node, size_t most)
{
    if (node->type != YAML_SCALAR_NODE) {
        complain(l, node, "a single value is wanted here");
        return "";
    }
    if (node->data.scalar.length > most || strlen(text_of(node)) != node->data.scalar.length)
        complain(l, node, "this text is longer than %zu bytes", most);
    else if (!bil_text_is_printable(text_of(node), node->data.scalar.length))
        complain(l, node, "this text has characters that can't be printed");
    else if (strpbrk(text_of(node), "\"\\"))
        complain(l, node, "quotes and backslashes can't stand here"); /* so that set files never need to escape it */
    return text_of(node);
}

static long want_number(load *l, yaml_node_t *node, long low, long high)
{
    const char *text = want_text(l, node, 20);
    char *end;
    errno = 0;
    long number = strtol(text, &end, 0);
    if (*text == '\0' || *end || errno || number < low || number > high)
        complain(l, node, "a whole number from %ld to %ld is wanted, not \"%s\"", low, high, text);
    return l->bad ? low : number;
}

static bool want_yes(load *l, yaml_node_t *node)
{
    const char *text = want_text(l, node, 8);
    if (strcmp(text, "yes") != 0 && strcmp(text, "no") != 0)
        complain(l, node, "yes or no is wanted, not \"%s\"", text);
    return text[0] == 'y';
}

static void want_kind(load *l, yaml_node_t *node, yaml_node_type_t type)
{
    if (node->type != type)
        complain(l, node,
                 type == YAML_MAPPING_NODE ? "a mapping (key: value) is wanted here" : "a list is wanted here");
}

/* Which of these names is it? `names` ends with NULL. */
static int want_name(load *l, yaml_node_t *node, const char *const *names)
{
    const char *text = want_text(l, node, NAME_LIMIT);
    for (int i = 0; names[i]; i++)
        if (strcmp(names[i], text) == 0)
            return i;
    char all[200] = "";
    for (int i = 0; names[i]; i++) {
        size_t used = strlen(all);
        snprintf(all + used, sizeof all - used, "%s%s", i ? ", " : "", names[i]);
    }
    complain(l, node, "\"%s\" is none of: %s", text, all);
    return 0;
}

/* The value of a key, or NULL. Looks at every key and complains of unknown and doubled ones when given `keys`. */
static yaml_node_t *get(load *l, yaml_node_t *map, const char *key)
{
    for (yaml_node_pair_t *pair = map->data.mapping.pairs.start; pair < map->data.mapping.pairs.top; pair++) {
        yaml_node_t *name = node_at(l, pair->key);
        if (name->type == YAML_SCALAR_NODE && strcmp(text_of(name), key) == 0)
            return node_at(l, pair->value);
    }
    return NULL;
}

static yaml_node_t *need_key(load *l, yaml_node_t *map, const char *key)
{
    yaml_node_t *node = get(l, map, key);
    if (!node)
        complain(l, map, "\"%s\" is missing here", key);
    return node;
}

/* `keys`: the known ones, ends with NULL. */
static void check_keys(load *l, yaml_node_t *map, const char *const *keys)
{
    want_kind(l, map, YAML_MAPPING_NODE);
    for (yaml_node_pair_t *pair = map->data.mapping.pairs.start; !l->bad && pair < map->data.mapping.pairs.top;
         pair++) {
        yaml_node_t *name = node_at(l, pair->key);
        const char *text = want_text(l, name, BIL_ID_MAX);
        for (yaml_node_pair_t *other = map->data.mapping.pairs.start; !l->bad && other < pair; other++)
            if (strcmp(text, text_of(node_at(l, other->key))) == 0)
                complain(l, name, "\"%s\" stands here twice", text);
        bool known = !keys;
        for (int i = 0; keys && keys[i] && !known; i++)
            known = strcmp(keys[i], text) == 0;
        if (!known)
            complain(l, name, "\"%s\" is no key that belongs here", text);
    }
}

static const char *keep(load *l, const char *text)
{
    return arena_text(l->memory, text, strlen(text));
}

/* ---- decimals ---- */

typedef struct decimal {
    int64_t mantissa;
    uint8_t decimals;
} decimal;

static decimal want_decimal(load *l, yaml_node_t *node)
{
    const char *text = want_text(l, node, 20);
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
        complain(l, node, "an exact decimal like 0.01 is wanted (at most %d decimals), not \"%s\"", DECIMALS_LIMIT,
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
static bool widen(int64_t *mantissa, unsigned decimals)
{
    return !__builtin_mul_overflow(*mantissa, power_of_ten(decimals), mantissa);
}

/* A length such as a step, in raw units. */
static uint32_t want_raw_length(load *l, yaml_node_t *node, const bil_format *format)
{
    decimal d = want_decimal(l, node);
    if (l->bad)
        return 0;
    int64_t size = d.mantissa, mul = format->mul < 0 ? -(int64_t)format->mul : format->mul;
    if (d.decimals > format->decimals && size % power_of_ten(d.decimals - format->decimals) == 0)
        size /= power_of_ten(d.decimals - format->decimals);
    else if (d.decimals > format->decimals || !widen(&size, format->decimals - d.decimals))
        size = 0;
    if (size <= 0 || size % mul != 0 || size / mul > UINT32_MAX) {
        complain(l, node, "this must be a positive multiple of the scale");
        return 0;
    }
    return (uint32_t)(size / mul);
}

/* ---- one parameter ---- */

static bool is_integer(const bil_format *format)
{
    return format->type >= BIL_U8 && format->type <= BIL_I64;
}

static void load_scale(load *l, yaml_node_t *map, bil_format *format)
{
    yaml_node_t *scale = get(l, map, "scale"), *offset = get(l, map, "offset");
    format->mul = 1;
    if (!scale && !offset)
        return;
    if (!is_integer(format)) {
        complain(l, scale ? scale : offset, "only whole numbers can be scaled");
        return;
    }
    decimal s = {1, 0}, o = {0, 0};
    if (scale)
        s = want_decimal(l, scale);
    if (offset)
        o = want_decimal(l, offset);
    if (l->bad)
        return;
    if (s.mantissa == 0) {
        complain(l, scale, "a scale of zero loses every value");
        return;
    }
    uint8_t decimals = s.decimals > o.decimals ? s.decimals : o.decimals;
    int64_t mul = s.mantissa, add = o.mantissa;
    if (!widen(&mul, decimals - s.decimals) || !widen(&add, decimals - o.decimals) || mul > INT32_MAX ||
        mul < -INT32_MAX || add > INT32_MAX || add < -INT32_MAX) {
        complain(l, scale ? scale : offset, "scale and offset are too large together");
        return;
    }
    if (format->size == 8 && (mul != 1 || add != 0)) {
        complain(l, scale ? scale : offset, "a 64 bit value takes a scale of 1, 0.1, 0.01 and so on, and no offset");
        return;
    }
    format->decimals = decimals;
    format->mul = (int32_t)mul;
    format->offset = (int32_t)add;
}

static void load_choices(load *l, yaml_node_t *map, bil_format *format)
{
    bool bits = format->type >= BIL_BITS8 && format->type <= BIL_BITS32;
    bool choice = format->type == BIL_CHOICE8 || format->type == BIL_CHOICE16;
    yaml_node_t *node = get(l, map, bits ? "bits" : "choices");
    yaml_node_t *wrong = get(l, map, bits ? "choices" : "bits");
    if (wrong)
        complain(l, wrong, "this type has no %s", bits ? "choices" : "bits");
    if (node && !bits && !choice)
        complain(l, node, "this type has no choices");
    if (!node && (bits || choice))
        complain(l, map, "\"%s\" is missing here", bits ? "bits" : "choices");
    if (l->bad || !node)
        return;
    want_kind(l, node, YAML_MAPPING_NODE);
    size_t count = l->bad ? 0 : (size_t)(node->data.mapping.pairs.top - node->data.mapping.pairs.start);
    if (!l->bad && (count == 0 || count > 256))
        complain(l, node, "there must be 1 to 256 of these");
    if (!l->bad)
        check_keys(l, node, NULL);
    if (l->bad)
        return;
    bil_choice *choices = arena_take(l->memory, count * sizeof *choices);
    long most = bits ? 8L * format->size - 1 : format->size == 1 ? 255 : 65535;
    size_t length = 0;
    for (size_t i = 0; i < count && !l->bad; i++) {
        yaml_node_pair_t *pair = node->data.mapping.pairs.start + i;
        yaml_node_t *name = node_at(l, pair->value);
        choices[i].value = (uint32_t)want_number(l, node_at(l, pair->key), 0, most);
        choices[i].name = keep(l, want_text(l, name, NAME_LIMIT));
        length += strlen(choices[i].name) + 1;
        if (strspn(choices[i].name, "abcdefghijklmnopqrstuvwxyz0123456789_") != strlen(choices[i].name) ||
            !(choices[i].name[0] >= 'a' && choices[i].name[0] <= 'z'))
            complain(l, name, "a name here begins with a letter and has only a to z, 0 to 9 and _");
        for (size_t k = 0; k < i && !l->bad; k++)
            if (choices[k].value == choices[i].value || strcmp(choices[k].name, choices[i].name) == 0)
                complain(l, name, "this name or value stands here twice");
    }
    if (bits && length > BIL_VALUE_TEXT - 16)
        complain(l, node, "the names of all bits together are longer than %d bytes", BIL_VALUE_TEXT - 16);
    format->choices = choices;
    format->choice_count = (uint16_t)count;
}

static uint64_t want_key(load *l, yaml_node_t *node, const bil_format *format)
{
    uint8_t raw[BIL_TEXT_MAX];
    const char *text = want_text(l, node, 40);
    int error = l->bad ? 0 : bil_value_parse(format, text, strlen(text), &host_floats, raw);
    if (error)
        complain(l, node, "%s", bil_host_error_text(error));
    return l->bad ? 0 : bil_value_key((bil_type)format->type, raw, format->size);
}

static void load_limits(load *l, yaml_node_t *map, bil_format *format)
{
    yaml_node_t *limits = get(l, map, "limits"), *step = get(l, map, "step"), *rounds = get(l, map, "rounds");
    bool numeric = is_integer(format) || bil_type_is_float((bil_type)format->type);
    if (limits) {
        want_kind(l, limits, YAML_SEQUENCE_NODE);
        if (!l->bad && (!numeric || limits->data.sequence.items.top - limits->data.sequence.items.start != 2))
            complain(l, limits, "limits are [lowest, highest], of a number");
        if (l->bad)
            return;
        uint64_t a = want_key(l, node_at(l, limits->data.sequence.items.start[0]), format);
        uint64_t b = want_key(l, node_at(l, limits->data.sequence.items.start[1]), format);
        bool turned = format->mul < 0; /* a negative scale turns the order round */
        format->low = turned ? b : a;
        format->high = turned ? a : b;
        format->limited = true;
        if (!l->bad && format->low > format->high)
            complain(l, limits, "the lower limit comes first");
    }
    if (step) {
        if (!limits || !is_integer(format))
            complain(l, step, "a step needs limits, and a whole number underneath");
        else
            format->step = want_raw_length(l, step, format);
    }
    if (rounds && !l->bad) {
        static const char *const keys[] = {"to", "how", NULL};
        static const char *const how[] = {"nearest", "down", "up", NULL};
        check_keys(l, rounds, keys);
        yaml_node_t *to = l->bad ? NULL : need_key(l, rounds, "to");
        yaml_node_t *which = l->bad ? NULL : need_key(l, rounds, "how");
        if (l->bad)
            return;
        if (!is_integer(format) || format->offset != 0)
            complain(l, rounds, "rounding is for whole numbers without offset");
        format->round_to = want_raw_length(l, to, format);
        format->rounding = (uint8_t)(want_name(l, which, how) + 1);
    }
}

/* For a float a share of the larger value, in per cent; kept in 1/100000. */
static uint32_t want_share(load *l, yaml_node_t *node, const bil_format *format)
{
    char text[24];
    snprintf(text, sizeof text, "%s", want_text(l, node, 20));
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
        complain(l, node, "the tolerance of an f32 is a share from 0.001%% to 10%%");
        return 0;
    }
    return (uint32_t)part;
}

static void load_tolerance(load *l, yaml_node_t *map, bil_format *format)
{
    yaml_node_t *tolerance = get(l, map, "tolerance");
    if (!tolerance)
        return;
    if (is_integer(format))
        format->tolerance = want_raw_length(l, tolerance, format);
    else if (bil_type_is_float((bil_type)format->type))
        format->tolerance = want_share(l, tolerance, format);
    else
        complain(l, tolerance, "only numbers have a tolerance");
}

static uint8_t load_order(load *l, yaml_node_t *map, uint8_t usual)
{
    static const char *const ways[] = {"high_first", "low_first", NULL};
    yaml_node_t *cells = get(l, map, "cell_order"), *bytes = get(l, map, "byte_order");
    uint8_t order = usual;
    if (cells)
        order = (uint8_t)((order & ~BIL_LOW_CELL_FIRST) | (want_name(l, cells, ways) ? BIL_LOW_CELL_FIRST : 0));
    if (bytes)
        order = (uint8_t)((order & ~BIL_LOW_BYTE_FIRST) | (want_name(l, bytes, ways) ? BIL_LOW_BYTE_FIRST : 0));
    return order;
}

static const char *const space_names[] = {"holding", "input", NULL};

static void load_flags(load *l, yaml_node_t *map, bil_param *param)
{
    static const char *const ways[] = {"read", "write", "read_write", NULL};
    static const char *const wants[] = {"hold", "restart", NULL};
    static const char *const owners[] = {"unit", "place", NULL};
    static const uint8_t usual[BIL_CLASS_COUNT] = {3, 3, 3, BIL_READABLE, BIL_WRITABLE, BIL_READABLE, BIL_WRITABLE};
    yaml_node_t *access = get(l, map, "access"), *needs = get(l, map, "needs"), *safety = get(l, map, "safety"),
                *of = get(l, map, "of"), *rights = get(l, map, "rights");
    param->flags = access ? (uint8_t)(want_name(l, access, ways) + 1) : usual[param->cls];
    if (needs) {
        want_kind(l, needs, YAML_SEQUENCE_NODE);
        for (yaml_node_item_t *item = needs->data.sequence.items.start;
             !l->bad && item < needs->data.sequence.items.top; item++)
            param->flags |= want_name(l, node_at(l, *item), wants) ? BIL_NEEDS_RESTART : BIL_NEEDS_HOLD;
    }
    if (safety && want_yes(l, safety))
        param->flags |= BIL_SAFETY;
    if (rights && want_yes(l, rights))
        param->flags |= BIL_ACCESS;
    if (of && param->cls != BIL_CLASS_CALIBRATION)
        complain(l, of, "only a calibration is of the unit or of the place");
    if (of && want_name(l, of, owners))
        param->flags |= BIL_OF_PLACE;
    if (!l->bad && !(param->flags & BIL_READABLE) && !bil_class_left_out((bil_class)param->cls))
        complain(l, map, "a parameter of class %s must be readable, else a write can't be proved",
                 bil_class_name((bil_class)param->cls));
    if (!l->bad && param->space == BIL_INPUT && param->flags & BIL_WRITABLE)
        complain(l, map, "input cells can't be written: say access: read");
}

static void check_id(load *l, yaml_node_t *key)
{
    const char *id = want_text(l, key, BIL_ID_MAX);
    bool start = true, good = *id != '\0';
    for (const char *c = id; *c && good; c++) {
        if (*c == '.')
            good = !start;
        else
            good = (*c >= 'a' && *c <= 'z') || (*c >= '0' && *c <= '9') || *c == '_';
        start = *c == '.';
    }
    if (!good || start)
        complain(l, key, "\"%s\" is no id: words of a to z, 0 to 9 and _, joined by dots", id);
}

static void load_param(load *l, yaml_node_t *key, yaml_node_t *map, bil_param *param)
{
    static const char *const keys[] = {
        "name",   "type",  "class",  "at",         "space",      "unit",      "size",    "scale",  "offset",
        "limits", "step",  "rounds", "choices",    "bits",       "access",    "needs",   "safety", "rights",
        "of",     "stage", "resets", "cell_order", "byte_order", "tolerance", "factory", NULL};
    check_keys(l, map, keys);
    yaml_node_t *name = l->bad ? NULL : need_key(l, map, "name");
    yaml_node_t *type = l->bad ? NULL : need_key(l, map, "type");
    yaml_node_t *cls = l->bad ? NULL : need_key(l, map, "class");
    yaml_node_t *at = l->bad ? NULL : need_key(l, map, "at");
    if (l->bad)
        return;
    yaml_node_t *unit = get(l, map, "unit"), *size = get(l, map, "size"), *space = get(l, map, "space"),
                *stage = get(l, map, "stage");
    param->id = keep(l, text_of(key));
    param->name = keep(l, want_text(l, name, BIL_NAME_MAX));
    param->unit = unit ? keep(l, want_text(l, unit, BIL_UNIT_MAX)) : "";
    const char *type_name = want_text(l, type, NAME_LIMIT), *class_name = want_text(l, cls, NAME_LIMIT);
    int type_number = bil_type_from_name(type_name, strlen(type_name));
    int class_number = bil_class_from_name(class_name, strlen(class_name));
    if (type_number < 0)
        complain(l, type, "\"%s\" is no type", type_name);
    if (class_number < 0)
        complain(l, cls, "\"%s\" is no class", class_name);
    if (l->bad)
        return;
    bil_format *format = &param->format;
    format->type = (uint8_t)type_number;
    param->cls = (uint8_t)class_number;
    format->size = (uint8_t)bil_type_size((bil_type)type_number);
    if (type_number == BIL_TEXT) {
        if (!size)
            complain(l, map, "\"size\" is missing here: the bytes of the text, an even number");
        else if ((format->size = (uint8_t)want_number(l, size, 2, BIL_TEXT_MAX)) % 2 != 0)
            complain(l, size, "a text takes whole cells of two bytes");
    } else if (size) {
        complain(l, size, "only a text has a size");
    }
    if (l->bad)
        return;
    format->order = load_order(l, map, l->order);
    param->space = space ? (uint8_t)want_name(l, space, space_names) : BIL_HOLDING;
    param->cells = (uint8_t)bil_value_cells(format);
    param->address = (uint16_t)want_number(l, at, 0, 65536 - param->cells);
    param->stage = stage ? (uint8_t)want_number(l, stage, 0, 9) : 5;
    load_scale(l, map, format);
    if (!l->bad)
        load_choices(l, map, format);
    if (!l->bad)
        load_limits(l, map, format);
    if (!l->bad)
        load_tolerance(l, map, format);
    if (!l->bad)
        load_flags(l, map, param);
}

/* ---- all parameters ---- */

typedef struct pair_of_nodes {
    yaml_node_t *key, *value;
} pair_of_nodes;

static int by_key(const void *a, const void *b)
{
    const pair_of_nodes *x = a, *y = b;
    return strcmp(text_of(x->key), text_of(y->key));
}

static void load_params(load *l, yaml_node_t *map)
{
    want_kind(l, map, YAML_MAPPING_NODE);
    for (yaml_node_pair_t *pair = map->data.mapping.pairs.start; !l->bad && pair < map->data.mapping.pairs.top; pair++)
        check_id(l, node_at(l, pair->key));
    if (l->bad)
        return;
    size_t count = (size_t)(map->data.mapping.pairs.top - map->data.mapping.pairs.start);
    if (count == 0 || count > BIL_PARAMS_MAX) {
        complain(l, map, "a description has 1 to %d parameters", BIL_PARAMS_MAX);
        return;
    }
    pair_of_nodes *pairs = arena_take(l->memory, count * sizeof *pairs);
    for (size_t i = 0; i < count; i++)
        pairs[i] = (pair_of_nodes){node_at(l, map->data.mapping.pairs.start[i].key),
                                   node_at(l, map->data.mapping.pairs.start[i].value)};
    qsort(pairs, count, sizeof *pairs, by_key);
    l->params = arena_take(l->memory, count * sizeof *l->params);
    l->nodes = arena_take(l->memory, count * sizeof(yaml_node_t *));
    uint32_t raw_at = 0;
    for (size_t i = 0; i < count && !l->bad; i++) {
        if (i > 0 && by_key(&pairs[i - 1], &pairs[i]) == 0)
            complain(l, pairs[i].key, "\"%s\" stands here twice", text_of(pairs[i].key));
        else
            load_param(l, pairs[i].key, pairs[i].value, &l->params[i]);
        l->nodes[i] = pairs[i].value;
        l->params[i].raw_at = (uint16_t)raw_at;
        raw_at += l->params[i].format.size;
        if (raw_at > UINT16_MAX)
            complain(l, pairs[i].key, "all values together take more than %d bytes", UINT16_MAX);
    }
    l->table->params = l->params;
    l->table->count = (uint16_t)count;
    l->table->raw_size = raw_at;
}

static uint16_t want_param(load *l, yaml_node_t *node)
{
    const char *id = want_text(l, node, BIL_ID_MAX);
    int32_t index = l->bad ? -1 : bil_description_find(l->table, id, strlen(id));
    if (index < 0)
        complain(l, node, "there is no parameter \"%s\"", id);
    return index < 0 ? 0 : (uint16_t)index;
}

/* The first parameter whose id begins like this, or comes behind such ones; they are in order. */
static uint32_t first_of(const load *l, const char *begin, size_t length)
{
    uint32_t low = 0, high = l->table->count;
    while (low < high) {
        uint32_t middle = (low + high) / 2;
        if (strncmp(l->params[middle].id, begin, length) < 0)
            low = middle + 1;
        else
            high = middle;
    }
    return low;
}

/* "group.*" stands for all of a group. */
static void load_resets(load *l, uint16_t index)
{
    yaml_node_t *list = get(l, l->nodes[index], "resets");
    if (!list)
        return;
    want_kind(l, list, YAML_SEQUENCE_NODE);
    uint16_t *resets = arena_take(l->memory, 256 * sizeof *resets);
    size_t count = 0;
    for (yaml_node_item_t *item = list->data.sequence.items.start; !l->bad && item < list->data.sequence.items.top;
         item++) {
        yaml_node_t *node = node_at(l, *item);
        const char *text = want_text(l, node, BIL_ID_MAX);
        size_t length = strlen(text), before = count;
        bool group = length > 2 && strcmp(text + length - 2, ".*") == 0;
        int32_t one = group ? -1 : bil_description_find(l->table, text, length);
        if (one >= 0 && one != index && count < 255)
            resets[count++] = (uint16_t)one;
        for (uint32_t i = group ? first_of(l, text, length - 1) : l->table->count;
             i < l->table->count && count < 255 && strncmp(l->params[i].id, text, length - 1) == 0; i++)
            if (i != index)
                resets[count++] = (uint16_t)i;
        if (count == before)
            complain(l, node, "there is no parameter \"%s\"", text);
    }
    if (count >= 255)
        complain(l, list, "at most 254 parameters can be reset by one");
    l->params[index].resets = resets;
    l->params[index].reset_count = (uint8_t)count;
}

/* Values as delivered: one image's worth of raw values, as far as they are named. */
static void load_factory(load *l)
{
    bil_description *d = l->table;
    uint8_t *raw = arena_take(l->memory, d->raw_size), *known = arena_take(l->memory, d->count);
    bool any = false;
    for (uint16_t i = 0; i < d->count && !l->bad; i++) {
        yaml_node_t *node = get(l, l->nodes[i], "factory");
        const bil_param *p = &l->params[i];
        if (!node)
            continue;
        const char *text = want_text(l, node, BIL_TEXT_MAX);
        int error = l->bad ? BIL_OK : bil_value_parse(&p->format, text, strlen(text), &host_floats, raw + p->raw_at);
        if (!l->bad && !error && p->flags & BIL_WRITABLE)
            error = bil_value_check(&p->format, raw + p->raw_at);
        if (error)
            complain(l, node, "%s", bil_host_error_text(error));
        else if (bil_class_left_out((bil_class)p->cls) || p->cls == BIL_CLASS_UNIT)
            complain(l, node, "a parameter of class %s has no factory value", bil_class_name((bil_class)p->cls));
        known[i] = 1;
        any = true;
    }
    d->factory = any ? raw : NULL;
    d->factory_known = any ? known : NULL;
}

static int by_place(const void *a, const void *b, void *params)
{
    const bil_param *x = (const bil_param *)params + *(const uint16_t *)a;
    const bil_param *y = (const bil_param *)params + *(const uint16_t *)b;
    return x->space != y->space ? x->space - y->space : x->address - y->address;
}

static void order_by_address(load *l)
{
    uint16_t *order = arena_take(l->memory, l->table->count * sizeof *order);
    for (uint16_t i = 0; i < l->table->count; i++)
        order[i] = i;
    qsort_r(order, l->table->count, sizeof *order, by_place, l->params);
    for (uint16_t i = 0; i < l->table->count && !l->bad; i++) {
        const bil_param *param = &l->params[order[i]];
        uint16_t most = param->flags & BIL_WRITABLE && l->table->link.write_cells < l->table->link.read_cells
                            ? l->table->link.write_cells
                            : l->table->link.read_cells;
        if (param->cells > most)
            complain(l, l->nodes[order[i]], "%s takes %u cells, more than one request carries", param->id,
                     param->cells);
        if (i == 0)
            continue;
        const bil_param *before = &l->params[order[i - 1]];
        if (before->space == param->space && before->address + before->cells > param->address)
            complain(l, l->nodes[order[i]], "%s and %s lie on the same cell %u", before->id, param->id, param->address);
    }
    l->table->by_address = order;
}

/* ---- link, identity, state ---- */

static uint16_t link_number(load *l, yaml_node_t *map, const char *key, long low, long high, long usual)
{
    yaml_node_t *node = get(l, map, key);
    return (uint16_t)(node ? want_number(l, node, low, high) : usual);
}

static void load_across(load *l, yaml_node_t *list)
{
    static const char *const keys[] = {"space", "cells", NULL};
    want_kind(l, list, YAML_SEQUENCE_NODE);
    size_t count = l->bad ? 0 : (size_t)(list->data.sequence.items.top - list->data.sequence.items.start);
    bil_range *ranges = arena_take(l->memory, (count + 1) * sizeof *ranges);
    for (size_t i = 0; i < count && !l->bad; i++) {
        yaml_node_t *map = node_at(l, list->data.sequence.items.start[i]);
        check_keys(l, map, keys);
        yaml_node_t *cells = l->bad ? NULL : need_key(l, map, "cells");
        if (l->bad)
            return;
        yaml_node_t *space = get(l, map, "space");
        want_kind(l, cells, YAML_SEQUENCE_NODE);
        if (!l->bad && cells->data.sequence.items.top - cells->data.sequence.items.start != 2)
            complain(l, cells, "cells are [first, last]");
        if (l->bad)
            return;
        ranges[i].space = space ? (uint8_t)want_name(l, space, space_names) : BIL_HOLDING;
        ranges[i].first = (uint16_t)want_number(l, node_at(l, cells->data.sequence.items.start[0]), 0, 65535);
        ranges[i].last =
            (uint16_t)want_number(l, node_at(l, cells->data.sequence.items.start[1]), ranges[i].first, 65535);
    }
    l->table->across = ranges;
    l->table->across_count = (uint16_t)count;
}

static void load_link(load *l, yaml_node_t *map)
{
    static const char *const keys[] = {"largest_read", "largest_write", "reply_ms",     "late_ms",
                                       "busy_ms",      "busy_tries",    "request_cost", "cell_cost",
                                       "cell_order",   "byte_order",    "across",       NULL};
    check_keys(l, map, keys);
    if (l->bad)
        return;
    l->table->link = (bil_link_limits){
        .read_cells = link_number(l, map, "largest_read", 1, 125, 125),
        .write_cells = link_number(l, map, "largest_write", 1, 123, 123),
        .reply_ms = link_number(l, map, "reply_ms", 1, 60000, 500),
        .late_ms = link_number(l, map, "late_ms", 1, 60000, 2000),
        .busy_ms = link_number(l, map, "busy_ms", 1, 60000, 200),
        .busy_tries = link_number(l, map, "busy_tries", 0, 1000, 25),
        .request_cost = link_number(l, map, "request_cost", 1, 10000, 1),
        .cell_cost = link_number(l, map, "cell_cost", 0, 10000, 0),
    };
    l->order = load_order(l, map, 0);
    yaml_node_t *across = get(l, map, "across");
    if (across)
        load_across(l, across);
}

static void load_identity(load *l, yaml_node_t *map)
{
    static const char *const keys[] = {"vendor", "model", "hardware", "firmware", "serial", "name", NULL};
    check_keys(l, map, keys);
    for (int i = 0; i < BIL_ID_COUNT && !l->bad; i++) {
        yaml_node_t *node = get(l, map, keys[i]);
        l->table->identity[i] = node ? want_param(l, node) : BIL_NONE;
        if (node && !l->bad && !(l->params[l->table->identity[i]].flags & BIL_READABLE))
            complain(l, node, "this parameter can't be read");
    }
    if (!l->bad && l->table->identity[BIL_ID_MODEL] == BIL_NONE)
        complain(l, map, "\"model\" is missing here");
}

/* A value of a parameter for a procedure: by name for choices and bits, else as people write it. */
static uint32_t want_value(load *l, yaml_node_t *node, uint16_t index)
{
    const bil_format *format = &l->params[index].format;
    const char *text = want_text(l, node, 40);
    uint8_t raw[BIL_TEXT_MAX];
    if (!l->bad && (format->type == BIL_TEXT || format->size > 4))
        complain(l, node, "a procedure takes values of at most 32 bits");
    int error = l->bad ? 0 : bil_value_parse(format, text, strlen(text), &host_floats, raw);
    if (error)
        complain(l, node, "%s", bil_host_error_text(error));
    uint32_t value = 0;
    for (uint8_t i = 0; i < format->size && !l->bad; i++)
        value = value << 8 | raw[i];
    return value;
}

static void load_state(load *l, yaml_node_t *map)
{
    static const char *const keys[] = {"parameter", "held", "idle", NULL};
    check_keys(l, map, keys);
    yaml_node_t *param = l->bad ? NULL : need_key(l, map, "parameter");
    yaml_node_t *held = l->bad ? NULL : need_key(l, map, "held"), *idle = l->bad ? NULL : get(l, map, "idle");
    if (l->bad)
        return;
    l->table->state = want_param(l, param);
    if (!l->bad)
        l->table->state_held = want_value(l, held, l->table->state);
    if (!l->bad && idle)
        want_kind(l, idle, YAML_SEQUENCE_NODE);
    for (yaml_node_item_t *item = idle && !l->bad ? idle->data.sequence.items.start : NULL;
         item && !l->bad && item < idle->data.sequence.items.top; item++) {
        uint32_t value = want_value(l, node_at(l, *item), l->table->state);
        if (!l->bad && (value >= 32 || value == l->table->state_held))
            complain(l, node_at(l, *item),
                     "a state in which the machine stands by itself: below 32, and not the held one");
        l->table->state_idle |= l->bad ? 0 : UINT32_C(1) << value;
    }
}

/* Stages after which the device restarts before the next one. */
static void load_restart_after(load *l, yaml_node_t *list)
{
    want_kind(l, list, YAML_SEQUENCE_NODE);
    for (yaml_node_item_t *item = l->bad ? NULL : list->data.sequence.items.start;
         item && !l->bad && item < list->data.sequence.items.top; item++)
        l->table->restart_after |= (uint16_t)(1 << want_number(l, node_at(l, *item), 0, 9));
}

/* The unit number by which the device is reached on its line: the last thing that a write may change. */
static void load_link_unit(load *l, yaml_node_t *node)
{
    uint16_t index = want_param(l, node);
    if (l->bad)
        return;
    const bil_param *param = &l->params[index];
    l->table->link_unit = index;
    bool number = param->format.type == BIL_U8 || param->format.type == BIL_U16;
    if (!number || param->cls != BIL_CLASS_PLACE || !(param->flags & BIL_WRITABLE))
        complain(l, node, "the unit number of a link is a writable u8 or u16 of the class place");
    for (uint16_t i = 0; i < l->table->count && !l->bad; i++)
        if (l->params[i].stage > param->stage)
            complain(l, node, "%s has a later stage, but the link's own settings are written last", l->params[i].id);
}

static void load_unstored(load *l, yaml_node_t *map)
{
    static const char *const keys[] = {"parameter", "value", NULL};
    check_keys(l, map, keys);
    yaml_node_t *param = l->bad ? NULL : need_key(l, map, "parameter");
    yaml_node_t *value = l->bad ? NULL : need_key(l, map, "value");
    if (l->bad)
        return;
    l->table->unstored = want_param(l, param);
    if (!l->bad)
        l->table->unstored_value = want_value(l, value, l->table->unstored);
}

/* A counter is saved with each copy, so that the next read can tell whether it has moved. */
static void load_changes(load *l, yaml_node_t *node)
{
    l->table->changes = want_param(l, node);
    const bil_param *param = l->bad ? NULL : &l->params[l->table->changes];
    if (param && (param->cls != BIL_CLASS_UNIT || !(param->flags & BIL_READABLE)))
        complain(l, node, "a counter of changes is a readable parameter of the class unit");
}

static size_t want_list(load *l, yaml_node_t *list, size_t most)
{
    want_kind(l, list, YAML_SEQUENCE_NODE);
    size_t count = l->bad ? 0 : (size_t)(list->data.sequence.items.top - list->data.sequence.items.start);
    if (count > most)
        complain(l, list, "there are at most %zu of these", most);
    return count;
}

static const char *const *load_texts(load *l, yaml_node_t *list, size_t most, uint8_t *count)
{
    want_kind(l, list, YAML_SEQUENCE_NODE);
    size_t n = l->bad ? 0 : (size_t)(list->data.sequence.items.top - list->data.sequence.items.start);
    if (!l->bad && (n == 0 || n > 255))
        complain(l, list, "there must be 1 to 255 of these");
    const char **texts = arena_take(l->memory, (n + 1) * sizeof *texts);
    for (size_t i = 0; i < n && !l->bad; i++)
        texts[i] = keep(l, want_text(l, node_at(l, list->data.sequence.items.start[i]), most));
    *count = (uint8_t)n;
    return texts;
}

/* A number of at most 32 bits that can be read. */
static uint16_t want_counter(load *l, yaml_node_t *node)
{
    uint16_t index = want_param(l, node);
    const bil_param *p = l->bad ? NULL : &l->params[index];
    bool number = p && (p->format.type == BIL_U8 || p->format.type == BIL_U16 || p->format.type == BIL_U32);
    if (p && (!number || !(p->flags & BIL_READABLE)))
        complain(l, node, "this is told by a readable u8, u16 or u32");
    return index;
}

/* Values of the unit that tell it from others. */
static const uint16_t *load_unit_list(load *l, yaml_node_t *list, bool grows, uint8_t *count)
{
    enum { MOST = 4 };
    size_t n = want_list(l, list, MOST);
    uint16_t *params = arena_take(l->memory, (n + 1) * sizeof *params);
    for (size_t i = 0; i < n && !l->bad; i++) {
        yaml_node_t *node = node_at(l, list->data.sequence.items.start[i]);
        params[i] = grows ? want_counter(l, node) : want_param(l, node);
        const bil_param *p = l->bad ? NULL : &l->params[params[i]];
        if (p && (p->cls != BIL_CLASS_UNIT || !(p->flags & BIL_READABLE)))
            complain(l, node, "a unit is told by readable values of the class unit");
    }
    *count = (uint8_t)n;
    return params;
}

/* What tells the unit, beside its serial number. */
static void load_unit_shows(load *l, yaml_node_t *map)
{
    static const char *const keys[] = {"same", "grows", "no_serial", NULL};
    check_keys(l, map, keys);
    if (l->bad)
        return;
    yaml_node_t *same = get(l, map, "same"), *grows = get(l, map, "grows"), *none = get(l, map, "no_serial");
    bil_description *d = l->table;
    if (same)
        d->unit_same = load_unit_list(l, same, false, &d->unit_same_count);
    if (grows && !l->bad)
        d->unit_grows = load_unit_list(l, grows, true, &d->unit_grows_count);
    if (none && !l->bad)
        d->no_serial = load_texts(l, none, BIL_TEXT_MAX, &d->no_serial_count);
}

/* What only a restart does. */
static void load_restart_shows(load *l, yaml_node_t *map)
{
    static const char *const keys[] = {"counter", "uptime", "hold_lost", "absent_ms", NULL};
    check_keys(l, map, keys);
    if (l->bad)
        return;
    yaml_node_t *counter = get(l, map, "counter"), *uptime = get(l, map, "uptime"), *lost = get(l, map, "hold_lost"),
                *absent = get(l, map, "absent_ms");
    bil_description *d = l->table;
    if (counter)
        d->starts = want_counter(l, counter);
    if (uptime && !l->bad)
        d->uptime = want_counter(l, uptime);
    d->restart_ends_hold = lost && want_yes(l, lost);
    if (d->restart_ends_hold && !l->bad && (d->restart_keeps_hold || d->state == BIL_NONE))
        complain(l, lost, "a hold that is lost is seen only with a state, and where a restart doesn't keep it");
    d->restart_absent_ms = absent && !l->bad ? (uint32_t)want_number(l, absent, 100, 3600000) : 0;
}

static void load_bank(load *l, yaml_node_t *map, bil_bank *bank)
{
    static const char *const keys[] = {"holds", "copy", "space", "cells", "at", "when", NULL};
    static const char *const kinds[] = {"stored", "factory", "kept", NULL};
    check_keys(l, map, keys);
    yaml_node_t *holds = l->bad ? NULL : need_key(l, map, "holds"), *cells = l->bad ? NULL : need_key(l, map, "cells"),
                *at = l->bad ? NULL : need_key(l, map, "at");
    if (l->bad)
        return;
    yaml_node_t *space = get(l, map, "space"), *copy = get(l, map, "copy"), *when = get(l, map, "when");
    bank->kind = (uint8_t)want_name(l, holds, kinds);
    bank->space = space ? (uint8_t)want_name(l, space, space_names) : BIL_HOLDING;
    bank->when = when ? want_param(l, when) : BIL_NONE;
    if (when && !l->bad && !(l->params[bank->when].flags & BIL_READABLE))
        complain(l, when, "this parameter can't be read");
    if ((bank->kind == BIL_BANK_KEPT) != (copy != NULL))
        complain(l, copy ? copy : map, "copies that the device keeps are numbered with \"copy\", others aren't");
    bank->copy = copy && !l->bad ? (uint8_t)want_number(l, copy, 1, 99) : 0;
    want_kind(l, cells, YAML_SEQUENCE_NODE);
    if (!l->bad && cells->data.sequence.items.top - cells->data.sequence.items.start != 2)
        complain(l, cells, "cells are [first, last]");
    if (l->bad)
        return;
    bank->first = (uint16_t)want_number(l, node_at(l, cells->data.sequence.items.start[0]), 0, 65535);
    bank->last = (uint16_t)want_number(l, node_at(l, cells->data.sequence.items.start[1]), bank->first, 65535);
    bank->at = (uint16_t)want_number(l, at, 0, 65535 - (bank->last - bank->first));
}

static void load_banks(load *l, yaml_node_t *list)
{
    size_t count = want_list(l, list, 255);
    bil_bank *banks = arena_take(l->memory, (count + 1) * sizeof *banks);
    for (size_t i = 0; i < count && !l->bad; i++)
        load_bank(l, node_at(l, list->data.sequence.items.start[i]), &banks[i]);
    l->table->banks = banks;
    l->table->bank_count = (uint8_t)count;
}

/* ---- rules ---- */

/* {parameter: ID, is: VALUE} */
static void load_condition(load *l, yaml_node_t *map, uint16_t *index, uint32_t *value)
{
    static const char *const keys[] = {"parameter", "is", NULL};
    check_keys(l, map, keys);
    yaml_node_t *param = l->bad ? NULL : need_key(l, map, "parameter"), *is = l->bad ? NULL : need_key(l, map, "is");
    if (l->bad)
        return;
    *index = want_param(l, param);
    if (!l->bad)
        *value = want_value(l, is, *index);
}

static bool same_measure(const bil_param *a, const bil_param *b)
{
    return a->format.type == b->format.type && a->format.size == b->format.size && a->format.mul == b->format.mul &&
           a->format.offset == b->format.offset && a->format.decimals == b->format.decimals &&
           strcmp(a->unit, b->unit) == 0;
}

/* A list of parameters that can be held against each other. */
static void load_alike(load *l, yaml_node_t *list, bil_rule *rule)
{
    want_kind(l, list, YAML_SEQUENCE_NODE);
    size_t count = l->bad ? 0 : (size_t)(list->data.sequence.items.top - list->data.sequence.items.start);
    if (!l->bad && (count < 2 || count > 100))
        complain(l, list, "there must be 2 to 100 of these");
    uint16_t *params = arena_take(l->memory, (count + 1) * sizeof *params);
    for (size_t i = 0; i < count && !l->bad; i++) {
        yaml_node_t *node = node_at(l, list->data.sequence.items.start[i]);
        params[i] = want_param(l, node);
        const bil_param *p = l->bad ? NULL : &l->params[params[i]];
        if (p && p->format.type == BIL_TEXT)
            complain(l, node, "a text can't stand in a rule");
        else if (p && !same_measure(p, &l->params[params[0]]))
            complain(l, node, "%s has another type, scale or unit than %s", p->id, l->params[params[0]].id);
        else if (p && rule->kind == BIL_RULE_ORDER &&
                 (!(is_integer(&p->format) || bil_type_is_float((bil_type)p->format.type)) || p->format.mul < 0))
            complain(l, node, "only numbers have an order");
    }
    rule->params = params;
    rule->count = (uint16_t)count;
}

static void load_rule(load *l, yaml_node_t *map, bil_rule *rule)
{
    static const char *const kinds[] = {"unique", "order", "allowed", "required"};
    static const char *const keys[] = {"unique", "order", "allowed", "required", "but", "when", "why", NULL};
    check_keys(l, map, keys);
    yaml_node_t *node = NULL, *but = l->bad ? NULL : get(l, map, "but"), *when = l->bad ? NULL : get(l, map, "when");
    for (uint8_t i = 0; i < 4 && !l->bad; i++) {
        yaml_node_t *one = get(l, map, kinds[i]);
        if (one && node)
            complain(l, one, "a rule says one of unique, order, allowed, required");
        if (one) {
            rule->kind = i;
            node = one;
        }
    }
    if (!l->bad && !node)
        complain(l, map, "a rule says one of unique, order, allowed, required");
    yaml_node_t *why = l->bad ? NULL : need_key(l, map, "why");
    if (l->bad)
        return;
    rule->why = keep(l, want_text(l, why, 160));
    bool pair = rule->kind >= BIL_RULE_ALLOWED;
    if (pair != (when != NULL))
        complain(l, when ? when : map, "\"when\" belongs to allowed and required");
    if (but && rule->kind != BIL_RULE_UNIQUE)
        complain(l, but, "\"but\" belongs to unique");
    if (l->bad)
        return;
    if (!pair) {
        load_alike(l, node, rule);
        if (but && !l->bad)
            rule->value[0] = want_value(l, but, rule->params[0]);
        rule->free = but != NULL;
        return;
    }
    uint16_t *params = arena_take(l->memory, 2 * sizeof *params);
    load_condition(l, node, &params[0], &rule->value[0]);
    if (!l->bad)
        load_condition(l, when, &params[1], &rule->value[1]);
    rule->params = params;
    rule->count = 2;
}

static void load_rules(load *l, yaml_node_t *list)
{
    size_t count = want_list(l, list, 1000);
    bil_rule *rules = arena_take(l->memory, (count + 1) * sizeof *rules);
    for (size_t i = 0; i < count && !l->bad; i++)
        load_rule(l, node_at(l, list->data.sequence.items.start[i]), &rules[i]);
    l->table->rules = rules;
    l->table->rule_count = (uint16_t)count;
}

/* ---- procedures ---- */

static void load_step(load *l, yaml_node_t *map, bil_proc_step *step)
{
    static const char *const kinds[] = {"write", "secret", "until", "wait", "reconnect", "person", NULL};
    static const char *const keys[6][7] = {
        {"write", "value", "repeatable", NULL},
        {"secret", "slot", "repeatable", NULL},
        {"until", "value", "mask", "within_ms", "every_ms", NULL},
        {"wait", NULL},
        {"reconnect", NULL},
        {"person", "within_ms", NULL},
    };
    want_kind(l, map, YAML_MAPPING_NODE);
    if (l->bad)
        return;
    if (map->data.mapping.pairs.start == map->data.mapping.pairs.top) {
        complain(l, map, "an empty step");
        return;
    }
    int kind = want_name(l, node_at(l, map->data.mapping.pairs.start->key), kinds);
    if (!l->bad)
        check_keys(l, map, keys[kind]);
    if (l->bad)
        return;
    yaml_node_t *what = node_at(l, map->data.mapping.pairs.start->value);
    yaml_node_t *value = get(l, map, "value"), *within = get(l, map, "within_ms"), *every = get(l, map, "every_ms"),
                *mask = get(l, map, "mask"), *repeatable = get(l, map, "repeatable");
    step->kind = (uint8_t)kind;
    step->param = BIL_NONE;
    step->repeatable = repeatable && want_yes(l, repeatable);
    step->within_ms = within ? (uint32_t)want_number(l, within, 1, 3600000) : 10000;
    step->every_ms = every ? (uint32_t)want_number(l, every, 1, 60000) : 200;
    step->mask = mask ? (uint32_t)want_number(l, mask, 1, 0xffffffffL) : UINT32_MAX;
    if (kind == BIL_STEP_WRITE || kind == BIL_STEP_UNTIL) {
        step->param = want_param(l, what);
        if (!l->bad && !value)
            complain(l, map, "\"value\" is missing here");
        step->value = l->bad ? 0 : want_value(l, value, step->param);
    } else if (kind == BIL_STEP_SECRET) {
        static const char *const slots[] = {"password", NULL};
        yaml_node_t *slot = need_key(l, map, "slot");
        step->param = want_param(l, what);
        step->value = l->bad ? 0 : (uint32_t)want_name(l, slot, slots) + 1;
        if (!l->bad && l->params[step->param].format.type != BIL_TEXT)
            complain(l, what, "a secret goes into a text");
    } else if (kind == BIL_STEP_PERSON) {
        step->text = keep(l, want_text(l, what, 200));
    } else {
        step->within_ms = (uint32_t)want_number(l, what, 1, 3600000);
    }
    uint8_t flag = kind == BIL_STEP_UNTIL ? BIL_READABLE : BIL_WRITABLE;
    if (!l->bad && step->param != BIL_NONE && !(l->params[step->param].flags & flag))
        complain(l, what, "this parameter can't be %s", flag == BIL_READABLE ? "read" : "written");
}

/* The state to which a procedure leads: a release to one in which the machine stands, a start to one at work. */
static void load_found(load *l, yaml_node_t *map, yaml_node_t *found, bil_procedure *procedure)
{
    bool release = procedure->kind == BIL_PROC_RELEASE, start = procedure->kind == BIL_PROC_START;
    const bil_description *d = l->table;
    if (!l->bad && found && ((!release && !start) || d->state == BIL_NONE))
        complain(l, found, "\"found\" is for a release or a start, and needs a state");
    if (!l->bad && start && !found)
        complain(l, map, "\"found\" is missing here: the state at work to which it leads");
    if (l->bad || !found)
        return;
    procedure->for_state = true;
    procedure->found = want_value(l, found, d->state);
    bool stands = procedure->found < 32 && d->state_idle >> procedure->found & 1;
    if (!l->bad && release && !stands)
        complain(l, found,
                 "a release leads to a state in which the machine stands (\"idle\" of the state); what sets it "
                 "to work is \"start\"");
    if (!l->bad && start && (stands || procedure->found == d->state_held))
        complain(l, found, "a start leads to a state in which the machine is at work");
}

static void load_procedure(load *l, yaml_node_t *map, bil_procedure *procedure)
{
    static const char *const keys[] = {"does", "hardware", "found", "steps", NULL};
    static const char *const kinds[] = {"unlock",  "hold",          "release", "store",
                                        "restart", "factory_reset", "start",   NULL};
    check_keys(l, map, keys);
    yaml_node_t *does = l->bad ? NULL : need_key(l, map, "does");
    yaml_node_t *list = l->bad ? NULL : need_key(l, map, "steps");
    if (l->bad)
        return;
    yaml_node_t *hardware = get(l, map, "hardware"), *found = get(l, map, "found");
    procedure->kind = (uint8_t)want_name(l, does, kinds);
    if (hardware)
        procedure->hardware = keep(l, want_text(l, hardware, NAME_LIMIT));
    if (hardware && !bil_description_names_hardware(l->table, procedure->hardware))
        complain(l, hardware, "this hardware isn't in the list of the description");
    load_found(l, map, found, procedure);
    want_kind(l, list, YAML_SEQUENCE_NODE);
    if (l->bad)
        return;
    size_t count = (size_t)(list->data.sequence.items.top - list->data.sequence.items.start);
    if (count == 0 || count > 100) {
        complain(l, list, "a procedure has 1 to 100 steps");
        return;
    }
    bil_proc_step *steps = arena_take(l->memory, count * sizeof *steps);
    for (size_t i = 0; i < count && !l->bad; i++)
        load_step(l, node_at(l, list->data.sequence.items.start[i]), &steps[i]);
    procedure->steps = steps;
    procedure->step_count = (uint16_t)count;
}

static void load_procedures(load *l, yaml_node_t *list)
{
    want_kind(l, list, YAML_SEQUENCE_NODE);
    size_t count = l->bad ? 0 : (size_t)(list->data.sequence.items.top - list->data.sequence.items.start);
    if (count > 1000)
        complain(l, list, "a description has at most 1000 procedures");
    bil_procedure *procedures = arena_take(l->memory, (count + 1) * sizeof *procedures);
    for (size_t i = 0; i < count && !l->bad; i++) {
        yaml_node_t *map = node_at(l, list->data.sequence.items.start[i]);
        load_procedure(l, map, &procedures[i]);
        for (size_t k = 0; k < i && !l->bad; k++)
            if (procedures[k].kind == procedures[i].kind && procedures[k].for_state == procedures[i].for_state &&
                procedures[k].found == procedures[i].found && !procedures[k].hardware == !procedures[i].hardware &&
                (!procedures[k].hardware || strcmp(procedures[k].hardware, procedures[i].hardware) == 0))
                complain(l, map, "there are two of this procedure");
    }
    l->table->procedures = procedures;
    l->table->procedure_count = (uint16_t)count;
}

/* ---- the whole ---- */

/* The layout is all that decides what the bits of a set mean. */
static void layout_digest(load *l)
{
    char *text = NULL;
    size_t size = 0;
    FILE *file = open_memstream(&text, &size);
    if (!file)
        no_memory();
    fprintf(file, "%s %s\n", l->table->vendor, l->table->model);
    for (uint16_t i = 0; i < l->table->count; i++) {
        const bil_param *p = &l->params[i];
        fprintf(file, "%s %s %u %s %u %u %u %u %d %u %d\n", p->id, bil_type_name((bil_type)p->format.type),
                p->format.size, bil_class_name((bil_class)p->cls), p->space, p->address, p->cells, p->format.order,
                p->format.mul, p->format.decimals, p->format.offset);
    }
    fclose(file);
    char hex[BIL_LAYOUT_HEX + 1];
    if (!digest_hex(text, size, hex))
        no_memory();
    l->table->layout = keep(l, hex);
    free(text);
}

static void load_document(load *l, yaml_node_t *root)
{
    static const char *const keys[] = {"bilancia_description",
                                       "vendor",
                                       "model",
                                       "revision",
                                       "firmware",
                                       "hardware",
                                       "link",
                                       "stored_values",
                                       "restart_keeps_hold",
                                       "writes_last",
                                       "restart_after",
                                       "link_unit",
                                       "identify",
                                       "unit_shows",
                                       "restart_shows",
                                       "state",
                                       "changes",
                                       "unstored",
                                       "factory_address",
                                       "banks",
                                       "rules",
                                       "expect",
                                       "by_hand",
                                       "tests",
                                       "procedures",
                                       "parameters",
                                       NULL};
    static const char *const required[] = {
        "bilancia_description", "vendor",   "model",      "revision", "firmware", "hardware", "link",
        "stored_values",        "identify", "parameters", NULL};
    static const char *const stored[] = {"by_restart", "not_readable", NULL};
    check_keys(l, root, keys);
    for (int i = 0; required[i] && !l->bad; i++)
        need_key(l, root, required[i]);
    if (l->bad)
        return;
    bil_description *table = l->table;
    want_number(l, get(l, root, "bilancia_description"), 0, 0); /* the format; free to change until the first release */
    table->vendor = keep(l, want_text(l, get(l, root, "vendor"), BIL_TEXT_MAX));
    table->model = keep(l, want_text(l, get(l, root, "model"), BIL_TEXT_MAX));
    table->revision = (uint16_t)want_number(l, get(l, root, "revision"), 1, UINT16_MAX);
    table->firmwares = load_texts(l, get(l, root, "firmware"), NAME_LIMIT, &table->firmware_count);
    table->hardwares = load_texts(l, get(l, root, "hardware"), NAME_LIMIT, &table->hardware_count);
    table->stored_values = (uint8_t)want_name(l, get(l, root, "stored_values"), stored);
    yaml_node_t *keeps = get(l, root, "restart_keeps_hold"), *state = get(l, root, "state"),
                *procedures = get(l, root, "procedures");
    table->restart_keeps_hold = keeps && want_yes(l, keeps);
    table->writes_last = get(l, root, "writes_last") && want_yes(l, get(l, root, "writes_last"));
    table->state = table->changes = table->unstored = table->link_unit = BIL_NONE;
    table->starts = table->uptime = BIL_NONE;
    if (!l->bad && get(l, root, "factory_address"))
        table->factory_address = keep(l, want_text(l, get(l, root, "factory_address"), 200));
    if (!l->bad)
        load_link(l, get(l, root, "link"));
    if (!l->bad)
        load_params(l, get(l, root, "parameters"));
    for (uint16_t i = 0; i < table->count && !l->bad; i++)
        load_resets(l, i);
    if (!l->bad)
        order_by_address(l);
    if (!l->bad)
        load_identity(l, get(l, root, "identify"));
    if (!l->bad && state)
        load_state(l, state);
    if (!l->bad && get(l, root, "unit_shows"))
        load_unit_shows(l, get(l, root, "unit_shows"));
    if (!l->bad && get(l, root, "restart_shows"))
        load_restart_shows(l, get(l, root, "restart_shows"));
    if (!l->bad && get(l, root, "restart_after"))
        load_restart_after(l, get(l, root, "restart_after"));
    if (!l->bad && get(l, root, "link_unit"))
        load_link_unit(l, get(l, root, "link_unit"));
    if (!l->bad && get(l, root, "changes"))
        load_changes(l, get(l, root, "changes"));
    if (!l->bad && get(l, root, "unstored"))
        load_unstored(l, get(l, root, "unstored"));
    if (!l->bad && get(l, root, "banks"))
        load_banks(l, get(l, root, "banks"));
    enum { SENTENCE = 200 };
    if (!l->bad && get(l, root, "expect"))
        table->expect = load_texts(l, get(l, root, "expect"), SENTENCE, &table->expect_count);
    if (!l->bad && get(l, root, "by_hand"))
        table->by_hand = load_texts(l, get(l, root, "by_hand"), SENTENCE, &table->by_hand_count);
    if (!l->bad && get(l, root, "tests"))
        table->tests = load_texts(l, get(l, root, "tests"), SENTENCE, &table->test_count);
    if (!l->bad && get(l, root, "rules"))
        load_rules(l, get(l, root, "rules"));
    if (!l->bad)
        load_factory(l);
    if (!l->bad && procedures)
        load_procedures(l, procedures);
    if (!l->bad)
        layout_digest(l);
}

/* Counts before anything is looked at: how deep things lie in each other, how many there are, and how many stand for
 * others (anchors). What a description holds needs little of that, and the time that the rest takes grows with it. */
static bool is_within_limits(const char *bytes, size_t size, char *why, size_t why_size, const char *path)
{
    enum { DEEPEST = 20, MOST_ANCHORS = 100, MOST_NODES = 4000000 };
    yaml_parser_t parser;
    yaml_event_t event;
    unsigned depth = 0, deepest = 0, anchors = 0, nodes = 0;
    bool over = false;
    if (!yaml_parser_initialize(&parser))
        no_memory();
    yaml_parser_set_input_string(&parser, (const unsigned char *)bytes, size);
    while (!over && yaml_parser_parse(&parser, &event)) {
        bool begins = event.type == YAML_SEQUENCE_START_EVENT || event.type == YAML_MAPPING_START_EVENT;
        nodes += begins || event.type == YAML_SCALAR_EVENT;
        anchors += event.type == YAML_ALIAS_EVENT;
        depth += begins;
        depth -= event.type == YAML_SEQUENCE_END_EVENT || event.type == YAML_MAPPING_END_EVENT;
        deepest = depth > deepest ? depth : deepest;
        over = deepest > DEEPEST || anchors > MOST_ANCHORS || nodes > MOST_NODES;
        if (over)
            snprintf(why, why_size, "%s:%zu:%zu: %s", path, event.start_mark.line + 1, event.start_mark.column + 1,
                     deepest > DEEPEST        ? "this lies deeper in lists and mappings than 20"
                     : anchors > MOST_ANCHORS ? "more than 100 values stand for others (*name)"
                                              : "there are more than 4000000 values");
        bool last = event.type == YAML_STREAM_END_EVENT;
        yaml_event_delete(&event);
        if (last)
            break;
    }
    yaml_parser_delete(&parser);
    return !over; /* what isn't YAML is found when it is loaded */
}

int description_load_text(loaded_description *out, const char *path, const char *bytes, size_t size, char *why,
                          size_t why_size)
{
    memset(out, 0, sizeof *out);
    load l = {.path = path, .why = why, .why_size = why_size, .memory = &out->memory, .table = &out->table};
    yaml_parser_t parser;
    if (!yaml_parser_initialize(&parser))
        no_memory();
    yaml_parser_set_input_string(&parser, (const unsigned char *)bytes, size);
    if (size > FILE_LIMIT) {
        snprintf(why, why_size, "%s:1:1: the file is larger than %d bytes", path, FILE_LIMIT);
        l.bad = true;
    } else if (!is_within_limits(bytes, size, why, why_size, path)) {
        l.bad = true;
    } else if (!yaml_parser_load(&parser, &l.document)) {
        snprintf(why, why_size, "%s:%zu:%zu: %s", path, parser.problem_mark.line + 1, parser.problem_mark.column + 1,
                 parser.problem ? parser.problem : "no YAML");
        l.bad = true;
    } else {
        yaml_node_t *root = yaml_document_get_root_node(&l.document);
        if (!root) {
            snprintf(why, why_size, "%s:1:1: the file is empty", path);
            l.bad = true;
        } else {
            load_document(&l, root);
        }
        yaml_document_delete(&l.document);
    }
    yaml_parser_delete(&parser);
    if (l.bad)
        arena_free(&out->memory);
    return l.bad ? BIL_E_YAML : BIL_OK;
}

int description_load(loaded_description *out, const char *path, char *why, size_t why_size)
{
    size_t size;
    char *bytes = storage_text(path, FILE_LIMIT, &size);
    if (!bytes) {
        memset(out, 0, sizeof *out);
        snprintf(why, why_size, "%s: %s", path, storage_why(errno));
        return storage_open_error();
    }
    int error = description_load_text(out, path, bytes, size, why, why_size);
    free(bytes);
    return error;
}

void description_free(loaded_description *loaded)
{
    arena_free(&loaded->memory);
}

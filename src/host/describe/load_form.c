/* How a value looks in its cells: its form, and the part of a cell that it has. */
#include <string.h>

#include "bilancia/cells.h"
#include "host/describe/loading.h"

static bool is_signed(const bil_format *format)
{
    return bil_type_is_signed((bil_type)format->type);
}

/* Of a time, which has no usual one. */
static void load_time_form(load *l, yaml_node_t *map, yaml_node_t *node, bil_format *format)
{
    static const char *const names[] = {"bcd", "wide", "seconds", NULL};
    static const bil_form *const forms[] = {&bil_form_time_bcd, &bil_form_time_wide, &bil_form_time_seconds};
    if (!node)
        load_complain(l, map, "\"form\" is missing here: bcd, wide or seconds tell how a time looks in its cells");
    else if (!l->bad)
        format->form = forms[load_want_name(l, node, names)];
}

void load_form(load *l, yaml_node_t *map, bil_format *format)
{
    static const char *const names[] = {"plain", "bcd", "sign_magnitude", "loose", "blanks", "length", "wide", NULL};
    static const bil_form *const forms[] = {
        NULL,          &bil_form_bcd, &bil_form_sign_magnitude, &bil_form_loose, &bil_form_blanks, &bil_form_length,
        &bil_form_wide};
    yaml_node_t *node = load_get(l, map, "form");
    if (format->type == BIL_FILE) {
        if (node)
            load_complain(l, node, "a file is its bytes, and has no form");
        return;
    }
    if (l->kind->keys) {
        format->form = format->type == BIL_TIME                             ? &bil_form_time
                       : format->type == BIL_IP4 || format->type == BIL_MAC ? &bil_form_address
                                                                            : NULL;
        if (node)
            load_complain(l, node, "a form is how a value looks in cells");
        return;
    }
    if (format->type == BIL_TIME) {
        load_time_form(l, map, node, format);
        return;
    }
    if (format->type == BIL_IP4 || format->type == BIL_MAC)
        format->form = &bil_form_address;
    if (format->size % 2 && (format->size > 1 || format->type == BIL_TEXT))
        format->form = &bil_form_odd;
    if (!node || l->bad)
        return;
    const bil_form *form = forms[load_want_name(l, node, names)];
    bool text = format->type == BIL_TEXT, whole = format_is_integer(format);
    format->form = form ? form : format->form;
    if (form == &bil_form_bcd && (!whole || is_signed(format)))
        load_complain(l, node, "only whole numbers without a sign have decimal digits: u8 to u64");
    else if (form == &bil_form_sign_magnitude && (!whole || !is_signed(format)))
        load_complain(l, node, "only whole numbers with a sign have one: i8 to i64");
    else if ((form == &bil_form_blanks || form == &bil_form_length || form == &bil_form_wide) && !text)
        load_complain(l, node, "only a text has this form");
    else if (form == &bil_form_loose && format->size % 2 == 0)
        load_complain(l, node, "a value of %u bytes leaves nothing of its cells", format->size);
}

/* "3", or "[4, 7]". */
void load_part(load *l, yaml_node_t *map, bil_format *format)
{
    yaml_node_t *node = load_get(l, map, "bit"), *first = node, *last = node;
    if (node && l->kind->keys)
        load_complain(l, node, "a bit is a part of a cell");
    if (!node || l->bad)
        return;
    if (node->type == YAML_SEQUENCE_NODE) {
        if (node->data.sequence.items.top - node->data.sequence.items.start != 2) {
            load_complain(l, node, "bits are [first, last], counted from the lowest, or one number");
            return;
        }
        first = load_node(l, node->data.sequence.items.start[0]);
        last = load_node(l, node->data.sequence.items.start[1]);
    }
    format->bit = (uint8_t)load_want_number(l, first, 0, 15);
    format->width = (uint8_t)(load_want_number(l, last, format->bit, 15) - format->bit + 1);
    bool fits = format->type != BIL_TEXT && format->size <= 2 && format->width <= 8 * format->size;
    if (!l->bad && (!fits || bil_type_is_float((bil_type)format->type)))
        load_complain(l, node, "a %s doesn't go into %u bits of a cell", bil_type_name((bil_type)format->type),
                      format->width);
    else if (!l->bad && format->type == BIL_BOOL && format->width != 1)
        load_complain(l, node, "a bool has one bit");
    else if (!l->bad && format->form == &bil_form_bcd && format->width % 4 != 0)
        load_complain(l, node, "a decimal digit has four bits");
    else if (!l->bad && format->form == &bil_form_loose)
        load_complain(l, node, "it has these bits for itself: nothing is loose");
    if (!format->form)
        format->form = &bil_form_part; /* of at most two bytes */
}

/* The largest number that the form and the bits on the wire can hold; below zero as many. */
static uint64_t most_of(const bil_format *format)
{
    unsigned wire = format->width ? format->width : (format->size + 1u) / 2 * 16, own = 8u * format->size;
    unsigned bits = (wire < own && format->form != &bil_form_bcd ? wire : own) - is_signed(format);
    uint64_t most = bits < 64 ? (UINT64_C(1) << bits) - 1 : UINT64_MAX, digits = 1;
    for (unsigned i = 0; i < wire / 4 && format->form == &bil_form_bcd; i++)
        digits *= 10;
    return format->form == &bil_form_bcd && digits - 1 < most ? digits - 1 : most;
}

/* What a value has less room for than its type has is a limit of it. */
void load_room(load *l, yaml_node_t *map, bil_format *format)
{
    bool tight = format->width || format->form == &bil_form_bcd || format->form == &bil_form_sign_magnitude;
    if (!tight || format->type == BIL_BOOL)
        return;
    uint64_t most = most_of(format), middle = UINT64_C(1) << 63; /* limits are keys, see bil_value_key */
    bool bits = format->type == BIL_BITS8 || format->type == BIL_BITS16;
    for (uint16_t i = 0; i < format->choice_count && !l->bad; i++)
        if (bits ? format->choices[i].value >= format->width : format->choices[i].value > most)
            load_complain(l, map, "%s has no room in %u bits", format->choices[i].name, format->width);
    if (l->bad || (!bits && !format_is_integer(format)))
        return;
    uint64_t high = is_signed(format) ? middle + most : most;
    uint64_t low = is_signed(format) ? middle - most - (format->form == &bil_form_sign_magnitude ? 0 : 1) : 0;
    if (format->limited && load_is_bound(load_limit(l, map, 0)))
        format->low = low;
    if (format->limited && load_is_bound(load_limit(l, map, 1)))
        format->high = high;
    if (format->limited && (format->low < low || format->high > high))
        load_complain(l, load_get(l, map, "limits"), "these limits are wider than what its cells can hold");
    if (!format->limited) {
        format->low = low;
        format->high = high;
        format->limited = true;
    }
}

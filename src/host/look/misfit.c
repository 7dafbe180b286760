#include "host/look/misfit.h"

#include <stdio.h>
#include <string.h>

#include "bilancia/cells.h"
#include "bilancia/host_error.h"
#include "host/base/float_text.h"

/* A text in its field: up to its end, and what stands behind it. */
static const char *about_text(const uint8_t *raw, size_t size, const bil_format *format)
{
    const uint8_t *end = memchr(raw, 0, size);
    size_t length = end ? (size_t)(end - raw) : size;
    uint8_t turned[BIL_TEXT_MAX + 1] = {0};
    for (size_t i = 0; i < size; i++)
        turned[i ^ 1] = raw[i];
    size_t other = strlen((const char *)turned);
    for (size_t i = length; i < size; i++)
        if (raw[i] != 0)
            return "something stands behind its end: is its size right, or has it a length in front (form: length)?";
    if (!bil_text_is_printable((const char *)raw, length))
        return size % 2 == 0 && other > 0 && bil_text_is_printable((const char *)turned, other)
                   ? "no text as it is, but one with its bytes turned round: byte_order of the other kind?"
                   : "no text: is its place right?";
    if (length && raw[length - 1] == ' ' && format->form != &bil_form_blanks)
        return "it is filled up with blanks: form: blanks?";
    return NULL;
}

static bool is_sane(double value)
{
    double magnitude = value < 0 ? -value : value;
    return value == 0 || (magnitude >= 1e-9 && magnitude <= 1e12);
}

static double as_float(const uint8_t *raw, size_t size)
{
    uint64_t bits = bil_value_number(raw, size);
    uint32_t low = (uint32_t)bits;
    float single;
    double whole;
    memcpy(&single, &low, sizeof single);
    memcpy(&whole, &bits, sizeof whole);
    return size == 4 ? (double)single : whole;
}

/* No machine measures so little or so much, and with its cells in the other order it would be a usual number. */
static const char *about_float(const uint8_t *raw, size_t size)
{
    uint8_t turned[8];
    if (is_sane(as_float(raw, size)))
        return NULL;
    for (size_t i = 0; i < size; i += 2) {
        turned[i] = raw[size - 2 - i];
        turned[i + 1] = raw[size - 1 - i];
    }
    return is_sane(as_float(turned, size)) ? "no usual number, but one with its cells in the other order: cell_order?"
                                           : "no usual number: are its type and place right?";
}

static const char *about(const bil_param *p, const uint8_t *raw, int *error)
{
    const bil_format *f = p->format;
    if (f->type == BIL_TEXT)
        return about_text(raw, f->size, f);
    if (bil_type_is_float((bil_type)f->type) && !f->limited)
        return about_float(raw, f->size);
    *error = bil_value_check(f, raw);
    if (*error == BIL_E_CHOICE)
        return "a choice that isn't named";
    return *error ? bil_host_error_text(*error) : NULL;
}

static bool look(const bil_image *image, uint16_t index, bil_misfit *out)
{
    const bil_param *p = &image->description->params[index];
    *out = (bil_misfit){.struct_size = sizeof *out, .id = p->id, .name = p->name};
    if (!(p->flags & BIL_READABLE) || image->state[index] == BIL_ABSENT)
        return false;
    if (image->state[index] == BIL_UNREADABLE) {
        out->cause = image->cause[index];
        out->why = out->cause == BIL_E_ENCODING ? "its cells hold no such value: are type, form and order right?"
                                                : bil_host_error_text(out->cause);
        return true;
    }
    const uint8_t *raw = bil_image_raw(image, index);
    out->why = about(p, raw, &out->cause);
    if (out->why && bil_value_text(p->format, raw, &host_floats, out->value, sizeof out->value) != BIL_OK)
        out->value[0] = '\0';
    return out->why != NULL;
}

bool misfit_next(const bil_image *image, bil_misfit *one)
{
    uint16_t at = one->next;
    while (at < image->description->count)
        if (look(image, at++, one)) {
            one->next = at;
            return true;
        }
    one->next = at;
    return false;
}

#include "bilancia/image.h"

#include "bytes.h"
#include "require.h"

size_t bil_image_size(const bil_description *description)
{
    require(description);
    return 2 * (size_t)description->count + description->raw_size;
}

int bil_image_init(bil_image *image, const bil_description *description, void *memory, size_t size)
{
    require(image && description && (memory || size == 0));
    if (size < bil_image_size(description))
        return BIL_E_SPACE;
    memset(memory, 0, bil_image_size(description));
    image->description = description;
    image->state = memory;
    image->cause = image->state + description->count;
    image->raw = image->cause + description->count;
    return BIL_OK;
}

void bil_image_copy(bil_image *to, const bil_image *from)
{
    require(to && from && to->description == from->description);
    memcpy(to->state, from->state, bil_image_size(from->description));
}

const uint8_t *bil_image_raw(const bil_image *image, uint16_t index)
{
    require(image && index < image->description->count);
    return image->raw + image->description->params[index].raw_at;
}

void bil_image_put(bil_image *image, uint16_t index, const uint8_t *raw)
{
    require(image && raw && index < image->description->count);
    const bil_param *param = &image->description->params[index];
    image->state[index] = BIL_PRESENT;
    image->cause[index] = BIL_OK;
    memcpy(image->raw + param->raw_at, raw, param->format->size);
}

void bil_image_fail(bil_image *image, uint16_t index, bil_error cause)
{
    require(image && index < image->description->count);
    image->state[index] = BIL_UNREADABLE;
    image->cause[index] = (uint8_t)cause;
}

bool bil_image_same(const bil_image *a, const bil_image *b, uint16_t index)
{
    require(a && b && index < a->description->count);
    return a->state[index] == BIL_PRESENT && b->state[index] == BIL_PRESENT &&
           memcmp(bil_image_raw(a, index), bil_image_raw(b, index), a->description->params[index].format->size) == 0;
}

/* Is it the model that its signs tell of? */
static bool shows_signs(const bil_image *image)
{
    const bil_description *d = image->description;
    for (uint8_t i = 0; i < d->sign_count; i++) {
        uint16_t param = d->signs[i].param;
        if (image->state[param] != BIL_PRESENT ||
            bil_value_number(bil_image_raw(image, param), d->params[param].format->size) != d->signs[i].value)
            return false;
    }
    return d->sign_count > 0;
}

void bil_image_identity(const bil_image *image, bil_identity which, char *out, size_t size)
{
    require(image && (out || size == 0) && which < BIL_ID_COUNT);
    const bil_description *d = image->description;
    uint16_t index = d->identity[which];
    if (size == 0)
        return;
    out[0] = '\0';
    if (which == BIL_ID_MODEL && shows_signs(image)) {
        size_t length = strlen(d->model) + 1;
        memcpy(out, d->model, length < size ? length : size);
        out[size - 1] = '\0';
    } else if (index != BIL_NONE && image->state[index] == BIL_PRESENT &&
               bil_value_text(d->params[index].format, bil_image_raw(image, index), NULL, out, size) != BIL_OK)
        out[0] = '\0';
}

bool bil_image_has_serial(const bil_image *image)
{
    require(image);
    const bil_description *d = image->description;
    char text[BIL_VALUE_TEXT];
    bil_image_identity(image, BIL_ID_SERIAL, text, sizeof text);
    if (!text[0] || bil_text_is_among(d->no_serial, d->no_serial_count, text))
        return false;
    uint16_t index = d->identity[BIL_ID_SERIAL];
    const uint8_t *raw = bil_image_raw(image, index);
    bool zeros = true, ones = true;
    for (uint8_t i = 0; i < d->params[index].format->size; i++) {
        bool blank = raw[i] == ' ' || (raw[i] == 0 && d->params[index].format->type == BIL_TEXT);
        zeros = zeros && (blank || raw[i] == 0 || raw[i] == '0' || raw[i] == '-' || raw[i] == '.' || raw[i] == '?');
        ones = ones && (blank || raw[i] == 0xff || raw[i] == 'F' || raw[i] == 'f');
    }
    return !zeros && !ones;
}

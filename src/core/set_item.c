/* What an item, its value and a header are, for who reads lines and who writes them. */
#include "json.h"

#include "bytes.h"
#include "require.h"

const char bil_header_keys[] = ",\"vendor\":\0"
                               ",\"model\":\0"
                               ",\"hardware\":\0"
                               ",\"firmware\":\0"
                               ",\"serial\":\0"
                               ",\"device\":\0"
                               ",\"description\":{\"model\":\0"
                               ",\"layout\":\0"
                               "},\"parent\":\0"
                               ",\"when\":\0"
                               ",\"who\":\0"
                               ",\"why\":\0"
                               ",\"scope\":\0"
                               ",\"from\":\0";
_Static_assert(offsetof(bil_set_header, revision) == HEADER_TEXTS * sizeof(bil_str), "the texts lie behind each other");

const char bil_count_keys[] = "{\"end\":{\"values\":\0"
                              ",\"unreadable\":\0"
                              ",\"left_out\":\0"
                              ",\"files\":\0";
_Static_assert(offsetof(bil_set_totals, values_digest) == COUNTS * sizeof(uint32_t), "so do the counts");

const char bil_key_set[] = "{\"bilancia_set\":", bil_key_revision[] = ",\"revision\":",
           bil_key_left_out[] = "{\"left_out\":", bil_key_class[] = ",\"class\":", bil_key_name[] = ",\"name\":",
           bil_key_id[] = "{\"id\":", bil_key_type[] = ",\"type\":", bil_key_unreadable[] = ",\"unreadable\":",
           bil_key_raw[] = ",\"raw\":", bil_key_value[] = ",\"value\":", bil_key_unit[] = ",\"unit\":",
           bil_key_file[] = "{\"file\":", bil_key_bytes[] = ",\"bytes\":", bil_key_digest[] = ",\"digest\":",
           bil_key_chunk[] = "{\"chunk\":\"", bil_key_values_digest[] = ",\"values_digest\":";

bool bil_is_full_chunk(const char *line, size_t length)
{
    enum { KEY = sizeof bil_key_chunk - 1, END = 3 };
    return length == KEY + BIL_SET_CHUNK_TEXT + END && line[2] == 'c'; /* no other line begins so */
}

/* 0 stands for a digit; behind the form come lower case hex digits. Nothing at all is good, too: it isn't known. */
static bool looks_like(bil_str text, const char *form, size_t length)
{
    size_t i = 0;
    for (; i < text.length; i++) {
        char c = text.text[i], like = *form ? *form++ : 'x';
        int digit = bil_hex_value(c);
        if (like == 'x' ? digit < 0 : like == '0' ? (unsigned)digit > 9 : c != like)
            return false;
    }
    return i == 0 || i == length;
}

bool bil_header_is_sound(const bil_set_header *header)
{
    static const char when[] = "0000-00-00T00:00:00Z";
    return looks_like(header->layout, "", BIL_LAYOUT_HEX) && looks_like(header->parent, "", BIL_LAYOUT_HEX) &&
           looks_like(header->when, when, sizeof when - 1);
}

/* "id type hex\n" of the classes that belong to the work and the place. */
void bil_set_values_digest(bil_digest *values, const bil_item *item)
{
    if (item->cls != BIL_CLASS_SETUP && item->cls != BIL_CLASS_PLACE && item->cls != BIL_CLASS_CALIBRATION)
        return;
    char text[BIL_ID_MAX + 12 + 2 * BIL_TEXT_MAX + 4];
    text_out out;
    bil_out_open(&out, text, sizeof text);
    bil_out_raw(&out, item->id.text, item->id.length);
    bil_out_lit(&out, " ");
    bil_out_lit(&out, bil_type_name(item->type));
    bil_out_lit(&out, " ");
    bil_out_hex(&out, item->raw, item->size);
    size_t length;
    bil_json_close(&out, &length);
    values->ops->add(values->ctx, text, length);
}

void bil_json_put_value(text_out *out, const bil_format *format, const uint8_t *raw, const bil_float_ops *floats)
{
    char text[BIL_VALUE_TEXT];
    if (bil_value_text(format, raw, floats, text, sizeof text) != BIL_OK) {
        bil_out_lit(out, "null");
        return;
    }
    switch ((bil_type)format->type) {
    case BIL_U64: /* readers need not keep more than 53 bits of a number (RFC 8259, section 6) */
    case BIL_I64:
    case BIL_CHOICE8:
    case BIL_CHOICE16:
    case BIL_BITS8:
    case BIL_BITS16:
    case BIL_BITS32:
    case BIL_IP4:
    case BIL_MAC:
    case BIL_TIME:
    case BIL_TEXT:
    case BIL_FILE:
        bil_json_string(out, text, strlen(text));
        break;
    default:
        bil_out_lit(out, text);
        break;
    }
}

void bil_image_item(const bil_image *image, uint16_t index, bil_item *item)
{
    require(image && item && index < image->description->count);
    const bil_param *param = &image->description->params[index];
    *item = (bil_item){
        .id = {param->id, strlen(param->id)},
        .name = {param->name, strlen(param->name)},
        .unit = {param->unit, strlen(param->unit)},
        .type = (bil_type)param->format->type,
        .cls = (bil_class)param->cls,
        .size = param->format->size,
    };
    if (image->state[index] == BIL_UNREADABLE)
        item->unreadable = (bil_error)image->cause[index];
    else
        memcpy(item->raw, bil_image_raw(image, index), param->format->size);
}

void bil_image_item_told(const bil_image *image, uint16_t index, const bil_float_ops *floats, char *token,
                         bil_item *item)
{
    require(image && token && item && index < image->description->count);
    bil_image_item(image, index, item);
    if (item->unreadable)
        return;
    text_out out;
    bil_out_open(&out, token, BIL_TOKEN);
    bil_json_put_value(&out, image->description->params[index].format, item->raw, floats);
    item->value = (bil_str){token, (size_t)(out.at - token)};
}

int bil_image_put_item(bil_image *image, const bil_item *item, const bil_float_ops *floats)
{
    require(image && item);
    int32_t index = bil_description_find(image->description, item->id.text, item->id.length);
    int error = bil_image_put_item_as_it_was(image, item, floats);
    if (error || item->unreadable || !(image->description->params[index].flags & BIL_WRITABLE))
        return error;
    return bil_value_check(image->description->params[index].format, item->raw);
}

int bil_image_put_item_as_it_was(bil_image *image, const bil_item *item, const bil_float_ops *floats)
{
    require(image && item);
    const bil_description *description = image->description;
    int32_t index = bil_description_find(description, item->id.text, item->id.length);
    if (index < 0)
        return BIL_E_UNKNOWN_PARAMETER;
    const bil_param *param = &description->params[index];
    if (param->format->type != item->type || param->cls != item->cls)
        return BIL_E_OTHER_TYPE;
    if (item->unreadable) {
        bil_image_fail(image, (uint16_t)index, item->unreadable);
        return BIL_OK;
    }
    if (param->format->size != item->size)
        return BIL_E_OTHER_TYPE;
    /* A portable writer leaves floats null; anything else must be what this library would write. */
    char token[BIL_VALUE_TEXT * 2 + 3];
    text_out out;
    bil_out_open(&out, token, sizeof token);
    bil_json_put_value(&out, param->format, item->raw, floats);
    bool is_null = item->value.length == 4 && memcmp(item->value.text, "null", 4) == 0;
    bool may_be_null = bil_type_is_float(item->type);
    bool same =
        item->value.length == (size_t)(out.at - token) && memcmp(token, item->value.text, item->value.length) == 0;
    bool unknown_here = may_be_null && floats == NULL;
    if (!same && !(is_null && may_be_null) && !unknown_here)
        return BIL_E_VALUE_TEXT;
    bil_image_put(image, (uint16_t)index, item->raw);
    return BIL_OK;
}

/* Items into lines. */
#include "json.h"

#include "bytes.h"
#include "require.h"

static void put_key(text_out *out, const char *key, const char *text, size_t length)
{
    bil_out_lit(out, key);
    bil_json_string(out, text, length);
}

static void put_text(text_out *out, const char *key, const char *text)
{
    put_key(out, key, text, strlen(text));
}

static void put_str(text_out *out, const char *key, bil_str text)
{
    put_key(out, key, text.text ? text.text : "", text.length);
}

static void put_count(text_out *out, const char *key, uint64_t number)
{
    bil_out_lit(out, key);
    bil_out_number(out, number);
}

static int finish(bil_set_writer *writer, text_out *out, size_t *length, size_t most)
{
    int error = bil_json_close(out, length);
    if (error == BIL_OK && *length > most)
        error = BIL_E_SET_LONG;
    if (error == BIL_OK && !bil_is_full_chunk(out->start, *length))
        writer->whole.ops->add(writer->whole.ctx, out->start, *length);
    return error;
}

static bil_str text_of(const bil_set_header *header, int i)
{
    return *(const bil_str *)(const void *)((const char *)header + (size_t)i * sizeof(bil_str));
}

static bool all_utf8(const bil_set_header *header)
{
    for (int i = 0; i < HEADER_TEXTS; i++)
        if (text_of(header, i).length > 0 && !bil_text_is_printable(text_of(header, i).text, text_of(header, i).length))
            return false;
    return true;
}

int bil_set_begin(bil_set_writer *writer, bil_digest whole, bil_digest values, const bil_float_ops *floats,
                  const bil_set_header *header, char *line, size_t *length)
{
    require(writer && header && line && length);
    if (!all_utf8(header) || !bil_header_is_sound(header))
        return BIL_E_SYNTAX;
    *writer = (bil_set_writer){.whole = whole, .values = values, .floats = floats};
    whole.ops->start(whole.ctx);
    values.ops->start(values.ctx);
    text_out out;
    bil_out_open(&out, line, BIL_SET_LINE);
    put_count(&out, bil_key_set, BIL_SET_VERSION);
    for (int i = 0; i < HEADER_TEXTS; i++) {
        if (i == HEADER_BEFORE)
            put_count(&out, bil_key_revision, header->revision);
        put_str(&out, bil_nth(bil_header_keys, (unsigned)i), text_of(header, i));
    }
    bil_out_lit(&out, "}");
    return finish(writer, &out, length, BIL_SET_LINE);
}

int bil_set_left_out(bil_set_writer *writer, const bil_param *param, char *line, size_t *length)
{
    require(writer && param && line && length);
    text_out out;
    bil_out_open(&out, line, BIL_SET_LINE);
    put_text(&out, bil_key_left_out, param->id);
    put_text(&out, bil_key_class, bil_class_name((bil_class)param->cls));
    put_text(&out, bil_key_name, param->name);
    bil_out_lit(&out, "}");
    writer->totals.left_out++;
    return finish(writer, &out, length, BIL_SET_ITEM_LINE);
}

int bil_set_item(bil_set_writer *writer, const bil_item *item, char *line, size_t *length)
{
    require(writer && item && line && length);
    text_out out;
    bil_out_open(&out, line, BIL_SET_LINE);
    put_str(&out, bil_key_id, item->id);
    put_text(&out, bil_key_type, bil_type_name(item->type));
    put_text(&out, bil_key_class, bil_class_name(item->cls));
    if (item->unreadable) {
        put_text(&out, bil_key_unreadable, bil_error_name(item->unreadable));
        writer->totals.unreadable++;
    } else {
        bil_out_lit(&out, bil_key_raw);
        bil_json_hex(&out, item->raw, item->size);
        bil_out_lit(&out, bil_key_value);
        if (item->value.length)
            bil_out_raw(&out, item->value.text, item->value.length);
        else
            bil_out_lit(&out, "null");
        bil_set_values_digest(&writer->values, item);
        writer->totals.values++;
    }
    if (item->unit.length) {
        bil_out_lit(&out, ",\"unit\":\"");
        bil_out_raw(&out, item->unit.text, item->unit.length);
        bil_out_lit(&out, "\"");
    }
    bil_out_lit(&out, ",\"name\":\"");
    bil_out_raw(&out, item->name.text, item->name.length);
    bil_out_lit(&out, "\"}");
    return finish(writer, &out, length, BIL_SET_ITEM_LINE);
}

int bil_set_value(bil_set_writer *writer, const bil_image *image, uint16_t index, char *line, size_t *length)
{
    require(writer && image && line && length && index < image->description->count);
    bil_item item;
    char token[BIL_TOKEN];
    bil_image_item_told(image, index, writer->floats, token, &item);
    return bil_set_item(writer, &item, line, length);
}

int bil_set_file(bil_set_writer *writer, bil_str id, uint64_t bytes, char *line, size_t *length)
{
    require(writer && line && length);
    text_out out;
    bil_out_open(&out, line, BIL_SET_LINE);
    put_str(&out, bil_key_file, id);
    put_count(&out, bil_key_bytes, bytes);
    bil_out_lit(&out, "}");
    writer->totals.files++;
    return finish(writer, &out, length, BIL_SET_ITEM_LINE);
}

int bil_set_chunk(bil_set_writer *writer, bil_str base64, char *line, size_t *length)
{
    require(writer && base64.text && line && length);
    text_out out;
    bil_out_open(&out, line, BIL_SET_LINE);
    bil_out_lit(&out, bil_key_chunk);
    bil_out_raw(&out, base64.text, base64.length);
    bil_out_lit(&out, "\"}");
    return finish(writer, &out, length, BIL_SET_LINE);
}

int bil_set_end(bil_set_writer *writer, char *line, size_t *length)
{
    require(writer && line && length);
    bil_set_totals *totals = &writer->totals;
    writer->values.ops->end(writer->values.ctx, totals->values_digest);
    text_out out;
    bil_out_open(&out, line, BIL_SET_LINE);
    for (unsigned i = 0; i < COUNTS; i++)
        put_count(&out, bil_nth(bil_count_keys, i),
                  *(const uint32_t *)(const void *)((const char *)totals + i * sizeof(uint32_t)));
    bil_out_lit(&out, bil_key_values_digest);
    bil_json_hex(&out, totals->values_digest, BIL_SHA256);
    bil_out_lit(&out, ",\"digest\":\"");
    writer->whole.ops->add(writer->whole.ctx, out.start, (size_t)(out.at - out.start));
    writer->whole.ops->end(writer->whole.ctx, totals->digest);
    bil_out_hex(&out, totals->digest, BIL_SHA256);
    bil_out_lit(&out, "\"}}");
    return bil_json_close(&out, length);
}

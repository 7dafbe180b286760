/* Lines into items, accepting exactly what the writer would have written. */
#include "json.h"

#include "bytes.h"
#include "require.h"

enum { PHASE_HEADER, PHASE_LEFT_OUT, PHASE_VALUES, PHASE_FILES, PHASE_WHOLE, PHASE_FAILED };

void bil_set_reader_init(bil_set_reader *reader, bil_digest whole, bil_digest values)
{
    require(reader);
    memset(reader, 0, sizeof *reader);
    reader->whole = whole;
    reader->values = values;
    if (whole.ops)
        whole.ops->start(whole.ctx);
    if (values.ops)
        values.ops->start(values.ctx);
}

static bool id_is_valid(bil_str id)
{
    if (id.length == 0 || id.length > BIL_ID_MAX)
        return false;
    bool start = true; /* of a part between dots */
    for (size_t i = 0; i < id.length; i++) {
        char c = id.text[i];
        if (c == '.') {
            if (start)
                return false;
            start = true;
        } else if ((c >= 'a' && c <= 'z') || (c >= '0' && c <= '9') || c == '_') {
            start = false;
        } else {
            return false;
        }
    }
    return !start;
}

/* Ids and file names rise in byte order; each is seen once. */
static int in_order(bil_set_reader *reader, bil_str name)
{
    bil_str last = {reader->last_id, strlen(reader->last_id)};
    if (bil_str_order(last, name) >= 0)
        return BIL_E_SET_ORDER;
    memcpy(reader->last_id, name.text, name.length);
    reader->last_id[name.length] = '\0';
    return BIL_OK;
}

static void enter(bil_set_reader *reader, uint8_t phase)
{
    if (reader->phase != phase)
        reader->last_id[0] = '\0';
    reader->phase = phase;
}

/* Is the value of the kind that its type has, whatever the description says? */
static bool kind_fits(const bil_item *item)
{
    char c = item->value.length ? item->value.text[0] : 'n';
    bool number = c == '-' || (c >= '0' && c <= '9'), null = c == 'n';
    switch (item->type) {
    case BIL_BOOL:
        return item->raw[0] <= 1 && c == (item->raw[0] ? 't' : 'f');
    case BIL_F32:
    case BIL_F64:
        return number || null;
    case BIL_TEXT:
        return c == '"' || null;
    default: /* whole numbers of up to 32 bits; what is larger or named is a string */
        return item->type < BIL_F32 && item->type != BIL_U64 && item->type != BIL_I64 ? number : c == '"';
    }
}

static int read_header(bil_set_reader *reader, json_in *in)
{
    bil_set_header *header = &reader->header;
    bil_json_need(in, bil_key_set);
    uint64_t version = bil_json_take_number(in, UINT32_MAX);
    if (in->failed)
        return BIL_E_SET_LINE;
    if (version != BIL_SET_VERSION)
        return BIL_E_SET_VERSION;
    for (int i = 0; i < HEADER_TEXTS; i++) {
        if (i == HEADER_BEFORE) {
            bil_json_need(in, bil_key_revision);
            header->revision = (uint16_t)bil_json_take_number(in, UINT16_MAX);
        }
        bil_json_need(in, bil_nth(bil_header_keys, (unsigned)i));
        *(bil_str *)(void *)((char *)header + (size_t)i * sizeof(bil_str)) = bil_json_take_string(in);
    }
    in->failed = in->failed || !bil_header_is_sound(header);
    bil_json_need(in, "}\n");
    enter(reader, PHASE_LEFT_OUT);
    return in->failed ? BIL_E_SET_LINE : BIL_OK;
}

static bool take_class(json_in *in, bil_item *item)
{
    bil_json_need(in, bil_key_class);
    bil_str text = bil_json_take_string(in);
    int cls = bil_class_from_name(text.text, text.length);
    if (cls < 0)
        return false;
    item->cls = (bil_class)cls;
    return true;
}

static int read_left_out(bil_set_reader *reader, json_in *in)
{
    bil_item *item = &reader->item;
    *item = (bil_item){.id = bil_json_take_string(in)};
    if (!take_class(in, item) || !bil_class_left_out(item->cls))
        return BIL_E_SET_LINE;
    bil_json_need(in, bil_key_name);
    item->name = bil_json_take_string(in);
    bil_json_need(in, "}\n");
    if (in->failed || !id_is_valid(item->id))
        return BIL_E_SET_LINE;
    reader->totals.left_out++;
    return in_order(reader, item->id);
}

static int read_value(bil_set_reader *reader, json_in *in)
{
    bil_item *item = &reader->item;
    *item = (bil_item){.id = bil_json_take_string(in)};
    bil_json_need(in, bil_key_type);
    bil_str type_name = bil_json_take_string(in);
    int type = bil_type_from_name(type_name.text, type_name.length);
    if (type < 0 || !take_class(in, item) || bil_class_left_out(item->cls))
        return BIL_E_SET_LINE;
    item->type = (bil_type)type;
    if (bil_json_try(in, bil_key_raw)) {
        item->size = (uint8_t)bil_json_take_hex(in, item->raw, BIL_TEXT_MAX);
        bil_json_need(in, bil_key_value);
        item->value = bil_json_take_value(in);
        size_t size = bil_type_size(item->type);
        if (item->size == 0 || (size != 0 && item->size != size) || !kind_fits(item))
            return BIL_E_SET_LINE;
        reader->totals.values++;
    } else {
        bil_json_need(in, bil_key_unreadable);
        bil_str cause = bil_json_take_string(in);
        int error = bil_error_from_name(cause.text, cause.length);
        if (error <= 0)
            return BIL_E_SET_LINE;
        item->unreadable = (bil_error)error;
        reader->totals.unreadable++;
    }
    if (bil_json_try(in, bil_key_unit)) {
        item->unit = bil_json_take_string(in);
        if (item->unit.length == 0)
            return BIL_E_SET_LINE;
    }
    bil_json_need(in, bil_key_name);
    item->name = bil_json_take_string(in);
    bil_json_need(in, "}\n");
    if (in->failed || !id_is_valid(item->id))
        return BIL_E_SET_LINE;
    if (item->unreadable == BIL_OK && reader->values.ops)
        bil_set_values_digest(&reader->values, item);
    enter(reader, PHASE_VALUES);
    return in_order(reader, item->id);
}

static int read_file(bil_set_reader *reader, json_in *in)
{
    reader->file = bil_json_take_string(in);
    bil_json_need(in, bil_key_bytes);
    uint64_t bytes = bil_json_take_number(in, UINT64_MAX);
    bil_json_need(in, "}\n");
    if (in->failed || !id_is_valid(reader->file) || bytes == 0)
        return BIL_E_SET_LINE;
    if (reader->file_left)
        return BIL_E_SET_COUNT;
    reader->file_left = bytes;
    reader->totals.files++;
    enter(reader, PHASE_FILES);
    return in_order(reader, reader->file);
}

/* Its length is known before. */
static int read_chunk(bil_set_reader *reader, json_in *in)
{
    static const char end[] = "\"}\n";
    uint64_t count = reader->file_left < BIL_SET_CHUNK ? reader->file_left : BIL_SET_CHUNK;
    reader->chunk = (bil_str){in->at, ((size_t)count + 2) / 3 * 4};
    if (count == 0 || (size_t)(in->end - in->at) != reader->chunk.length + sizeof end - 1)
        return BIL_E_SET_LINE;
    in->at += reader->chunk.length;
    bil_json_need(in, end);
    reader->file_left -= count;
    return in->failed ? BIL_E_SET_LINE : BIL_OK;
}

static int read_end(bil_set_reader *reader, json_in *in, const char *line, size_t length)
{
    bil_set_totals said = {0}, *seen = &reader->totals;
    for (unsigned i = 0; i < COUNTS; i++) {
        if (i) /* the first was taken to tell the line */
            bil_json_need(in, bil_nth(bil_count_keys, i));
        *(uint32_t *)(void *)((char *)&said + i * sizeof(uint32_t)) = (uint32_t)bil_json_take_number(in, UINT32_MAX);
    }
    bil_json_need(in, bil_key_values_digest);
    size_t first = bil_json_take_hex(in, said.values_digest, BIL_SHA256);
    bil_json_need(in, bil_key_digest);
    size_t second = bil_json_take_hex(in, said.digest, BIL_SHA256);
    bil_json_need(in, "}}\n");
    if (in->failed || first != BIL_SHA256 || second != BIL_SHA256)
        return BIL_E_SET_LINE;
    if (reader->values.ops) {
        if (memcmp(&said, seen, COUNTS * sizeof(uint32_t)) != 0)
            return BIL_E_SET_COUNT;
        reader->values.ops->end(reader->values.ctx, seen->values_digest);
        if (memcmp(said.values_digest, seen->values_digest, BIL_SHA256) != 0)
            return BIL_E_SET_ALTERED;
    }
    if (reader->whole.ops) {
        reader->whole.ops->add(reader->whole.ctx, line, length - BIL_SET_TAIL);
        reader->whole.ops->end(reader->whole.ctx, seen->digest);
        if (memcmp(said.digest, seen->digest, BIL_SHA256) != 0)
            return BIL_E_SET_ALTERED;
    }
    *seen = said;
    enter(reader, PHASE_WHOLE);
    return BIL_OK;
}

static int read_line(bil_set_reader *reader, const char *line, size_t length, bil_line_kind *kind)
{
    if (reader->phase == PHASE_WHOLE)
        return BIL_E_SET_AFTER_END;
    if (reader->phase == PHASE_FAILED)
        return BIL_E_SET_LINE;
    if (length > BIL_SET_LINE)
        return BIL_E_SET_LONG;
    if (length == 0 || line[length - 1] != '\n')
        return BIL_E_SET_CUT;
    json_in in = {line, line + length, false};
    int error;
    if (reader->phase == PHASE_HEADER) {
        *kind = BIL_LINE_HEADER;
        error = read_header(reader, &in);
    } else if (bil_json_try(&in, bil_count_keys)) {
        *kind = BIL_LINE_END;
        return reader->file_left ? BIL_E_SET_COUNT : read_end(reader, &in, line, length);
    } else if (bil_json_try(&in, bil_key_chunk)) {
        *kind = BIL_LINE_CHUNK;
        error = read_chunk(reader, &in);
    } else if (bil_json_try(&in, bil_key_file)) {
        *kind = BIL_LINE_FILE;
        error = read_file(reader, &in);
    } else if (length > BIL_SET_ITEM_LINE) {
        error = BIL_E_SET_LONG;
    } else if (reader->phase <= PHASE_VALUES && bil_json_try(&in, bil_key_id)) {
        *kind = BIL_LINE_VALUE;
        error = read_value(reader, &in);
    } else if (reader->phase == PHASE_LEFT_OUT && bil_json_try(&in, bil_key_left_out)) {
        *kind = BIL_LINE_LEFT_OUT;
        error = read_left_out(reader, &in);
    } else {
        error = BIL_E_SET_LINE;
    }
    if (!error && reader->whole.ops && !bil_is_full_chunk(line, length))
        reader->whole.ops->add(reader->whole.ctx, line, length);
    return error;
}

int bil_set_reader_line(bil_set_reader *reader, const char *line, size_t length, bil_line_kind *kind)
{
    require(reader && line && kind);
    reader->line++;
    int error = read_line(reader, line, length, kind);
    if (error)
        reader->phase = PHASE_FAILED;
    return error;
}

int bil_set_reader_whole(const bil_set_reader *reader)
{
    require(reader);
    return reader->phase == PHASE_WHOLE ? BIL_OK : BIL_E_SET_CUT;
}

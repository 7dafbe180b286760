/* Lines of a set file. What is accepted must be what the writer writes: each accepted value line, written again, is the
 * same bytes. */
#include <stdlib.h>
#include <string.h>

#include "bilancia/set.h"
#include "host/base/float_text.h"

int LLVMFuzzerTestOneInput(const uint8_t *data, size_t size);
extern const bil_description bil_description_ed_30;

/* A digest that costs nothing; the fuzzer can't guess a real one. */
static void start(void *ctx)
{
    (void)ctx;
}
static void add(void *ctx, const void *bytes, size_t count)
{
    (void)ctx;
    (void)bytes;
    (void)count;
}
static void end(void *ctx, uint8_t out[BIL_SHA256])
{
    (void)ctx;
    memset(out, 0, BIL_SHA256);
}
static const bil_digest_ops ops = {start, add, end};

int LLVMFuzzerTestOneInput(const uint8_t *data, size_t size)
{
    static uint8_t memory[4096];
    bil_image image;
    bil_digest none = {&ops, NULL};
    bil_set_reader reader;
    bil_set_writer writer;
    char line[BIL_SET_LINE];
    size_t length;
    bil_image_init(&image, &bil_description_ed_30, memory, sizeof memory);
    bil_set_begin(&writer, none, none, &host_floats, &(bil_set_header){0}, line, &length);
    bil_set_reader_init(&reader, none, none);
    const char *text = (const char *)data;
    for (size_t at = 0; at < size; at += length) {
        const char *lf = memchr(text + at, '\n', size - at);
        length = lf ? (size_t)(lf - text) + 1 - at : size - at;
        bil_line_kind kind;
        if (bil_set_reader_line(&reader, text + at, length, &kind) != BIL_OK)
            break;
        if (kind == BIL_LINE_VALUE) {
            size_t again;
            if (bil_set_item(&writer, &reader.item, line, &again) != BIL_OK || again != length ||
                memcmp(line, text + at, length) != 0)
                abort();
            if (bil_image_put_item(&image, &reader.item, &host_floats) == BIL_OK) {
                int32_t index =
                    bil_description_find(&bil_description_ed_30, reader.item.id.text, reader.item.id.length);
                bil_set_value(&writer, &image, (uint16_t)index, line, &again);
            }
        }
        if (kind == BIL_LINE_CHUNK &&
            (reader.chunk.length > BIL_SET_CHUNK_TEXT || reader.chunk.text + reader.chunk.length > text + at + length))
            abort();
    }
    bil_set_reader_whole(&reader);
    return 0;
}

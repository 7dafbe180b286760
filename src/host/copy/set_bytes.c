#include "host/copy/set_bytes.h"

#include <string.h>

#include "bilancia/host_error.h"
#include "port/base64.h"
#include "port/digest.h"
#include "port/memory.h"

typedef struct awaited {
    char id[BIL_ID_MAX + 1];
    uint8_t raw[BIL_FILE_RAW];
} awaited;

bool set_bytes_open(set_bytes *b)
{
    *b = (set_bytes){0};
    return digest_open(&b->digest);
}

void set_bytes_close(set_bytes *b)
{
    if (b->digest.ctx)
        digest_close(&b->digest);
    mem_free(b->list);
    *b = (set_bytes){0};
}

static int await(set_bytes *b, const bil_item *item)
{
    if (item->type != BIL_FILE || item->unreadable || !bil_file_size(item->raw))
        return BIL_OK;
    awaited *more = mem_more(b->list, (b->count + 1) * sizeof *more);
    if (!more)
        return BIL_E_MEMORY;
    b->list = more;
    memcpy(more[b->count].raw, item->raw, BIL_FILE_RAW);
    bil_str_plain(item->id, more[b->count++].id, sizeof more->id);
    return BIL_OK;
}

static int begin(set_bytes *b, const bil_set_reader *reader)
{
    const awaited *next = b->at < b->count ? &b->list[b->at++] : NULL;
    if (!next || !bil_str_equal(reader->file, (bil_str){next->id, strlen(next->id)}))
        return BIL_E_SET_ORDER;
    memcpy(b->raw, next->raw, BIL_FILE_RAW);
    b->digest.ops->start(b->digest.ctx);
    return reader->file_left == bil_file_size(b->raw) ? BIL_OK : BIL_E_SET_COUNT;
}

static int add(set_bytes *b, const bil_set_reader *reader)
{
    uint8_t bytes[BIL_SET_CHUNK], digest[BIL_SHA256];
    int count = base64_decode(reader->chunk.text, reader->chunk.length, bytes);
    uint64_t before = reader->file_left + (count > 0 ? (uint64_t)count : 0);
    bool whole = count > 0 && (count == BIL_SET_CHUNK || reader->file_left == 0) && before <= bil_file_size(b->raw);
    if (whole && count < BIL_SET_CHUNK) { /* only there bits may be left over */
        char again[BIL_SET_CHUNK_TEXT + 1];
        base64_encode(bytes, (size_t)count, again);
        whole = memcmp(again, reader->chunk.text, reader->chunk.length) == 0;
    }
    if (!whole)
        return BIL_E_SET_LINE;
    b->digest.ops->add(b->digest.ctx, bytes, (size_t)count);
    if (reader->file_left)
        return BIL_OK;
    b->digest.ops->end(b->digest.ctx, digest);
    return memcmp(digest, b->raw + BIL_FILE_RAW - BIL_SHA256, BIL_SHA256) == 0 ? BIL_OK : BIL_E_SET_ALTERED;
}

int set_bytes_follow(set_bytes *b, const bil_set_reader *reader, bil_line_kind kind)
{
    switch (kind) {
    case BIL_LINE_VALUE:
        return await(b, &reader->item);
    case BIL_LINE_FILE:
        return begin(b, reader);
    case BIL_LINE_CHUNK:
        return add(b, reader);
    case BIL_LINE_END:
        return b->at == b->count ? BIL_OK : BIL_E_SET_COUNT;
    default:
        return BIL_OK;
    }
}

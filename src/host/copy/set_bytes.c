#include "host/copy/set_bytes.h"

#include <string.h>

#include "bilancia/host_error.h"
#include "port/base64.h"
#include "port/digest_beside.h"
#include "port/memory.h"

typedef struct awaited {
    char id[BIL_ID_MAX + 1];
    uint8_t raw[BIL_FILE_RAW];
} awaited;

typedef struct secret {
    char id[BIL_ID_MAX + 1];
} secret;

bool set_bytes_open(set_bytes *b)
{
    *b = (set_bytes){0};
    return digest_beside_open(&b->digest);
}

void set_bytes_close(set_bytes *b)
{
    digest_beside_close(&b->digest);
    mem_free(b->list);
    mem_free(b->secrets);
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

static int note_secret(set_bytes *b, const bil_item *item)
{
    if (item->cls != BIL_CLASS_SECRET)
        return BIL_OK;
    secret *more = mem_more(b->secrets, (b->secret_count + 1) * sizeof *more);
    if (!more)
        return BIL_E_MEMORY;
    b->secrets = more;
    bil_str_plain(item->id, more[b->secret_count++].id, sizeof more->id);
    return BIL_OK;
}

static bool begins_seal(set_bytes *b, const bil_set_reader *reader)
{
    b->is_seal = false;
    for (size_t i = 0; i < b->secret_count && !b->is_seal; i++)
        b->is_seal = bil_str_equal(reader->file, (bil_str){b->secrets[i].id, strlen(b->secrets[i].id)});
    return b->is_seal;
}

static int begin(set_bytes *b, const bil_set_reader *reader)
{
    if (begins_seal(b, reader)) {
        b->seal = (seal){.size = (size_t)reader->file_left};
        bil_str_plain(reader->file, b->seal.id, sizeof b->seal.id);
        return reader->file_left > SEAL_AROUND && reader->file_left <= SEAL_MOST ? BIL_OK : BIL_E_SET_LINE;
    }
    const awaited *next = b->at < b->count ? &b->list[b->at++] : NULL;
    if (!next || !bil_str_equal(reader->file, (bil_str){next->id, strlen(next->id)}))
        return BIL_E_SET_ORDER;
    memcpy(b->raw, next->raw, BIL_FILE_RAW);
    b->digest.ops->start(b->digest.ctx);
    return reader->file_left == bil_file_size(b->raw) ? BIL_OK : BIL_E_SET_COUNT;
}

/* Its bytes; 0 where the line isn't as base64 has to be. Only of the last chunk bits may be left over. */
static size_t decode(const bil_set_reader *reader, uint8_t bytes[BIL_SET_CHUNK])
{
    char again[BIL_SET_CHUNK_TEXT + 1];
    int count = base64_decode(reader->chunk.text, reader->chunk.length, bytes);
    if (count <= 0 || count == BIL_SET_CHUNK)
        return count > 0 ? BIL_SET_CHUNK : 0;
    base64_encode(bytes, (size_t)count, again);
    return memcmp(again, reader->chunk.text, reader->chunk.length) == 0 ? (size_t)count : 0;
}

static int add(set_bytes *b, const bil_set_reader *reader)
{
    uint8_t bytes[BIL_SET_CHUNK], digest[BIL_SHA256];
    size_t count = decode(reader, bytes);
    uint64_t most = b->is_seal ? b->seal.size : bil_file_size(b->raw);
    if (!count || (count < BIL_SET_CHUNK && reader->file_left) || reader->file_left + count > most)
        return BIL_E_SET_LINE;
    if (b->is_seal) {
        memcpy(b->seal.bytes, bytes, count <= SEAL_MOST ? count : SEAL_MOST);
        return count == b->seal.size ? BIL_OK : BIL_E_SET_LINE;
    }
    b->digest.ops->add(b->digest.ctx, bytes, count);
    if (reader->file_left)
        return BIL_OK;
    b->digest.ops->end(b->digest.ctx, digest);
    return memcmp(digest, b->raw + BIL_FILE_RAW - BIL_SHA256, BIL_SHA256) == 0 ? BIL_OK : BIL_E_SET_ALTERED;
}

int set_bytes_follow(set_bytes *b, const bil_set_reader *reader, bil_line_kind kind)
{
    switch (kind) {
    case BIL_LINE_LEFT_OUT:
        return note_secret(b, &reader->item);
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

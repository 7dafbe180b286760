#include "host/copy/files.h"

#include <errno.h>
#include <fcntl.h>
#include <string.h>
#include <sys/stat.h>
#include <unistd.h>

#include "bilancia/host_error.h"
#include "port/base64.h"
#include "port/digest_beside.h"
#include "port/memory.h"
#include "port/storage.h"

enum { DIGEST_AT = 8 };
static const char line_begin[] = "{\"chunk\":\"", line_end[] = "\"}\n";
enum { LINE = sizeof line_begin - 1 + BIL_SET_CHUNK_TEXT + sizeof line_end - 1, LINES = FILE_BLOCK / BIL_SET_CHUNK };

void files_open(file_store *s)
{
    *s = (file_store){0};
}

void files_close(file_store *s)
{
    for (size_t i = 0; i < s->fd_count; i++)
        close(s->fds[i]);
    if (s->spool)
        close(s->spool - 1);
    digest_beside_close(&s->digest);
    mem_free(s->fds);
    mem_free(s->list);
    mem_free(s->block);
    mem_free(s->held);
    seals_free(&s->seals);
    files_open(s);
}

static const file_place *find(const file_store *s, const uint8_t *raw)
{
    for (size_t i = 0; i < s->count; i++)
        if (memcmp(s->list[i].raw, raw, BIL_FILE_RAW) == 0)
            return &s->list[i];
    return NULL;
}

static bool add(file_store *s, file_place place)
{
    file_place *more = mem_more(s->list, (s->count + 1) * sizeof *more);
    if (!more)
        return false;
    s->list = more;
    s->list[s->count++] = place;
    return true;
}

bool files_add(file_store *s, int fd, uint64_t at, const uint8_t raw[BIL_FILE_RAW])
{
    file_place place = {.fd = fd, .at = at};
    memcpy(place.raw, raw, BIL_FILE_RAW);
    return find(s, raw) || add(s, place);
}

bool files_keep(file_store *s, int fd)
{
    int *more = fd < 0 ? NULL : mem_more(s->fds, (s->fd_count + 1) * sizeof *more);
    if (!more) {
        if (fd >= 0)
            close(fd);
        return false;
    }
    s->fds = more;
    s->fds[s->fd_count++] = fd;
    return true;
}

bool files_has(const file_store *s, const uint8_t raw[BIL_FILE_RAW])
{
    return !bil_file_size(raw) || find(s, raw);
}

static bool is_same(int a, int b)
{
    struct stat x, y;
    return fstat(a, &x) == 0 && fstat(b, &y) == 0 && x.st_dev == y.st_dev && x.st_ino == y.st_ino;
}

bool files_share(file_store *s, const file_store *from, const uint8_t raw[BIL_FILE_RAW])
{
    const file_place *theirs = find(from, raw);
    if (files_has(s, raw))
        return true;
    if (!theirs)
        return false;
    file_place ours = *theirs;
    ours.fd = -1;
    for (size_t i = 0; i < s->fd_count && ours.fd < 0; i++)
        ours.fd = is_same(s->fds[i], theirs->fd) ? s->fds[i] : -1;
    if (ours.fd < 0 && files_keep(s, fcntl(theirs->fd, F_DUPFD_CLOEXEC, 0)))
        ours.fd = s->fds[s->fd_count - 1];
    return ours.fd >= 0 && add(s, ours);
}

bool files_share_all(file_store *s, const file_store *from, const bil_image *image)
{
    const bil_description *d = image->description;
    bool all = true;
    for (uint16_t i = 0; i < d->count && all; i++)
        all = d->params[i].format->type != BIL_FILE || image->state[i] != BIL_PRESENT ||
              files_share(s, from, bil_image_raw(image, i));
    return all;
}

/* ---- taking ---- */

static bool take_begin(void *ctx)
{
    file_store *s = ctx;
    if (!s->held)
        s->held = mem_new(1, FILE_BLOCK);
    if (!s->spool)
        s->spool = storage_nameless() + 1;
    if (!s->spool || !s->held || (!s->digest.ctx && !digest_beside_open(&s->digest))) {
        s->error = s->spool ? BIL_E_MEMORY : storage_error();
        return false;
    }
    s->digest.ops->start(s->digest.ctx);
    s->begun = true;
    s->done = s->lines = s->held_size = 0;
    return true;
}

static bool stops(const file_store *s)
{
    return s->stop && s->stop(s->stop_ctx);
}

/* What is held becomes lines. */
static bool put_held(file_store *s)
{
    char text[LINES * LINE + 1], *to = text;
    for (size_t at = 0; at < s->held_size; at += BIL_SET_CHUNK) {
        size_t count = s->held_size - at < BIL_SET_CHUNK ? s->held_size - at : BIL_SET_CHUNK;
        to = mempcpy(to, line_begin, sizeof line_begin - 1);
        base64_encode(s->held + at, count, to);
        to = mempcpy(to + (count + 2) / 3 * 4, line_end, sizeof line_end - 1);
    }
    s->held_size = 0;
    for (const char *from = text; from < to;) {
        ssize_t now = pwrite(s->spool - 1, from, (size_t)(to - from), (off_t)(s->end + s->lines));
        if (now < 0 && errno == EINTR)
            continue;
        if (now <= 0) {
            s->error = storage_error();
            return false;
        }
        from += now;
        s->lines += (uint64_t)now;
    }
    return true;
}

static bil_error take(void *ctx, const uint8_t *bytes, size_t count)
{
    file_store *s = ctx;
    if (stops(s))
        return BIL_E_CANCELLED;
    if (count > s->most - s->done)
        return BIL_E_RANGE;
    s->digest.ops->add(s->digest.ctx, bytes, count);
    for (size_t now; count > 0; bytes += now, count -= now) {
        now = count < FILE_BLOCK - s->held_size ? count : FILE_BLOCK - s->held_size;
        memcpy(s->held + s->held_size, bytes, now);
        s->held_size += now;
        s->done += now;
        if (s->held_size == FILE_BLOCK && !put_held(s))
            return BIL_E_SPACE;
    }
    return BIL_OK;
}

bil_bytes files_to_take(file_store *s, uint64_t most)
{
    s->begun = false;
    s->most = most;
    s->done = 0;
    return (bil_bytes){.begin = take_begin, .take = take, .ctx = s};
}

bool files_taken(file_store *s, uint8_t raw[BIL_FILE_RAW])
{
    memset(raw, 0, BIL_FILE_RAW);
    if (!s->begun)
        return true;
    if (!put_held(s))
        return false;
    file_place place = {.fd = s->spool - 1, .at = s->end, .own = true};
    bil_value_put_number(place.raw, DIGEST_AT, s->done);
    s->digest.ops->end(s->digest.ctx, place.raw + DIGEST_AT);
    memcpy(raw, place.raw, BIL_FILE_RAW);
    s->begun = false;
    if (find(s, raw)) /* it is kept once */
        return true;
    s->end += s->lines;
    return !mem_is_short() && add(s, place);
}

/* ---- giving ---- */

static bool give_begin(void *ctx)
{
    file_store *s = ctx;
    s->done = 0;
    s->block_at = s->block_size = 0;
    return true;
}

static ssize_t read_at(int fd, void *to, size_t count, uint64_t at)
{
    ssize_t got;
    do
        got = pread(fd, to, count, (off_t)at);
    while (got < 0 && errno == EINTR);
    return got;
}

/* The next lines of a copy, which are of one length. */
static bool next_block(file_store *s)
{
    char text[LINES * LINE];
    const file_place *p = &s->giving;
    ssize_t got = read_at(p->fd, text, sizeof text, p->at + s->done / BIL_SET_CHUNK * LINE);
    uint64_t left = bil_file_size(p->raw) - s->done;
    s->block = s->block ? s->block : mem_new(1, FILE_BLOCK + 2); /* the last quad is decoded whole */
    s->block_at = s->block_size = 0;
    for (const char *line = text; s->block && got > 0 && left > 0 && s->block_size < FILE_BLOCK; line += LINE) {
        size_t count = left < BIL_SET_CHUNK ? (size_t)left : BIL_SET_CHUNK, length = (count + 2) / 3 * 4;
        bool whole = line + sizeof line_begin - 1 + length + sizeof line_end - 1 <= text + got;
        bil_str base64 = {line + sizeof line_begin - 1, length};
        if (!whole || memcmp(line, line_begin, sizeof line_begin - 1) != 0 ||
            memcmp(base64.text + length, line_end, sizeof line_end - 1) != 0 ||
            base64_decode(base64.text, length, s->block + s->block_size) != (int)count)
            break;
        s->block_size += count;
        left -= count;
    }
    return s->block_size > 0;
}

static size_t give(void *ctx, uint8_t *bytes, size_t most)
{
    file_store *s = ctx;
    uint64_t left = bil_file_size(s->giving.raw) - s->done;
    size_t count = left < most ? (size_t)left : most;
    if (stops(s) || count == 0)
        return 0;
    if (s->block_at == s->block_size && !next_block(s)) {
        s->error = BIL_E_SET_ALTERED;
        return 0;
    }
    count = count < s->block_size - s->block_at ? count : s->block_size - s->block_at;
    memcpy(bytes, s->block + s->block_at, count);
    s->block_at += count;
    s->done += count;
    return count;
}

bool files_to_give(file_store *s, const uint8_t raw[BIL_FILE_RAW], bil_bytes *bytes)
{
    const file_place *place = find(s, raw);
    s->error = BIL_OK;
    *bytes = (bil_bytes){.begin = give_begin, .give = give, .ctx = s};
    s->giving = place ? *place : (file_place){0}; /* of no bytes, or of none at all */
    return place || !bil_file_size(raw);
}

int files_put_lines(file_store *s, FILE *to, uint64_t *left)
{
    char text[LINES * LINE];
    uint64_t whole = s->giving.own ? *left / BIL_SET_CHUNK : 0;
    while (whole > 0) {
        size_t lines = whole < LINES ? (size_t)whole : LINES;
        ssize_t got = read_at(s->giving.fd, text, lines * LINE, s->giving.at + s->done / BIL_SET_CHUNK * LINE);
        if (got != (ssize_t)(lines * LINE))
            return BIL_E_NO_BYTES;
        if (fwrite(text, LINE, lines, to) != lines)
            return storage_error();
        s->done += lines * BIL_SET_CHUNK;
        *left -= lines * BIL_SET_CHUNK;
        whole -= lines;
    }
    return BIL_OK;
}

int files_give_all(file_store *s, const uint8_t raw[BIL_FILE_RAW],
                   bool (*to)(void *ctx, const uint8_t *bytes, size_t count), void *ctx)
{
    uint8_t bytes[FILE_BLOCK];
    bil_bytes from;
    if (!files_to_give(s, raw, &from))
        return BIL_E_NO_BYTES;
    from.begin(from.ctx);
    for (uint64_t left = bil_file_size(raw), now; left > 0; left -= now) {
        now = from.give(from.ctx, bytes, sizeof bytes);
        if (!now)
            return s->error ? s->error : BIL_E_NO_BYTES;
        if (!to(ctx, bytes, (size_t)now))
            return BIL_E_FILE_WRITE;
    }
    return BIL_OK;
}

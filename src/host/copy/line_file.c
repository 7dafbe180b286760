/* A ring of blocks between the thread that reads and digests and the one that takes lines. A line that crosses the
 * border of two blocks is put together in a buffer of its own. */
#include "host/copy/line_file.h"

#include <errno.h>
#include <fcntl.h>
#include <pthread.h>
#include <stdlib.h>
#include <string.h>
#include <sys/stat.h>
#include <unistd.h>

#include "port/digest.h"
#include "port/storage.h"

enum { BLOCK = 1 << 16, BLOCKS = 3 };

struct line_file {
    int fd, error;
    uint64_t size, digested;
    pthread_t thread;
    pthread_mutex_t lock;
    pthread_cond_t moved;
    bool stop, ended;
    unsigned filled, taken; /* blocks ever filled and given back */
    size_t length[BLOCKS];
    bil_digest digest;
    char begun[BIL_SET_LINE]; /* of the line that the last block ended in, as long as it may be a full chunk */
    size_t begun_length;
    bool within; /* it can't be one */
    /* of the one who takes lines */
    size_t at; /* in the block now open */
    uint64_t taken_bytes;
    bool open;
    const char *line;
    size_t line_length;
    size_t joined; /* bytes in `join` that belong to the line now looked at */
    char join[BIL_SET_LINE + 1];
    char blocks[BLOCKS][BLOCK];
};

static void digest_bytes(line_file *f, const char *bytes, size_t count)
{
    if (count)
        f->digest.ops->add(f->digest.ctx, bytes, count);
}

/* What a block goes on with of the line that the last one ended in; how much of it that is. */
static size_t go_on(line_file *f, const char *bytes, size_t count)
{
    const char *end = memchr(bytes, '\n', count);
    size_t part = end ? (size_t)(end - bytes) + 1 : count;
    if (!f->within && f->begun_length + part > sizeof f->begun) {
        digest_bytes(f, f->begun, f->begun_length);
        f->within = true;
    }
    if (f->within) {
        digest_bytes(f, bytes, part);
    } else {
        memcpy(f->begun + f->begun_length, bytes, part);
        f->begun_length += part;
        if (end && !bil_is_full_chunk(f->begun, f->begun_length))
            digest_bytes(f, f->begun, f->begun_length);
    }
    if (end) {
        f->begun_length = 0;
        f->within = false;
    }
    return part;
}

/* All but the end of the file, line by line: full chunks stay out. */
static void add_to_digest(line_file *f, const char *bytes, size_t count)
{
    uint64_t most = f->size > BIL_SET_TAIL ? f->size - BIL_SET_TAIL : 0;
    if (f->digested + count > most)
        count = (size_t)(most - f->digested);
    f->digested += count;
    size_t at = f->begun_length || f->within ? go_on(f, bytes, count) : 0, from = at;
    for (const char *end; at < count && (end = memchr(bytes + at, '\n', count - at));) {
        size_t length = (size_t)(end - bytes) + 1 - at;
        if (bil_is_full_chunk(bytes + at, length)) {
            digest_bytes(f, bytes + from, at - from);
            from = at + length;
        }
        at += length;
    }
    digest_bytes(f, bytes + from, at - from);
    if (at < count)
        go_on(f, bytes + at, count - at);
}

static size_t fill(line_file *f, char *block)
{
    size_t used = 0;
    while (used < BLOCK) {
        ssize_t got = read(f->fd, block + used, BLOCK - used);
        if (got < 0 && errno == EINTR)
            continue;
        if (got < 0)
            f->error = errno;
        if (got <= 0)
            break;
        used += (size_t)got;
    }
    return used;
}

static void *read_ahead(void *ctx)
{
    line_file *f = ctx;
    for (bool last = false; !last;) {
        pthread_mutex_lock(&f->lock);
        while (f->filled - f->taken == BLOCKS && !f->stop)
            pthread_cond_wait(&f->moved, &f->lock);
        bool stop = f->stop;
        unsigned slot = f->filled % BLOCKS;
        pthread_mutex_unlock(&f->lock);
        if (stop)
            break;
        size_t got = fill(f, f->blocks[slot]);

        add_to_digest(f, f->blocks[slot], got);
        last = got < BLOCK;
        pthread_mutex_lock(&f->lock);
        f->length[slot] = got;
        f->filled++;
        f->ended = last;
        pthread_cond_broadcast(&f->moved);
        pthread_mutex_unlock(&f->lock);
    }
    return NULL;
}

line_file *line_file_open(const char *path)
{
    int fd = storage_open(path, STORAGE_COPY_MOST);
    struct stat info;
    if (fd < 0)
        return NULL;
    line_file *f = calloc(1, sizeof *f);
    if (!f || fstat(fd, &info) != 0) {
        close(fd);
        free(f);
        errno = ENOMEM;
        return NULL;
    }
    f->fd = fd;
    f->size = info.st_size > 0 ? (uint64_t)info.st_size : 0;
    pthread_mutex_init(&f->lock, NULL);
    pthread_cond_init(&f->moved, NULL);
    bool good = digest_open(&f->digest);
    if (good)
        f->digest.ops->start(f->digest.ctx);
    if (!good || pthread_create(&f->thread, NULL, read_ahead, f) != 0) {
        digest_close(&f->digest);
        close(fd);
        free(f);
        errno = ENOMEM;
        return NULL;
    }
    return f;
}

/* Opens the next block when there is one. */
static bool next_block(line_file *f)
{
    pthread_mutex_lock(&f->lock);
    if (f->open) {
        f->taken++;
        f->open = false;
        pthread_cond_broadcast(&f->moved);
    }
    while (f->filled == f->taken && !f->ended)
        pthread_cond_wait(&f->moved, &f->lock);
    f->open = f->filled != f->taken;
    pthread_mutex_unlock(&f->lock);
    f->at = 0;
    return f->open;
}

bool line_file_look(line_file *f, const char **line, size_t *length)
{
    while (!f->line) {
        unsigned slot = f->taken % BLOCKS;
        if (!f->open || f->at == f->length[slot]) {
            if (next_block(f))
                continue;
            if (f->joined == 0)
                return false;
            f->line = f->join; /* the end of the file without an LF */
            f->line_length = f->joined;
            break;
        }
        const char *start = f->blocks[slot] + f->at;
        size_t left = f->length[slot] - f->at, room = BIL_SET_LINE + 1 - f->joined;
        size_t most = left < room ? left : room;
        const char *end = memchr(start, '\n', most);
        size_t part = end ? (size_t)(end - start) + 1 : most;
        if (f->joined == 0 && (end || part > BIL_SET_LINE)) {
            f->line = start;
            f->line_length = part;
        } else {
            memcpy(f->join + f->joined, start, part);
            f->joined += part;
            if (end || f->joined > BIL_SET_LINE) {
                f->line = f->join;
                f->line_length = f->joined;
            }
        }
        f->at += part;
    }
    *line = f->line;
    *length = f->line_length;
    return true;
}

uint64_t line_file_at(const line_file *f)
{
    return f->taken_bytes;
}

int line_file_again(const line_file *f)
{
    return fcntl(f->fd, F_DUPFD_CLOEXEC, 0);
}

void line_file_take(line_file *f)
{
    f->taken_bytes += f->line ? f->line_length : 0;
    f->line = NULL;
    f->joined = 0;
}

int line_file_error(const line_file *f)
{
    return f->error;
}

void line_file_digest(line_file *f, uint8_t out[BIL_SHA256])
{
    pthread_mutex_lock(&f->lock);
    while (!f->ended)
        pthread_cond_wait(&f->moved, &f->lock);
    pthread_mutex_unlock(&f->lock);
    digest_bytes(f, f->begun, f->within ? 0 : f->begun_length); /* the last line, without its end */
    f->digest.ops->end(f->digest.ctx, out);
}

void line_file_close(line_file *f)
{
    pthread_mutex_lock(&f->lock);
    f->stop = true;
    pthread_cond_broadcast(&f->moved);
    pthread_mutex_unlock(&f->lock);
    pthread_join(f->thread, NULL);
    pthread_mutex_destroy(&f->lock);
    pthread_cond_destroy(&f->moved);
    digest_close(&f->digest);
    close(f->fd);
    free(f);
}

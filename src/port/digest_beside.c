#include "port/digest_beside.h"

#include <pthread.h>
#include <signal.h>
#include <string.h>

#include "port/memory.h"

enum { BLOCK = 8 * 1024, BLOCKS = 4, ALONE = 1024 * 1024 }; /* up to so many bytes there is no other thread */

typedef struct beside {
    bil_digest own;
    size_t all;
    bool running;
    pthread_t thread;
    pthread_mutex_t lock;
    pthread_cond_t moved;
    size_t filled, done; /* blocks since the thread began; those between wait for it */
    bool last;
    size_t size[BLOCKS];
    uint8_t *blocks; /* made with the thread */
} beside;

static void *work(void *ctx)
{
    beside *b = ctx;
    pthread_mutex_lock(&b->lock);
    while (b->done < b->filled || !b->last) {
        if (b->done == b->filled) {
            pthread_cond_wait(&b->moved, &b->lock);
            continue;
        }
        size_t at = b->done % BLOCKS;
        pthread_mutex_unlock(&b->lock);
        b->own.ops->add(b->own.ctx, b->blocks + at * BLOCK, b->size[at]);
        pthread_mutex_lock(&b->lock);
        b->done++;
        pthread_cond_signal(&b->moved);
    }
    pthread_mutex_unlock(&b->lock);
    return NULL;
}

/* Until all that was handed over is in it, and the thread is gone. */
static void join(beside *b)
{
    if (!b->running)
        return;
    pthread_mutex_lock(&b->lock);
    b->filled += b->size[b->filled % BLOCKS] > 0; /* one that isn't full */
    b->last = true;
    pthread_cond_signal(&b->moved);
    pthread_mutex_unlock(&b->lock);
    pthread_join(b->thread, NULL);
    b->running = false;
}

static void start(void *ctx)
{
    beside *b = ctx;
    join(b);
    b->all = 0;
    b->own.ops->start(b->own.ctx);
}

/* Where no thread can be had, it is done without one. */
static bool has_thread(beside *b)
{
    if (b->running || b->all < ALONE)
        return b->running;
    if (!b->blocks && !(b->blocks = mem_new(BLOCKS, BLOCK)))
        return false;
    memset(b->size, 0, sizeof b->size);
    b->filled = b->done = 0;
    b->last = false;
    sigset_t all, before; /* signals go to the thread that knows what they mean */
    sigfillset(&all);
    pthread_sigmask(SIG_SETMASK, &all, &before);
    b->running = pthread_create(&b->thread, NULL, work, b) == 0;
    pthread_sigmask(SIG_SETMASK, &before, NULL);
    return b->running;
}

static void add(void *ctx, const void *bytes, size_t count)
{
    beside *b = ctx;
    const uint8_t *from = bytes;
    b->all += b->all < ALONE ? count : 0;
    if (!has_thread(b)) {
        b->own.ops->add(b->own.ctx, bytes, count);
        return;
    }
    while (count) {
        size_t at = b->filled % BLOCKS, room = BLOCK - b->size[at], now = count < room ? count : room;
        memcpy(b->blocks + at * BLOCK + b->size[at], from, now);
        b->size[at] += now;
        from += now;
        count -= now;
        if (b->size[at] < BLOCK)
            return;
        pthread_mutex_lock(&b->lock);
        b->filled++;
        pthread_cond_signal(&b->moved);
        while (b->filled - b->done == BLOCKS)
            pthread_cond_wait(&b->moved, &b->lock);
        pthread_mutex_unlock(&b->lock);
        b->size[b->filled % BLOCKS] = 0;
    }
}

static void end(void *ctx, uint8_t out[BIL_SHA256])
{
    beside *b = ctx;
    join(b);
    b->own.ops->end(b->own.ctx, out);
}

static const bil_digest_ops ops = {start, add, end};

bool digest_beside_open(bil_digest *digest)
{
    beside *b = mem_new(1, sizeof *b);
    *digest = (bil_digest){&ops, b};
    if (b && digest_open(&b->own)) {
        pthread_mutex_init(&b->lock, NULL);
        pthread_cond_init(&b->moved, NULL);
        return true;
    }
    mem_free(b);
    digest->ctx = NULL;
    return false;
}

void digest_beside_close(bil_digest *digest)
{
    beside *b = digest->ctx;
    if (!b)
        return;
    join(b);
    digest_close(&b->own);
    pthread_mutex_destroy(&b->lock);
    pthread_cond_destroy(&b->moved);
    mem_free(b->blocks);
    mem_free(b);
    digest->ctx = NULL;
}

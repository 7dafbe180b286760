#include "host/run/lines.h"
#include "port/memory.h"

#include <pthread.h>
#include <stdbool.h>
#include <stdlib.h>
#include <string.h>

enum { USUAL_AT_ONCE = 64, MOST_AT_ONCE = 512, STACK = 256 * 1024 };

typedef struct piece {
    const char *line;
    size_t number;
} piece;

typedef struct shift {
    const lines_work *c;
    piece *pieces; /* by line */
    size_t next;
    pthread_mutex_t lock;
    const mem_hooks *hooks; /* of whoever called */
    bool is_short;
} shift;

static int by_line(const void *left, const void *right)
{
    const piece *a = left, *b = right;
    int order = strcmp(a->line, b->line);
    return order ? order : (a->number > b->number) - (a->number < b->number);
}

static piece *sort(const lines_work *c)
{
    piece *pieces = mem_new(c->count + 1, sizeof *pieces);
    if (!pieces)
        return NULL;
    for (size_t i = 0; i < c->count; i++)
        pieces[i] = (piece){c->line(c->ctx, i), i};
    qsort(pieces, c->count, sizeof *pieces, by_line);
    return pieces;
}

static size_t end_of_line(const piece *pieces, size_t count, size_t first)
{
    size_t end = first + 1;
    while (end < count && pieces[first].line[0] && strcmp(pieces[first].line, pieces[end].line) == 0)
        end++;
    return end;
}

static void work_here(shift *s)
{
    const lines_work *c = s->c;
    pthread_mutex_lock(&s->lock);
    while (s->next < c->count) {
        size_t first = s->next, end = end_of_line(s->pieces, c->count, first), before = LINES_NONE;
        s->next = end;
        for (size_t i = first; i < end; i++) {
            size_t number = s->pieces[i].number;
            pthread_mutex_unlock(&s->lock);
            c->work(c->ctx, number, before);
            before = number;
            pthread_mutex_lock(&s->lock);
            c->done(c->ctx, number);
        }
    }
    pthread_mutex_unlock(&s->lock);
}

static void *work(void *ctx)
{
    shift *s = ctx;
    mem_scope scope;
    mem_enter(&scope, s->hooks);
    work_here(s);
    if (mem_leave(&scope)) {
        pthread_mutex_lock(&s->lock);
        s->is_short = true;
        pthread_mutex_unlock(&s->lock);
    }
    return NULL;
}

void lines_measure(const lines_work *c, size_t *lines, size_t *longest)
{
    piece *pieces = sort(c);
    *lines = *longest = 0;
    for (size_t first = 0, end; pieces && first < c->count; first = end) {
        end = end_of_line(pieces, c->count, first);
        ++*lines;
        *longest = end - first > *longest ? end - first : *longest;
    }
    mem_free(pieces);
}

size_t lines_hands(const lines_work *c, size_t lines)
{
    size_t hands = c->at_once ? c->at_once : USUAL_AT_ONCE;
    hands = hands > MOST_AT_ONCE ? MOST_AT_ONCE : hands;
    return hands > lines ? lines : hands;
}

void lines_run(const lines_work *c)
{
    size_t lines, longest;
    lines_measure(c, &lines, &longest);
    size_t hands = lines_hands(c, lines), started = 0;
    shift s = {.c = c, .pieces = sort(c), .hooks = mem_present()};
    if (!s.pieces)
        return;
    pthread_mutex_init(&s.lock, NULL);
    pthread_attr_t small;
    pthread_attr_init(&small);
    pthread_attr_setstacksize(&small, STACK);
    pthread_t *threads = mem_new(hands + 1, sizeof *threads);
    while (threads && started + 1 < hands && pthread_create(&threads[started], &small, work, &s) == 0)
        started++;
    work_here(&s); /* this thread is one of them: it goes on alone when there are no others */
    for (size_t i = 0; i < started; i++)
        pthread_join(threads[i], NULL);
    pthread_attr_destroy(&small);
    pthread_mutex_destroy(&s.lock);
    mem_free(threads);
    mem_free(s.pieces);
    if (s.is_short)
        mem_short();
}

#include "host/look/lines.h"

#include <stdint.h>
#include <string.h>

#include "bilancia/value.h"
#include "port/memory.h"

typedef struct line {
    const char *text;
    size_t length;
} line;

typedef struct lines {
    line *list;
    size_t count;
} lines;

static bool split(lines *l, const char *text, size_t size)
{
    size_t count = 1;
    for (const char *at = text; (at = memchr(at, '\n', size - (size_t)(at - text))); at++)
        count++;
    l->list = mem_new(count, sizeof *l->list);
    l->count = 0;
    for (const char *at = text, *end = text + size; l->list && at < end;) {
        const char *lf = memchr(at, '\n', (size_t)(end - at));
        l->list[l->count++] = (line){at, (size_t)((lf ? lf : end) - at)};
        at = lf ? lf + 1 : end;
    }
    return l->list;
}

static bool alike(const line *a, const line *b)
{
    return a->length == b->length && memcmp(a->text, b->text, a->length) == 0;
}

/* From the end: how many lines both have from here on, at most. Then along it. */
static void walk(const line *a, size_t n, const line *b, size_t m, unsigned first, uint16_t *common, lines_tell *tell,
                 void *ctx)
{
    size_t row = m + 1;
    for (size_t i = n; i-- > 0;)
        for (size_t k = m; k-- > 0;) {
            uint16_t down = common[(i + 1) * row + k], along = common[i * row + k + 1];
            common[i * row + k] = alike(&a[i], &b[k]) ? (uint16_t)(common[(i + 1) * row + k + 1] + 1)
                                  : down > along      ? down
                                                      : along;
        }
    for (size_t i = 0, k = 0; i < n || k < m;) {
        if (i < n && k < m && alike(&a[i], &b[k])) {
            i++;
            k++;
        } else if (i < n && (k == m || common[(i + 1) * row + k] >= common[i * row + k + 1])) {
            tell(ctx, '-', first + (unsigned)i, a[i].text, a[i].length);
            i++;
        } else {
            tell(ctx, '+', first + (unsigned)k, b[k].text, b[k].length);
            k++;
        }
    }
}

bool lines_compare(const char *left, size_t left_size, const char *right, size_t right_size, lines_tell *tell,
                   void *ctx)
{
    lines a = {0}, b = {0};
    size_t begin = 0, end = 0;
    bool good = split(&a, left, left_size) && split(&b, right, right_size);
    size_t both = a.count < b.count ? a.count : b.count;
    while (good && begin < both && alike(&a.list[begin], &b.list[begin]))
        begin++;
    while (good && end < both - begin && alike(&a.list[a.count - 1 - end], &b.list[b.count - 1 - end]))
        end++;
    size_t n = a.count - begin - end, m = b.count - begin - end;
    good = good && n <= LINES_MOST && m <= LINES_MOST;
    uint16_t *common = good ? mem_new((n + 1) * (m + 1), sizeof *common) : NULL;
    if (common)
        walk(a.list + begin, n, b.list + begin, m, (unsigned)begin + 1, common, tell, ctx);
    mem_free(common);
    mem_free(a.list);
    mem_free(b.list);
    return common;
}

bool lines_are_text(const char *text, size_t size)
{
    size_t from = 0;
    for (size_t i = 0; i <= size; i++) {
        if (i < size && text[i] != '\n' && text[i] != '\t')
            continue;
        if (i > from && !bil_text_is_printable(text + from, i - from))
            return false;
        from = i + 1;
    }
    return true;
}

#include "host/base/nearest.h"

#include <stdbool.h>
#include <stdio.h>
#include <string.h>

enum { LONGEST = 63 };

static size_t least(size_t a, size_t b)
{
    return a < b ? a : b;
}

/* The optimal string alignment distance, three rows at a time. */
size_t nearest_distance(const char *a, const char *b)
{
    size_t m = strnlen(a, LONGEST), n = strnlen(b, LONGEST);
    size_t rows[3][LONGEST + 1];
    for (size_t k = 0; k <= n; k++)
        rows[0][k] = k;
    for (size_t i = 1; i <= m; i++) {
        size_t *now = rows[i % 3], *up = rows[(i + 2) % 3], *up2 = rows[(i + 1) % 3];
        now[0] = i;
        for (size_t k = 1; k <= n; k++) {
            now[k] = least(least(up[k] + 1, now[k - 1] + 1), up[k - 1] + (a[i - 1] != b[k - 1]));
            if (i > 1 && k > 1 && a[i - 1] == b[k - 2] && a[i - 2] == b[k - 1])
                now[k] = least(now[k], up2[k - 2] + 1);
        }
    }
    return rows[m % 3][n];
}

void nearest_offer(nearest *n, const char *wanted, const char *word)
{
    size_t length = strlen(word), want = strlen(wanted);
    bool begins = want > 1 && length > want && memcmp(word, wanted, want) == 0;
    size_t apart = begins ? 1 : length > want ? length - want : want - length;
    if (length >= sizeof n->best || 2 * apart >= want + 1 || (n->best[0] && apart >= n->distance))
        return;
    size_t distance = begins ? 1 : nearest_distance(wanted, word);
    if (2 * distance < want + 1 && (!n->best[0] || distance < n->distance)) {
        snprintf(n->best, sizeof n->best, "%s", word);
        n->distance = distance;
    }
}

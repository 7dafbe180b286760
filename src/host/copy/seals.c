#include "host/copy/seals.h"

#include <string.h>

#include "port/memory.h"

void seals_free(seals *s)
{
    mem_free(s->list);
    *s = (seals){0};
}

static seal *find(const seals *s, const char *id)
{
    for (size_t i = 0; i < s->count; i++)
        if (strcmp(s->list[i].id, id) == 0)
            return &s->list[i];
    return NULL;
}

const seal *seals_find(const seals *s, const char *id)
{
    return find(s, id);
}

bool seals_put(seals *s, const seal *one)
{
    seal *same = find(s, one->id);
    if (same) {
        *same = *one;
        return true;
    }
    seal *more = mem_more(s->list, (s->count + 1) * sizeof *more);
    if (!more)
        return false;
    s->list = more;
    s->list[s->count++] = *one;
    return true;
}

void seals_drop(seals *s, const char *id)
{
    seal *one = find(s, id);
    if (one)
        *one = s->list[--s->count];
}

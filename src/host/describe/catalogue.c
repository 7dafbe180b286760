#include "host/describe/catalogue.h"

#include <stdio.h>
#include <stdlib.h>
#include <string.h>

#include "host/base/decided.h"
#include "host/describe/load.h"
#include "port/digest.h"
#include "port/memory.h"

const bil_description *catalogue_find(const catalogue *m, const char *model, const char *layout,
                                      const bil_description **same_model)
{
    if (same_model)
        *same_model = NULL;
    for (size_t i = 0; i < m->count; i++) {
        if (strcmp(m->list[i]->model, model) != 0)
            continue;
        if (strcmp(m->list[i]->layout, layout) == 0)
            return m->list[i];
        if (same_model)
            *same_model = m->list[i];
    }
    return NULL;
}

bool catalogue_digest(const bil_description *d, char hex[65])
{
    char *text = NULL;
    size_t size = 0;
    FILE *file = open_memstream(&text, &size);
    if (!mem_made(file))
        return false;
    description_write_c(d, "d", file); /* the table as source is all that it says, and nothing else */
    bool good = !ferror(file);
    good = fclose(file) == 0 && good && digest_hex(text, size, hex);
    free(text);
    return good;
}

static bool is_of(const catalogue *m, size_t i, const char *model)
{
    return strcmp(m->list[i]->model, model) == 0;
}

static void decide(catalogue *m, const char *model)
{
    for (size_t i = 0; i < m->count; i++)
        m->disputed[i] = m->disputed[i] && !is_of(m, i, model);
}

bool catalogue_choose(catalogue *m, const char *digest)
{
    char its[65];
    for (size_t i = 0; i < m->count; i++) {
        const bil_description *d = m->list[i];
        if (!catalogue_digest(d, its) || strcmp(its, digest) != 0)
            continue;
        size_t first = i;
        for (size_t k = i; k-- > 0;)
            first = is_of(m, k, d->model) ? k : first;
        memmove(m->list + first + 1, m->list + first, (i - first) * sizeof m->list[0]);
        m->list[first] = d;
        decide(m, d->model);
        return true;
    }
    return false;
}

void catalogue_settle(catalogue *m, const char *scope,
                      void (*say)(void *ctx, const char *model, const char *digest, const char *other), void *ctx)
{
    for (size_t i = 0; i < m->count; i++)
        for (size_t k = i + 1; k < m->count; k++) {
            const char *model = m->list[i]->model;
            char one[65], other[65], answer[65];
            if (!is_of(m, k, model) || (m->given && strcmp(m->given, model) == 0) || m->disputed[k] ||
                !catalogue_digest(m->list[i], one) || !catalogue_digest(m->list[k], other) || strcmp(one, other) == 0)
                continue;
            if (decided_find(DECIDED_DESCRIPTION, scope, model, answer, sizeof answer) && catalogue_choose(m, answer))
                continue;
            m->disputed[i] = m->disputed[k] = true;
            say(ctx, model, one, other);
        }
}

bool catalogue_is_disputed(const catalogue *m, const bil_description *d)
{
    for (size_t i = 0; i < m->count; i++)
        if (m->disputed[i] && is_of(m, i, d->model))
            return true;
    return false;
}

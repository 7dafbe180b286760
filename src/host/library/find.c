/* Who is out there. */
#include "host/run/find.h"

#include <string.h>

#include "bilancia/find.h"
#include "host/library/inside.h"

typedef struct search {
    bil_find_wish wish;
    find_hit *list;
    size_t count;
} search;

static void each(void *ctx, const find_hit *hit, size_t finished, size_t count)
{
    const search *s = ctx;
    bil_found found = {.address = hit->address,
                       .end = (bil_find_end)hit->end,
                       .error = hit->error,
                       .vendor = hit->vendor,
                       .model = hit->model,
                       .hardware = hit->hardware,
                       .firmware = hit->firmware,
                       .serial = hit->serial,
                       .name = hit->name};
    _Static_assert((int)BIL_FOUND_ABSENT == (int)FIND_ABSENT, "one list of ends");
    if (s->wish.each)
        s->wish.each(s->wish.ctx, &found, finished, count);
}

static int gather(bil_host *h, const char *const *addresses, size_t count, search *s)
{
    char why[500] = "";
    int error = count == 0 ? find_new(&h->known, &s->list, &s->count, why, sizeof why) : BIL_OK;
    for (size_t i = 0; i < count && !error; i++)
        error = addresses[i] ? find_expand(addresses[i], &s->list, &s->count, why, sizeof why) : BIL_E_BAD_CALL;
    if (error)
        return trouble_of(&h->trouble, error, "", why);
    find_drop_doubles(s->list, &s->count);
    return BIL_OK;
}

int bil_find(bil_host *h, const char *const *addresses, size_t count, const bil_find_wish *wish)
{
    search s = {.list = NULL};
    int error = lib_begin(h);
    if (error)
        return error;
    if (!lib_take(&s.wish, sizeof s.wish, wish) || (count && !addresses))
        return lib_end_of(h, BIL_E_BAD_CALL);
    error = gather(h, addresses, count, &s);
    if (!error && !mem_is_short())
        find_run(s.list, s.count, &h->known, s.wish.at_once, each, &s);
    mem_free(s.list);
    return lib_end_of(h, error);
}

double bil_find_bound(bil_host *h, const char *const *addresses, size_t count, unsigned at_once)
{
    search s = {.list = NULL};
    int error = lib_begin(h);
    if (error)
        return -error;
    error = count && !addresses ? BIL_E_BAD_CALL : gather(h, addresses, count, &s);
    double most = error || mem_is_short() ? 0 : find_bound(s.list, s.count, &h->known, at_once);
    mem_free(s.list);
    error = lib_end_of(h, error);
    return error ? -error : most;
}

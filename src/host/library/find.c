/* Who is out there. */
#include "host/run/find.h"

#include <string.h>
#include <unistd.h>

#include "bilancia/find.h"
#include "host/library/inside.h"
#include "port/ports.h"

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
                       .name = hit->name,
                       .index = (size_t)(hit - s->list),
                       .system_error = hit->connect_errno,
                       .says = hit->says};
    _Static_assert((int)BIL_FOUND_ABSENT == (int)FIND_ABSENT, "one list of ends");
    if (s->wish.each)
        s->wish.each(s->wish.ctx, &found, finished, count);
}

typedef struct gathering {
    search *s;
    int error;
    char why[500];
} gathering;

static bool add_device(void *ctx, const device_row *row)
{
    gathering *g = ctx;
    if (!row->retired && card_text(row, "address")[0])
        g->error = find_expand(card_text(row, "address"), &g->s->list, &g->s->count, g->why, sizeof g->why);
    return !g->error;
}

static void add_site(bil_host *h, gathering *g)
{
    open_site *own = mem_new(1, sizeof *own);
    g->error = !own ? BIL_E_MEMORY : h->nowhere ? BIL_E_NO_SITE : open_site_at(own, h->site, g->why, sizeof g->why);
    if (!g->error) {
        index_devices(&own->index, add_device, g);
        open_site_close(own);
    }
    mem_free(own);
}

static int gather(bil_host *h, const char *const *addresses, size_t count, search *s)
{
    static const char *const all_new[] = {"new"};
    gathering g = {.s = s};
    const char *const *list = count ? addresses : all_new;
    for (size_t i = 0; i < (count ? count : 1) && !g.error; i++) {
        if (!list[i])
            g.error = BIL_E_BAD_CALL;
        else if (strcmp(list[i], "new") == 0)
            g.error = find_new(&h->known, &s->list, &s->count, g.why, sizeof g.why);
        else if (strcmp(list[i], "site") == 0)
            add_site(h, &g);
        else
            g.error = find_expand(list[i], &s->list, &s->count, g.why, sizeof g.why);
        if (g.error)
            return trouble_of(&h->trouble, g.error, list[i], g.why);
    }
    find_drop_doubles(s->list, &s->count);
    return BIL_OK;
}

int bil_find(bil_host *h, const char *const *addresses, size_t count, const bil_find_wish *wish)
{
    search s = {.list = NULL};
    int error = lib_begin(h);
    const secret_source from = lib_secrets(h);
    if (error)
        return error;
    if (!lib_take(&s.wish, sizeof s.wish, wish) || (count && !addresses))
        return lib_end_of(h, BIL_E_BAD_CALL);
    error = gather(h, addresses, count, &s);
    if (!error && !mem_is_short())
        find_run(s.list, s.count, &h->known, &from, s.wish.at_once, each, &s);
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

int bil_find_addresses(bil_host *h, const char *const *addresses, size_t count,
                       void (*each_address)(void *ctx, const char *address), void *ctx)
{
    search s = {.list = NULL};
    int error = lib_begin(h);
    if (error)
        return error;
    error = (count && !addresses) || !each_address ? BIL_E_BAD_CALL : gather(h, addresses, count, &s);
    for (size_t i = 0; i < s.count && !error && !mem_is_short(); i++)
        each_address(ctx, s.list[i].address);
    mem_free(s.list);
    return lib_end_of(h, error);
}

int bil_find_ports(bil_host *h, void (*each_port)(void *ctx, const char *path, const char *what, bool allowed),
                   void *ctx)
{
    enum { PORTS = 64 };
    int error = lib_begin(h);
    if (error)
        return error;
    serial_port *ports = each_port ? mem_new(PORTS, sizeof *ports) : NULL;
    size_t count = ports ? ports_list(ports, PORTS) : 0;
    for (size_t i = 0; i < count && i < PORTS; i++)
        each_port(ctx, ports[i].path, ports[i].what, access(ports[i].path, R_OK | W_OK) == 0);
    mem_free(ports);
    return lib_end_of(h, each_port ? BIL_OK : BIL_E_BAD_CALL);
}

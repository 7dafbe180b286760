#include "host/describe/forecast.h"

#include "bilancia/cells.h"
#include "bilancia/plan.h"
#include "port/memory.h"

/* What a look asks for: who answers, and what is followed from one to the next. */
static bool is_looked_at(const bil_description *d, uint16_t index)
{
    return bil_description_tells_who(d, index) || d->starts == index || d->uptime == index || d->changes == index;
}

static bool is_saved(const bil_description *d, uint16_t index)
{
    const bil_param *p = &d->params[index];
    return p->flags & BIL_READABLE && !bil_class_left_out((bil_class)p->cls);
}

static bool is_mode(const bil_description *d, uint16_t index)
{
    return d->params[index].flags & BIL_MODE;
}

typedef struct lists {
    uint16_t *items, *next;
    uint32_t *cost;
} lists;

/* Requests for the first `count` items. */
static unsigned requests_of(const bil_description *d, const lists *l, uint16_t count, bool write)
{
    const bil_request_rule rule = {.write = write, .request_cost = 1};
    bil_plan_requests(d, l->items, count, &rule, l->cost, l->next, NULL);
    return l->cost[0];
}

static uint16_t gather(const bil_description *d, const lists *l, bool (*wants)(const bil_description *, uint16_t))
{
    uint16_t count = 0;
    for (uint16_t i = 0; i < d->count; i++)
        if (wants(d, d->by_place[i]))
            l->items[count++] = d->by_place[i];
    return count;
}

static void stages(const bil_description *d, const lists *l, bil_forecast *out)
{
    for (uint8_t stage = 0; stage <= 9; stage++) {
        uint16_t count = 0;
        for (uint16_t i = 0; i < d->count; i++) {
            const bil_param *p = &d->params[d->by_place[i]];
            if (p->stage == stage && p->flags & BIL_WRITABLE && bil_plan_goes(p, BIL_RESTORE, true))
                l->items[count++] = d->by_place[i];
        }
        out->written += count;
        out->stages += count > 0;
        out->write_requests += count ? requests_of(d, l, count, true) : 0;
    }
}

int description_forecast(const bil_description *d, bil_forecast *out)
{
    lists l = {mem_new(d->count, sizeof *l.items), mem_new(d->count + 1u, sizeof *l.next),
               mem_new(d->count + 1u, sizeof *l.cost)};
    int error = l.items && l.next && l.cost ? BIL_OK : BIL_E_MEMORY;
    *out = (bil_forecast){.struct_size = sizeof *out};
    if (!error) {
        out->who_requests = requests_of(d, &l, gather(d, &l, is_looked_at), false);
        out->read = gather(d, &l, is_saved);
        out->read_requests = requests_of(d, &l, (uint16_t)out->read, false);
        out->read_requests += requests_of(d, &l, gather(d, &l, is_mode), false); /* which come first */
        stages(d, &l, out);
    }
    mem_free(l.items);
    mem_free(l.next);
    mem_free(l.cost);
    return error;
}

/* How many places of its space a value has. */
static uint32_t end_of(const bil_description *d, const bil_param *p)
{
    return p->at.number + (d->spaces[p->space].bits ? 1 : p->cells);
}

/* The first place from `at` on that isn't one where a bank shows its values. */
static uint32_t behind_banks(const bil_description *d, uint16_t space, uint32_t at)
{
    for (uint8_t i = 0; i < d->bank_count; i++) {
        const bil_bank *b = &d->banks[i];
        uint32_t end = b->at + (uint32_t)(b->last - b->first) + 1;
        if (b->space == space && b->at <= at && at < end)
            return behind_banks(d, space, end);
    }
    return at;
}

/* The last place up to `last` before the next bank. */
static uint32_t before_banks(const bil_description *d, uint16_t space, uint32_t at, uint32_t last)
{
    for (uint8_t i = 0; i < d->bank_count; i++)
        if (d->banks[i].space == space && d->banks[i].at > at && d->banks[i].at <= last)
            last = d->banks[i].at - 1u;
    return last;
}

bool description_unused(const bil_description *d, bil_unused *row)
{
    for (; row->next + 1u < d->count; row->next++, row->last = 0) {
        const bil_param *before = &d->params[d->by_place[row->next]], *p = &d->params[d->by_place[row->next + 1]];
        const bil_space *space = &d->spaces[p->space];
        if (p->space != before->space || space->reading != BIL_SHARE_NEIGHBOURS)
            continue;
        uint32_t at = behind_banks(d, p->space, row->last ? row->last + 1u : end_of(d, before));
        if (at >= p->at.number)
            continue;
        row->table = space->table;
        row->unit = space->unit;
        row->first = (uint16_t)at;
        row->last = (uint16_t)before_banks(d, p->space, at, p->at.number - 1);
        row->across = bil_description_across(d, p->space, row->first, row->last);
        return true;
    }
    return false;
}

#include "host/run/bank.h"

#include <stddef.h>

static bool is_it(const bil_bank *bank, bank_kind_and_copy which)
{
    return bank->kind == which.kind && bank->copy == which.copy;
}

const bil_bank *bank_find(const bil_description *d, bank_kind_and_copy which)
{
    for (uint8_t i = 0; i < d->bank_count; i++)
        if (is_it(&d->banks[i], which))
            return &d->banks[i];
    return NULL;
}

/* Where the cells lie in the bank. False when they lie half in it: then the one who asks has to ask for less. */
static bool shift(const bank_link *link, uint8_t space, uint16_t *address, uint16_t count)
{
    uint32_t last = (uint32_t)*address + count - 1;
    for (uint8_t i = 0; i < link->description->bank_count; i++) {
        const bil_bank *b = &link->description->banks[i];
        if (!is_it(b, link->which) || b->space != space || *address > b->last || last < b->first)
            continue;
        if (*address < b->first || last > b->last)
            return false;
        *address = (uint16_t)(*address - b->first + b->at);
        return true;
    }
    return true;
}

static bil_outcome do_connect(void *ctx, bil_result *result)
{
    bank_link *link = ctx;
    return link->straight.ops->connect(link->straight.ctx, result);
}

static bil_outcome do_read(void *ctx, uint8_t space, uint16_t address, uint16_t count, uint16_t *cells,
                           bil_result *result)
{
    bank_link *link = ctx;
    if (shift(link, space, &address, count))
        return link->straight.ops->read(link->straight.ctx, space, address, count, cells, result);
    result->cause = BIL_E_REFUSED;
    return BIL_REFUSED;
}

static bil_outcome do_write(void *ctx, uint8_t space, uint16_t address, uint16_t count, const uint16_t *cells,
                            bil_result *result)
{
    (void)ctx, (void)space, (void)address, (void)count, (void)cells;
    result->cause = BIL_E_REFUSED;
    return BIL_REFUSED;
}

static void do_close(void *ctx)
{
    bank_link *link = ctx;
    link->straight.ops->close(link->straight.ctx);
}

bil_link bank_link_over(bank_link *state, bil_link straight, const bil_description *d, bank_kind_and_copy which)
{
    static const bil_link_ops ops = {do_connect, do_read, do_write, do_close, NULL};
    *state = (bank_link){straight, d, which};
    return (bil_link){&ops, state};
}

void bank_keep_only(bil_image *image, bank_kind_and_copy which)
{
    const bil_description *d = image->description;
    for (uint16_t i = 0; i < d->count; i++) {
        const bil_param *p = &d->params[i];
        bool in = p->cls == BIL_CLASS_UNIT;
        for (uint8_t k = 0; k < d->bank_count && !in; k++)
            in = is_it(&d->banks[k], which) && d->banks[k].space == p->space && p->address >= d->banks[k].first &&
                 p->address + p->cells - 1u <= d->banks[k].last;
        if (!in)
            image->state[i] = BIL_ABSENT;
    }
}

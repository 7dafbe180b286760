#include "host/run/links.h"
#include "port/memory.h"

#include <stdio.h>
#include <stdlib.h>
#include <string.h>

extern const link_kind link_modbus_tcp, link_modbus_rtu, link_console_tcp, link_console_serial, link_http, link_https;

static const link_kind *const kinds[] = {&link_modbus_tcp,     &link_modbus_rtu, &link_console_tcp,
                                         &link_console_serial, &link_http,       &link_https};
enum { KINDS = sizeof kinds / sizeof kinds[0] };

const link_kind *link_kind_of(const char *text)
{
    for (size_t i = 0; i < KINDS; i++)
        if (strncmp(text, kinds[i]->scheme, strlen(kinds[i]->scheme)) == 0)
            return kinds[i];
    return NULL;
}

link_way link_way_of(const bil_description *d)
{
    return d->console ? LINK_CONSOLE : d->http ? LINK_HTTP : LINK_CELLS;
}

bool link_fits(const link_kind *kind, const bil_description *d)
{
    return !kind || kind->way == link_way_of(d);
}

const char *link_heard(const linked *l)
{
    return l->kind && l->kind->heard ? l->kind->heard(l->memory) : "";
}

const char *link_kinds_text(char *out, size_t size)
{
    out[0] = '\0';
    for (size_t i = 0, used = 0; i < KINDS && used < size; i++)
        used += (size_t)snprintf(out + used, size - used, "%s%s",
                                 i == 0          ? ""
                                 : i + 1 < KINDS ? ", "
                                                 : " and ",
                                 kinds[i]->scheme);
    return out;
}

bil_outcome link_read_one(bil_link link, const bil_description *d, uint16_t index, uint8_t *raw, bil_result *result)
{
    uint8_t cause = BIL_OK;
    bil_transfer t = {.description = d, .items = &index, .count = 1, .raw = raw, .cause = &cause};
    bil_outcome outcome = link.ops->transfer(link.ctx, &t, result);
    if (outcome == BIL_DONE)
        result->cause = (bil_error)cause;
    return outcome;
}

bool link_open(linked *l, const address *where)
{
    *l = (linked){.kind = where->kind, .memory = mem_new(1, where->kind->size)};
    if (l->memory && l->kind->open(l->memory, where, &l->link))
        return true;
    mem_free(l->memory);
    *l = (linked){0};
    return false;
}

void link_end(linked *l)
{
    if (!l->kind)
        return;
    l->kind->end(l->memory);
    mem_free(l->memory);
    *l = (linked){0};
}

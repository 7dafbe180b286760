#include <stdlib.h>

#include "host/describe/loading.h"
#include "port/digest.h"

/* The layout is all that decides what the bits of a set mean. */
void load_layout(load *l)
{
    char *text = NULL;
    size_t size = 0;
    FILE *file = open_memstream(&text, &size);
    if (!file)
        no_memory();
    fprintf(file, "%s %s\n", l->table->vendor, l->table->model);
    for (uint16_t i = 0; i < l->table->count; i++) {
        const bil_param *p = &l->params[i];
        fprintf(file, "%s %s %u %s %u %u %u %u %d %u %d\n", p->id, bil_type_name((bil_type)p->format.type),
                p->format.size, bil_class_name((bil_class)p->cls), p->space, p->address, p->cells, p->format.order,
                p->format.mul, p->format.decimals, p->format.offset);
    }
    fclose(file);
    char hex[BIL_LAYOUT_HEX + 1];
    if (!digest_hex(text, size, hex))
        no_memory();
    l->table->layout = load_keep(l, hex);
    free(text);
}

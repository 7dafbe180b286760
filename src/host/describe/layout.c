#include <inttypes.h>
#include <stdlib.h>

#include "host/describe/loading.h"
#include "port/digest.h"

static int by_value(const void *a, const void *b)
{
    const bil_choice *x = a, *y = b;
    return x->value < y->value ? -1 : x->value > y->value;
}

/* By value, in whatever order they are written down. */
static void put_choices(load *l, FILE *file, const bil_format *format)
{
    size_t count = format->choice_count;
    bil_choice *sorted = load_take(l, (count + 1) * sizeof *sorted);
    for (size_t i = 0; i < count; i++)
        sorted[i] = format->choices[i];
    qsort(sorted, count, sizeof *sorted, by_value);
    for (size_t i = 0; i < count; i++)
        fprintf(file, " %" PRIu32 "=%s", sorted[i].value, sorted[i].name);
}

/* The layout is all that decides what the bits of a set mean: not where a value lies, but what its choices are called.
 */
void load_layout(load *l)
{
    char *text = NULL;
    size_t size = 0;
    FILE *file = open_memstream(&text, &size);
    if (!file) {
        l->is_short = true;
        return;
    }
    fprintf(file, "%s %s\n", l->table->vendor, l->table->model);
    for (uint16_t i = 0; i < l->table->count; i++) {
        const bil_param *p = &l->params[i];
        fprintf(file, "%s %s %u %s %d %u %d", p->id, bil_type_name((bil_type)p->format->type), p->format->size,
                bil_class_name((bil_class)p->cls), p->format->mul, p->format->decimals, p->format->offset);
        put_choices(l, file, p->format);
        fputc('\n', file);
    }
    char hex[BIL_LAYOUT_HEX + 1];
    bool good = !ferror(file);
    good = fclose(file) == 0 && good && digest_hex(text, size, hex);
    free(text);
    l->is_short = !good;
    if (good)
        l->table->layout = load_keep(l, hex);
}

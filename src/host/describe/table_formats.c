/* Formats of a table in C: one for all values that are alike, as those of channels are. */
#include <inttypes.h>
#include <stdlib.h>
#include <string.h>

#include "bilancia/console.h"
#include "host/describe/table.h"

static const char *const types[] = {
#define TYPE(NAME, name, size) "BIL_" #NAME,
    BIL_TYPES(TYPE)
#undef TYPE
};
static const char *const roundings[] = {"BIL_ROUND_NONE", "BIL_ROUND_NEAREST", "BIL_ROUND_DOWN", "BIL_ROUND_UP"};
static const char *const orders[] = {"BIL_LOW_CELL_FIRST", "BIL_LOW_BYTE_FIRST"};

static int by_choices(const bil_format *x, const bil_format *y)
{
    for (uint16_t i = 0; i < x->choice_count; i++) {
        uint32_t a = x->choices[i].value, b = y->choices[i].value;
        int order = a != b ? (a > b) - (a < b) : strcmp(x->choices[i].name, y->choices[i].name);
        if (order)
            return order;
    }
    return 0;
}

/* Those with words are shared by one group that repeats, and by no others. */
static int order_of(const bil_format *a, const bil_format *b)
{
    bil_format x = *a, y = *b;
    x.choices = y.choices = NULL;
    int order = memcmp(&x, &y, sizeof x); /* of the loader: what is between its members is zero */
    return order ? order : by_choices(a, b);
}

/* Of all formats, those that are the same side by side, the first one first. */
static int by_format(const void *a, const void *b, void *of)
{
    const bil_description *d = of;
    uint16_t i = *(const uint16_t *)a, k = *(const uint16_t *)b;
    int order = order_of(d->params[i].format, d->params[k].format);
    return order ? order : (i > k) - (i < k);
}

static bool same_format(const bil_description *d, uint16_t i, uint16_t k)
{
    return order_of(d->params[i].format, d->params[k].format) == 0;
}

static void put_format(FILE *file, uint16_t i, const bil_format *f)
{
    if (f->choice_count)
        fprintf(file, "static const bil_choice choices_%u[] = {", i);
    for (uint16_t k = 0; k < f->choice_count; k++) {
        fprintf(file, "%s{%" PRIu32 "u, ", k ? ", " : "", f->choices[k].value);
        table_put_string(file, f->choices[k].name);
        fputs(k + 1 < f->choice_count ? "}" : "}};\n", file);
    }
    unsigned words = f->words ? bil_words_of(f) : 0;
    if (words) {
        char name[24];
        snprintf(name, sizeof name, "words_%u", i);
        table_put_texts(file, name, f->words, words);
    }
    fprintf(file, "static const bil_format format_%u = {.type = %s, .size = %u, .decimals = %u, .order = ", i,
            types[f->type], f->size, f->decimals);
    table_put_bits(file, f->order, orders, sizeof orders / sizeof orders[0]);
    fprintf(file, ", .rounding = %s, .bit = %u, .width = %u, .limited = %s,\n    .choice_count = %u, ",
            roundings[f->rounding], f->bit, f->width, f->limited ? "true" : "false", f->choice_count);
    fprintf(file,
            ".mul = %d, .offset = %d, .round_to = %" PRIu32 "u, .tolerance = %" PRIu32 "u, .step = %" PRIu32
            "u,\n    .low = UINT64_C(%" PRIu64 "), .high = UINT64_C(%" PRIu64 "), .choices = ",
            f->mul, f->offset, f->round_to, f->tolerance, f->step, f->low, f->high);
    if (f->choice_count)
        fprintf(file, "choices_%u", i);
    else
        fputs("NULL", file);
    fprintf(file, ", .form = %s%s", f->form ? "&bil_form_" : "NULL", f->form ? f->form->name : "");
    words ? fprintf(file, ", .words = words_%u};\n", i) : fputs(", .words = NULL};\n", file);
}

bool table_put_formats(FILE *file, const bil_description *d, uint16_t *owners)
{
    uint16_t *sorted = malloc(d->count * sizeof *sorted);
    if (!sorted)
        return false;
    for (uint16_t i = 0; i < d->count; i++)
        sorted[i] = i;
    qsort_r(sorted, d->count, sizeof *sorted, by_format, (void *)(uintptr_t)d);
    for (uint16_t i = 0; i < d->count; i++)
        owners[sorted[i]] = i && same_format(d, sorted[i - 1], sorted[i]) ? owners[sorted[i - 1]] : sorted[i];
    for (uint16_t i = 0; i < d->count; i++)
        if (owners[i] == i)
            put_format(file, i, d->params[i].format);
    free(sorted);
    return true;
}

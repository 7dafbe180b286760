/* Pieces of a table in C: texts, and parameters by their names. */
#include "host/describe/table.h"

void table_put_string(FILE *file, const char *text)
{
    if (!text) {
        fputs("NULL", file);
        return;
    }
    putc('"', file);
    for (const unsigned char *c = (const unsigned char *)text; *c; c++)
        if (*c == '"' || *c == '\\' || *c == '?')
            fprintf(file, "\\%c", *c);
        else if (*c < 0x20 || *c > 0x7e)
            fprintf(file, "\\%03o", *c);
        else
            putc(*c, file);
    putc('"', file);
}

void table_put_texts(FILE *file, const char *name, const char *const *texts, size_t count)
{
    fprintf(file, "static const char *const %s[] = {", name);
    for (size_t i = 0; i < count; i++) {
        table_put_string(file, texts[i]);
        fputs(i + 1 < count ? ", " : "", file);
    }
    fputs("};\n", file);
}

/* A parameter as an index is called by its id: p_limit_torque. Its number stands behind that, since "a.b_c" and "a_b.c"
 * would be one name. */
void table_put_index(FILE *file, const bil_description *d, uint16_t index)
{
    if (index == BIL_NONE) {
        fputs("BIL_NONE", file);
        return;
    }
    fputs("p_", file);
    for (const char *c = d->params[index].id; *c; c++)
        putc(*c == '.' ? '_' : *c, file);
    fprintf(file, "_%u", index);
}

void table_put_indices(FILE *file, const char *name, const bil_description *d, const uint16_t *list, size_t count)
{
    fprintf(file, "static const uint16_t %s[] = {", name);
    for (size_t i = 0; i < count; i++) {
        fputs(i == 0 ? "" : i % 4 ? ", " : ",\n    ", file);
        table_put_index(file, d, list[i]);
    }
    fputs("};\n", file);
}

void table_put_bits(FILE *file, unsigned bits, const char *const *names, size_t count)
{
    if (bits == 0)
        putc('0', file);
    for (size_t i = 0, seen = 0; i < count; i++)
        if (bits >> i & 1)
            fprintf(file, "%s%s", seen++ ? " | " : "", names[i]);
}

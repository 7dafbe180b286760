/* Inside the generator of tables in C: what its files share. */
#ifndef BIL_HOST_DESCRIBE_TABLE_H
#define BIL_HOST_DESCRIBE_TABLE_H

#include <stdio.h>

#include "bilancia/description.h"

/* table_put.c: a text in C or NULL, a list of texts, and a parameter as an index, by its name. */
void table_put_string(FILE *file, const char *text);
void table_put_texts(FILE *file, const char *name, const char *const *texts, size_t count);
void table_put_index(FILE *file, const bil_description *d, uint16_t index);
void table_put_indices(FILE *file, const char *name, const bil_description *d, const uint16_t *list, size_t count);

/* The names of some bits, 0 where none is set. */
void table_put_bits(FILE *file, unsigned bits, const char *const *names, size_t count);

/* table_formats.c: each format once; `owners` becomes the first parameter that has it, for each, by which it is called
 * format_N. False: there was no memory. */
bool table_put_formats(FILE *file, const bil_description *d, uint16_t *owners);

/* table_params.c */
void table_put_params(FILE *file, const bil_description *d);
void table_put_spaces(FILE *file, const bil_description *d);

#endif

/* Comma separated values (RFC 4180), UTF-8, with a line of column names. */
#ifndef BIL_HOST_COPY_CSV_H
#define BIL_HOST_COPY_CSV_H

#include <stdbool.h>
#include <stdio.h>

/* One field of a row; `comma` before all but the first. */
void csv_put(FILE *out, const char *text, bool comma);
/* A text that somebody chose: with an apostrophe before it where a spreadsheet would take it for a formula. */
void csv_put_text(FILE *out, const char *text, bool comma);
void csv_end(FILE *out);

/* Called for each row below the names with the fields of the two columns asked for. An error of its own ends the
 * reading: minus a bil_error. */
typedef int (*csv_row)(void *ctx, unsigned long line, const char *id, const char *value);

/* Reads the columns "id" and "value" of a file (of a table with several sides: "value SIDE"), in any place among
 * others. `side` NULL: "value". BIL_OK or an error; `why` says what, and where: "file:line: ...". Takes the apostrophe
 * off again. */
int csv_read(const char *path, const char *side, csv_row each, void *ctx, char *why, size_t why_size);

#endif

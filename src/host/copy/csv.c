#include "host/copy/csv.h"

#include <csv.h>
#include <errno.h>
#include <stdint.h>
#include <stdlib.h>
#include <string.h>

#include "bilancia/host_error.h"
#include "bilancia/set.h"
#include "port/storage.h"

void csv_put(FILE *out, const char *text, bool comma)
{
    if (comma)
        putc(',', out);
    if (text[strcspn(text, ",\"\r\n")])
        csv_fwrite(out, text, strlen(text));
    else
        fputs(text, out);
}

/* A spreadsheet works out what begins like this; a number with a sign is only that. */
static bool looks_like_formula(const char *text)
{
    const char *digits = text + 1;
    return *text && strchr("=+-@\t\r'", *text) &&
           (*text != '-' || !*digits || digits[strspn(digits, "0123456789.")] != '\0');
}

void csv_put_text(FILE *out, const char *text, bool comma)
{
    char guarded[2 * BIL_VALUE_TEXT + 2];
    snprintf(guarded, sizeof guarded, "'%s", text);
    csv_put(out, looks_like_formula(text) ? guarded : text, comma);
}

void csv_end(FILE *out)
{
    fputs("\r\n", out);
}

/* ---- reading ---- */

enum { FIELD = 400, FILE_MOST = 64 << 20 };

typedef struct reading {
    const char *path;
    csv_row each;
    void *ctx;
    char *why;
    size_t why_size;
    int error;
    unsigned long line; /* of the row; a quoted field may take several */
    unsigned column;
    char wanted[40]; /* the column of values */
    bool sides;      /* there are others */
    int id_column, value_column;
    unsigned columns;
    bool head;
    char id[FIELD], value[FIELD];
} reading;

static void complain(reading *r, int error, const char *what)
{
    if (!r->error)
        snprintf(r->why, r->why_size, "%s:%lu: %s", r->path, r->line, what);
    r->error = r->error ? r->error : error;
}

static void take(reading *r, const char *bytes, size_t size, char *to)
{
    if (size >= FIELD || !bil_text_is_printable(bytes, size))
        complain(r, BIL_E_CSV,
                 size >= FIELD ? "a field is longer than any value"
                               : "a field has control characters or isn't UTF-8: save the file as UTF-8");
    else
        snprintf(to, FIELD, "%.*s", (int)size, bytes);
}

static void field(void *bytes, size_t size, void *ctx)
{
    reading *r = ctx;
    const char *text = bytes ? bytes : "";
    int column = (int)r->column++;
    if (r->error)
        return;
    if (r->head) {
        char name[FIELD] = "";
        take(r, text, size, name);
        if (strchr(name, ';') || strchr(name, '\t'))
            complain(r, BIL_E_CSV, "the columns aren't separated by commas: save the file with commas (RFC 4180)");
        int *which = strcmp(name, "id") == 0 ? &r->id_column : strcmp(name, r->wanted) == 0 ? &r->value_column : NULL;
        r->sides = r->sides || strncmp(name, "value ", 6) == 0;
        if (which && *which >= 0)
            complain(r, BIL_E_CSV, "two columns have this name");
        if (which)
            *which = column;
    } else if (column == r->id_column) {
        take(r, text, size, r->id);
    } else if (column == r->value_column) {
        take(r, text, size, r->value);
    }
}

static void row(int end, void *ctx)
{
    (void)end;
    reading *r = ctx;
    if (r->error)
        return;
    if (r->head) {
        r->columns = r->column;
        if (r->id_column < 0 || r->value_column < 0)
            complain(r, BIL_E_CSV,
                     r->sides ? "it has a column of values for each side: say which of them counts, as Left or B"
                              : "the first line must name the columns, \"id\" and \"value\" among them");
        r->head = false;
    } else if (r->column != r->columns) {
        complain(r, BIL_E_CSV,
                 "this row has more or fewer fields than the first one: is a text with a comma in quotes?");
    } else {
        const char *value = r->value[0] == '\'' && looks_like_formula(r->value + 1) ? r->value + 1 : r->value;
        int got = r->each(r->ctx, r->line, r->id, value);
        r->error = got < 0 ? -got : BIL_OK;
    }
    r->column = 0;
}

/* Bytes go in a line at a time, so that each row knows its line. */
static void parse(reading *r, struct csv_parser *parser, const char *bytes, size_t size)
{
    for (size_t at = 0; at < size && !r->error;) {
        const char *lf = memchr(bytes + at, '\n', size - at);
        size_t length = lf ? (size_t)(lf - bytes) + 1 - at : size - at;
        if (memchr(bytes + at, '\0', length))
            complain(r, BIL_E_CSV, "there is a zero byte: save the file as UTF-8");
        else if (csv_parse(parser, bytes + at, length, field, row, r) != length && !r->error)
            complain(r, BIL_E_CSV,
                     "quotes stand wrong: a field with quotes is wholly in quotes, and those in it doubled");
        r->line++;
        at += length;
    }
    r->line -= r->line > 1;
    if (!r->error && csv_fini(parser, field, row, r) != 0)
        complain(r, BIL_E_CSV, "a quote is never closed");
}

int csv_read(const char *path, const char *side, csv_row each, void *ctx, char *why, size_t size)
{
    reading r = {.path = path,
                 .each = each,
                 .ctx = ctx,
                 .why = why,
                 .why_size = size,
                 .line = 1,
                 .id_column = -1,
                 .value_column = -1,
                 .head = true};
    snprintf(r.wanted, sizeof r.wanted, "value%s%s", side ? " " : "", side ? side : "");
    size_t got;
    char *bytes = storage_text(path, FILE_MOST, &got);
    struct csv_parser parser;
    if (!bytes) {
        snprintf(why, size, "%s: %s", path, storage_why(errno));
        return storage_open_error();
    }
    if (csv_init(&parser, CSV_STRICT | CSV_STRICT_FINI | CSV_EMPTY_IS_NULL) != 0) {
        free(bytes);
        return BIL_E_MEMORY;
    }
    size_t mark = got >= 3 && memcmp(bytes, "\xef\xbb\xbf", 3) == 0 ? 3 : 0; /* as spreadsheets put it */
    parse(&r, &parser, bytes + mark, got - mark);
    if (!r.error && r.head)
        complain(&r, BIL_E_CSV, "the file is empty");
    csv_free(&parser);
    free(bytes);
    return r.error;
}

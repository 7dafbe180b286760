#include "show/grid.h"

#include <stdlib.h>
#include <string.h>

#include "show/plain.h"
#include "show/terminal.h"

/* No text that is told has these: they are control characters (ISO/IEC 6429: record separator, unit separator). */
enum { RECORD = 0x1e, UNIT = 0x1f, ESCAPE = 0x1b };
enum { STUB = 8 }; /* a rest of less isn't worth showing */

void grid_begin(grid *g, size_t columns, const size_t *most)
{
    *g = (grid){.out = tmpfile(), .columns = columns};
    for (size_t i = 0; i < columns; i++)
        g->most[i] = most ? most[i] : 0;
}

void grid_row(grid *g, const char *mark, const char *code)
{
    if (!g->out)
        return;
    g->records++;
    putc(RECORD, g->out);
    fputs(code, g->out);
    fputs(mark, g->out);
    fputs(*code ? tint_code(true, TINT_PLAIN) : "", g->out);
    putc(UNIT, g->out);
}

void grid_cell(grid *g, const char *text, const char *code)
{
    if (!g->out)
        return;
    fputs(code, g->out);
    terminal_put(g->out, text, strlen(text));
    fputs(*code ? tint_code(true, TINT_PLAIN) : "", g->out);
    putc(UNIT, g->out);
}

void grid_cells(grid *g, const char *const *texts)
{
    for (size_t i = 0; i < g->columns; i++)
        grid_cell(g, texts[i], "");
}

void grid_heading(grid *g, const char *const *texts, const char *rest)
{
    g->headed = true;
    grid_row(g, " ", "");
    grid_cells(g, texts);
    if (g->out)
        tell(g->out, "%s\n", rest);
}

void grid_line(grid *g)
{
    if (!g->out)
        return;
    g->records++;
    putc(RECORD, g->out);
}

/* ---- once all are known ---- */

/* Characters that are seen: not the codes of colours. */
static size_t seen_width(const char *text)
{
    size_t width = 0;
    while (*text) {
        bool is_code = *text == ESCAPE;
        size_t length = is_code ? strcspn(text, "m") : 1;
        width += !is_code && ((unsigned char)*text & 0xc0) != 0x80;
        text += length + (is_code && text[length]);
    }
    return width;
}

static void emit(FILE *out, const char *text, size_t length)
{
    if (plain_wanted(out))
        plain_put(out, text, length);
    else
        fwrite(text, 1, length, out);
}

/* As much of the text as fits, its colours whole; what is cut ends with an ellipsis. */
static void emit_within(FILE *out, const char *text, size_t width)
{
    bool cut = seen_width(text) > width;
    if (width == 0)
        return;
    for (size_t shown = 0; *text;) {
        size_t length = 1;
        if (*text == ESCAPE)
            length = strcspn(text, "m") + 1;
        else
            while (((unsigned char)text[length] & 0xc0) == 0x80)
                length++;
        bool seen = *text != ESCAPE;
        if (seen && cut && shown + 1 == width)
            emit(out, "…", strlen("…"));
        if (!seen || !cut || shown + 1 < width)
            emit(out, text, length);
        shown += seen;
        text += length;
    }
}

/* The units of a record, in place: a mark and the cells; what is behind them is `rest`. False: it is a line. */
static bool split(const grid *g, char *record, char *cells[GRID_MOST + 1], char **rest)
{
    char *at = record;
    for (size_t i = 0; i <= g->columns; i++) {
        char *end = strchr(at, UNIT);
        if (!end)
            return false;
        cells[i] = at;
        *end = '\0';
        at = end + 1;
    }
    *rest = at;
    return true;
}

static void put_record(const grid *g, char *record, FILE *out, size_t width)
{
    char *cells[GRID_MOST + 1], *rest;
    if (!split(g, record, cells, &rest)) {
        size_t line = strcspn(record, "\n"), text = line;
        while (text && record[text - 1] == ' ') /* room for what is known later, and wasn't needed */
            text--;
        emit(out, record, text);
        emit(out, record + line, strlen(record + line));
        return;
    }
    size_t mark = seen_width(cells[0]), used = mark + (mark > 0);
    emit(out, cells[0], strlen(cells[0]));
    emit(out, " ", mark > 0);
    for (size_t i = 0; i < g->columns; i++) {
        size_t its = seen_width(cells[i + 1]), column = g->longest[i];
        if (column == 0)
            continue;
        bool last = i + 1 == g->columns && (*rest == '\n' || !*rest);
        emit_within(out, cells[i + 1], column);
        for (; its < column && !last; its++)
            putc(' ', out);
        emit(out, "  ", last ? 0 : 2);
        used += column + 2;
    }
    size_t line = strcspn(rest, "\n");
    if (width && line + 1 == strlen(rest)) {
        rest[line] = '\0';
        emit_within(out, rest, width >= used + STUB ? width - used : 0);
        putc('\n', out);
    } else {
        emit(out, rest, strlen(rest));
    }
}

static void measure(grid *g, char *record)
{
    char *cells[GRID_MOST + 1], *rest;
    if (!split(g, record, cells, &rest))
        return;
    for (size_t i = 0; i < g->columns; i++) {
        size_t its = seen_width(cells[i + 1]);
        its = g->most[i] && its > g->most[i] ? g->most[i] : its;
        g->longest[i] = its > g->longest[i] ? its : g->longest[i];
    }
}

bool grid_end(grid *g, FILE *out, size_t width)
{
    if (!g->out)
        return false;
    char *record = NULL;
    size_t room = 0;
    for (int round = g->headed && g->records == 1 ? 2 : 0; round < 2; round++) {
        ssize_t length;
        rewind(g->out);
        for (bool first = true; (length = getdelim(&record, &room, RECORD, g->out)) > 0; first = false) {
            record[length - (record[length - 1] == RECORD)] = '\0';
            if (round == 0)
                measure(g, record);
            else if (!first || *record) /* before the first record there is nothing */
                put_record(g, record, out, width);
        }
    }
    bool good = !ferror(g->out) && !ferror(out);
    free(record);
    fclose(g->out);
    g->out = NULL;
    return good;
}

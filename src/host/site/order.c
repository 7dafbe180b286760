/* Which copy comes after which. */
#include <stdlib.h>
#include <string.h>

#include "host/base/arena.h"
#include "host/site/index_inside.h"
#include "port/memory.h"

typedef struct link_row {
    char *digest, *parent, *file;
    int parent_at;
    char mark; /* 0 not placed, 1 being placed, 2 placed */
} link_row;

static int by_digest(const void *a, const void *b)
{
    return strcmp((*(link_row *const *)a)->digest, (*(link_row *const *)b)->digest);
}

/* Each copy comes behind its parent, whatever the clocks say; else by time, then by number and digest. */
void index_put_in_order(site_index *x, const char *device)
{
    arena memory = {0};
    size_t count = 0, room = 0;
    link_row *rows = NULL;
    db_answer *s = db_ask(x->db,
                          "SELECT digest, parent, file FROM copies WHERE device = ?1 AND digest != '' AND digest NOT "
                          "IN (SELECT about FROM "
                          "notes WHERE device = ?1 AND kind = 'deleted') ORDER BY at, number, digest",
                          "s", device);
    while (db_next(x->db, s)) {
        if (count == room) {
            link_row *more = mem_more(rows, (room ? 2 * room : 64) * sizeof *rows);
            if (!more)
                break;
            room = room ? 2 * room : 64;
            rows = more;
        }
        link_row row = {arena_text(&memory, db_text(s, 0), strlen(db_text(s, 0))),
                        arena_text(&memory, db_text(s, 1), strlen(db_text(s, 1))),
                        arena_text(&memory, db_text(s, 2), strlen(db_text(s, 2))), -1, 0};
        if (!row.digest || !row.parent || !row.file)
            break;
        rows[count++] = row;
    }
    db_done(x->db, s);
    db_run(x->db, db_ask(x->db, "UPDATE copies SET place = 0 WHERE device = ? AND place != 0", "s", device));
    link_row **sorted = mem_new(count + 1, sizeof *sorted);
    int place = 0, *stack = mem_new(count + 1, sizeof *stack);
    if (!sorted || !stack)
        count = 0;
    for (size_t i = 0; i < count; i++)
        sorted[i] = &rows[i];
    if (count)
        qsort(sorted, count, sizeof *sorted, by_digest);
    for (size_t i = 0; i < count; i++) {
        link_row key = {.digest = rows[i].parent}, *wanted = &key;
        link_row **found = rows[i].parent[0] ? bsearch(&wanted, sorted, count, sizeof *sorted, by_digest) : NULL;
        rows[i].parent_at = found ? (int)(*found - rows) : -1;
    }
    s = db_ask(x->db, "UPDATE copies SET place = ? WHERE device = ? AND file = ?", "");
    for (size_t i = 0; i < count; i++) {
        size_t deep = 0;
        for (int at = (int)i; at >= 0 && rows[at].mark == 0; at = rows[at].parent_at) {
            rows[at].mark = 1;
            stack[deep++] = at;
        }
        while (deep > 0) {
            int at = stack[--deep];
            rows[at].mark = 2;
            db_put_number(s, 1, ++place);
            db_put_text(s, 2, device);
            db_put_text(s, 3, rows[at].file);
            db_again(x->db, s);
        }
    }
    db_done(x->db, s);
    mem_free(stack);
    mem_free(sorted);
    mem_free(rows);
    arena_free(&memory);
}

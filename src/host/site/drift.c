/* Is a copy whole, and in how many values do two differ? Both are looked up once. */
#include <stdlib.h>
#include <string.h>

#include "host/site/index_inside.h"
#include "port/memory.h"

/* "...-DIGEST.bset", or "...-DIGEST-2.bset" where two read the same at once. */
static bool name_has_digest(const char *file, const char *digest)
{
    char part[SET_NAME_DIGEST + 2];
    snprintf(part, sizeof part, "-%s", digest);
    const char *at = strstr(file, part);
    if (!at)
        return false;
    at += strlen(part);
    if (*at == '-' && at[1] >= '2' && at[1] <= '9')
        at += 1 + strspn(at + 1, "0123456789");
    return strcmp(at, ".bset") == 0;
}

copy_state index_verify(site_index *x, copy_row *row)
{
    char path[STORAGE_PATH], why[500], digest[65];
    copy_path(x->site, row, path);
    long long stamp = index_stamp(path), seen = -2;
    db_answer *s =
        db_ask(x->db, "SELECT stamp FROM copies WHERE device = ? AND file = ?", "ss", row->device, row->file);
    if (db_next(x->db, s))
        seen = db_number(s, 0);
    db_done(x->db, s);
    if (row->state != COPY_UNSEEN && seen == stamp && stamp > 0)
        return row->state;
    set_origin o = {0};
    bil_set_totals totals;
    row->state = set_file_check(path, &o, &totals, why, sizeof why) == BIL_OK ? COPY_WHOLE : COPY_DAMAGED;
    if (mem_is_short())
        return row->state;
    set_digest_hex(totals.digest, digest);
    if (row->state == COPY_WHOLE && (!name_has_digest(row->file, digest) || strcmp(digest, row->digest) != 0))
        row->state = COPY_DAMAGED; /* another file under the name of this one */
    db_run(x->db, db_ask(x->db, "UPDATE copies SET state = ?, stamp = ? WHERE device = ? AND file = ?", "iiss",
                         (long long)row->state, stamp > 0 ? stamp : 0LL, row->device, row->file));
    return row->state;
}

static bool counts(const bil_item *item)
{
    return item->cls == BIL_CLASS_SETUP || item->cls == BIL_CLASS_PLACE || item->cls == BIL_CLASS_CALIBRATION;
}

static int count_between(set_file *a, set_file *b)
{
    bil_compare compare;
    bil_difference d;
    set_pair pair = {a, b, NULL};
    bil_compare_init(&compare, set_file_source(a), set_file_source(b));
    compare.skip = set_pair_skip(&pair);
    int count = 0, got;
    while ((got = bil_compare_next(&compare, &d)) == 1)
        count += d.relation != BIL_REL_EQUAL && counts(d.left ? d.left : d.right);
    return got < 0 ? -1 : count;
}

static int count_differences(const char *left, const char *right)
{
    set_file *files = mem_new(2, sizeof *files);
    int count = -1;
    if (files && set_file_open(&files[0], left, SET_QUICKLY) == BIL_OK) {
        if (set_file_open(&files[1], right, SET_QUICKLY) == BIL_OK) {
            count = count_between(&files[0], &files[1]);
            set_file_close(&files[1]);
        }
        set_file_close(&files[0]);
    }
    mem_free(files);
    return count;
}

int index_drift(site_index *x, const copy_row *a, const copy_row *b)
{
    if (!a->values_digest[0] || !b->values_digest[0])
        return -1;
    if (strcmp(a->values_digest, b->values_digest) == 0 && a->unreadable == 0 && b->unreadable == 0)
        return 0;
    bool swap = strcmp(a->digest, b->digest) > 0;
    const char *low = swap ? b->digest : a->digest, *high = swap ? a->digest : b->digest;
    db_answer *s = db_ask(x->db, "SELECT count FROM drifts WHERE a = ? AND b = ?", "ss", low, high);
    int count = db_next(x->db, s) ? (int)db_number(s, 0) : -2;
    db_done(x->db, s);
    if (count != -2)
        return count;
    char left[STORAGE_PATH], right[STORAGE_PATH];
    copy_path(x->site, a, left);
    copy_path(x->site, b, right);
    count = count_differences(left, right);
    if (count >= 0)
        db_run(x->db,
               db_ask(x->db, "INSERT OR REPLACE INTO drifts VALUES(?, ?, ?)", "ssi", low, high, (long long)count));
    return count;
}

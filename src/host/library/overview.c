/* Sites: how their devices stand, and what was left to people to try. */
#include <string.h>

#include "host/library/site.h"

static bil_site_standing tell(const overview_row *row, const bil_site_device *its)
{
    const standing *left = row->left;
    return (bil_site_standing){.device = its,
                               .first = row->first,
                               .all = row->all,
                               .drift = row->drift,
                               .asked = row->asked,
                               .record = left ? left->record : "",
                               .began = left ? left->when : "",
                               .by = left ? left->who : "",
                               .elsewhere = left && left->elsewhere,
                               .tests_failed = left ? left->failed : 0,
                               .tests_open = left ? left->open : 0,
                               .why = row->why,
                               .since = row->since,
                               .unit = row->unit};
}

/* A row of the overview as the program sees it. */
static bool give(bil_site *s, const overview_row *row, bool (*each)(void *ctx, const bil_site_standing *), void *ctx)
{
    device_row owner;
    if (!index_folder(&s->open.index, row->folder, &owner))
        return true;
    row_texts texts;
    bil_site_device its = lib_device_row(s, &owner, &texts);
    bil_site_standing one = tell(row, &its);
    bool more = each(ctx, &one);
    device_row_free(&owner);
    return more;
}

/* What the caller's struct has room for. */
static void give_sum(bil_site *s, bil_site_sum *out, const overview *o)
{
    snprintf(s->second, sizeof s->second, "%s", o->second);
    snprintf(s->second_when, sizeof s->second_when, "%s", o->second_when);
    bil_site_sum sum = {.struct_size = out->struct_size,
                        .devices = (unsigned)o->count,
                        .copies = o->copies,
                        .only_here = o->only_here,
                        .second = s->second,
                        .second_when = s->second_when};
    memcpy(sum.first, o->first, sizeof sum.first);
    memcpy(out, &sum, out->struct_size < sizeof sum ? out->struct_size : sizeof sum);
}

int bil_site_overview(bil_site *s, bil_site_sum *sum, bool (*each)(void *ctx, const bil_site_standing *standing),
                      void *ctx)
{
    overview o;
    int error = lib_begin(s->part.host);
    if (error)
        return error;
    if (sum && sum->struct_size < sizeof sum->struct_size)
        return lib_end_of(s->part.host, BIL_E_BAD_CALL);
    error = overview_make(&o, &s->open.index);
    if (!error && sum)
        give_sum(s, sum, &o);
    for (size_t i = 0; !error && each && i < o.count && !mem_is_short() && give(s, &o.rows[i], each, ctx); i++)
        ;
    overview_free(&o);
    return lib_site_ended(s, error);
}

int bil_site_standing_of(bil_site *s, const char *name, const bil_site_standing **out)
{
    ledger known;
    *out = NULL;
    int error = lib_begin(s->part.host);
    if (error)
        return error;
    device_row_free(&s->row);
    mem_free(s->standing.left);
    s->standing.left = NULL;
    error = lib_find_device(s, name, &s->row);
    if (!error) {
        ledger_open(&known);
        error = overview_of(&s->open.index, &s->row, &known, &s->standing);
        ledger_close(&known);
        s->device = lib_device_row(s, &s->row, &s->texts);
        s->stands = tell(&s->standing, &s->device);
        *out = error ? NULL : &s->stands;
    }
    return lib_site_ended(s, error);
}

/* ---- tests ---- */

typedef struct trying {
    bool (*each)(void *ctx, const bil_site_test *test);
    void *ctx;
    const char *wanted;
    record_test found;
} trying;

static bool give_test(void *ctx, const record_test *test)
{
    const trying *t = ctx;
    bil_site_test one = {test->warning, test->result != RECORD_OPEN, test->result == RECORD_PASSED, test->what};
    return !mem_is_short() && t->each(t->ctx, &one);
}

static bool find_test(void *ctx, const record_test *test)
{
    trying *t = ctx;
    if (strcmp(test->what, t->wanted) != 0)
        return true;
    t->found = *test;
    return false;
}

static int tests(bil_site *s, const char *name, bool (*each)(void *ctx, const record_test *), trying *t, standing *of)
{
    ledger known;
    device_row_free(&s->row);
    int error = lib_find_device(s, name, &s->row);
    if (error)
        return error;
    ledger_open(&known);
    error = standing_tests(&s->open.index, &s->row, &known, of, each, t);
    ledger_close(&known);
    return error == BIL_E_NO_RECORD ? trouble_of(&s->part.host->trouble, error, name, "nothing was written to it yet")
                                    : error;
}

int bil_site_tests(bil_site *s, const char *name, bool (*each)(void *ctx, const bil_site_test *test), void *ctx)
{
    trying t = {.each = each, .ctx = ctx};
    standing of;
    int error = lib_begin(s->part.host);
    if (error)
        return error;
    return lib_site_ended(s, each ? tests(s, name, give_test, &t, &of) : BIL_E_BAD_CALL);
}

int bil_site_tried(bil_site *s, const char *name, const char *what, bool passed)
{
    trying t = {.wanted = what};
    standing of;
    bil_host *h = s->part.host;
    int error = lib_begin(h);
    if (error)
        return error;
    error = what ? tests(s, name, find_test, &t, &of) : BIL_E_BAD_CALL;
    if (!error && !t.found.what[0])
        error = trouble_of(&h->trouble, BIL_E_CALL, what, "the last write left no such test");
    if (!error)
        error = standing_answer(&s->open.index, &s->row, &of, &t.found, passed ? RECORD_PASSED : RECORD_FAILED, h->who);
    if (!error && !index_sync(&s->open.index))
        error = BIL_E_SITE_BROKEN;
    return lib_site_ended(s, error);
}

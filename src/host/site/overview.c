#include "host/site/overview.h"

#include <stdlib.h>
#include <string.h>

#include "host/site/asked.h"
#include "port/memory.h"

#define NAME(NAME_, name, text) name,
#define TEXT(NAME_, name, text) text,
static const char *const names[] = {BIL_STANDINGS(NAME)};
static const char *const texts[] = {BIL_STANDINGS(TEXT)};
#undef NAME
#undef TEXT

const char *bil_standing_name(bil_standing s)
{
    return (unsigned)s < BIL_STANDING_COUNT ? names[s] : "?";
}

const char *bil_standing_text(bil_standing s)
{
    return (unsigned)s < BIL_STANDING_COUNT ? texts[s] : "?";
}

static const char *word(const json_t *object, const char *key)
{
    const char *t = json_string_value(json_object_get(object, key));
    return t ? t : "";
}

/* ---- one device ---- */

static void is_so(overview_row *out, bil_standing what, bool so)
{
    out->all |= (uint32_t)so << what;
}

/* What a job left behind goes before what any copy says. */
static void by_records(overview_row *out)
{
    const standing *left = out->left;
    is_so(out, BIL_STANDING_HELD, left && left->held);
    is_so(out, BIL_STANDING_UNFINISHED, left && left->unfinished);
    is_so(out, BIL_STANDING_ON_TRIAL, left && left->on_trial);
    is_so(out, BIL_STANDING_TEST_FAILED, left && left->failed);
    is_so(out, BIL_STANDING_TESTS_OPEN, left && left->open);
    is_so(out, BIL_STANDING_UNPROVED, left && left->unproved);
}

static void by_copies(site_index *index, const device_row *row, overview_row *out)
{
    const uint32_t unknown = 1u << BIL_STANDING_HELD | 1u << BIL_STANDING_UNFINISHED | 1u << BIL_STANDING_ON_TRIAL;
    copy_row baseline, last = row->last;
    bool damaged =
        row->copies > 0 && index_verify(index, &last) == COPY_DAMAGED; /* reads what it hasn't seen whole yet */
    is_so(out, BIL_STANDING_EXCHANGED, standing_exchanged(index, row, out->unit));
    if (!(out->all & 1u << BIL_STANDING_EXCHANGED))
        out->unit[0] = '\0';
    /* a copy from before a write that isn't over says nothing of what the device has now */
    if (row->copies && row->baseline[0] && !(out->all & unknown) &&
        index_copy(index, row, "baseline", &baseline) == BIL_OK)
        out->drift = index_drift(index, &baseline, &row->last);
    bool comparable = row->baseline[0] && !row->baseline_disputed && row->copies && !damaged && !(out->all & unknown);
    is_so(out, BIL_STANDING_DRIFTED, out->drift > 0 || (out->drift < 0 && comparable));
    is_so(out, BIL_STANDING_DAMAGED, damaged);
    is_so(out, BIL_STANDING_UNSTORED, json_is_true(json_object_get(row->state, "unstored")));
    is_so(out, BIL_STANDING_NO_COPY, row->copies == 0);
}

int overview_of(site_index *index, const device_row *row, const ledger *known, overview_row *out)
{
    *out = (overview_row){.drift = -1};
    snprintf(out->name, sizeof out->name, "%s", row->name);
    snprintf(out->folder, sizeof out->folder, "%s", row->folder);
    snprintf(out->group, sizeof out->group, "%s", word(row->card, "group"));
    asked_last(index->site, row, out->asked);
    standing left;
    int error = standing_of(index, row, known, &left);
    if (!error && !standing_is_clean(&left)) {
        out->left = mem_new(1, sizeof *out->left);
        if (!out->left)
            return BIL_E_MEMORY;
        *out->left = left;
    }
    bool silent = row->state && !json_is_true(json_object_get(row->state, "answers"));
    by_records(out);
    by_copies(index, row, out);
    is_so(out, BIL_STANDING_NO_ANSWER, silent);
    is_so(out, BIL_STANDING_LONG_AGO, asked_long_ago(out->asked));
    is_so(out, BIL_STANDING_DISPUTED, row->disputed);
    is_so(out, BIL_STANDING_TWO_BASELINES, row->baseline_disputed);
    is_so(out, BIL_STANDING_NO_BASELINE, row->copies && !row->baseline[0]);
    is_so(out, BIL_STANDING_WELL, out->all == 0);
    if (row->retired)
        out->all = 1u << BIL_STANDING_RETIRED;
    while (!(out->all >> out->first & 1))
        out->first++;
    if (silent) {
        snprintf(out->why, sizeof out->why, "%s", word(row->state, "why"));
        snprintf(out->since, sizeof out->since, "%s", word(row->state, "when"));
    }
    return error;
}

/* ---- all of them ---- */

typedef struct making {
    overview *o;
    site_index *index;
    ledger known;
    int error;
} making;

static bool add(void *ctx, const device_row *row)
{
    making *m = ctx;
    overview *o = m->o;
    if (o->count == o->room) {
        overview_row *more = mem_more(o->rows, (o->room ? 2 * o->room : 64) * sizeof *more);
        if (!more) {
            m->error = BIL_E_MEMORY;
            return false;
        }
        o->room = o->room ? 2 * o->room : 64;
        o->rows = more;
    }
    overview_row *out = &o->rows[o->count++];
    m->error = overview_of(m->index, row, &m->known, out);
    o->copies += (unsigned)row->copies;
    o->first[out->first]++;
    return !m->error;
}

static int by_need(const void *left, const void *right)
{
    const overview_row *a = left, *b = right;
    if (a->first != b->first)
        return a->first < b->first ? -1 : 1;
    int order = strcmp(a->group, b->group);
    return order ? order : strcmp(a->name, b->name);
}

static bool second_place(void *ctx, const char *id, const json_t *note)
{
    (void)id;
    overview *o = ctx;
    snprintf(o->second, sizeof o->second, "%s", word(note, "place"));
    snprintf(o->second_when, sizeof o->second_when, "%s", word(note, "when"));
    return true;
}

int overview_make(overview *o, site_index *index)
{
    *o = (overview){0};
    making m = {.o = o, .index = index};
    ledger_open(&m.known); /* without it every record is another computer's, and counts all the same */
    index_devices(index, add, &m);
    ledger_close(&m.known);
    if (o->count)
        qsort(o->rows, o->count, sizeof *o->rows, by_need);
    index_notes(index, "", "second_place", NULL, second_place, o);
    o->only_here = (unsigned)index_count_since(index, o->second_when);
    return m.error;
}

void overview_free(overview *o)
{
    for (size_t i = 0; i < o->count; i++)
        mem_free(o->rows[i].left);
    mem_free(o->rows);
    o->rows = NULL;
}

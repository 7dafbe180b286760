#include "host/site/overview.h"
#include "port/memory.h"

#include <stdlib.h>
#include <string.h>

#define NAME(NAME_, name, mark, text) name,
#define MARK(NAME_, name, mark, text) mark,
#define TEXT(NAME_, name, mark, text) text,
static const char *const names[] = {OVERVIEW_STATES(NAME)};
static const char *const marks[] = {OVERVIEW_STATES(MARK)};
static const char *const texts[] = {OVERVIEW_STATES(TEXT)};
#undef NAME
#undef MARK
#undef TEXT

const char *overview_state_name(overview_state state)
{
    return names[state];
}

const char *overview_state_mark(overview_state state)
{
    return marks[state];
}

const char *overview_state_text(overview_state state)
{
    return texts[state];
}

static const char *word(const json_t *object, const char *key)
{
    const char *t = json_string_value(json_object_get(object, key));
    return t ? t : "";
}

static overview_state state_of(const device_row *row, const overview_row *out)
{
    if (row->retired)
        return OVERVIEW_RETIRED;
    if (row->disputed || row->baseline_disputed)
        return OVERVIEW_DISPUTED;
    if (row->state && !json_is_true(json_object_get(row->state, "answers")))
        return OVERVIEW_NO_ANSWER;
    if (row->copies == 0)
        return OVERVIEW_NO_COPY;
    if (row->last.state == COPY_DAMAGED)
        return OVERVIEW_DAMAGED;
    if (json_is_true(json_object_get(row->state, "unstored")))
        return OVERVIEW_UNSTORED;
    if (!row->baseline[0])
        return OVERVIEW_NO_BASELINE;
    return out->drift == 0 ? OVERVIEW_WELL : OVERVIEW_DRIFTED;
}

typedef struct making {
    overview *o;
    site_index *index;
} making;

static bool add(void *ctx, const device_row *row)
{
    making *m = ctx;
    overview *o = m->o;
    if (o->count == o->room) {
        overview_row *more = mem_more(o->rows, (o->room ? 2 * o->room : 64) * sizeof *more);
        if (!more)
            return false;
        o->room = o->room ? 2 * o->room : 64;
        o->rows = more;
    }
    overview_row *out = &o->rows[o->count++];
    *out = (overview_row){.drift = -1, .copies = row->copies};
    snprintf(out->name, sizeof out->name, "%s", row->name);
    snprintf(out->folder, sizeof out->folder, "%s", row->folder);
    snprintf(out->group, sizeof out->group, "%s", word(row->card, "group"));
    snprintf(out->address, sizeof out->address, "%s", word(row->card, "address"));
    copy_row baseline;
    if (row->copies) {
        snprintf(out->last, sizeof out->last, "%s", row->last.when);
        snprintf(out->model, sizeof out->model, "%s", row->last.model);
        if (row->baseline[0] && index_copy(m->index, row, "baseline", &baseline) == BIL_OK)
            out->drift = index_drift(m->index, &baseline, &row->last);
    }
    out->state = state_of(row, out);
    if (out->state == OVERVIEW_NO_ANSWER) {
        snprintf(out->why, sizeof out->why, "%s", word(row->state, "why"));
        snprintf(out->since, sizeof out->since, "%s", word(row->state, "when"));
    }
    o->copies += row->copies;
    o->states[out->state]++;
    return true;
}

static int by_need(const void *left, const void *right)
{
    const overview_row *a = left, *b = right;
    if (a->state != b->state)
        return a->state < b->state ? -1 : 1;
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

void overview_make(overview *o, site_index *index)
{
    *o = (overview){.place = index->site};
    making m = {o, index};
    index_devices(index, add, &m);
    if (o->count)
        qsort(o->rows, o->count, sizeof *o->rows, by_need);
    index_notes(index, "", "second_place", NULL, second_place, o);
    o->only_here = index_count_since(index, o->second_when);
}

void overview_free(overview *o)
{
    mem_free(o->rows);
    o->rows = NULL;
}

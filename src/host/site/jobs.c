#include "host/site/jobs.h"
#include "bilancia/words.h"

#include <string.h>

#include "host/site/index_inside.h"
#include "port/memory.h"

typedef struct one {
    struct one *next;
    bil_site_job job;
    const char *safety, *digest; /* of the safety copy, and of what was written */
    bool undoes, settled;
} one;

typedef struct log_of {
    arena *memory;
    site_index *index;
    const char *folder;
    one *first, **last;
    size_t count;
} log_of;

static const char *keep(log_of *l, const char *text)
{
    const char *kept = arena_text(l->memory, text, strlen(text));
    return kept ? kept : "";
}

static bool has(const log_of *l, const char *path)
{
    for (const one *j = l->first; j; j = j->next)
        if (strcmp(j->job.record, path) == 0)
            return true;
    return false;
}

static bool add(void *ctx, record_story *s, bool followed)
{
    log_of *l = ctx;
    one *j = has(l, s->path) ? NULL : arena_take(l->memory, sizeof *j);
    if (!j)
        return !mem_is_short();
    bool trial = strcmp(s->verdict, bil_verdict_name(BIL_VERDICT_ON_TRIAL)) == 0;
    *j = (one){.safety = keep(l, s->safety_digest),
               .digest = keep(l, s->copy_digest),
               .undoes = s->undoes,
               .settled = s->settled};
    j->job = (bil_site_job){.record = keep(l, s->path),
                            .when = keep(l, s->when),
                            .who = keep(l, s->who),
                            .why = keep(l, s->why),
                            .kind = s->undoes   ? "undo"
                                    : s->resets ? "reset"
                                    : trial     ? "trial"
                                                : "write",
                            .serial = keep(l, s->serial),
                            .copy = keep(l, s->copy),
                            .groups = keep(l, s->groups),
                            .verdict = keep(l, s->verdict),
                            .planned = s->planned,
                            .written = s->written,
                            .held = s->held && !followed,
                            .unfinished = !s->settled && !s->held && !s->on_trial && !followed,
                            .on_trial = s->on_trial && !followed,
                            .foreign = s->foreign};
    standing_answers(l->index, l->folder, s);
    for (size_t i = 0; i < s->test_count; i++) {
        j->job.tests_failed += s->tests[i].result == RECORD_FAILED;
        j->job.tests_open += s->tests[i].result == RECORD_OPEN;
    }
    *l->last = j;
    l->last = &j->next;
    l->count++;
    return true;
}

/* An undo writes the safety copy of what it takes back. */
static void mark_undone(log_of *l)
{
    for (const one *undo = l->first; undo; undo = undo->next)
        for (one *j = undo->next; undo->undoes && undo->settled && undo->digest[0] && j; j = j->next)
            j->job.undone = j->job.undone || strcmp(j->safety, undo->digest) == 0;
}

bil_site_job *jobs_of(site_index *x, const device_row *row, const ledger *known, arena *memory, size_t *count)
{
    char folder[STORAGE_PATH];
    log_of l = {.memory = memory, .index = x, .folder = row->folder, .last = &l.first};
    const copy_row *last = &row->last;
    *count = 0;
    site_path(x->site, row->folder, "records", folder);
    story_each(folder, known, NULL, NULL, add, &l);
    if (l.count == 0 && row->copies > 0 && last->serial[0]) /* only from elsewhere, then */
        story_each(folder, known, last->model, last->serial, add, &l);
    mark_undone(&l);
    bil_site_job *list = l.count ? arena_take(memory, l.count * sizeof *list) : NULL;
    for (const one *j = l.first; list && j; j = j->next)
        list[(*count)++] = j->job;
    return list;
}

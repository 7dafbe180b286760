/* Sites: the past of a device, its copies and its jobs. */
#include <string.h>

#include "host/copy/set_file.h"
#include "host/library/site.h"
#include "host/site/jobs.h"

/* ---- copies ---- */

typedef struct story {
    bil_site *site;
    device_row owner;
    copy_row baseline, newer;
    bool has_newer, more;
    int most, given;
    bil_site_past past;
    arena memory; /* of the names and words of one copy */
    size_t name_room, note_room;
    const char **names;
    bil_site_words *notes;
    bool (*each)(void *ctx, const bil_site_past *past);
    void *ctx;
} story;

static const char *kept(story *s, const char *text)
{
    const char *own = arena_text(&s->memory, text ? text : "", text ? strlen(text) : 0);
    return own ? own : "";
}

static const char *word(const json_t *note, const char *key)
{
    const char *text = json_string_value(json_object_get(note, key));
    return text ? text : "";
}

/* One more in a list that grows in the arena. */
static void *one_more(story *s, void *list, size_t *room, size_t count, size_t size)
{
    if (count < *room)
        return list;
    size_t room_now = *room ? 2 * *room : 8;
    void *more = arena_take(&s->memory, room_now * size);
    if (!more)
        return NULL;
    if (count)
        memcpy(more, list, count * size);
    *room = room_now;
    return more;
}

/* Does it still go by this name, which may have gone over to another copy? */
static bool is_called(story *s, const char *name)
{
    copy_row now;
    return index_copy(&s->site->open.index, &s->owner, name, &now) == BIL_OK &&
           strcmp(now.digest, s->newer.digest) == 0;
}

static bool collect(void *ctx, const char *id, const json_t *note)
{
    (void)id;
    story *s = ctx;
    bil_site_past *p = &s->past;
    const char *kind = word(note, "kind"), *name = word(note, "name");
    p->proved = p->proved || strcmp(kind, "proved") == 0;
    p->is_signed = p->is_signed || strcmp(kind, "signature") == 0;
    p->taken_in = p->taken_in || strcmp(kind, "taken_in") == 0;
    p->sent = p->sent || strcmp(kind, "sent") == 0;
    bool known = strcmp(kind, "named") != 0 || !name[0] || !is_called(s, name);
    for (size_t i = 0; i < p->name_count && !known; i++)
        known = strcmp(s->names[i], name) == 0;
    if (!known) {
        const char **names = one_more(s, s->names, &s->name_room, p->name_count, sizeof *names);
        if (!names)
            return false;
        s->names = names;
        names[p->name_count++] = kept(s, name);
    }
    if (strcmp(kind, "note") == 0) {
        bil_site_words *notes = one_more(s, s->notes, &s->note_room, p->note_count, sizeof *notes);
        if (!notes)
            return false;
        s->notes = notes;
        notes[p->note_count++] =
            (bil_site_words){kept(s, word(note, "who")), kept(s, word(note, "when")), kept(s, word(note, "text"))};
    }
    return true;
}

/* A row needs the copy before it: it is given one call later. */
static void give(story *s, const copy_row *before)
{
    site_index *x = &s->site->open.index;
    copy_row *row = &s->newer;
    char path[STORAGE_PATH];
    bool has_baseline = s->past.has_baseline;
    arena_free(&s->memory);
    s->name_room = s->note_room = 0;
    index_verify(x, row);
    bil_site_copy copy = lib_copy_row(s->site, row, path);
    s->past = (bil_site_past){.copy = &copy,
                              .has_before = before != NULL,
                              .has_baseline = has_baseline,
                              .from_before = before ? index_drift(x, before, row) : -1,
                              .from_baseline = has_baseline ? index_drift(x, &s->baseline, row) : -1,
                              .baseline = has_baseline && strcmp(s->baseline.digest, row->digest) == 0,
                              .offline = strcmp(row->from, SET_OFFLINE) == 0,
                              .other_unit = before && strcmp(before->serial, row->serial) != 0};
    index_notes(x, s->owner.folder, NULL, row->digest[0] ? row->digest : "none", collect, s);
    s->past.names = s->names;
    s->past.notes = s->notes;
    s->given++;
    s->more = !mem_is_short() && s->each(s->ctx, &s->past);
}

static bool next(void *ctx, const copy_row *row)
{
    story *s = ctx;
    if (s->has_newer)
        give(s, row);
    s->newer = *row;
    s->has_newer = true;
    return s->more;
}

int bil_site_history(bil_site *its, const char *name, int most, bool (*each)(void *ctx, const bil_site_past *past),
                     void *ctx)
{
    bil_host *h = its->part.host;
    int error = lib_begin(h);
    if (error)
        return error;
    story *s = each && most >= 0 ? mem_new(1, sizeof *s) : NULL;
    if (!s)
        return lib_end_of(h, each && most >= 0 ? BIL_E_MEMORY : BIL_E_BAD_CALL);
    s->site = its;
    s->each = each;
    s->ctx = ctx;
    s->most = most;
    s->more = true;
    error = lib_find_device(its, name, &s->owner);
    if (!error) {
        site_index *x = &its->open.index;
        s->past.has_baseline = index_copy(x, &s->owner, "baseline", &s->baseline) == BIL_OK;
        index_copies(x, s->owner.folder, most ? most + 1 : 0, next, s); /* one more: what the last is compared to */
        if (s->has_newer && s->more && (!most || s->given < most))
            give(s, NULL);
        device_row_free(&s->owner);
    }
    arena_free(&s->memory);
    mem_free(s);
    return lib_site_ended(its, error);
}

/* ---- jobs ---- */

int bil_site_jobs(bil_site *its, const char *name, int most, bool (*each)(void *ctx, const bil_site_job *job),
                  void *ctx)
{
    ledger known;
    arena memory = {0};
    size_t count = 0;
    int error = lib_begin(its->part.host);
    if (error)
        return error;
    device_row_free(&its->row);
    error = each && most >= 0 ? lib_find_device(its, name, &its->row) : BIL_E_BAD_CALL;
    if (!error) {
        ledger_open(&known);
        const bil_site_job *list = jobs_of(&its->open.index, &its->row, &known, &memory, &count);
        for (size_t i = 0; i < count && (!most || i < (size_t)most) && !mem_is_short() && each(ctx, &list[i]); i++)
            ;
        ledger_close(&known);
    }
    arena_free(&memory);
    return lib_site_ended(its, error);
}

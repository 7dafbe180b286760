/* Which record of a unit is the newest: each intent names those that it follows, and the ledger of this computer knows
 * in which order it began its own. */
#include <dirent.h>
#include <stdlib.h>
#include <string.h>

#include "host/base/arena.h"
#include "host/base/json.h"
#include "host/copy/record.h"
#include "port/memory.h"

enum { MOST_AFTER = sizeof((record_story *)NULL)->after / sizeof((record_story *)NULL)->after[0] };

/* What matters of one record for the order. */
typedef struct link {
    char *path, *model, *serial;
    char intent[2 * BIL_SHA256 + 1];
    bool wrote, settled, followed, foreign;
    uint64_t sequence; /* in the ledger; 0: another computer's */
    unsigned rank;     /* the longest way back to one that follows none; 0: not worked out yet */
    size_t after_count;
    char after[MOST_AFTER][2 * BIL_SHA256 + 1];
} link;

typedef struct links {
    link *list;
    size_t count;
    arena memory;       /* of their texts */
    record_story *last; /* of the last one, as it was read; or NULL */
} links;

static bool is_of(const record_story *s, const char *model, const char *serial)
{
    return (!model || strcmp(s->model, model) == 0) && (!serial || strcmp(s->serial, serial) == 0);
}

static const char *name_in(const char *path)
{
    const char *slash = strrchr(path, '/');
    return slash ? slash + 1 : path;
}

/* The page beside the ledger, as if it were the file that it stands for. */
static bool read_page(const ledger_entry *e, record_story *s)
{
    char page[STORAGE_PATH];
    if (!ledger_page(e->intent, LEDGER_RECORD, page) || record_read(page, s) != BIL_OK ||
        strcmp(s->intent, e->intent) != 0)
        return false;
    if (strcmp(s->chain, name_in(page)) == 0)
        snprintf(s->chain, sizeof s->chain, "%s", name_in(e->path));
    snprintf(s->path, sizeof s->path, "%s", e->path);
    return true;
}

/* What the ledger says of a record that was read: whether it is ours, and still as it was. Where there is a page, that
 * counts. */
static void settle_whose(const ledger *known, record_story *s)
{
    const ledger_entry *e = known ? ledger_find(known, s->intent) : NULL;
    s->foreign = known && (!e || (e->last[0] && strcmp(e->last, s->last) != 0));
    record_story *page = e ? mem_new(1, sizeof *page) : NULL;
    if (page && read_page(e, page)) {
        snprintf(page->path, sizeof page->path, "%s", s->path);
        *s = *page;
    }
    mem_free(page);
}

/* The whole path of a file that may be gone, and its folders with it. */
static void where_it_was(const char *path, char whole[STORAGE_PATH])
{
    char above[STORAGE_PATH];
    snprintf(above, sizeof above, "%s", path);
    for (size_t length = strlen(above);; length = strlen(above)) {
        char *there = realpath(length ? above : ".", NULL);
        const char *rest = path + length;
        if (there)
            snprintf(whole, STORAGE_PATH, "%s%s%s", there, *rest && *rest != '/' ? "/" : "", rest);
        free(there);
        if (there || !length)
            return;
        char *slash = strrchr(above, '/');
        *(slash ? slash : above) = '\0';
    }
}

int story_read(const char *path, const ledger *known, record_story *s)
{
    int error = record_read(path, s);
    if (!error)
        settle_whose(known, s);
    if (!error && !s->foreign)
        return BIL_OK;
    /* altered, damaged, gone, or behind a link: what this computer wrote under this name may be on a page */
    char whole[STORAGE_PATH], said[STORAGE_PATH];
    char *here = realpath(".", NULL);
    snprintf(said, sizeof said, "%s%s%s", *path == '/' || !here ? "" : here, *path == '/' ? "" : "/", path);
    free(here);
    record_story *page = mem_new(1, sizeof *page);
    if (!page)
        return BIL_E_MEMORY;
    where_it_was(path, whole);
    for (size_t i = known ? known->count : 0; i-- > 0;)
        if ((strcmp(known->entries[i].path, whole) == 0 || strcmp(known->entries[i].path, said) == 0) &&
            read_page(&known->entries[i], page)) {
            *s = *page;
            error = BIL_OK;
            break;
        }
    mem_free(page);
    return error;
}

int story_is_as_written(const ledger_entry *e)
{
    char page[STORAGE_PATH];
    size_t m = 0, n = 0;
    if (!ledger_page(e->intent, LEDGER_RECORD, page))
        return 0;
    char *written = storage_text(page, 0, &m), *now = storage_text(e->path, 0, &n);
    int is = !written ? 0 : !now ? -1 : m != n || memcmp(written, now, m) != 0;
    free(written);
    free(now);
    return is;
}

static void take(links *all, const char *path, const ledger *known, const ledger_entry *entry, const char *model,
                 const char *serial)
{
    record_story *s = mem_new(1, sizeof *s);
    if (!s)
        return;
    bool good = entry && read_page(entry, s);
    if (!good && (good = record_read(path, s) == BIL_OK && (!entry || strcmp(s->intent, entry->intent) == 0)))
        settle_whose(known, s);
    good = good && is_of(s, model, serial);
    for (size_t i = 0; i < all->count && good; i++)
        good = strcmp(all->list[i].intent, s->intent) != 0;
    if (good) {
        link *more = mem_more(all->list, (all->count + 1) * sizeof *more);
        all->list = more ? more : all->list;
        link one = {.path = arena_text(&all->memory, s->path, strlen(s->path)),
                    .model = arena_text(&all->memory, s->model, strlen(s->model)),
                    .serial = arena_text(&all->memory, s->serial, strlen(s->serial)),
                    .wrote = s->wrote,
                    .settled = s->settled,
                    .foreign = s->foreign,
                    .after_count = s->after_count};
        memcpy(one.intent, s->intent, sizeof one.intent);
        memcpy(one.after, s->after, sizeof one.after);
        good = more && one.path && one.model && one.serial;
        if (good)
            all->list[all->count++] = one;
    }
    mem_free(good ? all->last : s);
    all->last = good ? s : all->last;
}

static void gather(links *all, const char *folder, const ledger *known, const char *model, const char *serial)
{
    DIR *dir = storage_list(folder);
    struct dirent *entry;
    *all = (links){0};
    char *whole = realpath(folder, NULL);
    size_t length = whole ? strlen(whole) : 0;
    for (size_t i = 0; known && whole && i < known->count; i++) { /* first what is ours, even where the file is gone */
        const ledger_entry *e = &known->entries[i];
        if (strncmp(e->path, whole, length) == 0 && e->path[length] == '/' && !strchr(e->path + length + 1, '/'))
            take(all, e->path, known, e, model, serial);
    }
    free(whole);
    while (dir && (entry = readdir(dir))) {
        char path[STORAGE_PATH];
        snprintf(path, sizeof path, "%.3800s/%s", folder, entry->d_name);
        if (storage_ends_with(entry->d_name, ".brec"))
            take(all, path, known, NULL, model, serial);
    }
    if (dir)
        closedir(dir);
    size_t here = all->count; /* and wherever else this computer has written to one of these units */
    for (size_t i = 0; known && i < known->count; i++) {
        const ledger_entry *e = &known->entries[i];
        bool same = model && serial && strcmp(e->model, model) == 0 && strcmp(e->serial, serial) == 0;
        for (size_t k = 0; k < here && !same; k++)
            same = strcmp(e->model, all->list[k].model) == 0 && strcmp(e->serial, all->list[k].serial) == 0;
        if (same)
            take(all, e->path, known, e, model, serial);
    }
    for (size_t i = 0; i < all->count; i++) {
        const ledger_entry *e = known ? ledger_find(known, all->list[i].intent) : NULL;
        all->list[i].sequence = e ? e->sequence : 0;
        for (size_t k = 0; k < all->count; k++)
            for (size_t n = 0; n < all->list[k].after_count; n++)
                all->list[i].followed = /* that another computer went on with ours is what it says */
                    all->list[i].followed || ((!all->list[k].foreign || all->list[i].foreign) &&
                                              strcmp(all->list[k].after[n], all->list[i].intent) == 0);
    }
}

static void release(links *all)
{
    arena_free(&all->memory);
    mem_free(all->list);
    mem_free(all->last);
}

/* The length of the longest way back. A digest can't name itself, so that there are no circles; the depth is bounded
 * all the same. */
static unsigned rank_of(links *all, size_t i, unsigned depth)
{
    link *l = &all->list[i];
    if (l->rank || depth > all->count)
        return l->rank;
    unsigned most = 0;
    for (size_t n = 0; n < l->after_count; n++)
        for (size_t k = 0; k < all->count; k++)
            if (strcmp(all->list[k].intent, l->after[n]) == 0) {
                unsigned rank = rank_of(all, k, depth + 1);
                most = rank > most ? rank : most;
            }
    return l->rank = most + 1;
}

/* Is a newer than b? What isn't settled, and nothing has followed, comes before all that is; what this computer left so
 * before what others did. */
static bool is_newer(const link *a, const link *b)
{
    bool open_a = !a->settled && !a->followed, open_b = !b->settled && !b->followed;
    if (open_a != open_b)
        return open_a;
    if (open_a && a->foreign != b->foreign)
        return b->foreign;
    if (a->rank != b->rank)
        return a->rank > b->rank;
    if (a->sequence != b->sequence)
        return a->sequence > b->sequence;
    return strcmp(a->intent, b->intent) > 0; /* of two that know nothing of each other: the same one each time */
}

static bool newest(const char *folder, const ledger *known, const char *model, const char *serial, bool that_wrote,
                   bool ours, record_story *story)
{
    links all;
    *story = (record_story){0};
    gather(&all, folder, known, model, serial);
    const link *best = NULL;
    for (size_t i = 0; i < all.count; i++) {
        rank_of(&all, i, 0);
        const link *one = &all.list[i];
        if ((!that_wrote || one->wrote || !one->settled) && (!ours || !one->foreign) && (!best || is_newer(one, best)))
            best = one;
    }
    bool read = best && best == &all.list[all.count - 1] && !best->foreign;
    if (read)
        *story = *all.last;
    bool found = read || (best && story_read(best->path, known, story) == BIL_OK);
    release(&all);
    return found;
}

bool story_newest(const char *folder, const ledger *known, const char *model, const char *serial, bool that_wrote,
                  record_story *story)
{
    return newest(folder, known, model, serial, that_wrote, false, story);
}

bool story_newest_of_ours(const char *folder, const ledger *known, bool that_wrote, record_story *story)
{
    return newest(folder, known, NULL, NULL, that_wrote, true, story);
}

static int by_order(const void *left, const void *right)
{
    const link *a = left, *b = right;
    if (a->rank != b->rank)
        return a->rank > b->rank ? -1 : 1;
    if (a->sequence != b->sequence)
        return a->sequence > b->sequence ? -1 : 1;
    return strcmp(b->intent, a->intent);
}

void story_each(const char *folder, const ledger *known, const char *model, const char *serial,
                bool (*each)(void *ctx, record_story *story, bool followed), void *ctx)
{
    links all;
    record_story *s = mem_new(1, sizeof *s);
    gather(&all, folder, known, model, serial);
    for (size_t i = 0; i < all.count; i++)
        rank_of(&all, i, 0);
    if (all.count)
        qsort(all.list, all.count, sizeof *all.list, by_order);
    for (size_t i = 0; s && i < all.count; i++)
        if (story_read(all.list[i].path, known, s) == BIL_OK && !each(ctx, s, all.list[i].followed))
            break;
    release(&all);
    mem_free(s);
}

json_t *story_heads(const char *folder, const ledger *known, const char *model, const char *serial)
{
    links all;
    json_t *heads = jn_array();
    gather(&all, folder, known, model, serial);
    for (size_t i = 0; i < all.count; i++)
        if (!all.list[i].followed && json_array_size(heads) < MOST_AFTER)
            jn_add(heads, jn_string(all.list[i].intent));
    release(&all);
    return heads;
}

bool story_first(const char *folder, const ledger *known, const record_story *last, record_story *first)
{
    char path[STORAGE_PATH];
    const char *slash = strrchr(last->path, '/');
    if (strcmp(name_in(last->path), last->chain) == 0) { /* it began with this one */
        *first = *last;
        return true;
    }
    snprintf(path, sizeof path, "%.*s/%s", slash ? (int)(slash - last->path) : 1, slash ? last->path : ".",
             last->chain);
    for (size_t i = known ? known->count : 0; i-- > 0;) /* ours, if it is one of ours */
        if (!last->foreign && strcmp(name_in(known->entries[i].path), last->chain) == 0 &&
            story_read(known->entries[i].path, known, first) == BIL_OK &&
            strcmp(first->intent, known->entries[i].intent) == 0)
            return true;
    if (story_read(path, known, first) == BIL_OK)
        return true;
    snprintf(path, sizeof path, "%.3800s/%s", folder, last->chain);
    if (story_read(path, known, first) == BIL_OK)
        return true;
    *first = *last;
    return false;
}

/* Sides, and what differs between them. */
#include <string.h>

#include "host/library/inside.h"
#include "host/library/seen.h"

struct bil_look {
    part part;
    side *sides;
    size_t count, open;
    bil_look_wish wish; /* without its texts */
    findings found;
    finding one;
    char group[BIL_ID_MAX + 1], pattern[BIL_ID_MAX + 1];
    char name[512];
};

static void end(part *p)
{
    bil_look *l = (bil_look *)p;
    for (size_t i = 0; i < l->open; i++)
        side_close(&l->sides[i]);
    mem_free(l->sides);
}

/* ---- opening ---- */

static int take_wish(bil_look *l, const bil_look_wish *given, finding_filter *filter)
{
    bil_host *h = l->part.host;
    bil_look_wish *wish = &l->wish;
    if (!lib_take(wish, sizeof *wish, given) || wish->cls < 0 || wish->cls > BIL_CLASS_COUNT)
        return BIL_E_BAD_CALL;
    const char *texts[] = {wish->group, wish->pattern};
    for (int i = 0; i < 2; i++)
        if (texts[i] && strlen(texts[i]) > BIL_ID_MAX)
            return trouble_of(&h->trouble, BIL_E_CALL, texts[i], "no id is so long");
    snprintf(l->group, sizeof l->group, "%s", wish->group ? wish->group : "");
    snprintf(l->pattern, sizeof l->pattern, "%s", wish->pattern ? wish->pattern : "");
    *filter = (finding_filter){.group = wish->group ? l->group : NULL,
                               .match = wish->pattern ? l->pattern : NULL,
                               .cls = wish->cls ? bil_class_name((bil_class)(wish->cls - 1)) : NULL,
                               .safety = wish->safety};
    wish->group = wish->pattern = NULL; /* they were the caller's */
    wish->all = wish->all || l->count == 1;
    return BIL_OK;
}

/* The digest of a copy stands at its end: it is proved before anything of it is told. */
static int prove(bil_look *l, side *s)
{
    bil_host *h = l->part.host;
    char why[500];
    bil_set_totals totals;
    set_origin *o = mem_new(1, sizeof *o);
    int error = o ? set_file_check(s->place, o, &totals, why, sizeof why) : BIL_E_MEMORY;
    mem_free(o);
    return error ? trouble_of(&h->trouble, error, "", why) : BIL_OK;
}

static int open_side(bil_look *l, side *s, const char *text)
{
    bil_host *h = l->part.host;
    char why[STORAGE_PATH + 500] = "";
    read_watch by = {l->wish.progress, l->wish.ctx, lib_secrets(h), NULL};
    int error = s->kind == SIDE_COPY && !l->wish.as_far_as ? prove(l, s) : BIL_OK;
    if (!error && (error = side_open(s, &h->known, by, why, sizeof why)))
        trouble_of(&h->trouble, error, s->kind == SIDE_COPY ? "" : text, why);
    return error;
}

static int parse_side(bil_look *l, size_t i, const char *text)
{
    bil_host *h = l->part.host;
    char place[STORAGE_PATH], digest[65];
    int error = text ? lib_place(h, text, place, digest) : BIL_E_BAD_CALL;
    if (!error && !side_parse(&l->sides[i], place))
        error = trouble_of(&h->trouble, BIL_E_CALL, text,
                           "behind # of a device stands stored, factory, or kept1, kept2, ...");
    if (!error && (l->sides[i].kind != SIDE_COPY || digest[0])) /* what a site has is called by its name */
        snprintf(l->sides[i].text, sizeof l->sides[i].text, "%s", text);
    return error;
}

/* "factory" alone asks what model the others are of: those come first. They are opened at their own places, and what is
 * open is closed again when one fails. */
static int open_sides(bil_look *l, const char *const *texts)
{
    const bil_description *model = NULL;
    bool open[BIL_LOOK_SIDES] = {false};
    int error = BIL_OK;
    for (size_t i = 0; i < l->count && !error; i++)
        error = parse_side(l, i, texts[i]);
    for (int second = 0; second < 2; second++)
        for (size_t i = 0; i < l->count && !error; i++)
            if (side_wants_model(&l->sides[i]) == second) {
                if (second)
                    l->sides[i].description = model;
                error = open_side(l, &l->sides[i], texts[i]);
                open[i] = !error;
                model = model || error ? model : l->sides[i].description;
            }
    for (size_t i = 0; i < l->count && error; i++)
        if (open[i])
            side_close(&l->sides[i]);
    l->open = error ? 0 : l->count;
    return error;
}

static int same_model(const bil_look *l)
{
    char why[2 * SET_TEXT + 200];
    for (size_t i = 1; i < l->count; i++)
        if (strcmp(l->sides[0].origin.model, l->sides[i].origin.model) != 0) {
            snprintf(why, sizeof why,
                     "one side is model %s, another model %s: their values can't be compared, unless what goes by the "
                     "same id is meant",
                     l->sides[0].origin.model, l->sides[i].origin.model);
            return trouble_of(&l->part.host->trouble, BIL_E_OTHER_MODEL, "", why);
        }
    return BIL_OK;
}

/* A look with so many sides, not open yet; NULL: memory is short. */
static bil_look *with_sides(bil_host *h, size_t count)
{
    bil_look *l = lib_part(h, sizeof *l, end);
    if (!l)
        return NULL;
    l->count = count;
    l->sides = mem_new(count, sizeof *l->sides);
    if (!l->sides) {
        lib_drop(&l->part);
        return NULL;
    }
    return l;
}

static int begun(bil_look *l, int error, const finding_filter *filter, bil_look **out)
{
    if (!error && !l->wish.other_model)
        error = same_model(l);
    if (error) {
        lib_drop(&l->part);
        return error;
    }
    findings_begin(&l->found, l->sides, l->count, filter, !l->wish.all);
    *out = l;
    return BIL_OK;
}

int bil_look_open(bil_host *h, const char *const *sides, size_t count, const bil_look_wish *given, bil_look **out)
{
    finding_filter filter;
    *out = NULL;
    int error = lib_begin(h);
    if (error)
        return error;
    if (!sides || count == 0 || count > BIL_LOOK_SIDES)
        return lib_end(h, sides ? BIL_E_CALL : BIL_E_BAD_CALL, "", "one side at least, and at most 16");
    bil_look *l = with_sides(h, count);
    if (!l)
        return lib_end_of(h, BIL_E_MEMORY);
    error = take_wish(l, given, &filter);
    if (!error)
        error = open_sides(l, sides);
    return lib_end_of(h, begun(l, error, &filter, out));
}

static void lend(side *s, const bil_copy *copy, const bil_device *dev)
{
    set_origin o = {0};
    if (copy) {
        side_lend(s, SIDE_COPY, copy->path, &copy->work.from.origin, &copy->work.from.image);
    } else {
        set_origin_of(&o, &dev->device.image);
        side_lend(s, SIDE_RUNNING, dev->address, &o, &dev->device.image);
    }
    files_share_all(&s->files, copy ? &copy->work.from.files : &dev->device.files, &s->image);
}

int bil_look_at(bil_host *h, const bil_copy *copy, const bil_device *dev, const bil_look_wish *given, bil_look **out)
{
    finding_filter filter;
    *out = NULL;
    int error = lib_begin(h);
    if (error)
        return error;
    if ((!copy && !dev) || (copy && copy->part.host != h) || (dev && dev->part.host != h))
        return lib_end_of(h, BIL_E_BAD_CALL);
    bil_look *l = with_sides(h, copy && dev ? 2 : 1);
    if (!l)
        return lib_end_of(h, BIL_E_MEMORY);
    error = take_wish(l, given, &filter);
    if (!error && copy)
        lend(&l->sides[l->open++], copy, NULL);
    if (!error && dev)
        lend(&l->sides[l->open++], NULL, dev);
    return lib_end_of(h, begun(l, error, &filter, out));
}

void bil_look_close(bil_look *l)
{
    if (!l || lib_begin(l->part.host) != BIL_OK)
        return;
    bil_host *h = l->part.host;
    lib_drop(&l->part);
    lib_end_of(h, BIL_OK);
}

/* ---- what is found ---- */

int bil_look_next(bil_look *l, bil_finding *out)
{
    bil_host *h = l->part.host;
    int got, error = lib_begin(h);
    if (error)
        return -error;
    const finding *one = &l->one;
    do
        got = findings_next(&l->found, &l->one);
    while (got == 1 && !l->wish.all && !one->differs && !one->apart);
    if (got == 0 && l->found.damaged >= 0)
        error = trouble_of(&h->trouble, l->found.error, "", side_why(&l->sides[l->found.damaged]));
    error = lib_end_of(h, error);
    if (error || got != 1)
        return -error;
    bil_str_plain(one->item->name, l->name, sizeof l->name);
    *out = (bil_finding){.id = one->id,
                         .group = one->group,
                         .name = l->name,
                         .cls = one->item->cls,
                         .relation = one->relation,
                         .differs = one->differs,
                         .apart = one->apart,
                         .weight = one->weight,
                         .odd = one->odd};
    memcpy(out->items, one->items, l->count * sizeof one->items[0]);
    return 1;
}

void bil_look_counted(const bil_look *l, bil_look_counts *counts)
{
    const finding_counts *n = &l->found.total;
    *counts = (bil_look_counts){
        .apart = n->apart, .differing = n->differing, .safety = n->safety, .hold = n->hold, .restart = n->restart};
    memcpy(counts->relation, n->relation, sizeof counts->relation);
}

const char *bil_look_kind(const bil_look *l, size_t i)
{
    return i < l->count ? side_kind_text(l->sides[i].kind) : "";
}

const char *bil_look_place(const bil_look *l, size_t i)
{
    return i < l->count ? l->sides[i].place : "";
}

const char *bil_look_says(const bil_look *l, size_t i, bil_identity what)
{
    const set_origin *o = i < l->count ? &l->sides[i].origin : NULL;
    const char *const says[BIL_ID_COUNT] = {o ? o->vendor : "",   o ? o->model : "",  o ? o->hardware : "",
                                            o ? o->firmware : "", o ? o->serial : "", o ? o->device : ""};
    return what < BIL_ID_COUNT ? says[what] : "";
}

void bil_look_text(const bil_look *l, size_t i, const bil_item *item, char *text, size_t size)
{
    text[0] = '\0';
    if (item && i < l->count)
        item_text(item, l->sides[i].description, text, size);
}

const char *bil_look_nearest(const bil_look *l)
{
    return l->found.like.best;
}

findings *lib_look_findings(bil_look *l)
{
    return &l->found;
}

/* ---- taking over ---- */

int lib_take_found(bil_copy *copy, bil_look *l, size_t which, const bil_item *item)
{
    bil_host *h = copy->part.host;
    side *s = &l->sides[which];
    int error = lib_begin(h);
    if (error)
        return error;
    bool wants = item->type == BIL_FILE && !item->unreadable && !files_has(&copy->work.from.files, item->raw);
    if (wants && s->kind == SIDE_COPY && !s->lent && !s->files.count)
        error = copy_files(s->place, &s->files, copy->work.why, sizeof copy->work.why);
    if (!error && wants && !files_share(&copy->work.from.files, &s->files, item->raw) && mem_is_short())
        error = BIL_E_MEMORY;
    if (error)
        return lib_end(h, error, s->place, copy->work.why);
    lib_end_of(h, BIL_OK);
    return bil_copy_take_item(copy, item);
}

static int take_all(bil_copy *copy, bil_look *l, unsigned *taken, unsigned *stay)
{
    bil_finding one;
    int got;
    while ((got = bil_look_next(l, &one)) == 1) {
        int error = one.cls == BIL_CLASS_UNIT ? BIL_E_NOT_YOURS : lib_take_found(copy, l, 0, one.items[0]);
        if (error == BIL_E_NOT_YOURS || error == BIL_E_UNREADABLE)
            ++*stay;
        else if (error)
            return error;
        else
            ++*taken;
    }
    return -got;
}

int bil_copy_take_from(bil_copy *copy, const char *which, const bil_look_wish *wish, unsigned *taken, unsigned *stay)
{
    bil_host *h = copy->part.host;
    char why[200];
    bil_look *l;
    *taken = *stay = 0;
    int error = bil_look_open(h, &which, 1, wish, &l);
    if (error)
        return error;
    const char *model = l->sides[0].origin.model, *own = copy->work.from.origin.model;
    bool other = strcmp(model, own) != 0;
    if (other)
        snprintf(why, sizeof why, "that is model %.60s, and the copy is of model %.60s", model, own);
    else
        error = take_all(copy, l, taken, stay);
    bool none = !other && !error && !*taken;
    if (none)
        snprintf(why, sizeof why, "nothing there to take over%s%s%s", l->found.like.best[0] ? "; did you mean " : "",
                 l->found.like.best, l->found.like.best[0] ? "?" : "");
    trouble kept = h->trouble;
    bil_look_close(l);
    if (other || none)
        return lib_fail(h, other ? BIL_E_OTHER_MODEL : BIL_E_CALL, which, why);
    h->trouble = kept;
    return error;
}

int bil_look_differing(bil_copy *copy, bil_device *dev)
{
    bil_look *l;
    bil_finding one;
    bil_look_counts counts;
    int got, error = dev->was_read ? BIL_OK : bil_device_read(dev, NULL);
    if (!error)
        error = bil_look_at(copy->part.host, copy, dev, NULL, &l);
    if (error)
        return -error;
    while ((got = bil_look_next(l, &one)) == 1)
        ;
    bil_look_counted(l, &counts);
    bil_look_close(l);
    return got < 0 ? got : (int)counts.differing;
}

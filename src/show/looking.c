#include "show/looking.h"

#include <string.h>

#include "host/base/folders.h"
#include "host/library/seen.h"
#include "port/storage.h"
#include "show/need.h"
#include "show/pager.h"
#include "show/screen.h"
#include "show/view.h"

static int failed(showing *s, int error, const char *what, const char *why)
{
    snprintf(s->what, sizeof s->what, "%s", what);
    snprintf(s->why, sizeof s->why, "%s", why);
    return error;
}

/* ---- reports ---- */

bool report_is_good(const char *path, char *why, size_t size)
{
    if (report_kind_of(path))
        return true;
    snprintf(why, size, "a report is a file that ends with");
    for (const report_kind *const *kind = report_kinds; *kind; kind++)
        snprintf(why + strlen(why), size - strlen(why), "%s %s",
                 kind == report_kinds ? ""
                 : kind[1]            ? ","
                                      : " or",
                 (*kind)->ending);
    return false;
}

static int report_commit(showing *s, storage_file *storage, const char *folder)
{
    char path[STORAGE_PATH];
    int error = ferror(storage->file) ? storage_error() : storage_commit(storage, folder, path);
    if (error)
        return failed(s, error, folder, "");
    tell(stderr, "%s✓ report%s  %s\n", tint_code(use_colour(stderr), TINT_GOOD),
         tint_code(use_colour(stderr), TINT_PLAIN), path);
    return BIL_OK;
}

/* Does the report show equal values? A page shows all, unless there are more than anybody can look at. */
static bool report_shows_all(const report_kind *kind, const findings *f)
{
    set_origin origin;
    bil_set_totals totals;
    for (size_t i = 0; i < f->count && kind->most; i++)
        if (f->sides[i].kind == SIDE_COPY && set_file_glance(f->sides[i].place, &origin, &totals) == BIL_OK &&
            totals.values > kind->most)
            return false;
    return true;
}

/* ---- findings ---- */

static int nothing_fits(showing *s, const findings *f)
{
    char why[200];
    const char *what = f->filter.group ? f->filter.group : f->filter.match ? f->filter.match : "";
    snprintf(why, sizeof why, "no parameter fits this%s%s%s", f->like.best[0] ? "; did you mean " : "", f->like.best,
             f->like.best[0] ? "?" : "");
    return failed(s, BIL_E_CALL, what, why);
}

static bool nothing_found(const findings *f)
{
    unsigned all = f->total.apart;
    for (int i = 0; i < BIL_RELATION_COUNT; i++)
        all += f->total.relation[i];
    return all == 0;
}

static int put_views(showing *s, findings *f, view *views, size_t count)
{
    finding one;
    for (size_t i = 0; i < count; i++)
        views[i].ops->begin(&views[i], f);
    while (findings_next(f, &one) == 1)
        for (size_t i = 0; i < count; i++)
            views[i].ops->row(&views[i], f, &one);
    int error = BIL_OK;
    for (size_t i = 0; i < count; i++)
        if (!views[i].ops->end(&views[i], f) && !error)
            error = failed(s, storage_error(), i ? s->report : "temporary file", "");
    if (!error && filter_is_set(&f->filter) && nothing_found(f))
        error = nothing_fits(s, f);
    return error;
}

static int show_into(showing *s, findings *f, FILE *spool, storage_file *storage)
{
    screen l = the_screen();
    l.out = spool;
    view views[2] = {s->as_copy ? view_json_copy(spool) : s->json ? view_json(spool, s->all) : view_text(l, s->all)};
    size_t shown = 1;
    const report_kind *kind = s->report ? report_kind_of(s->report) : NULL;
    bool report_all = kind && report_shows_all(kind, f);
    if (kind)
        views[shown++] = kind->make(storage->file, report_all);
    if (f->count == 1)
        side_collect_left_out(&f->sides[0]);
    f->skip.equal = s->all || report_all ? NULL : f->skip.equal;
    int error = put_views(s, f, views, shown);
    if (!error)
        say_spooled(spool, s->json || s->as_copy);
    if (!error && f->damaged >= 0)
        error = failed(s, f->error, "", side_why(&f->sides[f->damaged]));
    return error;
}

int show_look(showing *s, bil_look *look)
{
    findings *f = lib_look_findings(look);
    storage_file storage;
    char folder[STORAGE_PATH];
    FILE *spool = tmpfile();
    if (!spool)
        return failed(s, BIL_E_FILE_WRITE, "temporary file", "");
    int error = s->report ? storage_begin(&storage, folder, folder_of(s->report, folder)) : BIL_OK;
    if (error) {
        fclose(spool);
        return failed(s, error, s->report, "");
    }
    need_cancels(s->report ? &storage : NULL);
    error = show_into(s, f, spool, &storage);
    need_cancels(NULL);
    if (s->report && (!error || f->damaged >= 0)) {
        int wrote = report_commit(s, &storage, folder);
        error = error ? error : wrote;
    } else if (s->report) {
        storage_cancel(&storage);
    }
    fclose(spool);
    return error;
}

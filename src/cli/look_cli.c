#include "cli/look_cli.h"

#include <signal.h>
#include <stdlib.h>
#include <string.h>
#include <sys/ioctl.h>
#include <unistd.h>

/* ---- filters and sides ---- */

int filter_of(const filter_words *words, finding_filter *filter)
{
    *filter = (finding_filter){words->group, words->match, words->cls, words->safety};
    if (!words->cls || bil_class_from_name(words->cls, strlen(words->cls)) >= 0)
        return BIL_OK;
    say_error(words->cls, BIL_E_CALL, "a class is setup, place, calibration or unit");
    return BIL_E_CALL;
}

static int open_one(side *s, const catalogue *m)
{
    char why[STORAGE_PATH + 500];
    if (address_is_device(s->place))
        progress_line("Connecting", 0, 0, 0);
    int error = side_open(s, m, progress_of_reading, why, sizeof why);
    progress_clear();
    return error ? say_error(s->kind == SIDE_COPY ? "" : s->text, error, why) : -1;
}

int sides_open(side *sides, const char *const *texts, size_t count, const catalogue *m, const char *site_given)
{
    char place[STORAGE_PATH];
    const bil_description *model = NULL;
    bool open[SIDES_MOST] = {false};
    int code = -1;
    for (size_t i = 0; i < count && code < 0; i++) {
        int error = place_of(texts[i], site_given, place);
        if (error)
            code = exit_code_of(error);
        else if (!side_parse(&sides[i], place))
            code = say_error(texts[i], BIL_E_CALL, "behind # of a device stands stored, factory, or kept1, kept2, ...");
        if (sides[i].kind != SIDE_COPY)
            snprintf(sides[i].text, sizeof sides[i].text, "%s", texts[i]);
    }
    for (int second = 0; second < 2; second++) /* "factory" asks what model the others are of */
        for (size_t i = 0; i < count && code < 0; i++)
            if (side_wants_model(&sides[i]) == second) {
                if (second)
                    sides[i].description = model;
                code = open_one(&sides[i], m);
                open[i] = code < 0;
                model = model || code >= 0 ? model : sides[i].description;
            }
    for (size_t i = 0; i < count && code >= 0; i++)
        if (open[i])
            side_close(&sides[i]);
    return code;
}

void sides_close(side *sides, size_t count)
{
    for (size_t i = 0; i < count; i++)
        side_close(&sides[i]);
}

int sides_fit(const side *sides, size_t count)
{
    char why[4 * SET_TEXT];
    for (size_t i = 1; i < count; i++)
        if (strcmp(sides[0].origin.model, sides[i].origin.model) != 0) {
            snprintf(why, sizeof why,
                     "one side is model %s, another model %s: their values can't be compared; --other-model compares "
                     "what goes by the same id all the same",
                     sides[0].origin.model, sides[i].origin.model);
            return say_error("", BIL_E_OTHER_MODEL, why);
        }
    return -1;
}

/* ---- long output ---- */

static bool fits_the_screen(FILE *spool)
{
    struct winsize size;
    if (!isatty(STDOUT_FILENO) || ioctl(STDOUT_FILENO, TIOCGWINSZ, &size) != 0 || size.ws_row == 0)
        return true;
    unsigned lines = 0;
    int c;
    while ((c = getc(spool)) != EOF && lines < size.ws_row)
        lines += c == '\n';
    rewind(spool);
    return lines + 1 < size.ws_row;
}

void say_spooled(FILE *spool)
{
    char bytes[1 << 15];
    size_t got;
    rewind(spool);
    const char *pager = getenv("PAGER");
    FILE *out = stdout;
    if (!fits_the_screen(spool) && !(pager && !*pager)) {
        setenv("LESS", "FRX", 0);
        fflush(stdout);
        signal(SIGPIPE, SIG_IGN); /* who has seen enough closes the pager */
        out = popen(pager ? pager : "less 2>/dev/null || cat", "w");
    }
    while (out && (got = fread(bytes, 1, sizeof bytes, spool)) > 0)
        fwrite(bytes, 1, got, out);
    if (out && out != stdout)
        pclose(out);
}

/* ---- reports ---- */

bool report_is_good(const char *path)
{
    char why[200] = "a report is a file that ends with";
    if (report_kind_of(path))
        return true;
    for (const report_kind *const *kind = report_kinds; *kind; kind++)
        snprintf(why + strlen(why), sizeof why - strlen(why), "%s %s",
                 kind == report_kinds ? ""
                 : kind[1]            ? ","
                                      : " or",
                 (*kind)->ending);
    say_error(path, BIL_E_CALL, why);
    return false;
}

static int report_commit(storage_file *storage, const char *folder, bool good)
{
    char path[STORAGE_PATH];
    if (good) {
        int error = storage_commit(storage, folder, path);
        if (error)
            return say_error(folder, error, NULL);
        tell(stderr, "%s✓ report%s  %s\n", tint_code(use_colour(stderr), TINT_GOOD),
             tint_code(use_colour(stderr), TINT_PLAIN), path);
        return -1;
    }
    int error = storage_error();
    storage_cancel(storage);
    return say_error(folder, error, NULL);
}

/* Does the report show equal values? A page shows all, unless there are more than anybody can look at. */
static bool report_shows_all(const report_kind *kind, const side *sides, size_t count)
{
    set_origin origin;
    bil_set_totals totals;
    for (size_t i = 0; i < count && kind->most; i++)
        if (sides[i].kind == SIDE_COPY && set_file_glance(sides[i].place, &origin, &totals) == BIL_OK &&
            totals.values > kind->most)
            return false;
    return true;
}

/* ---- findings ---- */

static int nothing_fits(const findings *f)
{
    char why[200];
    const char *what = f->filter.group ? f->filter.group : f->filter.match ? f->filter.match : "";
    snprintf(why, sizeof why, "no parameter fits this%s%s%s", f->like.best[0] ? "; did you mean " : "", f->like.best,
             f->like.best[0] ? "?" : "");
    return say_error(what, BIL_E_CALL, why);
}

static bool nothing_found(const findings *f)
{
    unsigned all = f->total.apart;
    for (int i = 0; i < BIL_RELATION_COUNT; i++)
        all += f->total.relation[i];
    return all == 0;
}

int show_findings(showing *s, side *sides, size_t count, const finding_filter *filter)
{
    findings *f = &s->found;
    storage_file storage;
    char folder[STORAGE_PATH];
    FILE *spool = tmpfile();
    if (!spool)
        return say_error("temporary file", BIL_E_FILE_WRITE, NULL);
    if (s->report) {
        int error = storage_begin(&storage, folder, folder_of(s->report, folder));
        if (error) {
            fclose(spool);
            return say_error(s->report, error, NULL);
        }
    }
    screen l = the_screen();
    l.out = spool;
    view views[2] = {s->json ? view_json(spool, s->all) : view_text(l, s->all)};
    size_t shown = 1;
    const report_kind *kind = s->report ? report_kind_of(s->report) : NULL;
    bool report_all = kind && report_shows_all(kind, sides, count);
    if (kind)
        views[shown++] = kind->make(storage.file, report_all);
    for (size_t i = 0; i < count && count == 1; i++)
        side_collect_left_out(&sides[i]);
    findings_begin(f, sides, count, filter, !s->all && !report_all);
    finding one;
    for (size_t i = 0; i < shown; i++)
        views[i].ops->begin(&views[i], f);
    while (findings_next(f, &one) == 1)
        for (size_t i = 0; i < shown; i++)
            views[i].ops->row(&views[i], f, &one);
    int code = -1;
    for (size_t i = 0; i < shown; i++)
        if (!views[i].ops->end(&views[i], f) && code < 0)
            code = say_error(i ? s->report : "temporary file", storage_error(), NULL);
    if (code < 0 && filter_is_set(filter) && nothing_found(f))
        code = nothing_fits(f);
    if (code < 0)
        say_spooled(spool);
    if (s->report && code < 0)
        code = report_commit(&storage, folder, !ferror(storage.file));
    else if (s->report)
        storage_cancel(&storage);
    fclose(spool);
    if (code >= 0)
        return code;
    if (f->damaged >= 0)
        return say_error("", f->error, side_why(&sides[f->damaged]));
    return count > 1 && f->total.differing ? EXIT_DIFFERENT : EXIT_DONE;
}

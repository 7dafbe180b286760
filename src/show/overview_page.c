#include "show/overview_page.h"

#include <stdlib.h>
#include <string.h>

#include "host/base/folders.h"
#include "host/base/time.h"
#include "show/html.h"
#include "show/need.h"
#include "show/standing.h"

enum { POINTS = 60, WIDE = 180, HIGH = 34 };

static const char mark[] = "<!-- bilancia overview -->";

/* What a row of the page says; the site is asked for its copies afterwards. */
typedef struct row {
    char *name, *folder, *group, *address, *last, *said; /* `said`: the state, in HTML */
    int copies;
    bool baseline;
} row;

typedef struct rows {
    row *list;
    size_t count, room;
} rows;

typedef struct curve {
    char digest[POINTS][65]; /* the newest first */
    int drift[POINTS];
    int count;
    bool baseline;
} curve;

/* ---- collecting ---- */

static char *own(const char *text)
{
    char *copy = strdup(text);
    if (!copy)
        no_memory();
    return copy;
}

static const char *class_of(bil_standing s)
{
    static const char *const classes[] = {
        [TINT_PLAIN] = "soft", [TINT_BOLD] = "soft", [TINT_GOOD] = "good", [TINT_BAD] = "bad", [TINT_WARN] = "warn"};
    return classes[standing_tint(s)];
}

static void put_state(FILE *file, const bil_site_standing *one)
{
    char line[600];
    next_step *steps = need(NEXT_MOST, sizeof *steps);
    for (int i = 0; i < BIL_STANDING_COUNT; i++) {
        bil_standing s = (bil_standing)i;
        if (!(one->all >> i & 1) || (s == BIL_STANDING_NO_BASELINE && s != one->first))
            continue;
        fprintf(file, "<p class=\"%s\">%s ", class_of(s), standing_mark(s));
        html_text(file, standing_line(one, s, line, sizeof line));
        if (s == BIL_STANDING_NO_ANSWER && one->why[0]) {
            fputs("<br><small>", file);
            html_text(file, one->why);
            fputs("</small>", file);
        }
        size_t count = standing_next(one, s, steps);
        for (size_t k = 0; k < count; k++) {
            fputs("<code>", file);
            html_text(file, steps[k].command);
            fputs("</code>", file);
        }
        fputs("</p>", file);
    }
    free(steps);
}

static bool collect(void *ctx, const bil_site_standing *one)
{
    rows *r = ctx;
    if (r->count == r->room) {
        r->room = r->room ? 2 * r->room : 64;
        row *more = realloc(r->list, r->room * sizeof *more);
        if (!more)
            no_memory();
        r->list = more;
    }
    const bil_site_device *d = one->device;
    row *out = &r->list[r->count++];
    size_t size;
    *out = (row){.name = own(d->name),
                 .folder = own(d->folder),
                 .group = own(d->group),
                 .address = own(d->address),
                 .last = own(d->last ? d->last->when : ""),
                 .copies = d->copies,
                 .baseline = d->baseline[0] != '\0'};
    FILE *said = open_memstream(&out->said, &size);
    if (!said)
        no_memory();
    put_state(said, one);
    fclose(said);
    return true;
}

static bool point(void *ctx, const bil_site_copy *copy)
{
    curve *c = ctx;
    snprintf(c->digest[c->count++], sizeof c->digest[0], "%s", copy->digest);
    return c->count < POINTS;
}

static void measure(bil_site *site, const row *r, curve *c)
{
    char one[600], other[600];
    *c = (curve){.baseline = r->baseline};
    snprintf(one, sizeof one, "devices/%s", r->folder);
    if (r->copies == 0 || bil_site_copies(site, one, POINTS, point, c) != BIL_OK)
        c->count = 0;
    for (int i = 0; i < c->count; i++) {
        snprintf(one, sizeof one, "devices/%s#%s", r->folder, c->digest[i]);
        snprintf(other, sizeof other, "devices/%s#%s", r->folder, c->baseline ? "baseline" : "first");
        int drift = bil_site_drift(site, other, one);
        c->drift[i] = drift < 0 ? -1 : drift;
    }
}

/* ---- the page ---- */

/* Steps: a value holds until the next copy. The newest is at the right; what is unknown leaves a gap. */
static void put_curve(FILE *file, const curve *c)
{
    int most = 1;
    for (int i = 0; i < c->count; i++)
        most = c->drift[i] > most ? c->drift[i] : most;
    if (c->count == 0)
        return;
    fprintf(file,
            "<svg viewBox=\"0 0 %d %d\" role=\"img\" aria-label=\"%d copies; values that differ from the %s: now %d, "
            "at most %d\">",
            WIDE, HIGH, c->count, c->baseline ? "baseline" : "first copy", c->drift[0], most);
    fprintf(file, "<line x1=\"2\" y1=\"%d\" x2=\"%d\" y2=\"%d\"/>", HIGH - 6, WIDE - 24, HIGH - 6);
    double step = (WIDE - 30.0) / (c->count > 1 ? c->count - 1 : 1);
    bool open = false;
    for (int i = c->count - 1; i >= 0; i--) {
        double x = 2 + step * (c->count - 1 - i), y = HIGH - 6 - (HIGH - 12.0) * c->drift[i] / most;
        if (c->drift[i] < 0) {
            fputs(open ? "\"/>" : "", file);
            open = false;
            continue;
        }
        if (open)
            fprintf(file, "H%.1f V%.1f", x, y);
        else
            fprintf(file, "<path d=\"M%.1f %.1f", x, y);
        open = true;
    }
    fputs(open ? "\"/>" : "", file);
    if (c->drift[0] >= 0) {
        double y = HIGH - 6 - (HIGH - 12.0) * c->drift[0] / most;
        fprintf(file, "<circle cx=\"%.1f\" cy=\"%.1f\" r=\"2.5\"/><text x=\"%d\" y=\"%.1f\">%d</text>",
                2 + step * (c->count - 1), y, WIDE - 22, y + 4, c->drift[0]);
    }
    fputs("</svg>", file);
}

static const char style[] =
    "ul.sum{list-style:none;display:flex;flex-wrap:wrap;gap:.5rem 1.5rem;padding:0;margin:1rem 0}"
    "ul.sum b{font-size:1.25rem}td:nth-child(4){white-space:nowrap}"
    ".bad{color:var(--bad)}.warn{color:var(--warn)}.good{color:var(--good)}.soft{color:var(--soft)}"
    "td p{margin:0 0 .35rem}td code{display:block;color:var(--ink);font-size:.8rem;overflow-wrap:anywhere}"
    "svg{width:180px;height:34px;display:block}svg path{fill:none;stroke:var(--curve);stroke-width:1.6}"
    "svg line{stroke:var(--line)}svg circle{fill:var(--curve)}svg text{font-size:11px;fill:var(--ink)}";

static void put_row(FILE *file, bil_site *site, const row *r)
{
    curve *c = need(1, sizeof *c);
    measure(site, r, c);
    fputs("<tr><th scope=\"row\">", file);
    html_text(file, r->name);
    fputs("<br><small>", file);
    html_text(file, r->address);
    fputs("</small></th><td>", file);
    html_text(file, r->group);
    fprintf(file, "</td><td>%s</td><td>", r->said);
    if (r->copies)
        fprintf(file, "%.10s %.5s<br><small>%d cop%s</small>", r->last, strlen(r->last) > 16 ? r->last + 11 : "",
                r->copies, r->copies == 1 ? "y" : "ies");
    else
        fputs("none yet", file);
    fputs("</td><td>", file);
    put_curve(file, c);
    fputs("</td></tr>\n", file);
    free(c);
}

static void put_head(FILE *file, const bil_site *site, const bil_site_sum *sum)
{
    char now[40], title[400];
    time_now(now, sizeof now);
    snprintf(title, sizeof title, "%.300s: overview", bil_site_name(site));
    html_begin(file, title, style, NULL);
    fprintf(file, "%s<header><h1>", mark);
    html_text(file, bil_site_name(site));
    fprintf(file, "</h1><p>%u device%s, %u cop%s; as of %.10s %.5s UTC</p></header>\n<main><ul class=\"sum\">",
            sum->devices, sum->devices == 1 ? "" : "s", sum->copies, sum->copies == 1 ? "y" : "ies", now, now + 11);
    for (int i = 0; i < BIL_STANDING_COUNT; i++)
        if (sum->first[i])
            fprintf(file, "<li class=\"%s\"><b>%u</b> %s %s</li>", class_of((bil_standing)i), sum->first[i],
                    standing_mark((bil_standing)i), bil_standing_text((bil_standing)i));
    fputs("</ul>\n", file);
    if (sum->copies && sum->only_here) {
        fprintf(file, "<p>%u cop%s in this place only", sum->only_here, sum->only_here == 1 ? "y is" : "ies are");
        if (sum->second[0]) {
            fprintf(file, "; last second copy on %.10s at ", sum->second_when);
            html_text(file, sum->second);
        }
        fputs(".</p>\n", file);
    }
}

static void put_all(FILE *file, bil_site *site, const bil_site_sum *sum, const rows *r)
{
    put_head(file, site, sum);
    fputs("<table><caption>What needs a look comes first.</caption><thead><tr><th scope=\"col\">Device</th><th "
          "scope=\"col\">Group</th>"
          "<th scope=\"col\">State, and what to do next</th><th scope=\"col\">Last copy (UTC)</th><th "
          "scope=\"col\">Drift over its copies</th></tr></thead><tbody>\n",
          file);
    for (size_t i = 0; i < r->count; i++)
        put_row(file, site, &r->list[i]);
    fputs("</tbody></table></main>", file);
    html_end(file, NULL);
}

/* Does an overview lie there, to be replaced by this one? */
static bool is_overview(const char *path)
{
    enum { MOST = 64 << 20 };
    size_t size;
    char *text = storage_text(path, MOST, &size);
    bool is = text && strstr(text, mark);
    free(text);
    return is;
}

int overview_page(bil_site *site, const char *path, char *whole)
{
    char folder[STORAGE_PATH];
    rows r = {0};
    storage_file storage;
    bil_site_sum sum = {.struct_size = sizeof sum};
    int error = bil_site_overview(site, &sum, collect, &r);
    if (!error)
        error = storage_begin(&storage, folder, folder_of(path, folder));
    if (!error) {
        need_cancels(&storage);
        put_all(storage.file, site, &sum, &r);
        need_cancels(NULL);
        if (is_overview(path))
            storage_remove(path);
        error = storage_commit(&storage, folder, whole);
    }
    for (size_t i = 0; i < r.count; i++) {
        row *one = &r.list[i];
        char *const texts[] = {one->name, one->folder, one->group, one->address, one->last, one->said};
        for (size_t k = 0; k < sizeof texts / sizeof texts[0]; k++)
            free(texts[k]);
    }
    free(r.list);
    return error;
}

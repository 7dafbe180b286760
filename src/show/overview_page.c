#include "show/overview_page.h"

#include <string.h>

#include "host/base/time.h"
#include "show/html.h"

enum { POINTS = 60, WIDE = 180, HIGH = 34 };

typedef struct curve {
    site_index *index;
    copy_row reference;
    bool has_reference;
    int drift[POINTS]; /* the newest first */
    int count;
} curve;

static bool point(void *ctx, const copy_row *row)
{
    curve *c = ctx;
    c->drift[c->count++] = index_drift(c->index, &c->reference, row);
    return c->count < POINTS;
}

/* Steps: a value holds until the next copy. The newest is at the right; what is unknown leaves a gap. */
static void put_curve(FILE *file, site_index *index, const overview_row *row)
{
    curve c = {.index = index};
    device_row owner;
    if (row->copies == 0 || !index_device(index, row->folder, &owner))
        return;
    bool baseline = index_copy(index, &owner, "baseline", &c.reference) == BIL_OK;
    c.has_reference = baseline || index_copy(index, &owner, "first", &c.reference) == BIL_OK;
    if (c.has_reference)
        index_copies(index, row->folder, POINTS, point, &c);
    device_row_free(&owner);
    int most = 1;
    for (int i = 0; i < c.count; i++)
        most = c.drift[i] > most ? c.drift[i] : most;
    fprintf(file,
            "<svg viewBox=\"0 0 %d %d\" role=\"img\" aria-label=\"%d copies; values that differ from the %s: now %d, "
            "at most %d\">",
            WIDE, HIGH, c.count, baseline ? "baseline" : "first copy", c.count ? c.drift[0] : 0, c.count ? most : 0);
    fprintf(file, "<line x1=\"2\" y1=\"%d\" x2=\"%d\" y2=\"%d\"/>", HIGH - 6, WIDE - 24, HIGH - 6);
    double step = (WIDE - 30.0) / (c.count > 1 ? c.count - 1 : 1);
    bool open = false;
    for (int i = c.count - 1; i >= 0; i--) {
        double x = 2 + step * (c.count - 1 - i), y = HIGH - 6 - (HIGH - 12.0) * c.drift[i] / most;
        if (c.drift[i] < 0) {
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
    if (c.count && c.drift[0] >= 0) {
        double y = HIGH - 6 - (HIGH - 12.0) * c.drift[0] / most;
        fprintf(file, "<circle cx=\"%.1f\" cy=\"%.1f\" r=\"2.5\"/><text x=\"%d\" y=\"%.1f\">%d</text>",
                2 + step * (c.count - 1), y, WIDE - 22, y + 4, c.drift[0]);
    }
    fputs("</svg>", file);
}

static const char style[] =
    "ul.sum{list-style:none;display:flex;flex-wrap:wrap;gap:.5rem 1.5rem;padding:0;margin:1rem 0}"
    "ul.sum b{font-size:1.25rem}td:nth-child(4){white-space:nowrap}"
    ".disputed,.no_answer,.damaged{color:var(--bad)}.unstored,.drifted,.no_copy{color:var(--warn)}.well{color:var(--"
    "good)}"
    ".no_baseline,.retired{color:var(--soft)}"
    "svg{width:180px;height:34px;display:block}svg path{fill:none;stroke:var(--curve);stroke-width:1.6}"
    "svg line{stroke:var(--line)}svg circle{fill:var(--curve)}svg text{font-size:11px;fill:var(--ink)}";

static void put_row(FILE *file, site_index *index, const overview_row *row)
{
    fputs("<tr><th scope=\"row\">", file);
    html_text(file, row->name);
    fputs("<br><small>", file);
    html_text(file, row->address);
    fputs("</small></th><td>", file);
    html_text(file, row->group);
    fprintf(file, "</td><td class=\"%s\">%s ", overview_state_name(row->state), overview_state_mark(row->state));
    if (row->state == OVERVIEW_DRIFTED && row->drift >= 0)
        fprintf(file, "%d value%s from the baseline", row->drift, row->drift == 1 ? " differs" : "s differ");
    else
        html_text(file, overview_state_text(row->state));
    if (row->why[0]) {
        fprintf(file, "<br><small>since %.10s: ", row->since);
        html_text(file, row->why);
        fputs("</small>", file);
    }
    fputs("</td><td>", file);
    if (row->copies)
        fprintf(file, "%.10s %.5s<br><small>%d cop%s</small>", row->last, strlen(row->last) > 16 ? row->last + 11 : "",
                row->copies, row->copies == 1 ? "y" : "ies");
    else
        fputs("none yet", file);
    fputs("</td><td>", file);
    put_curve(file, index, row);
    fputs("</td></tr>\n", file);
}

void overview_html(const overview *o, site_index *index, FILE *file)
{
    char now[40];
    time_now(now, sizeof now);
    char title[SITE_NAME + 20];
    snprintf(title, sizeof title, "%s: overview", o->place->name);
    html_begin(file, title, style, NULL);
    fputs("<header><h1>", file);
    html_text(file, o->place->name);
    fprintf(file, "</h1><p>%zu devices, %d copies; as of %.10s %.5s UTC</p></header>\n<main><ul class=\"sum\">",
            o->count, o->copies, now, now + 11);
    for (int i = 0; i < OVERVIEW_STATE_COUNT; i++)
        if (o->states[i])
            fprintf(file, "<li class=\"%s\"><b>%u</b> %s %s</li>", overview_state_name((overview_state)i), o->states[i],
                    overview_state_mark((overview_state)i), overview_state_text((overview_state)i));
    fputs("</ul>\n", file);
    if (o->copies && o->only_here) {
        fprintf(file, "<p>%d cop%s in this place only", o->only_here, o->only_here == 1 ? "y is" : "ies are");
        if (o->second[0]) {
            fprintf(file, "; last second copy on %.10s at ", o->second_when);
            html_text(file, o->second);
        }
        fputs(".</p>\n", file);
    }
    fputs("<table><caption>What needs a look comes first.</caption><thead><tr><th scope=\"col\">Device</th><th "
          "scope=\"col\">Group</th>"
          "<th scope=\"col\">State</th><th scope=\"col\">Last copy (UTC)</th><th scope=\"col\">Drift over its "
          "copies</th></tr></thead><tbody>\n",
          file);
    for (size_t i = 0; i < o->count; i++)
        put_row(file, index, &o->rows[i]);
    fputs("</tbody></table></main>", file);
    html_end(file, NULL);
}

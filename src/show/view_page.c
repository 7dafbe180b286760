/* Findings as one page: on the screen, on paper, for a screen reader; whole in one file. */
#include <jansson.h>
#include <stdlib.h>
#include <string.h>

#include "bilancia/words.h"
#include "host/base/time.h"
#include "show/html.h"
#include "show/need.h"
#include "show/unit_text.h"
#include "show/view.h"

enum { GROUPS_MOST = 2000, BARS_MOST = 24 };

typedef struct group_count {
    char name[BIL_ID_MAX + 1];
    unsigned differing, all;
} group_count;

static const char style[] =
    ".skip{position:absolute;left:-99rem}.skip:focus{left:1rem;top:.5rem;background:var(--paper);padding:.4rem}"
    ".sr{position:absolute;width:1px;height:1px;overflow:hidden;clip-path:inset(50%);white-space:nowrap}"
    "h2{font-size:1.15rem;margin:1.6rem 0 .4rem}.verdict{font-size:1.15rem;color:var(--ink)}"
    ".verdict b{font-size:1.35rem}.no{color:var(--warn)}.yes{color:var(--good)}.broken{color:var(--bad)}"
    ".wide{overflow-x:auto}.wide:focus-visible{outline:2px solid var(--curve)}"
    "form{display:flex;flex-wrap:wrap;gap:.5rem 1.2rem;align-items:center;background:var(--head);padding:.6rem .8rem;"
    "border-radius:.4rem;margin:1.2rem 0;position:sticky;top:0}form[hidden]{display:none}"
    "input,select{font:inherit;color:inherit;background:var(--paper);border:1px solid var(--soft);border-radius:.25rem;"
    "padding:.2rem .4rem}tr.d>td.v{background:var(--tint)}td.o{outline:2px solid var(--warn);outline-offset:-3px}"
    "td.v{font-variant-numeric:tabular-nums;overflow-wrap:anywhere}td.m{width:1.5rem;text-align:center}"
    "td ol{margin:.3rem 0 0;padding-left:2.4rem;font-size:.85rem}td "
    "li{font-family:ui-monospace,monospace;white-space:pre-wrap}"
    "tbody tr.g th{background:var(--head);font-size:1.02rem}.s>td.m{color:var(--bad);font-weight:700}"
    "tbody[hidden],tr[hidden]{display:none}svg.bars{max-width:46rem;width:100%;height:auto;display:block}"
    "svg text{font-size:12px;fill:var(--ink)}svg .all{fill:var(--line)}svg .dif{fill:var(--warn)}"
    ".who td:last-child{overflow-wrap:anywhere}figure{margin:1rem 0}footer{color:var(--soft);margin:2rem 0}"
    "@page{size:A4;margin:14mm}@media print{form,.skip{display:none}body{font-size:10pt}h2,tr.g{break-after:avoid}"
    "th,td{padding:.15rem .4rem}.wide{overflow:visible}thead{display:table-header-group}}";

static const char script[] =
    "(()=>{const f=document.getElementById('look'),q=document.getElementById('q'),w=document.getElementById('what'),"
    "g=document.getElementById('group'),o=document.getElementById('found');if(!f)return;"
    "const rows=[...document.querySelectorAll('tr[data-g]')],text=new Map();f.hidden=false;"
    "const look=()=>{const words=q.value.toLowerCase().split(/\\s+/).filter(Boolean);const seen=new Set();"
    "for(const r of rows){if(!text.has(r))text.set(r,r.textContent.toLowerCase());const t=text.get(r);"
    "const fits=words.every(x=>t.includes(x))&&(!w.value||r.classList.contains(w.value))"
    "&&(!g.value||r.dataset.g===g.value);r.hidden=!fits;if(fits)seen.add(r.dataset.i)}"
    "for(const b of document.querySelectorAll('tbody'))if(b.querySelector('tr[data-g]'))"
    "b.hidden=!b.querySelector('tr[data-g]:not([hidden])');"
    "o.textContent=seen.size+' of '+new Set(rows.map(r=>r.dataset.i)).size+' parameters shown'};"
    "f.addEventListener('input',look);f.addEventListener('submit',e=>e.preventDefault());look()})()";

static void put(FILE *file, const char *text)
{
    html_text(file, text);
}

static void begin(view *v, const findings *f)
{
    const side *first = &f->sides[0];
    snprintf(v->title, sizeof v->title, f->count == 1 ? "Settings of " : "Comparison of ");
    const char *last = "";
    for (size_t i = 0; i < f->count; i++) {
        const set_origin *o = &f->sides[i].origin;
        const char *name = o->device[0] ? o->device : first->origin.device[0] ? "" : o->model;
        size_t used = strlen(v->title);
        if (name[0] && strcmp(name, last) != 0)
            snprintf(v->title + used, sizeof v->title - used, "%s%s", last[0] ? ", " : "", name);
        last = name[0] ? name : last;
    }
    v->rows = tmpfile();
    v->sheet = tmpfile();
    v->list = need(GROUPS_MOST, sizeof(group_count));
}

/* ---- rows ---- */

typedef struct told_lines {
    FILE *file;
    char sign;
    bool any;
} told_lines;

static void put_line(void *ctx, char sign, unsigned number, const char *text, size_t length)
{
    told_lines *t = ctx;
    if (sign != t->sign)
        return;
    char line[LINE_TEXT];
    line_text(text, length, line);
    fprintf(t->file, "%s<li value=\"%u\">", t->any ? "" : "<ol>", number);
    put(t->file, line);
    fputs("</li>", t->file);
    t->any = true;
}

/* The lines of a text that only this side has. */
static void put_lines(FILE *file, const findings *f, const finding *one, size_t which)
{
    told_lines t = {file, "-+"[which], false};
    file_lines(f, one, put_line, &t);
    if (t.any)
        fputs("</ol>", file);
}

static void put_values(FILE *file, const findings *f, const finding *one)
{
    char text[2 * BIL_VALUE_TEXT];
    for (size_t i = 0; i < f->count; i++) {
        fprintf(file, "<td class=\"v%s\">", one->odd >> i & 1 ? " o" : "");
        if (one->items[i]) {
            item_text(one->items[i], f->sides[i].description, text, sizeof text);
            put(file, text);
            if (f->count == 2)
                put_lines(file, f, one, i);
        } else {
            fputs("—<span class=\"sr\">not there</span>", file);
        }
        if (one->odd >> i & 1)
            fputs(" <span aria-hidden=\"true\">◂</span><span class=\"sr\">odd one out</span>", file);
        fputs("</td>", file);
    }
}

static void put_notes(FILE *file, const findings *f, const finding *one)
{
    static const struct {
        uint8_t flag;
        const char *text;
    } notes[] = {{BIL_SAFETY, "safety-relevant"},
                 {BIL_NEEDS_HOLD, "takes values only while held"},
                 {BIL_NEEDS_RESTART, "acts after a restart"}};
    const char *between = "";
    char bits[4 * BIL_VALUE_TEXT];
    fputs("<td><small>", file);
    for (size_t i = 0; i < 3; i++)
        if (one->weight & notes[i].flag) {
            fprintf(file, "%s%s", between, notes[i].text);
            between = ", ";
        }
    if (one->apart) {
        fprintf(file, "%smeant to differ", between);
        between = ", ";
    }
    bits_text(f, one, bits, sizeof bits);
    if (bits[0]) {
        fputs(between, file);
        put(file, bits);
    }
    fputs("</small></td>", file);
}

static void put_row(FILE *file, const findings *f, const finding *one)
{
    char name[512];
    bil_str_plain(one->item->name, name, sizeof name);
    bool unread = one->relation == BIL_REL_UNREADABLE;
    fprintf(file, "<tr class=\"%s%s%s%s\" data-g=\"%s\" data-i=\"%s\"><td class=\"m\">", one->differs ? "d" : "",
            one->weight & BIL_SAFETY ? " s" : "", unread ? " u" : "", one->apart ? " a" : "", one->group, one->id);
    if (one->relation != BIL_REL_EQUAL)
        fprintf(file, "<span aria-hidden=\"true\">%s</span><span class=\"sr\">%s</span>",
                one->differs && one->weight & BIL_SAFETY ? "!" : bil_relation_mark(one->relation),
                bil_relation_name(one->relation));
    fputs("</td><th scope=\"row\">", file);
    put(file, name);
    fprintf(file, "<br><small>%s</small></th>", one->id);
    put_values(file, f, one);
    put_notes(file, f, one);
    fputs("</tr>\n", file);
}

static void end_group(view *v, const findings *f)
{
    group_count *list = v->list;
    if (!v->groups || v->groups > GROUPS_MOST)
        return;
    list[v->groups - 1].differing = f->before.differing;
    list[v->groups - 1].all =
        f->before.differing + f->before.apart + f->before.relation[BIL_REL_EQUAL] + f->before.relation[BIL_REL_WITHIN];
    if (f->count == 1)
        list[v->groups - 1].all += f->before.relation[BIL_REL_UNREADABLE];
}

static void row(view *v, const findings *f, const finding *one)
{
    if (!v->rows || !v->sheet)
        return;
    if (one->new_group) {
        end_group(v, f);
        if (v->groups < GROUPS_MOST)
            strcpy(((group_count *)v->list)[v->groups].name, one->group);
        v->groups++;
        if (!v->sheet_cut)
            fprintf(v->sheet, "%s<tbody><tr class=\"g\"><th colspan=\"%zu\" scope=\"rowgroup\">%s</th></tr>\n",
                    v->sheet_rows ? "</tbody>\n" : "", f->count + 3, one->group);
    }
    if (one->differs)
        put_row(v->rows, f, one);
    if (v->all && ++v->sheet_rows <= SHEET_MOST)
        put_row(v->sheet, f, one);
    v->sheet_cut = !v->all || v->sheet_rows >= SHEET_MOST;
}

/* ---- the page ---- */

static void put_cell_of(FILE *file, const char *text)
{
    fputs("<td>", file);
    put(file, text[0] ? text : "—");
    fputs("</td>", file);
}

static void put_side(FILE *file, const findings *f, size_t which)
{
    const side *s = &f->sides[which];
    const set_origin *o = &s->origin;
    char unit[UNIT_TEXT], read[4 * SET_TEXT] = "";
    unit_text(&(unit_says){o->vendor, o->model, o->hardware, o->firmware, NULL, NULL}, unit);
    if (s->kind == SIDE_COPY)
        snprintf(read, sizeof read, "%s %.10s %.5s UTC%s%s%s%s", set_is_offline(o) ? "made offline" : "read", o->when,
                 strlen(o->when) > 16 ? o->when + 11 : "", o->who[0] ? " by " : "", o->who, o->why[0] ? ": " : "",
                 o->why);
    fprintf(file, "<tr><th scope=\"row\">%s</th><td>%s", side_label(f, which), side_kind_text(s->kind));
    if (s->extra[0]) {
        fputs("<br><small>", file);
        put(file, s->extra);
        fputs("</small>", file);
    }
    fputs("</td>", file);
    put_cell_of(file, o->device);
    put_cell_of(file, unit);
    put_cell_of(file, o->serial);
    fputs("<td>", file);
    put(file, s->text);
    if (s->kind == SIDE_COPY && strcmp(s->place, s->text) != 0) { /* a name of a site says little years later */
        fputs("<br><small>", file);
        put(file, s->place);
        fputs("</small>", file);
    }
    if (s->kind != SIDE_COPY && address_is_device(s->place) && strcmp(s->place, s->text) != 0)
        snprintf(read, sizeof read, "%.400s", s->place);
    if (read[0]) {
        fputs("<br><small>", file);
        put(file, read);
        fputs("</small>", file);
    }
    fputs("</td></tr>\n", file);
}

static void put_sides(FILE *file, const findings *f)
{
    fprintf(file,
            "<section><h2 id=\"who\">%s</h2><div class=\"wide\" tabindex=\"0\" "
            "role=\"region\" aria-labelledby=\"who\"><table class=\"who\"><thead><tr><th scope=\"col\">Side</th><th "
            "scope=\"col\">What</th><th scope=\"col\">Device</th><th scope=\"col\">Unit</th><th scope=\"col\">Serial "
            "number</th><th scope=\"col\">Where from</th></tr></thead><tbody>\n",
            f->count == 1 ? "The unit and the copy" : "What was compared");
    for (size_t i = 0; i < f->count; i++)
        put_side(file, f, i);
    fputs("</tbody></table></div></section>\n", file);
}

static void put_verdict(FILE *file, const findings *f)
{
    const finding_counts *n = &f->total;
    if (f->damaged >= 0) {
        fputs("<p class=\"verdict broken\">✗ ", file);
        put(file, f->sides[f->damaged].text);
        fputs(" is damaged: only what stands before the damage is shown, and it can't be trusted.</p>\n", file);
    }
    fputs("<p class=\"verdict\">", file);
    if (f->count == 1)
        fprintf(file, "%u values, %u that could not be read", n->relation[BIL_REL_EQUAL],
                n->relation[BIL_REL_UNREADABLE]);
    else if (!n->differing)
        fprintf(file, "<span class=\"yes\">✓ equal</span>: %u values", n->relation[BIL_REL_EQUAL]);
    else
        fprintf(file, "<b class=\"no\">≠ %u</b> differ, %u equal", n->differing, n->relation[BIL_REL_EQUAL]);
    if (n->relation[BIL_REL_WITHIN])
        fprintf(file, ", %u within tolerance", n->relation[BIL_REL_WITHIN]);
    if (n->apart)
        fprintf(file, ", %u meant to differ", n->apart);
    fputs(".", file);
    if (n->safety)
        fprintf(file, " <b class=\"broken\">!</b> %u of them safety-relevant.", n->safety);
    if (n->hold)
        fprintf(file, " %u to be written only while held.", n->hold);
    if (n->restart)
        fprintf(file, " %u act only after a restart.", n->restart);
    const char *between = " Odd one out: ";
    for (unsigned times = n->differing; f->count > 2 && times > 0; times--)
        for (size_t i = 0; i < f->count; i++)
            if (n->odd[i] == times) {
                fprintf(file, "%s%s in %u", between, side_label(f, i), times);
                between = ", ";
            }
    fputs(between[0] == ',' ? ".</p>\n" : "</p>\n", file);
}

/* A bar for each group in which something differs. */
static void put_picture(FILE *file, const view *v)
{
    const group_count *list = v->list;
    size_t count = v->groups < GROUPS_MOST ? v->groups : GROUPS_MOST, differing = 0, row = 0;
    unsigned most = 1;
    for (size_t i = 0; i < count; i++)
        if (list[i].differing) {
            most = list[i].all > most ? list[i].all : most;
            differing++;
        }
    if (differing == 0)
        return;
    size_t shown = differing < BARS_MOST ? differing : BARS_MOST;
    fprintf(file,
            "<figure><svg class=\"bars\" viewBox=\"0 0 720 %zu\" role=\"img\" aria-label=\"Values that differ, by "
            "group\">\n",
            22 * shown + 4);
    for (size_t i = 0; i < count && row < shown; i++) {
        if (!list[i].differing)
            continue;
        size_t y = 22 * row++;
        double all = 420.0 * list[i].all / most, part = 420.0 * list[i].differing / most;
        part = part < 3 ? 3 : part;
        fprintf(file, "<text x=\"150\" y=\"%zu\" text-anchor=\"end\">%.24s</text>", y + 15, list[i].name);
        fprintf(file, "<rect class=\"all\" x=\"160\" y=\"%zu\" width=\"%.1f\" height=\"14\"/>", y + 4, all);
        fprintf(file, "<rect class=\"dif\" x=\"160\" y=\"%zu\" width=\"%.1f\" height=\"14\"/>", y + 4, part);
        fprintf(file, "<text x=\"%.1f\" y=\"%zu\">%u of %u</text>\n", 168 + (all > part ? all : part), y + 15,
                list[i].differing, list[i].all);
    }
    fprintf(file,
            "</svg><figcaption><small>Values that differ, by group; %s%zu group%s without a difference%s</small>"
            "</figcaption></figure>\n",
            v->groups > GROUPS_MOST ? "more than " : "", count - differing, count - differing == 1 ? "" : "s",
            differing > shown ? ", and more with some than there is room for" : "");
}

static void put_form(FILE *file, const view *v, const findings *f)
{
    const group_count *list = v->list;
    fputs("<form id=\"look\" role=\"search\" hidden><label>Search <input type=\"search\" id=\"q\" "
          "autocomplete=\"off\"></label><label>Show <select id=\"what\"><option value=\"\">everything</option>",
          file);
    if (f->count > 1)
        fputs("<option value=\"d\">what differs</option><option value=\"a\">what is meant to differ</option>", file);
    fputs("<option value=\"s\">what is safety-relevant</option><option value=\"u\">what could not be read</option>"
          "</select></label><label>Group <select id=\"group\"><option value=\"\">all</option>",
          file);
    for (size_t i = 0; i < v->groups && i < GROUPS_MOST; i++)
        fprintf(file, "<option>%s</option>", list[i].name);
    fputs("</select></label><output id=\"found\" aria-live=\"polite\"></output></form>\n", file);
}

static void begin_table(FILE *file, const findings *f, const char *id, const char *title)
{
    fprintf(file,
            "<section><h2 id=\"%s\">%s</h2><div class=\"wide\" tabindex=\"0\" role=\"region\" "
            "aria-labelledby=\"%s\"><table><thead><tr><th scope=\"col\" class=\"m\"><span class=\"sr\">Mark</span></th>"
            "<th scope=\"col\">Parameter</th>",
            id, title, id);
    for (size_t i = 0; i < f->count; i++)
        fprintf(file, "<th scope=\"col\">%s<br><small>%s</small></th>", side_label(f, i),
                f->count > 1 ? side_kind_text(f->sides[i].kind) : "");
    fputs("<th scope=\"col\">Notes</th></tr></thead>\n", file);
}

static void put_spooled(FILE *spool, FILE *file)
{
    char bytes[1 << 15];
    size_t got;
    rewind(spool);
    while ((got = fread(bytes, 1, sizeof bytes, spool)) > 0)
        fwrite(bytes, 1, got, file);
}

static void put_left_out(FILE *file, const side *s)
{
    size_t i;
    json_t *one;
    if (!json_array_size(s->left_out))
        return;
    fputs("<section><h2 id=\"not\">Not in the copy, on purpose</h2><ul>\n", file);
    json_array_foreach(s->left_out, i, one)
    {
        fputs("<li>", file);
        put(file, json_string_value(json_object_get(one, "name")));
        fprintf(file, " <small>%s, %s%s</small></li>\n", json_string_value(json_object_get(one, "id")),
                json_string_value(json_object_get(one, "class")),
                json_object_get(one, "sealed") ? "; sealed in the copy, under a passphrase" : "");
    }
    fputs("</ul></section>\n", file);
}

static bool end(view *v, const findings *f)
{
    FILE *file = v->screen.out;
    char now[40];
    if (!v->rows || !v->sheet)
        return false;
    end_group(v, f);
    time_now(now, sizeof now);
    html_begin(file, v->title, style, script);
    fprintf(file, "<a class=\"skip\" href=\"#%s\">To the values</a><header><h1>", f->count > 1 ? "differences" : "all");
    put(file, v->title);
    fputs("</h1>\n", file);
    put_verdict(file, f);
    fputs("</header><main>\n", file);
    put_sides(file, f);
    put_picture(file, v);
    put_form(file, v, f);
    if (f->total.differing) {
        begin_table(file, f, "differences", "What differs");
        fputs("<tbody>\n", file);
        put_spooled(v->rows, file);
        fputs("</tbody></table></div></section>\n", file);
    } else if (f->count > 1) {
        fputs("<h2 id=\"differences\">Nothing differs</h2>\n", file);
    }
    if (v->all) {
        begin_table(file, f, "all", "All values");
        put_spooled(v->sheet, file);
        fputs(v->sheet_rows ? "</tbody></table></div></section>\n" : "</table></div></section>\n", file);
    }
    if (!v->all || v->sheet_rows > SHEET_MOST)
        fprintf(file, "<p>A page shows at most %d values; all of them are in the same report as a .csv file.</p>\n",
                SHEET_MOST);
    if (f->count == 1)
        put_left_out(file, &f->sides[0]);
    fprintf(file, "</main><footer>Made by bilancia on %.10s at %.5s UTC</footer>", now, now + 11);
    html_end(file, script);
    bool good = !ferror(file) && !ferror(v->rows) && !ferror(v->sheet);
    fclose(v->rows);
    fclose(v->sheet);
    free(v->list);
    return good;
}

static view make(FILE *out, bool all)
{
    static const view_ops ops = {begin, row, end};
    return (view){.ops = &ops, .screen = {.out = out}, .all = all};
}

const report_kind report_page = {".html", make, SHEET_MOST};

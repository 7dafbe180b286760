/* bilancia overview: how every device of the site stands. */
#include <jansson.h>
#include <stdlib.h>
#include <string.h>

#include "cli/library.h"
#include "cli/standing.h"
#include "show/age.h"
#include "show/grid.h"
#include "show/overview_page.h"
#include "show/standing.h"

/* From these widths on there is room for all columns, and for the state behind them. */
enum { ALL_COLUMNS = 80, STATE_TOO = 110, AGE = 14 };
enum { NAME, LAST_COPY, GROUP, ASKED, COLUMNS };

static bool has_room(size_t width)
{
    screen l = the_screen();
    return screen_takes(&l, width);
}

static void put_cells(grid *g, const bil_site_standing *one)
{
    char age[64] = "none yet", asked[64] = "never";
    const bil_site_device *d = one->device;
    if (d->last)
        age_text(d->last->when, age, sizeof age);
    if (one->asked[0])
        age_text(one->asked, asked, sizeof asked);
    grid_cells(g, (const char *const[COLUMNS]){d->name, age, d->group, asked});
}

static bool put_row(void *ctx, const bil_site_standing *one)
{
    grid *g = ctx;
    char line[600];
    for (int i = 0; i < BIL_STANDING_COUNT; i++) {
        bil_standing s = (bil_standing)i;
        bool first = s == one->first;
        if (!(one->all >> i & 1) || (s == BIL_STANDING_NO_BASELINE && !first))
            continue;
        const char *code = tint_code(the_screen().colour, standing_tint(s));
        if (first) {
            grid_row(g, standing_mark(s), code);
            put_cells(g, one);
            tell(g->out, has_room(STATE_TOO) ? "" : "\n    ");
        } else {
            grid_line(g);
            tell(g->out, "  %s%s%s ", code, standing_mark(s), plain());
        }
        tell(g->out, "%s\n", standing_line(one, s, line, sizeof line));
        if (s == BIL_STANDING_NO_ANSWER && one->why[0])
            put_wrapped(g->out, one->why, 4);
        put_next_steps(g->out, one, s, 4);
    }
    return true;
}

/* The table of all devices. */
static int put_devices(library *l, bil_site_sum *sum)
{
    static const char *const heads[COLUMNS] = {"device", "last copy", "group", "last asked"};
    size_t most[COLUMNS] = {the_screen().whole ? 0 : the_screen().width / 3, 0, 16, 0};
    grid g;
    grid_begin(&g, has_room(ALL_COLUMNS) ? COLUMNS : LAST_COPY + 1, most);
    g.longest[LAST_COPY] = AGE;
    g.longest[ASKED] = AGE;
    if (!g.out)
        return say_error("temporary file", BIL_E_FILE_WRITE, NULL);
    grid_heading(&g, heads, has_room(STATE_TOO) ? "state" : "");
    int error = bil_site_overview(l->site, sum, put_row, &g);
    if (!grid_end(&g, stdout, 0) && !error)
        return say_error("temporary file", BIL_E_FILE_WRITE, NULL);
    return error ? library_code(l, error) : EXIT_DONE;
}

static void put_sum(const bil_site_sum *sum)
{
    char line[1600], word[4 * 4096 + 3];
    int used = snprintf(line, sizeof line, "%u device%s, %u cop%s;", sum->devices, sum->devices == 1 ? "" : "s",
                        sum->copies, sum->copies == 1 ? "y" : "ies");
    const char *between = " ";
    for (int i = 0; i < BIL_STANDING_COUNT; i++)
        if (sum->first[i]) {
            used += snprintf(line + used, sizeof line - (size_t)used, "%s%s: %u", between,
                             bil_standing_text((bil_standing)i), sum->first[i]);
            between = ", ";
        }
    put_wrapped(stdout, line, 0);
    if (sum->copies && sum->only_here && sum->second[0])
        say("%s!%s %u cop%s only here: made since the last second copy, %.10s at %s. To bring them there: bilancia "
            "share %s%s\n",
            warn(), plain(), sum->only_here, sum->only_here == 1 ? "y is" : "ies are", sum->second_when, sum->second,
            pasted(sum->second, word, sizeof word), next_site());
    else if (sum->copies && sum->only_here)
        say("%s!%s the copies are in this place only. A second one: bilancia share FOLDER%s\n", warn(), plain(),
            next_site());
}

static int put_table(library *l)
{
    bil_site_sum sum = {.struct_size = sizeof sum};
    say("%s%s%s  %s\n", bold(), bil_site_name(l->site), plain(), bil_site_folder(l->site));
    int error = bil_site_overview(l->site, &sum, NULL, NULL);
    if (!error && sum.devices == 0)
        say("No device yet: bilancia find%s, or bilancia device add NAME ADDRESS%s\n", next_site(), next_site());
    if (error || sum.devices == 0)
        return library_code(l, error);
    int code = put_devices(l, &sum);
    if (code == EXIT_DONE)
        put_sum(&sum);
    return code;
}

static bool add_json(void *ctx, const bil_site_standing *one)
{
    const bil_site_device *d = one->device;
    json_t *row = json_pack("{s:s,s:s,s:s,s:s,s:i,s:o}", "device", d->name, "group", d->group, "address", d->address,
                            "model", d->last ? d->last->model : "", "copies", d->copies, "last_copy",
                            d->last ? json_string(d->last->when) : json_null());
    json_object_update_new(row, standing_json(one));
    json_array_append_new(ctx, row);
    return true;
}

static int put_json(library *l)
{
    bil_site_sum sum = {.struct_size = sizeof sum};
    json_t *rows = json_array(), *states = json_object();
    int error = bil_site_overview(l->site, &sum, add_json, rows);
    for (int i = 0; i < BIL_STANDING_COUNT; i++)
        json_object_set_new(states, bil_standing_name((bil_standing)i), json_integer(sum.first[i]));
    if (!error)
        say_json(json_pack("{s:s,s:s,s:i,s:i,s:s,s:O,s:O}", "site", bil_site_folder(l->site), "name",
                           bil_site_name(l->site), "copies", (int)sum.copies, "only_here", (int)sum.only_here,
                           "second_place", sum.second, "states", states, "devices", rows));
    json_decref(rows);
    json_decref(states);
    return library_code(l, error);
}

static int put_page(library *l, const char *path)
{
    char whole[4096];
    int error = overview_page(l->site, path, whole);
    if (!error)
        say("%s✓ page%s  %s\n", good(), plain(), whole);
    return error == BIL_E_FILE_WRITE || error == BIL_E_DISK_FULL ? say_error(path, error, NULL)
                                                                 : library_code(l, error);
}

static int run(const command *self, int argc, const char **argv)
{
    library l = {0};
    char *html = NULL;
    int json = 0;
    struct poptOption options[] = {
        {"html", 0, POPT_ARG_STRING, &html, 0, "write a page with the drift of each device as a picture", "FILE"},
        SITE_OPTION(l.given),
        JSON_OPTION(json),
        HELP_OPTION,
        POPT_TABLEEND};
    int code = library_begin(&l, self, argc, argv, options, 0, 0, true);
    if (code >= 0)
        return code;
    return library_end(&l, html ? put_page(&l, html) : json ? put_json(&l) : put_table(&l));
}

const command command_overview = {"overview",
                                  "[options]",
                                  "every device of the site: how it stands, and what to do next",
                                  "  bilancia overview\n  bilancia overview --html overview.html\n",
                                  run,
                                  420};

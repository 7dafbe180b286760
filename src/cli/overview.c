/* bilancia overview: the state of every device of the site. */
#include <stdlib.h>
#include <string.h>

#include "cli/site_cli.h"
#include "host/site/overview.h"
#include "show/age.h"
#include "show/overview_page.h"

static const char *colour_of(overview_state state)
{
    switch (state) {
    case OVERVIEW_DISPUTED:
    case OVERVIEW_NO_ANSWER:
    case OVERVIEW_DAMAGED:
        return bad();
    case OVERVIEW_WELL:
        return good();
    case OVERVIEW_NO_BASELINE:
    case OVERVIEW_RETIRED:
        return plain();
    default:
        return warn();
    }
}

/* Words on lines of the screen's width, each begun with so many blanks. */
static void put_wrapped(const char *text, int indent)
{
    size_t most = screen_width() - (size_t)indent, used = 0;
    while (*text) {
        size_t word = strcspn(text, " ");
        if (used == 0 || used + 1 + word > most) {
            if (used)
                putchar('\n');
            say("%*s", indent, "");
            used = 0;
        } else {
            putchar(' ');
            used++;
        }
        say("%.*s", (int)word, text);
        used += word;
        text += word + (text[word] == ' ');
    }
    putchar('\n');
}

static void put_row(const overview_row *row)
{
    char age[64] = "none yet", state[SET_TEXT + 100];
    if (row->copies)
        age_text(row->last, age, sizeof age);
    if (row->state == OVERVIEW_DRIFTED && row->drift >= 0)
        snprintf(state, sizeof state, "%d value%s from the baseline", row->drift,
                 row->drift == 1 ? " differs" : "s differ");
    else if (row->why[0])
        snprintf(state, sizeof state, "%s since %.10s", overview_state_text(row->state), row->since);
    else
        snprintf(state, sizeof state, "%s", overview_state_text(row->state));
    say("%s%s%s ", colour_of(row->state), overview_state_mark(row->state), plain());
    put_cell(stdout, row->name, 20);
    putchar(' ');
    put_cell(stdout, row->group, 12);
    putchar(' ');
    put_cell(stdout, age, 15);
    say(" %s\n", state);
    if (row->why[0])
        put_wrapped(row->why, 4);
}

static void put_table(const overview *o)
{
    say("%s%s%s  %s\n", bold(), o->place->name, plain(), o->place->path);
    if (o->count == 0) {
        say("No device yet: bilancia find, or bilancia device add NAME ADDRESS\n");
        return;
    }
    say("  %-20s %-12s %-15s %s\n", "device", "group", "last copy", "state");
    for (size_t i = 0; i < o->count; i++)
        put_row(&o->rows[i]);
    say("%zu device%s, %d cop%s;", o->count, o->count == 1 ? "" : "s", o->copies, o->copies == 1 ? "y" : "ies");
    const char *between = " ";
    for (int i = 0; i < OVERVIEW_STATE_COUNT; i++)
        if (o->states[i]) {
            say("%s%s: %u", between, overview_state_text((overview_state)i), o->states[i]);
            between = ", ";
        }
    putchar('\n');
    if (o->copies && o->only_here && o->second[0])
        say("%s!%s %d cop%s only here: made since the last second copy, %.10s at %s. bilancia share FOLDER\n", warn(),
            plain(), o->only_here, o->only_here == 1 ? "y is" : "ies are", o->second_when, o->second);
    else if (o->copies && o->only_here)
        say("%s!%s the copies are in this place only. A second one: bilancia share FOLDER\n", warn(), plain());
}

static void put_json(const overview *o)
{
    json_t *rows = json_array(), *states = json_object();
    for (size_t i = 0; i < o->count; i++) {
        const overview_row *r = &o->rows[i];
        json_t *row = json_pack("{s:s,s:s,s:s,s:s,s:s,s:i,s:o,s:o}", "device", r->name, "group", r->group, "address",
                                r->address, "model", r->model, "state", overview_state_name(r->state), "copies",
                                r->copies, "last_copy", r->last[0] ? json_string(r->last) : json_null(),
                                "differs_from_baseline", r->drift >= 0 ? json_integer(r->drift) : json_null());
        if (r->why[0])
            json_object_set_new(row, "why", json_string(r->why));
        json_array_append_new(rows, row);
    }
    for (int i = 0; i < OVERVIEW_STATE_COUNT; i++)
        json_object_set_new(states, overview_state_name((overview_state)i), json_integer(o->states[i]));
    say_json(json_pack("{s:s,s:s,s:i,s:i,s:s,s:o,s:o}", "site", o->place->path, "name", o->place->name, "copies",
                       o->copies, "only_here", o->only_here, "second_place", o->second, "states", states, "devices",
                       rows));
}

static int put_page(const overview *o, site_index *index, const char *path)
{
    char folder[STORAGE_PATH], whole[STORAGE_PATH];
    storage_file storage;
    int error = storage_begin(&storage, folder, folder_of(path, folder));
    if (!error) {
        overview_html(o, index, storage.file);
        error = storage_commit(&storage, folder, whole);
    }
    if (error)
        return say_error(path, error, NULL);
    say("%s✓ page%s  %s\n", good(), plain(), whole);
    return EXIT_DONE;
}

static int run(const command *self, int argc, const char **argv)
{
    char *given = NULL, *html = NULL;
    int json = 0;
    struct poptOption options[] = {
        {"html", 0, POPT_ARG_STRING, &html, 0, "write a page with the drift of each device as a picture", "FILE"},
        SITE_OPTION(given),
        JSON_OPTION(json),
        HELP_OPTION,
        POPT_TABLEEND};
    call c;
    int code = call_begin(&c, self, argc, argv, options, 0, 0);
    if (code >= 0)
        return code;
    open_site h;
    int error = enter_site(&h, given);
    if (error)
        return call_end(&c, exit_code_of(error));
    overview o;
    overview_make(&o, &h.index);
    code = EXIT_DONE;
    if (html)
        code = put_page(&o, &h.index, html);
    else if (json)
        put_json(&o);
    else
        put_table(&o);
    overview_free(&o);
    leave_site(&h);
    return call_end(&c, code);
}

const command command_overview = {"overview",
                                  "[options]",
                                  "every device of the site: last copy, drift, what needs a look",
                                  "  bilancia overview\n  bilancia overview --html overview.html\n",
                                  run,
                                  420};

/* bilancia show: a saved copy, as a person reads it. */
#include <jansson.h>
#include <stdlib.h>
#include <string.h>

#include "cli/look_cli.h"
#include "show/need.h"

static void note_left_out(void *ctx, const bil_item *item)
{
    json_array_append_new(ctx, json_pack("{s:s%,s:s,s:s%}", "id", item->id.text, item->id.length, "class",
                                         bil_class_name(item->cls), "name", item->name.text, item->name.length));
}

static void put_json_head(const set_origin *o)
{
    json_t *unit = json_pack("{s:s,s:s,s:s,s:s,s:s,s:s}", "vendor", o->vendor, "model", o->model, "hardware",
                             o->hardware, "firmware", o->firmware, "serial", o->serial, "device", o->device);
    json_t *read = json_pack("{s:s,s:s,s:s,s:s}", "when", o->when, "who", o->who, "why", o->why, "from", o->from);
    say("{\"unit\": ");
    tell_json(stdout, unit, 0);
    say(",\n \"read\": ");
    tell_json(stdout, read, 0);
    say(",\n \"values\": [");
}

static void put_json_item(const bil_item *item, bool first)
{
    char hex[2 * BIL_TEXT_MAX + 1] = "";
    for (uint8_t i = 0; i < item->size; i++)
        snprintf(hex + 2 * i, 3, "%02x", item->raw[i]);
    say("%s\n  {\"id\": \"%.*s\", \"type\": \"%s\", \"class\": \"%s\", ", first ? "" : ",", (int)item->id.length,
        item->id.text, bil_type_name(item->type), bil_class_name(item->cls));
    if (item->unreadable)
        say("\"unreadable\": \"%s\", ", bil_host_error_name(item->unreadable));
    else
        say("\"raw\": \"%s\", \"value\": %.*s, ", hex, (int)item->value.length, item->value.text);
    say("\"unit\": \"%.*s\", \"name\": \"%.*s\"}", (int)item->unit.length, item->unit.text, (int)item->name.length,
        item->name.text);
}

static int show_json(const char *path)
{
    set_origin o;
    bil_set_totals totals;
    char why[500];
    int error = set_file_check(path, &o, &totals, why, sizeof why); /* first whole, then shown */
    if (error)
        return say_error("", error, why);
    set_file set;
    error = set_file_open(&set, path, SET_WHOLLY);
    if (error)
        return say_error("", error, set.why);
    json_t *left_out = json_array();
    set.left_out = note_left_out;
    set.ctx = left_out;
    bil_source source = set_file_source(&set);
    bil_item item;
    bool first = true;
    put_json_head(&o);
    int got;
    for (; (got = source.next(source.ctx, &item)) == 1; first = false)
        put_json_item(&item, first);
    if (got == 0) {
        say("],\n \"left_out\": ");
        tell_json(stdout, json_incref(left_out), 0);
        say("}\n");
    }
    json_decref(left_out);
    int code = got < 0 ? say_error("", -got, set.why) : EXIT_DONE;
    set_file_close(&set);
    return code;
}

static int show(const char *text, const catalogue *m, const char *given, const finding_filter *filter,
                const char *report)
{
    showing s = {.all = true, .report = report};
    side *one = calloc(1, sizeof *one);
    if (!one)
        no_memory();
    int code = sides_open(one, &text, 1, m, given);
    if (code < 0) {
        code = show_findings(&s, one, 1, filter);
        sides_close(one, 1);
    }
    free(one);
    return code;
}

static int run(const command *self, int argc, const char **argv)
{
    int json = 0;
    char *description = NULL, *given = NULL, *report = NULL;
    filter_words words = {0};
    finding_filter filter;
    static char path[STORAGE_PATH];
    struct poptOption options[] = {
        FILTER_OPTIONS(words),
        {"report", 'r', POPT_ARG_STRING, &report, 0, "write a settings sheet: a page, a table or a text",
         "FILE.html|.csv|.txt"},
        {"description", 'd', POPT_ARG_STRING, &description, 0, "a description to use", "FILE"},
        SITE_OPTION(given),
        JSON_OPTION(json),
        HELP_OPTION,
        POPT_TABLEEND};
    call c;
    int code = call_begin(&c, self, argc, argv, options, 1, 1);
    if (code >= 0)
        return code;
    int error = place_of(c.arguments[0], given, path);
    if (error)
        return call_end(&c, exit_code_of(error));
    if (address_is_device(path))
        return call_end(
            &c, say_error(path, BIL_E_CALL, "show takes a saved copy; read the device first, or say DEVICE#last"));
    if (report && !report_is_good(report))
        return call_end(&c, EXIT_CALL);
    catalogue m;
    error = filter_of(&words, &filter);
    if (!error)
        error = catalogue_at_hand(&m, description, given);
    return call_end(&c, error  ? exit_code_of(error)
                        : json ? show_json(path)
                               : show(c.arguments[0], &m, given, &filter, report));
}

const command command_show = {"show",
                              "[options] COPY",
                              "shows a saved copy: the unit, all values by group, what is left out",
                              "  bilancia show crusher_ED30-0417_20261123-071500.bset\n"
                              "  bilancia show crusher#last --report crusher.html      a settings sheet\n",
                              run,
                              200};

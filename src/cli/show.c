/* bilancia show: a saved copy, as a person reads it. */
#include <jansson.h>
#include <string.h>

#include "site_cli.h"

static void note_left_out(void *ctx, const bil_item *item)
{
    json_array_append_new(ctx, json_pack("{s:s%,s:s,s:s%}", "id", item->id.text, item->id.length, "class",
                                         bil_class_name(item->cls), "name", item->name.text, item->name.length));
}

static void put_group(const bil_item *item, char *group)
{
    size_t length = 0;
    while (length < item->id.length && item->id.text[length] != '.')
        length++;
    if (strlen(group) == length && memcmp(group, item->id.text, length) == 0)
        return;
    memcpy(group, item->id.text, length);
    group[length] = '\0';
    printf("\n%s%s%s\n", bold(), group, plain());
}

static void put_item(const bil_item *item, const bil_description *description, char *group)
{
    char value[BIL_VALUE_TEXT * 2], id[BIL_ID_MAX + 1], name[512];
    put_group(item, group);
    bil_str_plain(item->id, id, sizeof id);
    bil_str_plain(item->name, name, sizeof name);
    item_text(item, description, value, sizeof value);
    size_t rest = screen_width() - 51;
    printf("%s ", item->unreadable ? "?" : item->cls == BIL_CLASS_SETUP ? " " : "·");
    put_cell(stdout, id, 27);
    putchar(' ');
    if (shown_width(value) > 20) {
        printf("%s\n%*s%s\n", value, 51, "", name);
        return;
    }
    put_cell(stdout, value, 20);
    putchar(' ');
    if (shown_width(name) > rest)
        put_cell(stdout, name, rest);
    else
        fputs(name, stdout);
    putchar('\n');
}

static void put_head(const set_origin *o, const char *path)
{
    char age[64];
    age_text(o->when, age, sizeof age);
    printf("%sSaved copy%s  %s\n", bold(), plain(), path);
    printf("Device      %s%s%s at %s\n", bold(), o->device[0] ? o->device : "without a name", plain(), o->from);
    printf("Unit        %s %s, hardware %s, firmware %s, serial number %s\n", o->vendor, o->model, o->hardware,
           o->firmware, o->serial);
    printf("Read        %s (%s) by %s%s%s\n", o->when, age, o->who[0] ? o->who : "nobody named", o->why[0] ? ": " : "",
           o->why);
    if (o->parent[0])
        printf("Made from   %s\n", o->parent);
}

static void put_tail(json_t *left_out, const bil_set_totals *totals)
{
    size_t i;
    json_t *entry;
    printf("\n%sNot in the copy, on purpose%s\n", bold(), plain());
    json_array_foreach(left_out, i, entry)
    {
        fputs("- ", stdout);
        put_cell(stdout, json_string_value(json_object_get(entry, "id")), 27);
        putchar(' ');
        put_cell(stdout, json_string_value(json_object_get(entry, "class")), 20);
        printf(" %s\n", json_string_value(json_object_get(entry, "name")));
    }
    printf("\n· of the place, of the unit, or calibration; the rest is the work\n");
    printf("%s✓ whole and unaltered%s: %u values, %u that could not be read, %u left out\n", good(), plain(),
           totals->values, totals->unreadable, totals->left_out);
}

static void put_json_head(const set_origin *o)
{
    json_t *unit = json_pack("{s:s,s:s,s:s,s:s,s:s,s:s}", "vendor", o->vendor, "model", o->model, "hardware",
                             o->hardware, "firmware", o->firmware, "serial", o->serial, "device", o->device);
    json_t *read = json_pack("{s:s,s:s,s:s,s:s}", "when", o->when, "who", o->who, "why", o->why, "from", o->from);
    printf("{\"unit\": ");
    json_dumpf(unit, stdout, 0);
    printf(",\n \"read\": ");
    json_dumpf(read, stdout, 0);
    printf(",\n \"values\": [");
    json_decref(unit);
    json_decref(read);
}

static void put_json_item(const bil_item *item, bool first)
{
    char hex[2 * BIL_TEXT_MAX + 1] = "";
    for (uint8_t i = 0; i < item->size; i++)
        snprintf(hex + 2 * i, 3, "%02x", item->raw[i]);
    printf("%s\n  {\"id\": \"%.*s\", \"type\": \"%s\", \"class\": \"%s\", ", first ? "" : ",", (int)item->id.length,
           item->id.text, bil_type_name(item->type), bil_class_name(item->cls));
    if (item->unreadable)
        printf("\"unreadable\": \"%s\", ", bil_error_name(item->unreadable));
    else
        printf("\"raw\": \"%s\", \"value\": %.*s, ", hex, (int)item->value.length, item->value.text);
    printf("\"unit\": \"%.*s\", \"name\": \"%.*s\"}", (int)item->unit.length, item->unit.text, (int)item->name.length,
           item->name.text);
}

static int show(const char *path, const models *m, bool json)
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
    const bil_description *description = models_find(m, o.model, o.layout, NULL);
    bil_source source = set_file_source(&set);
    bil_item item;
    char group[BIL_ID_MAX + 1] = "";
    bool first = true;
    if (json)
        put_json_head(&o);
    else
        put_head(&o, path);
    int got;
    for (; (got = source.next(source.ctx, &item)) == 1; first = false)
        if (json)
            put_json_item(&item, first);
        else
            put_item(&item, description, group);
    if (got == 0 && json) {
        printf("],\n \"left_out\": ");
        json_dumpf(left_out, stdout, 0);
        printf("}\n");
    } else if (got == 0) {
        put_tail(left_out, &totals);
    }
    json_decref(left_out);
    int code = got < 0 ? say_error("", -got, set.why) : EXIT_DONE;
    set_file_close(&set);
    return code;
}

static int run(const command *self, int argc, const char **argv)
{
    int json = 0;
    char *description = NULL, *given = NULL;
    static char path[STORAGE_PATH];
    struct poptOption options[] = {
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
    models m;
    error = models_at_hand(&m, description, given);
    return call_end(&c, error ? exit_code_of(error) : show(path, &m, json));
}

const command command_show = {"show", "[options] COPY",
                              "shows a saved copy: the unit, all values by group, what is left out",
                              "  bilancia show crusher_ED30-0417_20261123-071500.bset\n", run};

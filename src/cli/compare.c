/* bilancia compare: any two of device and saved copy. */
#include <fnmatch.h>
#include <jansson.h>
#include <stdlib.h>
#include <string.h>

#include "site_cli.h"

typedef struct side {
    const char *text;
    bool is_device;
    device dev;
    bil_image_source images;
    set_file set;
    set_origin origin;
    const bil_description *description;
} side;

typedef struct counts {
    unsigned relation[BIL_RELATION_COUNT], apart, differing, safety, hold, restart;
} counts;

/* What is looked at; NULL and false: everything. */
typedef struct filter {
    char *group, *match, *cls;
    int safety;
} filter;

static int open_device(side *s, const models *m)
{
    bil_job_progress progress;
    int code = device_read(&s->dev, s->text, m, &progress);
    if (code < 0) {
        s->description = s->dev.description;
        set_origin_of(&s->origin, &s->dev.image);
    }
    return code;
}

static int open_file(side *s, const models *m)
{
    int error = set_file_open(&s->set, s->text, SET_QUICKLY);
    if (error)
        return say_error("", error, s->set.why);
    s->origin = s->set.origin;
    s->description = models_find(m, s->origin.model, s->origin.layout, NULL);
    return -1;
}

static int side_open(side *s, const char *text, const models *m)
{
    s->text = text;
    s->is_device = address_is_device(text);
    return s->is_device ? open_device(s, m) : open_file(s, m);
}

static void side_close(side *s)
{
    if (s->is_device)
        device_close(&s->dev);
    else
        set_file_close(&s->set);
}

static bil_source side_source(side *s)
{
    return s->is_device ? bil_image_as_source(&s->images, &s->dev.image) : set_file_source(&s->set);
}

/* What differs between two units by its nature is shown apart, and is no difference of the work. */
static bool meant_to_differ(bil_class cls, bool same_unit)
{
    return cls == BIL_CLASS_UNIT || (!same_unit && (cls == BIL_CLASS_PLACE || cls == BIL_CLASS_CALIBRATION));
}

/* BIL_SAFETY, BIL_NEEDS_HOLD, BIL_NEEDS_RESTART, as far as a description of either side is at hand. */
static uint8_t weight_of(const bil_item *item, const side *left, const side *right)
{
    const bil_description *d = left->description ? left->description : right->description;
    int32_t index = d ? bil_description_find(d, item->id.text, item->id.length) : -1;
    return index < 0 ? 0 : d->params[index].flags & (BIL_SAFETY | BIL_NEEDS_HOLD | BIL_NEEDS_RESTART);
}

static bool passes(const filter *f, const bil_item *item, uint8_t weight)
{
    char id[BIL_ID_MAX + 1];
    if (f->safety && !(weight & BIL_SAFETY))
        return false;
    if (f->cls && strcmp(f->cls, bil_class_name(item->cls)) != 0)
        return false;
    size_t length = f->group ? strlen(f->group) : 0;
    if (f->group &&
        (item->id.length <= length || memcmp(item->id.text, f->group, length) != 0 || item->id.text[length] != '.'))
        return false;
    if (!f->match)
        return true;
    bil_str_plain(item->id, id, sizeof id);
    return fnmatch(f->match, id, 0) == 0;
}

static void put_side(FILE *out, const char *which, const side *s)
{
    char age[64];
    age_text(s->origin.when, age, sizeof age);
    fprintf(out, "%-6s %s%s%s  %s\n       %s %s, firmware %s, serial number %s%s%s\n", which, bold(),
            s->is_device ? "device now" : "saved copy", plain(), s->text, s->origin.vendor, s->origin.model,
            s->origin.firmware, s->origin.serial, s->is_device ? "" : ", read ", s->is_device ? "" : age);
}

static void put_row(FILE *out, const bil_difference *d, const side *left, const side *right, uint8_t weight,
                    char *group)
{
    const bil_item *item = d->left ? d->left : d->right;
    char id[BIL_ID_MAX + 1], name[512], a[2 * BIL_VALUE_TEXT] = "—", b[2 * BIL_VALUE_TEXT] = "—";
    bil_str_plain(item->id, id, sizeof id);
    bil_str_plain(item->name, name, sizeof name);
    if (d->left)
        item_text(d->left, left->description, a, sizeof a);
    if (d->right)
        item_text(d->right, right->description, b, sizeof b);
    size_t length = strcspn(id, ".");
    if (strlen(group) != length || memcmp(group, id, length) != 0) {
        memcpy(group, id, length);
        group[length] = '\0';
        fprintf(out, "%s%s%s\n", bold(), group, plain());
    }
    const char *mark = d->relation != BIL_REL_EQUAL && weight & BIL_SAFETY ? "!" : bil_relation_mark(d->relation);
    put_pair(out, &(pair){mark, id, name, "left", a, "right", b});
}

static json_t *value_json(const bil_item *item, const bil_description *description)
{
    if (!item)
        return json_null();
    if (item->unreadable)
        return json_pack("{s:s}", "unreadable", bil_error_name(item->unreadable));
    char hex[2 * BIL_TEXT_MAX + 1] = "", text[2 * BIL_VALUE_TEXT];
    for (uint8_t i = 0; i < item->size; i++)
        snprintf(hex + 2 * i, 3, "%02x", item->raw[i]);
    bil_item bare = *item;
    bare.unit = (bil_str){"", 0};
    item_text(&bare, description, text, sizeof text);
    return json_pack("{s:s,s:s}", "raw", hex, "value", text);
}

static void put_json_row(FILE *out, const bil_difference *d, const side *left, const side *right, bool apart,
                         uint8_t weight, bool first)
{
    const bil_item *item = d->left ? d->left : d->right;
    char name[512], unit[64];
    bil_str_plain(item->name, name, sizeof name);
    bil_str_plain(item->unit, unit, sizeof unit);
    json_t *row =
        json_pack("{s:s%,s:s,s:s,s:s,s:s,s:b,s:b,s:b,s:b,s:o,s:o}", "id", item->id.text, item->id.length, "name", name,
                  "unit", unit, "class", bil_class_name(item->cls), "relation", bil_relation_name(d->relation),
                  "meant_to_differ", apart, "safety", (weight & BIL_SAFETY) != 0, "needs_hold",
                  (weight & BIL_NEEDS_HOLD) != 0, "needs_restart", (weight & BIL_NEEDS_RESTART) != 0, "left",
                  value_json(d->left, left->description), "right", value_json(d->right, right->description));
    fprintf(out, first ? "\n    " : ",\n    ");
    json_dumpf(row, out, JSON_COMPACT);
    json_decref(row);
}

static void put_json_side(FILE *out, const char *key, const side *s)
{
    json_t *json = json_pack("{s:s,s:s,s:s,s:s,s:s,s:s}", "kind", s->is_device ? "device" : "copy", "from", s->text,
                             "model", s->origin.model, "firmware", s->origin.firmware, "serial", s->origin.serial,
                             "device", s->origin.device);
    fprintf(out, "  \"%s\": ", key);
    json_dumpf(json, out, 0);
    fprintf(out, ",\n");
    json_decref(json);
}

static void put_totals(FILE *out, const counts *n)
{
    static const char *const words[BIL_RELATION_COUNT] = {NULL,         "changed",    "only left",
                                                          "only right", "unreadable", "not comparable"};
    if (n->differing == 0) {
        fprintf(out, "%s✓ equal%s: %u value%s", good(), plain(), n->relation[BIL_REL_EQUAL],
                n->relation[BIL_REL_EQUAL] == 1 ? "" : "s");
    } else {
        fprintf(out, "%s≠ %u differ%s", warn(), n->differing, plain());
        const char *between = ": ";
        for (int i = BIL_REL_CHANGED; i < BIL_RELATION_COUNT; i++)
            if (n->relation[i]) {
                fprintf(out, "%s%u %s", between, n->relation[i], words[i]);
                between = ", ";
            }
        fprintf(out, "; %u equal", n->relation[BIL_REL_EQUAL]);
    }
    if (n->safety)
        fprintf(out, "; %s!%s %u safety-relevant", warn(), plain(), n->safety);
    if (n->hold)
        fprintf(out, "; %u to be written only while held", n->hold);
    if (n->restart)
        fprintf(out, "; %u act only after a restart", n->restart);
    if (n->apart)
        fprintf(out, "; %u meant to differ between units", n->apart);
    putc('\n', out);
}

static void put_json_totals(FILE *out, const counts *n)
{
    fprintf(out, "\n  ],\n  \"counts\": {");
    for (int i = 0; i < BIL_RELATION_COUNT; i++)
        fprintf(out, "\"%s\": %u, ", bil_relation_name((bil_relation)i), n->relation[i]);
    fprintf(out, "\"meant_to_differ\": %u},\n  \"differing\": %u\n}\n", n->apart, n->differing);
}

/* Nothing that a file says counts before its end: what is to be said waits in a file that nobody else sees. */
static void say_spooled(FILE *spool)
{
    char bytes[1 << 15];
    size_t got;
    rewind(spool);
    while ((got = fread(bytes, 1, sizeof bytes, spool)) > 0)
        fwrite(bytes, 1, got, stdout);
}

static int merge_sides(FILE *out, side *left, side *right, const filter *f, bool all, bool json, counts *n)
{
    bool filtered = f->group || f->match || f->cls || f->safety;
    bool same_unit = strcmp(left->origin.serial, right->origin.serial) == 0;
    bil_compare merge;
    set_pair files = {&left->set, &right->set};
    bil_compare_init(&merge, side_source(left), side_source(right));
    if (!all && !filtered && !left->is_device && !right->is_device)
        merge.skip = set_pair_skip(&files);
    bil_difference d;
    char group[BIL_ID_MAX + 1] = "";
    bool first = true;
    int got;
    while ((got = bil_compare_next(&merge, &d)) == 1) {
        const bil_item *item = d.left ? d.left : d.right;
        bool differs = d.relation != BIL_REL_EQUAL, apart = differs && meant_to_differ(item->cls, same_unit);
        uint8_t weight = differs || filtered || all ? weight_of(item, left, right) : 0;
        if (filtered && !passes(f, item, weight)) {
            merge.count[d.relation]--;
            continue;
        }
        n->safety += differs && !apart && weight & BIL_SAFETY;
        n->hold += differs && !apart && weight & BIL_NEEDS_HOLD;
        n->restart += differs && !apart && weight & BIL_NEEDS_RESTART;
        n->apart += apart;
        n->differing += differs && !apart;
        n->relation[d.relation] += differs && !apart;
        if (json && (all || differs)) {
            put_json_row(out, &d, left, right, apart, weight, first);
            first = false;
        } else if (!json && (all || (differs && !apart))) {
            put_row(out, &d, left, right, weight, group);
            first = false;
        }
    }
    n->relation[BIL_REL_EQUAL] = merge.count[BIL_REL_EQUAL];
    if (!json && !first)
        putc('\n', out);
    return got < 0 ? say_error("", -got, (merge.failed_side ? right : left)->set.why) : EXIT_DONE;
}

static int compare_sides(side *left, side *right, const filter *f, bool all, bool json)
{
    counts n = {0};
    FILE *out = tmpfile();
    if (!out)
        return say_error("temporary file", BIL_E_FILE_WRITE, NULL);
    if (json) {
        fprintf(out, "{\n");
        put_json_side(out, "left", left);
        put_json_side(out, "right", right);
        fprintf(out, "  \"parameters\": [");
    } else {
        put_side(out, "Left", left);
        put_side(out, "Right", right);
        putc('\n', out);
    }
    int code = merge_sides(out, left, right, f, all, json, &n);
    if (json)
        put_json_totals(out, &n);
    else
        put_totals(out, &n);
    if (code == EXIT_DONE && ferror(out))
        code = say_error("temporary file", storage_error(), NULL);
    if (code == EXIT_DONE)
        say_spooled(out);
    fclose(out);
    return code != EXIT_DONE ? code : n.differing ? EXIT_DIFFERENT : EXIT_DONE;
}

static int run(const command *self, int argc, const char **argv)
{
    int all = 0, json = 0;
    filter f = {0};
    char *description = NULL, *given = NULL;
    static char places[2][STORAGE_PATH];
    struct poptOption options[] = {
        {"all", 'a', POPT_ARG_NONE, &all, 0, "equal values too", NULL},
        {"group", 'g', POPT_ARG_STRING, &f.group, 0, "this group of parameters alone", "GROUP"},
        {"match", 'm', POPT_ARG_STRING, &f.match, 0, "parameters whose id fits alone: * and ? stand for anything",
         "PATTERN"},
        {"class", 0, POPT_ARG_STRING, &f.cls, 0, "setup, place, calibration or unit alone", "CLASS"},
        {"safety", 0, POPT_ARG_NONE, &f.safety, 0, "safety-relevant ones alone", NULL},
        {"description", 'd', POPT_ARG_STRING, &description, 0, "a description to try first", "FILE"},
        SITE_OPTION(given),
        JSON_OPTION(json),
        HELP_OPTION,
        POPT_TABLEEND};
    call c;
    int code = call_begin(&c, self, argc, argv, options, 2, 2);
    if (code >= 0)
        return code;
    if (f.cls && bil_class_from_name(f.cls, strlen(f.cls)) < 0)
        return call_end(&c, say_error(f.cls, BIL_E_CALL, "a class is setup, place, calibration or unit"));
    models m;
    int error = models_at_hand(&m, description, given);
    for (int i = 0; i < 2 && !error; i++)
        error = place_of(c.arguments[i], given, places[i]);
    if (error)
        return call_end(&c, exit_code_of(error));
    side *sides = calloc(2, sizeof *sides);
    code = side_open(&sides[0], places[0], &m);
    if (code < 0) {
        code = side_open(&sides[1], places[1], &m);
        if (code < 0) {
            if (strcmp(sides[0].origin.model, sides[1].origin.model) != 0) {
                char why[900];
                snprintf(why, sizeof why, "the left is model %s, the right model %s: their values can't be compared",
                         sides[0].origin.model, sides[1].origin.model);
                code = say_error("", BIL_E_OTHER_MODEL, why);
            } else {
                code = compare_sides(&sides[0], &sides[1], &f, all, json);
            }
            side_close(&sides[1]);
        }
        side_close(&sides[0]);
    }
    free(sides);
    return call_end(&c, code);
}

const command command_compare = {
    "compare", "[options] LEFT RIGHT", "compares any two of device and saved copy",
    "  bilancia compare crusher_ED30-0417_20261123-071500.bset modbus+tcp://127.0.0.1:5020/3\n"
    "  bilancia compare crusher#baseline crusher                   as a site names them\n",
    run};

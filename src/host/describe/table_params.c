/* Parameters and spaces of a table in C. */
#include <inttypes.h>
#include <stdlib.h>
#include <string.h>

#include "bilancia/cells.h"
#include "host/describe/table.h"

static const char *const classes[] = {
#define CLASS(NAME, name, what) "BIL_CLASS_" #NAME,
    BIL_CLASSES(CLASS)
#undef CLASS
};
static const char *const sharings[] = {"BIL_SHARE_NEIGHBOURS", "BIL_SHARE_ANY", "BIL_SHARE_NONE"};
static const char *const flags[] = {"BIL_READABLE", "BIL_WRITABLE", "BIL_NEEDS_HOLD", "BIL_NEEDS_RESTART",
                                    "BIL_SAFETY",   "BIL_OF_PLACE", "BIL_ACCESS",     "BIL_MODE"};
static const char *const ways[] = {"BIL_WAY_TOGETHER", "BIL_WAY_SINGLE", "BIL_WAY_MASKED"};

static void put_at(FILE *file, const bil_description *d, const bil_param *p)
{
    if (!d->spaces[p->space].keys) {
        fprintf(file, ".number = %" PRIu32 "u", p->at.number);
        return;
    }
    fputs(".key = ", file);
    table_put_string(file, p->at.key);
}

/* The first parameter with the same condition: those of a group that repeats share it. */
static uint16_t owner_of_only(const bil_description *d, uint16_t i)
{
    uint16_t first = 0;
    while (d->params[first].only != d->params[i].only)
        first++;
    return first;
}

static void put_only(FILE *file, uint16_t i, const bil_only *only)
{
    char hardwares[32] = "NULL", firmwares[32] = "NULL";
    if (only->hardware_count) {
        snprintf(hardwares, sizeof hardwares, "only_hardwares_%u", i);
        table_put_texts(file, hardwares, only->hardwares, only->hardware_count);
    }
    if (only->firmware_count) {
        snprintf(firmwares, sizeof firmwares, "only_firmwares_%u", i);
        table_put_texts(file, firmwares, only->firmwares, only->firmware_count);
    }
    for (uint8_t k = 0; k < only->mode_count; k++) {
        if (k == 0)
            fprintf(file, "static const uint32_t only_modes_%u[] = {", i);
        fprintf(file, "%s%" PRIu32 "u", k ? ", " : "", only->modes[k]);
    }
    if (only->mode_count)
        fputs("};\n", file);
    fprintf(file,
            "static const bil_only only_%u = {.holds = %s, .hardwares = %s, .firmwares = %s,\n"
            "    .hardware_count = %u, .firmware_count = %u, .from = ",
            i, only->mode_count ? "bil_only_in_mode" : "bil_only_some_units", hardwares, firmwares,
            only->hardware_count, only->firmware_count);
    table_put_string(file, only->from);
    fputs(", .before = ", file);
    table_put_string(file, only->before);
    if (only->mode_count)
        fprintf(file, ",\n    .mode = %u, .mode_count = %u, .modes = only_modes_%u};\n", only->mode, only->mode_count,
                i);
    else
        fputs(", .mode = 0, .mode_count = 0, .modes = NULL};\n", file);
}

static void put_param(FILE *file, const bil_description *d, uint16_t i, uint16_t format)
{
    const bil_param *p = &d->params[i];
    fputs("    {.id = ", file);
    table_put_string(file, p->id);
    fputs(", .name = ", file);
    table_put_string(file, p->name);
    fputs(", .unit = ", file);
    table_put_string(file, p->unit);
    fprintf(file, ", .format = &format_%u, .at = {", format);
    put_at(file, d, p);
    fprintf(file, "},\n     .raw_at = %u, .space = %u, .cells = %u, .cls = %s, .flags = ", p->raw_at, p->space,
            p->cells, classes[p->cls]);
    table_put_bits(file, p->flags, flags, sizeof flags / sizeof flags[0]);
    fprintf(file, ", .way = %s, .stage = %u", ways[p->way], p->stage);
    if (p->reset_count)
        fprintf(file, ", .reset_count = %u, .resets = resets_%u", p->reset_count, i);
    else
        fputs(", .reset_count = 0, .resets = NULL", file);
    if (p->only)
        fprintf(file, ", .only = &only_%u", owner_of_only(d, i));
    else
        fputs(", .only = NULL", file);
    fputs("},\n", file);
}

void table_put_params(FILE *file, const bil_description *d)
{
    for (uint16_t i = 0; i < d->count; i++)
        if (d->params[i].reset_count) {
            char name[24];
            snprintf(name, sizeof name, "resets_%u", i);
            table_put_indices(file, name, d, d->params[i].resets, d->params[i].reset_count);
        }
    for (uint16_t i = 0; i < d->count; i++)
        if (d->params[i].only && owner_of_only(d, i) == i)
            put_only(file, i, d->params[i].only);
    uint16_t *owners = malloc(d->count * sizeof *owners);
    if (!owners || !table_put_formats(file, d, owners)) {
        fputs("#error there was no memory for it\n", file);
        free(owners);
        return;
    }
    fputs("static const bil_param params[] = {\n", file);
    for (uint16_t i = 0; i < d->count; i++)
        put_param(file, d, i, owners[i]);
    fputs("};\n", file);
    free(owners);
}

static const char *reach_of(const bil_space *s)
{
    static const struct {
        const bil_reach *reach;
        const char *name;
    } all[] = {{&bil_reach_bits, "&bil_reach_bits"},
               {&bil_reach_parts, "&bil_reach_parts"},
               {&bil_reach_mailbox, "&bil_reach_mailbox"},
               {&bil_reach_objects, "&bil_reach_objects"},
               {&bil_reach_records, "&bil_reach_records"}};
    for (size_t i = 0; i < sizeof all / sizeof all[0]; i++)
        if (s->reach == all[i].reach)
            return all[i].name;
    return "NULL";
}

void table_put_spaces(FILE *file, const bil_description *d)
{
    for (uint16_t i = 0; i < d->space_count; i++) {
        const bil_mailbox *box = d->spaces[i].mailbox;
        if (box)
            fprintf(file, "static const bil_mailbox mailbox_%u = {%u, %u, %s, %s};\n", i, box->index, box->value,
                    ways[box->way], box->echo ? "true" : "false");
    }
    fputs("static const bil_space spaces[] = {\n", file);
    for (uint16_t i = 0; i < d->space_count; i++) {
        const bil_space *s = &d->spaces[i];
        fputs("    {.ask = ", file);
        table_put_string(file, s->ask);
        fputs(", .set = ", file);
        table_put_string(file, s->set);
        fputs(", .answer = ", file);
        table_put_string(file, s->answer);
        fprintf(file, ", .reading = %s, .writing = %s, .keys = %s, .whole = %s, .bits = %s,\n     ",
                sharings[s->reading], sharings[s->writing], s->keys ? "true" : "false", s->whole ? "true" : "false",
                s->bits ? "true" : "false");
        fprintf(file, ".table = %u, .unit = %d, .reach = %s, ", s->table, s->unit, reach_of(s));
        if (s->mailbox)
            fprintf(file, ".mailbox = &mailbox_%u, ", i);
        else
            fputs(".mailbox = NULL, ", file);
        fprintf(file, ".read_most = %u, .write_most = %u},\n", s->read_most, s->write_most);
    }
    fputs("};\n", file);
}

/* The table as C source. Everything in it is const, so that it stays in flash. */
#include <inttypes.h>
#include <string.h>

#include "host/describe/load.h"

static void put_string(FILE *file, const char *text)
{
    if (!text) {
        fputs("NULL", file);
        return;
    }
    putc('"', file);
    for (const unsigned char *c = (const unsigned char *)text; *c; c++)
        if (*c == '"' || *c == '\\' || *c == '?')
            fprintf(file, "\\%c", *c);
        else if (*c < 0x20 || *c > 0x7e)
            fprintf(file, "\\%03o", *c);
        else
            putc(*c, file);
    putc('"', file);
}

static void put_texts(FILE *file, const char *name, const char *const *texts, size_t count)
{
    fprintf(file, "static const char *const %s[] = {", name);
    for (size_t i = 0; i < count; i++) {
        put_string(file, texts[i]);
        fputs(i + 1 < count ? ", " : "", file);
    }
    fputs("};\n", file);
}

static void put_numbers(FILE *file, const char *name, const uint16_t *numbers, size_t count)
{
    fprintf(file, "static const uint16_t %s[] = {", name);
    for (size_t i = 0; i < count; i++)
        fprintf(file, "%s%" PRIu16, i == 0 ? "" : i % 20 ? ", " : ",\n    ", numbers[i]);
    fputs("};\n", file);
}

static void put_choices(FILE *file, const bil_description *d)
{
    for (uint16_t i = 0; i < d->count; i++) {
        const bil_format *format = &d->params[i].format;
        if (format->choice_count == 0)
            continue;
        fprintf(file, "static const bil_choice choices_%u[] = {", i);
        for (uint16_t k = 0; k < format->choice_count; k++) {
            fprintf(file, "%s{%" PRIu32 "u, ", k ? ", " : "", format->choices[k].value);
            put_string(file, format->choices[k].name);
            putc('}', file);
        }
        fputs("};\n", file);
    }
}

/* A space whose values are side by side has them by number. */
static void put_at(FILE *file, const bil_description *d, const bil_param *p)
{
    if (d->spaces[p->space].reading == BIL_SHARE_NEIGHBOURS) {
        fprintf(file, ".number = %" PRIu32 "u", p->at.number);
        return;
    }
    fputs(".key = ", file);
    put_string(file, p->at.key);
}

static void put_params(FILE *file, const bil_description *d)
{
    for (uint16_t i = 0; i < d->count; i++)
        if (d->params[i].reset_count) {
            char name[24];
            snprintf(name, sizeof name, "resets_%u", i);
            put_numbers(file, name, d->params[i].resets, d->params[i].reset_count);
        }
    fputs("static const bil_param params[] = {\n", file);
    for (uint16_t i = 0; i < d->count; i++) {
        const bil_param *p = &d->params[i];
        const bil_format *f = &p->format;
        fputs("    {.id = ", file);
        put_string(file, p->id);
        fputs(", .name = ", file);
        put_string(file, p->name);
        fputs(", .unit = ", file);
        put_string(file, p->unit);
        fprintf(
            file,
            ",\n     .format = {.type = %u, .size = %u, .decimals = %u, .order = %u, .rounding = %u, .limited = %d,",
            f->type, f->size, f->decimals, f->order, f->rounding, f->limited);
        fprintf(file,
                " .mul = %d, .offset = %d, .round_to = %" PRIu32 "u, .step = %" PRIu32 "u, .tolerance = %" PRIu32
                "u,\n                ",
                f->mul, f->offset, f->round_to, f->step, f->tolerance);
        fprintf(file, ".low = UINT64_C(%" PRIu64 "), .high = UINT64_C(%" PRIu64 ")", f->low, f->high);
        if (f->choice_count)
            fprintf(file, ", .choices = choices_%u, .choice_count = %u", i, f->choice_count);
        fputs("},\n     .at = {", file);
        put_at(file, d, p);
        fprintf(file, "}, .raw_at = %u, .cells = %u, .space = %u, .cls = %u, .flags = %u, .stage = %u", p->raw_at,
                p->cells, p->space, p->cls, p->flags, p->stage);
        if (p->reset_count)
            fprintf(file, ", .resets = resets_%u, .reset_count = %u", i, p->reset_count);
        fputs("},\n", file);
    }
    fputs("};\n", file);
}

static void put_procedures(FILE *file, const bil_description *d)
{
    for (uint16_t i = 0; i < d->procedure_count; i++) {
        fprintf(file, "static const bil_proc_step steps_%u[] = {\n", i);
        for (uint16_t k = 0; k < d->procedures[i].step_count; k++) {
            const bil_proc_step *s = &d->procedures[i].steps[k];
            fprintf(file,
                    "    {.kind = %u, .repeatable = %d, .param = %u, .value = %" PRIu32 "u, .mask = %" PRIu32 "u,",
                    s->kind, s->repeatable, s->param, s->value, s->mask);
            fprintf(file, " .within_ms = %" PRIu32 "u, .every_ms = %" PRIu32 "u, .text = ", s->within_ms, s->every_ms);
            put_string(file, s->text);
            fputs("},\n", file);
        }
        fputs("};\n", file);
    }
    if (!d->procedure_count)
        return;
    fputs("static const bil_procedure procedures[] = {\n", file);
    for (uint16_t i = 0; i < d->procedure_count; i++) {
        const bil_procedure *p = &d->procedures[i];
        fprintf(file, "    {.kind = %u, .for_state = %d, .found = %" PRIu32 "u, .hardware = ", p->kind, p->for_state,
                p->found);
        put_string(file, p->hardware);
        fprintf(file, ", .steps = steps_%u, .step_count = %u},\n", i, p->step_count);
    }
    fputs("};\n", file);
}

static void put_spaces(FILE *file, const bil_description *d)
{
    fputs("static const bil_space spaces[] = {\n", file);
    for (uint16_t i = 0; i < d->space_count; i++) {
        const bil_space *s = &d->spaces[i];
        fputs("    {.ask = ", file);
        put_string(file, s->ask);
        fputs(", .set = ", file);
        put_string(file, s->set);
        fprintf(file, ", .reading = %u, .writing = %u, .whole = %d, .read_most = %u, .write_most = %u},\n", s->reading,
                s->writing, s->whole, s->read_most, s->write_most);
    }
    fputs("};\n", file);
}

static void put_ranges(FILE *file, const bil_description *d)
{
    if (!d->across_count)
        return;
    fputs("static const bil_range across[] = {", file);
    for (uint16_t i = 0; i < d->across_count; i++)
        fprintf(file, "%s{%u, %u, %u}", i ? ", " : "", d->across[i].first, d->across[i].last, d->across[i].space);
    fputs("};\n", file);
}

static void put_banks(FILE *file, const bil_description *d)
{
    if (!d->bank_count)
        return;
    fputs("static const bil_bank banks[] = {\n", file);
    for (uint8_t i = 0; i < d->bank_count; i++) {
        const bil_bank *b = &d->banks[i];
        fprintf(file, "    {%u, %u, %u, %u, %u, %u, %u},\n", b->kind, b->copy, b->space, b->first, b->last, b->at,
                b->when);
    }
    fputs("};\n", file);
}

static void put_rules(FILE *file, const bil_description *d)
{
    for (uint16_t i = 0; i < d->rule_count; i++) {
        char name[24];
        snprintf(name, sizeof name, "rule_params_%u", i);
        put_numbers(file, name, d->rules[i].params, d->rules[i].count);
    }
    if (!d->rule_count)
        return;
    fputs("static const bil_rule rules[] = {\n", file);
    for (uint16_t i = 0; i < d->rule_count; i++) {
        const bil_rule *r = &d->rules[i];
        fprintf(file, "    {%u, %d, %u, rule_params_%u, {%" PRIu32 "u, %" PRIu32 "u}, ", r->kind, r->free, r->count, i,
                r->value[0], r->value[1]);
        put_string(file, r->why);
        fputs("},\n", file);
    }
    fputs("};\n", file);
}

static void put_bytes(FILE *file, const char *name, const uint8_t *bytes, size_t count)
{
    fprintf(file, "static const uint8_t %s[] = {", name);
    for (size_t i = 0; i < count; i++)
        fprintf(file, "%s%u", i == 0 ? "" : i % 30 ? "," : ",\n    ", bytes[i]);
    fputs("};\n", file);
}

/* The lists that the table points to. */
static void put_lists(FILE *file, const bil_description *d)
{
    put_texts(file, "firmwares", d->firmwares, d->firmware_count);
    put_texts(file, "hardwares", d->hardwares, d->hardware_count);
    put_numbers(file, "by_place", d->by_place, d->count);
    put_spaces(file, d);
    put_choices(file, d);
    put_params(file, d);
    put_procedures(file, d);
    put_ranges(file, d);
    if (d->expect_count)
        put_texts(file, "expect", d->expect, d->expect_count);
    if (d->by_hand_count)
        put_texts(file, "by_hand", d->by_hand, d->by_hand_count);
    if (d->test_count)
        put_texts(file, "tests", d->tests, d->test_count);
    if (d->unit_same_count)
        put_numbers(file, "unit_same", d->unit_same, d->unit_same_count);
    if (d->unit_grows_count)
        put_numbers(file, "unit_grows", d->unit_grows, d->unit_grows_count);
    if (d->no_serial_count)
        put_texts(file, "no_serial", d->no_serial, d->no_serial_count);
    put_rules(file, d);
    put_banks(file, d);
    if (d->factory) {
        put_bytes(file, "factory", d->factory, d->raw_size);
        put_bytes(file, "factory_known", d->factory_known, d->count);
    }
}

static void put_rest(FILE *file, const bil_description *d)
{
    const bil_link_limits *l = &d->link;
    fprintf(file, "}, .state = %u, .state_held = %" PRIu32 "u, .changes = %u,\n", d->state, d->state_held, d->changes);
    fprintf(file, "    .state_idle = %" PRIu32 "u, .restart_after = %u, .link_unit = %u,\n", d->state_idle,
            d->restart_after, d->link_unit);
    fprintf(file, "    .unstored = %u, .unstored_value = %" PRIu32 "u, .factory_address = ", d->unstored,
            d->unstored_value);
    put_string(file, d->factory_address);
    fputs(",\n", file);
    if (d->expect_count)
        fprintf(file, "    .expect = expect, .expect_count = %u,\n", d->expect_count);
    if (d->by_hand_count)
        fprintf(file, "    .by_hand = by_hand, .by_hand_count = %u,\n", d->by_hand_count);
    if (d->test_count)
        fprintf(file, "    .tests = tests, .test_count = %u,\n", d->test_count);
    if (d->unit_same_count)
        fprintf(file, "    .unit_same = unit_same, .unit_same_count = %u,\n", d->unit_same_count);
    if (d->unit_grows_count)
        fprintf(file, "    .unit_grows = unit_grows, .unit_grows_count = %u,\n", d->unit_grows_count);
    if (d->no_serial_count)
        fprintf(file, "    .no_serial = no_serial, .no_serial_count = %u,\n", d->no_serial_count);
    fprintf(file, "    .starts = %u, .uptime = %u, .restart_ends_hold = %d, .restart_absent_ms = %" PRIu32 "u,\n",
            d->starts, d->uptime, d->restart_ends_hold, d->restart_absent_ms);
    if (d->writes_last)
        fputs("    .writes_last = true,\n", file);
    if (d->rule_count)
        fprintf(file, "    .rules = rules, .rule_count = %u,\n", d->rule_count);
    if (d->bank_count)
        fprintf(file, "    .banks = banks, .bank_count = %u,\n", d->bank_count);
    if (d->factory)
        fputs("    .factory = factory, .factory_known = factory_known,\n", file);
    fprintf(file,
            "    .spaces = spaces, .space_count = %u,\n    .link = {.reply_ms = %u, .late_ms = %u, .busy_ms = %u, "
            ".busy_tries = %u,\n",
            d->space_count, l->reply_ms, l->late_ms, l->busy_ms, l->busy_tries);
    fprintf(file, "             .request_cost = %u, .cell_cost = %u},\n    .raw_size = %" PRIu32 "u,\n};\n",
            l->request_cost, l->cell_cost, d->raw_size);
}

void description_write_c(const bil_description *d, const char *name, FILE *file)
{
    fputs("/* Made from a description by the generator; don't edit. */\n#include <stddef.h>\n\n", file);
    fprintf(file, "#include \"bilancia/description.h\"\n\nextern const bil_description %s;\n\n", name);
    put_lists(file, d);
    fprintf(file, "\nconst bil_description %s = {\n    .vendor = ", name);
    put_string(file, d->vendor);
    fputs(", .model = ", file);
    put_string(file, d->model);
    fputs(",\n    .layout = ", file);
    put_string(file, d->layout);
    fprintf(file,
            ",\n    .revision = %u, .firmwares = firmwares, .firmware_count = %u, .hardwares = hardwares, "
            ".hardware_count = %u,\n",
            d->revision, d->firmware_count, d->hardware_count);
    fprintf(file,
            "    .stored_values = %u, .restart_keeps_hold = %d, .count = %u, .params = params, .by_place = by_place,\n",
            d->stored_values, d->restart_keeps_hold, d->count);
    fprintf(file, "    .across = %s, .across_count = %u, .procedures = %s, .procedure_count = %u,\n    .identity = {",
            d->across_count ? "across" : "NULL", d->across_count, d->procedure_count ? "procedures" : "NULL",
            d->procedure_count);
    for (int i = 0; i < BIL_ID_COUNT; i++)
        fprintf(file, "%s%u", i ? ", " : "", d->identity[i]);
    put_rest(file, d);
}

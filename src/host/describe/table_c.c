/* The table as C source. Everything in it is const, so that it stays in flash. */
#include <inttypes.h>
#include <string.h>

#include "bilancia/console.h"
#include "bilancia/http.h"
#include "host/describe/load.h"
#include "host/describe/table.h"

static void put_reminders(FILE *file, const char *name, const bil_reminder *list, size_t count)
{
    if (count == 0)
        return;
    fprintf(file, "static const bil_reminder %s[] = {", name);
    for (size_t i = 0; i < count; i++) {
        fputs("{.text = ", file);
        table_put_string(file, list[i].text);
        fputs(", .when = ", file);
        table_put_string(file, list[i].when);
        fputs(", .file = ", file);
        table_put_string(file, list[i].file);
        fputs(i + 1 < count ? "},\n    " : "}", file);
    }
    fputs("};\n", file);
}

/* ---- names for numbers ---- */

static const char *const step_kinds[] = {"BIL_STEP_WRITE", "BIL_STEP_SECRET",    "BIL_STEP_UNTIL",
                                         "BIL_STEP_WAIT",  "BIL_STEP_RECONNECT", "BIL_STEP_PERSON"};
#define PROC_NAME(NAME, name, what) "BIL_PROC_" #NAME,
static const char *const proc_kinds[] = {BIL_PROCEDURES(PROC_NAME)};
#undef PROC_NAME
static const char *const stored_values[] = {"BIL_STORED_BY_RESTART", "BIL_STORED_NOT_READABLE"};
static const char *const bank_kinds[] = {"BIL_BANK_STORED", "BIL_BANK_FACTORY", "BIL_BANK_KEPT"};
static const char *const rule_kinds[] = {"BIL_RULE_UNIQUE", "BIL_RULE_ORDER", "BIL_RULE_ALLOWED", "BIL_RULE_REQUIRED"};

static void put_names(FILE *file, const bil_description *d)
{
    fputs("enum {\n", file);
    for (uint16_t i = 0; i < d->count; i++) {
        fputs("    ", file);
        table_put_index(file, d, i);
        fprintf(file, " = %u,\n", i);
    }
    fputs("};\n", file);
}

/* ---- the parts ---- */

/* Values of steps that are too long for them. */
static void put_raw(FILE *file, const bil_description *d, uint16_t i)
{
    for (uint16_t k = 0; k < d->procedures[i].step_count; k++) {
        const bil_proc_step *s = &d->procedures[i].steps[k];
        for (uint8_t n = 0; s->raw && n < d->params[s->param].format->size; n++)
            n == 0 ? fprintf(file, "static const uint8_t raw_%u_%u[] = {%u", i, k, s->raw[n])
                   : fprintf(file, ", %u", s->raw[n]);
        if (s->raw)
            fputs("};\n", file);
    }
}

static void put_procedures(FILE *file, const bil_description *d)
{
    for (uint16_t i = 0; i < d->procedure_count; i++)
        put_raw(file, d, i);
    for (uint16_t i = 0; i < d->procedure_count; i++) {
        fprintf(file, "static const bil_proc_step steps_%u[] = {\n", i);
        for (uint16_t k = 0; k < d->procedures[i].step_count; k++) {
            const bil_proc_step *s = &d->procedures[i].steps[k];
            bool has_param = s->kind <= BIL_STEP_UNTIL;
            fprintf(file, "    {.kind = %s, .repeatable = %s, .param = ", step_kinds[s->kind],
                    s->repeatable ? "true" : "false");
            table_put_index(file, d, has_param ? s->param : BIL_NONE);
            fputs(", .from = ", file);
            if (s->from)
                table_put_index(file, d, (uint16_t)(s->from - 1));
            fputs(s->from ? " + 1" : "0", file);
            fprintf(file, ", .value = %" PRIu32 "u, .mask = %" PRIu32 "u,", s->value, s->mask);
            fprintf(file, " .within_ms = %" PRIu32 "u, .every_ms = %" PRIu32 "u, .text = ", s->within_ms, s->every_ms);
            table_put_string(file, s->text);
            if (s->raw)
                fprintf(file, ", .raw = raw_%u_%u},\n", i, k);
            else
                fputs(", .raw = NULL},\n", file);
        }
        fputs("};\n", file);
    }
    if (!d->procedure_count)
        return;
    fputs("static const bil_procedure procedures[] = {\n", file);
    for (uint16_t i = 0; i < d->procedure_count; i++) {
        const bil_procedure *p = &d->procedures[i];
        fprintf(file, "    {.kind = %s, .for_state = %s, .found = %" PRIu32 "u, .hardware = ", proc_kinds[p->kind],
                p->for_state ? "true" : "false", p->found);
        table_put_string(file, p->hardware);
        fprintf(file, ", .steps = steps_%u, .step_count = %u},\n", i, p->step_count);
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
        fprintf(file, "    {.kind = %s, .copy = %u, .space = %u, .first = %u, .last = %u, .at = %u, .when = ",
                bank_kinds[b->kind], b->copy, b->space, b->first, b->last, b->at);
        table_put_index(file, d, b->when);
        fputs("},\n", file);
    }
    fputs("};\n", file);
}

static void put_rules(FILE *file, const bil_description *d)
{
    for (uint16_t i = 0; i < d->rule_count; i++) {
        char name[24];
        snprintf(name, sizeof name, "rule_params_%u", i);
        table_put_indices(file, name, d, d->rules[i].params, d->rules[i].count);
    }
    if (!d->rule_count)
        return;
    fputs("static const bil_rule rules[] = {\n", file);
    for (uint16_t i = 0; i < d->rule_count; i++) {
        const bil_rule *r = &d->rules[i];
        fprintf(file,
                "    {.kind = %s, .free = %s, .count = %u, .params = rule_params_%u, .value = {%" PRIu32 "u, %" PRIu32
                "u},\n     .why = ",
                rule_kinds[r->kind], r->free ? "true" : "false", r->count, i, r->value[0], r->value[1]);
        table_put_string(file, r->why);
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

/* A member that is a text, or NULL. */
static void put_text(FILE *file, const char *member, const char *text)
{
    fprintf(file, ".%s = ", member);
    table_put_string(file, text);
    fputs(", ", file);
}

static void put_console(FILE *file, const bil_console *c)
{
    const bil_console_login *l = c->login;
    if (l) {
        fputs("static const bil_console_login console_login = {", file);
        put_text(file, "greets", l->greets);
        put_text(file, "whom", l->whom);
        put_text(file, "user", l->user);
        fputs("\n    ", file);
        put_text(file, "asks", l->asks);
        put_text(file, "refuses", l->refuses);
        put_text(file, "locked", l->locked);
        fputs("};\n", file);
    }
    fputs("static const bil_console console = {", file);
    put_text(file, "prompt", c->prompt);
    put_text(file, "ends", c->ends);
    put_text(file, "discard", c->discard);
    put_text(file, "done", c->done);
    fputs("\n    ", file);
    put_text(file, "refuses", c->refuses);
    put_text(file, "later", c->later);
    put_text(file, "taken", c->taken);
    put_text(file, "more", c->more);
    fprintf(file, ".echo = %s, .login = %s};\n", c->echo ? "true" : "false", l ? "&console_login" : "NULL");
}

static void put_http(FILE *file, const bil_http *h)
{
    fprintf(file, "static const bil_http http = {.login = %u, ", h->login);
    put_text(file, "user", h->user);
    put_text(file, "enter", h->enter);
    put_text(file, "greets", h->greets);
    put_text(file, "refuses", h->refuses);
    fputs("};\n", file);
}

/* The lists that the table points to. */
static void put_lists(FILE *file, const bil_description *d)
{
    table_put_texts(file, "firmwares", d->firmwares, d->firmware_count);
    table_put_texts(file, "hardwares", d->hardwares, d->hardware_count);
    put_names(file, d);
    table_put_indices(file, "by_place", d, d->by_place, d->count);
    table_put_spaces(file, d);
    table_put_params(file, d);
    put_procedures(file, d);
    put_ranges(file, d);
    put_reminders(file, "expect", d->expect, d->expect_count);
    put_reminders(file, "by_hand", d->by_hand, d->by_hand_count);
    put_reminders(file, "tests", d->tests, d->test_count);
    put_reminders(file, "loses", d->loses, d->loses_count);
    if (d->unit_same_count)
        table_put_indices(file, "unit_same", d, d->unit_same, d->unit_same_count);
    if (d->unit_grows_count)
        table_put_indices(file, "unit_grows", d, d->unit_grows, d->unit_grows_count);
    if (d->secret_count)
        table_put_texts(file, "secrets", d->secrets, d->secret_count);
    if (d->secrets_kept)
        table_put_indices(file, "secrets_kept", d, d->secrets_kept, d->secret_count);
    if (d->no_serial_count)
        table_put_texts(file, "no_serial", d->no_serial, d->no_serial_count);
    put_rules(file, d);
    put_banks(file, d);
    if (d->console)
        put_console(file, d->console);
    if (d->http)
        put_http(file, d->http);
    for (uint8_t i = 0; i < d->sign_count; i++) {
        fputs(i ? ", {" : "static const bil_sign signs[] = {{", file);
        table_put_index(file, d, d->signs[i].param);
        fprintf(file, ", %" PRIu32 "u}%s", d->signs[i].value, i + 1 == d->sign_count ? "};\n" : "");
    }
    if (d->factory) {
        put_bytes(file, "factory", d->factory, d->raw_size);
        put_bytes(file, "factory_known", d->factory_known, d->count);
    }
}

/* A member that is a list, or NULL where it has nothing in it. */
static void put_list(FILE *file, const char *member, bool there)
{
    fprintf(file, " .%s = %s,", member, there ? member : "NULL");
}

static void put_role(FILE *file, const bil_description *d, const char *member, uint16_t index)
{
    fprintf(file, " .%s = ", member);
    table_put_index(file, d, index);
    putc(',', file);
}

static void put_flag(FILE *file, const char *member, bool yes)
{
    fprintf(file, " .%s = %s,", member, yes ? "true" : "false");
}

static void put_number(FILE *file, const char *member, uint32_t number)
{
    fprintf(file, " .%s = %" PRIu32 "u,", member, number);
}

/* In the order of the struct, as C++20 demands it. */
static void put_counts(FILE *file, const bil_description *d)
{
    fputs("   ", file);
    put_number(file, "firmware_count", d->firmware_count);
    put_number(file, "hardware_count", d->hardware_count);
    fprintf(file, " .stored_values = %s,\n   ", stored_values[d->stored_values]);
    put_number(file, "sign_count", d->sign_count);
    put_number(file, "unit_same_count", d->unit_same_count);
    put_number(file, "unit_grows_count", d->unit_grows_count);
    put_number(file, "no_serial_count", d->no_serial_count);
    put_number(file, "secret_count", d->secret_count);
    put_number(file, "login_slot", d->login_slot);
    fputs("\n   ", file);
    put_number(file, "expect_count", d->expect_count);
    put_number(file, "by_hand_count", d->by_hand_count);
    put_number(file, "test_count", d->test_count);
    put_number(file, "loses_count", d->loses_count);
    put_number(file, "bank_count", d->bank_count);
    fputs("\n   ", file);
    put_flag(file, "restart_keeps_hold", d->restart_keeps_hold);
    put_flag(file, "store_needs_hold", d->store_needs_hold);
    put_flag(file, "writes_last", d->writes_last);
    put_flag(file, "unlock_ends_with_link", d->unlock_ends_with_link);
    fputs("\n   ", file);
    put_flag(file, "restart_ends_hold", d->restart_ends_hold);
    put_flag(file, "works_when_on", d->works_when_on);
    put_number(file, "revision", d->revision);
    put_number(file, "count", d->count);
    put_number(file, "space_count", d->space_count);
    fputs("\n   ", file);
    put_number(file, "across_count", d->across_count);
    put_number(file, "procedure_count", d->procedure_count);
    put_number(file, "rule_count", d->rule_count);
}

static void put_roles(FILE *file, const bil_description *d)
{
    const bil_link_limits *l = &d->link;
    fputs("\n    .identity = {", file);
    for (int i = 0; i < BIL_ID_COUNT; i++) {
        fputs(i ? ", " : "", file);
        table_put_index(file, d, d->identity[i]);
    }
    fputs("},\n   ", file);
    put_role(file, d, "starts", d->starts);
    put_role(file, d, "uptime", d->uptime);
    put_role(file, d, "state", d->state);
    put_number(file, "restart_after", d->restart_after);
    fputs("\n   ", file);
    put_role(file, d, "link_unit", d->link_unit);
    put_role(file, d, "changes", d->changes);
    put_role(file, d, "unstored", d->unstored);
    fprintf(file, "\n    .link = {.reply_ms = %u, .late_ms = %u, .busy_ms = %u, .busy_tries = %u, .pause_ms = %u,\n",
            l->reply_ms, l->late_ms, l->busy_ms, l->busy_tries, l->pause_ms);
    fprintf(file, "             .write_pause_ms = %u, .request_cost = %u, .cell_cost = %u},\n   ", l->write_pause_ms,
            l->request_cost, l->cell_cost);
    put_number(file, "restart_absent_ms", d->restart_absent_ms);
    put_number(file, "unlock_lasts_ms", d->unlock_lasts_ms);
    put_number(file, "state_held", d->state_held);
    put_number(file, "state_idle", d->state_idle);
    fputs("\n   ", file);
    put_number(file, "unstored_value", d->unstored_value);
    put_number(file, "raw_size", d->raw_size);
}

static void put_rest(FILE *file, const bil_description *d)
{
    fputs("\n    .params = params, .by_place = by_place, .spaces = spaces,\n   ", file);
    put_list(file, "procedures", d->procedure_count);
    put_list(file, "across", d->across_count);
    put_list(file, "banks", d->bank_count);
    put_list(file, "rules", d->rule_count);
    fputs("\n    ", file);
    put_text(file, "vendor", d->vendor);
    put_text(file, "model", d->model);
    put_text(file, "layout", d->layout);
    fputs("\n    .firmwares = firmwares, .hardwares = hardwares,", file);
    put_list(file, "signs", d->sign_count);
    put_list(file, "unit_same", d->unit_same_count);
    put_list(file, "unit_grows", d->unit_grows_count);
    fputs("\n   ", file);
    put_list(file, "no_serial", d->no_serial_count);
    put_list(file, "secrets", d->secret_count);
    put_list(file, "secrets_kept", d->secrets_kept ? d->secret_count : 0);
    fputs("\n    ", file);
    put_text(file, "factory_address", d->factory_address);
    fputs("\n   ", file);
    put_list(file, "expect", d->expect_count);
    put_list(file, "by_hand", d->by_hand_count);
    put_list(file, "tests", d->test_count);
    put_list(file, "loses", d->loses_count);
    put_list(file, "factory", d->factory);
    put_list(file, "factory_known", d->factory);
    fprintf(file, "\n    .console = %s, .http = %s,\n};\n", d->console ? "&console" : "NULL",
            d->http ? "&http" : "NULL");
}

void description_write_c(const bil_description *d, const char *name, FILE *file)
{
    fputs("/* Made from a description by the generator; don't edit. C11, and C++20. */\n#include <stddef.h>\n\n", file);
    fprintf(file,
            "#include \"bilancia/%s.h\"\n\n#if BIL_TABLE_VERSION != %d\n#error \"this table was made for "
            "another version of bilancia: make it again with its bilancia-table\"\n#endif\n\n",
            d->console ? "console"
            : d->http  ? "http"
                       : "cells",
            BIL_TABLE_VERSION);
    fprintf(file,
            "#ifdef __cplusplus\nextern \"C\" {\n#endif\nextern const bil_description %s;\n#ifdef "
            "__cplusplus\n}\n#endif\n\n",
            name);
    put_lists(file, d);
    fprintf(file, "\nconst bil_description %s = {\n", name);
    put_counts(file, d);
    put_roles(file, d);
    put_rest(file, d);
}

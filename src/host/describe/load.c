/* The loader works through the document key by key; every key it doesn't know is an error at its place. It never
 * follows the document's own nesting, so anchors and aliases can't make it run away. */
#include "host/describe/load.h"

#include <errno.h>
#include <stdlib.h>
#include <string.h>

#include "bilancia/host_error.h"
#include "host/describe/loading.h"
#include "port/memory.h"
#include "port/storage.h"

/* What the description says of itself. */
static void load_head(load *l, yaml_node_t *root)
{
    static const char *const stored[] = {"by_restart", "not_readable", NULL};
    bil_description *table = l->table;
    load_want_number(l, load_get(l, root, "bilancia_description"), 0, 0); /* free to change until the first release */
    table->vendor = load_keep(l, load_want_text(l, load_get(l, root, "vendor"), BIL_TEXT_MAX));
    table->model = load_keep(l, load_want_text(l, load_get(l, root, "model"), BIL_TEXT_MAX));
    table->revision = (uint16_t)load_want_number(l, load_get(l, root, "revision"), 1, UINT16_MAX);
    table->firmwares = load_texts(l, load_get(l, root, "firmware"), NAME_LIMIT, &table->firmware_count);
    table->hardwares = load_texts(l, load_get(l, root, "hardware"), NAME_LIMIT, &table->hardware_count);
    table->stored_values = (uint8_t)load_want_name(l, load_get(l, root, "stored_values"), stored);
    table->state = table->changes = table->unstored = table->link_unit = BIL_NONE;
    table->starts = table->uptime = BIL_NONE;
}

static void load_keeps_hold(load *l, yaml_node_t *node)
{
    l->table->restart_keeps_hold = load_want_yes(l, node);
}

static void load_store_needs_hold(load *l, yaml_node_t *node)
{
    l->table->store_needs_hold = load_want_yes(l, node);
}

static void load_writes_last(load *l, yaml_node_t *node)
{
    l->table->writes_last = load_want_yes(l, node);
}

static void load_factory_address(load *l, yaml_node_t *node)
{
    l->table->factory_address = load_keep(l, load_want_text(l, node, 200));
}

static void load_expect(load *l, yaml_node_t *node)
{
    l->table->expect = load_reminders(l, node, BIL_TESTS_MAX, &l->table->expect_count);
}

static void load_by_hand(load *l, yaml_node_t *node)
{
    l->table->by_hand = load_reminders(l, node, 255, &l->table->by_hand_count);
}

static void load_loses(load *l, yaml_node_t *node)
{
    l->table->loses = load_reminders(l, node, BIL_TESTS_MAX, &l->table->loses_count);
}

static void load_tests(load *l, yaml_node_t *node)
{
    l->table->tests = load_reminders(l, node, BIL_TESTS_MAX, &l->table->test_count);
}

/* All of them, and what is told in terms of others. */
static void load_parameters(load *l, yaml_node_t *map)
{
    load_params(l, map);
    if (!l->bad)
        load_across(l, load_get(l, yaml_document_get_root_node(&l->document), "link"));
    for (uint16_t i = 0; i < l->table->count && !l->bad; i++)
        load_resets(l, i);
    load_modes(l);
    if (!l->bad)
        load_by_place(l);
    if (!l->bad)
        load_check_mailboxes(l);
    if (!l->bad)
        load_factory(l);
}

/* The keys of a document and what loads them, in the order in which they need each other. */
static const struct {
    const char *key;
    bool required;
    void (*load)(load *l, yaml_node_t *node); /* NULL: load_head */
    bool registers;                           /* only a device with registers has it */
} parts[] = {
    {"bilancia_description", true, NULL, false},
    {"vendor", true, NULL, false},
    {"model", true, NULL, false},
    {"revision", true, NULL, false},
    {"firmware", true, NULL, false},
    {"hardware", true, NULL, false},
    {"stored_values", true, NULL, false},
    {"restart_keeps_hold", false, load_keeps_hold, false},
    {"store_needs_hold", false, load_store_needs_hold, false},
    {"writes_last", false, load_writes_last, false},
    {"factory_address", false, load_factory_address, false},
    {"link", true, load_link, false},
    {"spaces", false, load_spaces, false},
    {"groups", false, NULL, false}, /* with the parameters */
    {"parameters", true, load_parameters, false},
    {"identify", true, load_identity, false},
    {"state", false, load_state, false},
    {"unit_shows", false, load_unit_shows, false},
    {"restart_shows", false, load_restart_shows, false},
    {"restart_after", false, load_restart_after, false},
    {"link_unit", false, load_link_unit, true},
    {"changes", false, load_changes, false},
    {"unstored", false, load_unstored, false},
    {"banks", false, load_banks, false},
    {"expect", false, load_expect, false},
    {"by_hand", false, load_by_hand, false},
    {"tests", false, load_tests, false},
    {"loses", false, load_loses, false},
    {"rules", false, load_rules, false},
    {"procedures", false, load_procedures, false},
};
enum { PARTS = sizeof parts / sizeof parts[0] };

static void load_document(load *l, yaml_node_t *root)
{
    const char *keys[PARTS + 1] = {NULL};
    for (size_t i = 0; i < PARTS; i++)
        keys[i] = parts[i].key;
    load_check_keys(l, root, keys);
    for (size_t i = 0; i < PARTS && !l->bad; i++)
        if (parts[i].required)
            load_need(l, root, parts[i].key);
    if (l->bad)
        return;
    load_head(l, root);
    for (size_t i = 0; i < PARTS && !l->bad; i++) {
        yaml_node_t *node = load_get(l, root, parts[i].key);
        if (node && parts[i].registers && l->kind->keys)
            load_complain(l, node, "this is for registers");
        else if (node && parts[i].load)
            parts[i].load(l, node);
    }
    if (!l->bad)
        load_bounds(l);
    if (!l->bad)
        load_check_harmless(l);
    if (!l->bad)
        load_layout(l);
}

/* Counts before anything is looked at: how deep things lie in each other, how many there are, and how many stand for
 * others (anchors). What a description holds needs little of that, and the time that the rest takes grows with it. */
static bool is_within_limits(const char *bytes, size_t size, char *why, size_t why_size, const char *path)
{
    enum { DEEPEST = 20, MOST_ANCHORS = 100, MOST_NODES = 4000000 };
    yaml_parser_t parser;
    yaml_event_t event;
    unsigned depth = 0, deepest = 0, anchors = 0, nodes = 0;
    bool over = false;
    if (!yaml_parser_initialize(&parser))
        return true;
    yaml_parser_set_input_string(&parser, (const unsigned char *)bytes, size);
    while (!over && yaml_parser_parse(&parser, &event)) {
        bool begins = event.type == YAML_SEQUENCE_START_EVENT || event.type == YAML_MAPPING_START_EVENT;
        nodes += begins || event.type == YAML_SCALAR_EVENT;
        anchors += event.type == YAML_ALIAS_EVENT;
        depth += begins;
        depth -= event.type == YAML_SEQUENCE_END_EVENT || event.type == YAML_MAPPING_END_EVENT;
        deepest = depth > deepest ? depth : deepest;
        over = deepest > DEEPEST || anchors > MOST_ANCHORS || nodes > MOST_NODES;
        if (over)
            snprintf(why, why_size, "%s:%zu:%zu: %s", path, event.start_mark.line + 1, event.start_mark.column + 1,
                     deepest > DEEPEST        ? "this lies deeper in lists and mappings than 20"
                     : anchors > MOST_ANCHORS ? "more than 100 values stand for others (*name)"
                                              : "there are more than 4000000 values");
        bool last = event.type == YAML_STREAM_END_EVENT;
        yaml_event_delete(&event);
        if (last)
            break;
    }
    yaml_parser_delete(&parser);
    return !over; /* what isn't YAML is found when it is loaded */
}

static void load_or_leave(load *l, yaml_node_t *root)
{
    if (setjmp(l->out) == 0)
        load_document(l, root);
}

int description_load_text(loaded_description *out, const char *path, const char *bytes, size_t size, char *why,
                          size_t why_size)
{
    memset(out, 0, sizeof *out);
    load l = {.path = path, .why = why, .why_size = why_size, .memory = &out->memory, .table = &out->table};
    yaml_parser_t parser;
    if (!yaml_parser_initialize(&parser)) {
        mem_short();
        return BIL_E_MEMORY;
    }
    yaml_parser_set_input_string(&parser, (const unsigned char *)bytes, size);
    if (size > FILE_LIMIT) {
        snprintf(why, why_size, "%s:1:1: the file is larger than %d bytes", path, FILE_LIMIT);
        l.bad = true;
    } else if (!is_within_limits(bytes, size, why, why_size, path)) {
        l.bad = true;
    } else if (!yaml_parser_load(&parser, &l.document)) {
        snprintf(why, why_size, "%s:%zu:%zu: %s", path, parser.problem_mark.line + 1, parser.problem_mark.column + 1,
                 parser.problem ? parser.problem : "no YAML");
        l.bad = true;
        l.is_short = parser.error == YAML_MEMORY_ERROR;
    } else {
        yaml_node_t *root = yaml_document_get_root_node(&l.document);
        if (!root) {
            snprintf(why, why_size, "%s:1:1: the file is empty", path);
            l.bad = true;
        } else {
            load_or_leave(&l, root);
        }
        yaml_document_delete(&l.document);
    }
    yaml_parser_delete(&parser);
    if (l.bad || l.is_short)
        arena_free(&out->memory);
    if (l.is_short)
        mem_short();
    return l.is_short ? BIL_E_MEMORY : l.bad ? BIL_E_YAML : BIL_OK;
}

int description_load(loaded_description *out, const char *path, char *why, size_t why_size)
{
    size_t size;
    char *bytes = storage_text(path, FILE_LIMIT, &size);
    if (!bytes) {
        memset(out, 0, sizeof *out);
        snprintf(why, why_size, "%s: %s", path, storage_why(errno));
        return storage_open_error();
    }
    int error = description_load_text(out, path, bytes, size, why, why_size);
    free(bytes);
    return error;
}

void description_free(loaded_description *loaded)
{
    arena_free(&loaded->memory);
}

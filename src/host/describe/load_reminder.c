/* What people are told or asked around a write, each for all writes or for those of some parameters. */
#include <string.h>

#include "host/describe/choice.h"
#include "host/describe/loading.h"

enum { SENTENCE = 200 };

/* An id, or GROUP.*: something has to go by it. */
static const char *want_pattern(load *l, yaml_node_t *node)
{
    const char *text = load_want_text(l, node, BIL_ID_MAX);
    size_t length = l->bad ? 0 : strlen(text);
    bool group = length > 2 && strcmp(text + length - 2, ".*") == 0, found = false;
    for (uint16_t i = 0; i < l->table->count && !l->bad && !found; i++)
        found = group ? strncmp(l->params[i].id, text, length - 1) == 0 : strcmp(l->params[i].id, text) == 0;
    if (!l->bad && !found)
        load_complain(l, node, "no parameter is called so: an id, or GROUP.*, is wanted");
    return text;
}

static const char *load_when(load *l, yaml_node_t *list)
{
    size_t count = load_want_list(l, list, 100), used = 0;
    if (l->bad)
        return NULL;
    char *all = load_take(l, count * (BIL_ID_MAX + 1) + 1);
    for (size_t i = 0; i < count && !l->bad; i++) {
        const char *one = want_pattern(l, load_node(l, list->data.sequence.items.start[i]));
        if (l->bad)
            break;
        if (used)
            all[used++] = ',';
        memcpy(all + used, one, strlen(one));
        used += strlen(one);
    }
    return all;
}

/* A file of what the device measured: in no copy, but it can be read. */
static const char *want_measured(load *l, yaml_node_t *node)
{
    const char *id = load_want_text(l, node, BIL_ID_MAX);
    bool found = false;
    for (uint16_t i = 0; i < l->table->count && !l->bad && !found; i++)
        found = strcmp(l->params[i].id, id) == 0 && choice_is_measured(&l->params[i]);
    if (!found)
        load_complain(l, node, "this is the id of a file of the class live");
    return load_keep(l, id);
}

static void load_one(load *l, yaml_node_t *node, bil_reminder *out)
{
    static const char *const keys[] = {"text", "when", "file", NULL};
    if (l->bad || node->type != YAML_MAPPING_NODE) {
        out->text = load_keep(l, load_want_text(l, node, SENTENCE));
        return;
    }
    load_check_keys(l, node, keys);
    yaml_node_t *text = l->bad ? NULL : load_need(l, node, "text"), *when = l->bad ? NULL : load_get(l, node, "when"),
                *file = l->bad ? NULL : load_get(l, node, "file");
    out->text = load_keep(l, load_want_text(l, text, SENTENCE));
    if (when && !l->bad)
        out->when = load_when(l, when);
    if (file && !l->bad)
        out->file = want_measured(l, file);
}

const bil_reminder *load_reminders(load *l, yaml_node_t *list, size_t most, uint8_t *count)
{
    size_t n = load_want_list(l, list, most);
    bil_reminder *all = load_take(l, (n + 1) * sizeof *all);
    for (size_t i = 0; i < n && !l->bad; i++)
        load_one(l, load_node(l, list->data.sequence.items.start[i]), &all[i]);
    *count = (uint8_t)n;
    return all;
}

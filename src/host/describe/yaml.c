/* Errors at their place, and what a node of the document has to be. */
#include <errno.h>
#include <stdarg.h>
#include <stdlib.h>
#include <string.h>

#include "host/describe/loading.h"

static void complain_at(load *l, yaml_mark_t mark, const char *format, va_list list)
{
    if (l->bad)
        return; /* the first one counts */
    l->bad = true;
    int used = snprintf(l->why, l->why_size, "%s:%zu:%zu: ", l->path, mark.line + 1, mark.column + 1);
    if (used > 0 && (size_t)used < l->why_size)
        vsnprintf(l->why + used, l->why_size - (size_t)used, format, list);
}

void load_complain(load *l, const yaml_node_t *node, const char *format, ...)
{
    va_list list;
    va_start(list, format);
    complain_at(l, node->start_mark, format, list);
    va_end(list);
}

void *load_take(load *l, size_t size)
{
    void *memory = arena_take(l->memory, size);
    if (!memory) {
        l->is_short = true;
        longjmp(l->out, 1);
    }
    return memory;
}

yaml_node_t *load_node(load *l, int index)
{
    return yaml_document_get_node(&l->document, index);
}

const char *node_text(const yaml_node_t *node)
{
    return (const char *)node->data.scalar.value;
}

const char *load_want_text(load *l, yaml_node_t *node, size_t most)
{
    if (node->type != YAML_SCALAR_NODE) {
        load_complain(l, node, "a single value is wanted here");
        return "";
    }
    if (node->data.scalar.length > most || strlen(node_text(node)) != node->data.scalar.length)
        load_complain(l, node, "this text is longer than %zu bytes", most);
    else if (!bil_text_is_printable(node_text(node), node->data.scalar.length))
        load_complain(l, node, "this text has characters that can't be printed");
    else if (strpbrk(node_text(node), "\"\\"))
        load_complain(l, node,
                      "quotes and backslashes can't stand here"); /* so that set files never need to escape it */
    return node_text(node);
}

long load_want_number(load *l, yaml_node_t *node, long low, long high)
{
    const char *text = load_want_text(l, node, 20);
    char *end;
    errno = 0;
    long number = strtol(text, &end, 0);
    if (*text == '\0' || *end || errno || number < low || number > high)
        load_complain(l, node, "a whole number from %ld to %ld is wanted, not \"%s\"", low, high, text);
    return l->bad ? low : number;
}

bool load_want_yes(load *l, yaml_node_t *node)
{
    const char *text = load_want_text(l, node, 8);
    if (strcmp(text, "yes") != 0 && strcmp(text, "no") != 0)
        load_complain(l, node, "yes or no is wanted, not \"%s\"", text);
    return text[0] == 'y';
}

void load_want_kind(load *l, yaml_node_t *node, yaml_node_type_t type)
{
    if (node->type != type)
        load_complain(l, node,
                      type == YAML_MAPPING_NODE ? "a mapping (key: value) is wanted here" : "a list is wanted here");
}

/* Which of these names is it? `names` ends with NULL. */
int load_want_name(load *l, yaml_node_t *node, const char *const *names)
{
    const char *text = load_want_text(l, node, NAME_LIMIT);
    for (int i = 0; names[i]; i++)
        if (strcmp(names[i], text) == 0)
            return i;
    char all[200] = "";
    for (int i = 0; names[i]; i++) {
        size_t used = strlen(all);
        snprintf(all + used, sizeof all - used, "%s%s", i ? ", " : "", names[i]);
    }
    load_complain(l, node, "\"%s\" is none of: %s", text, all);
    return 0;
}

/* The value of a key, or NULL. Looks at every key and complains of unknown and doubled ones when given `keys`. */
yaml_node_t *load_get(load *l, yaml_node_t *map, const char *key)
{
    for (yaml_node_pair_t *pair = map->data.mapping.pairs.start; pair < map->data.mapping.pairs.top; pair++) {
        yaml_node_t *name = load_node(l, pair->key);
        if (name->type == YAML_SCALAR_NODE && strcmp(node_text(name), key) == 0)
            return load_node(l, pair->value);
    }
    return NULL;
}

yaml_node_t *load_need(load *l, yaml_node_t *map, const char *key)
{
    yaml_node_t *node = load_get(l, map, key);
    if (!node)
        load_complain(l, map, "\"%s\" is missing here", key);
    return node;
}

/* `keys`: the known ones, ends with NULL. */
void load_check_keys(load *l, yaml_node_t *map, const char *const *keys)
{
    load_want_kind(l, map, YAML_MAPPING_NODE);
    for (yaml_node_pair_t *pair = map->data.mapping.pairs.start; !l->bad && pair < map->data.mapping.pairs.top;
         pair++) {
        yaml_node_t *name = load_node(l, pair->key);
        const char *text = load_want_text(l, name, BIL_ID_MAX);
        for (yaml_node_pair_t *other = map->data.mapping.pairs.start; !l->bad && other < pair; other++)
            if (strcmp(text, node_text(load_node(l, other->key))) == 0)
                load_complain(l, name, "\"%s\" stands here twice", text);
        bool known = !keys;
        for (int i = 0; keys && keys[i] && !known; i++)
            known = strcmp(keys[i], text) == 0;
        if (!known)
            load_complain(l, name, "\"%s\" is no key that belongs here", text);
    }
}

const char *load_keep(load *l, const char *text)
{
    return strcpy(load_take(l, strlen(text) + 1), text);
}

size_t load_want_list(load *l, yaml_node_t *list, size_t most)
{
    load_want_kind(l, list, YAML_SEQUENCE_NODE);
    size_t count = l->bad ? 0 : (size_t)(list->data.sequence.items.top - list->data.sequence.items.start);
    if (count > most)
        load_complain(l, list, "there are at most %zu of these", most);
    return count;
}

const char *const *load_texts(load *l, yaml_node_t *list, size_t most, uint8_t *count)
{
    load_want_kind(l, list, YAML_SEQUENCE_NODE);
    size_t n = l->bad ? 0 : (size_t)(list->data.sequence.items.top - list->data.sequence.items.start);
    if (!l->bad && (n == 0 || n > 255))
        load_complain(l, list, "there must be 1 to 255 of these");
    const char **texts = load_take(l, (n + 1) * sizeof *texts);
    for (size_t i = 0; i < n && !l->bad; i++)
        texts[i] = load_keep(l, load_want_text(l, load_node(l, list->data.sequence.items.start[i]), most));
    *count = (uint8_t)n;
    return texts;
}

uint16_t load_number(load *l, yaml_node_t *map, const char *key, long low, long high, long usual)
{
    yaml_node_t *node = load_get(l, map, key);
    return (uint16_t)(node ? load_want_number(l, node, low, high) : usual);
}

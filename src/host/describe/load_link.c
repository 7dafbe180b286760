/* What the link is: registers, a console, documents; and how it keeps time. */
#include "host/describe/loading.h"

void load_link(load *l, yaml_node_t *map)
{
    static const load_link_kind registers = {"registers", false, load_cell_link, load_cell_space, NULL, NULL};
    static const load_link_kind *const kinds[] = {&registers, &load_console, &load_http};
    enum { KINDS = sizeof kinds / sizeof kinds[0] };
    const char *names[KINDS + 1] = {NULL};
    for (size_t i = 0; i < KINDS; i++)
        names[i] = kinds[i]->name;
    load_want_kind(l, map, YAML_MAPPING_NODE);
    yaml_node_t *kind = l->bad ? NULL : load_get(l, map, "kind");
    l->kind = kinds[kind ? load_want_name(l, kind, names) : 0];
    if (!l->bad)
        l->kind->link(l, map);
    if (l->bad)
        return;
    if (l->kind->keys)
        l->table->spaces = l->own_spaces = load_take(l, SPACES_LIMIT * sizeof *l->own_spaces);
    l->table->link = (bil_link_limits){
        .reply_ms = load_number(l, map, "reply_ms", 1, 60000, 500),
        .late_ms = load_number(l, map, "late_ms", 1, 60000, 2000),
        .busy_ms = load_number(l, map, "busy_ms", 1, 60000, 200),
        .busy_tries = load_number(l, map, "busy_tries", 0, 1000, 25),
        .pause_ms = load_number(l, map, "pause_ms", 0, 5000, 0),
        .request_cost = load_number(l, map, "request_cost", 1, 10000, 1),
        .cell_cost = load_number(l, map, "cell_cost", 0, 10000, 0),
    };
    bil_link_limits *link = &l->table->link;
    link->write_pause_ms = load_number(l, map, "write_pause_ms", link->pause_ms, 5000, link->pause_ms);
}

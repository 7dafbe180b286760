/* Patterns of what a device says and is told; see bilancia/console.h. */
#include <string.h>

#include "host/describe/loading.h"

enum { PATTERN = 200 }; /* bytes */

const char *load_want_pattern(load *l, yaml_node_t *node)
{
    const char *text = load_want_text(l, node, PATTERN);
    int open = 0;
    for (const char *c = text; *c && !l->bad; c++) {
        bool twice = (*c == '{' || *c == '}') && c[1] == *c && !open;
        open += twice ? 0 : *c == '{' ? 1 : *c == '}' ? -1 : 0;
        c += twice;
        if (open < 0 || open > 1)
            load_complain(l, node, "braces stand in pairs here, {value}; one that means itself is written twice");
    }
    if (!l->bad && open)
        load_complain(l, node, "a brace isn't closed");
    if (!l->bad && (!*text || !bil_text_is_printable(text, strlen(text))))
        load_complain(l, node, "this has to be text that can be seen");
    return load_keep(l, text);
}

/* How choices, bools and empty texts are said where a device speaks in words. */
#include <string.h>

#include "bilancia/console.h"
#include "host/describe/loading.h"

/* `words: [off, on]`, as many as there are choices and in their order. */
void load_words(load *l, yaml_node_t *map, bil_format *format)
{
    yaml_node_t *node = load_get(l, map, "words");
    size_t needs = bil_words_of(format);
    uint8_t count = 0;
    if (!node || l->bad)
        return;
    if (!l->kind->keys || needs == 0) {
        load_complain(l, node, "words are for choices, a bool or an empty text where a device speaks in words");
        return;
    }
    format->words = load_texts(l, node, NAME_LIMIT, &count);
    if (!l->bad && count != needs)
        load_complain(l, node,
                      "there are %zu words here, as many as choices; of a bool two, of a text the one for an empty one",
                      needs);
    for (uint8_t i = 0; i < count && !l->bad; i++)
        for (uint8_t k = 0; k < i && !l->bad; k++)
            if (strcmp(format->words[i], format->words[k]) == 0)
                load_complain(l, node, "\"%s\" stands here twice", format->words[i]);
}

#include "host/site/card.h"

#include <stdio.h>
#include <stdlib.h>
#include <string.h>
#include <utf8proc.h>

#include "bilancia/host_error.h"
#include "host/base/json.h"
#include "host/site/site.h"

static const char *word(const json_t *card, const char *key)
{
    const char *t = json_string_value(json_object_get(card, key));
    return t ? t : "";
}

/* ---- several ---- */

static int strictness(const json_t *card)
{
    return strcmp(word(card, "limit"), "trials") == 0 ? 1 : word(card, "limit")[0] ? 2 : 0;
}

static bool has(const json_t *list, const char *name)
{
    size_t i;
    json_t *one;
    json_array_foreach(list, i, one)
    {
        if (json_is_string(one) && strcmp(json_string_value(one), name) == 0)
            return true;
    }
    return false;
}

/* Who may write by both; a card without writers names everybody. */
static void keep_writers_of_both(json_t *card, const json_t *other)
{
    const json_t *theirs = json_object_get(other, "writers"), *ours = json_object_get(card, "writers");
    if (json_array_size(theirs) == 0)
        return;
    json_t *both = jn_array(), *one;
    size_t i;
    json_array_foreach(theirs, i, one)
    {
        if (json_is_string(one) && (json_array_size(ours) == 0 || has(ours, json_string_value(one))))
            jn_add_shared(both, one);
    }
    if (json_array_size(both) == 0) /* else an empty list would mean everybody */
        jn_put(card, "nobody", json_true());
    jn_put(card, "writers", both);
}

/* What one wrote, without who, when and why. */
static json_t *substance(const json_t *card)
{
    static const char *const aside[] = {"who", "when", "why", "after", "unique", "bilancia_note"};
    json_t *copy = jn_copy((json_t *)(uintptr_t)card);
    for (size_t i = 0; i < sizeof aside / sizeof aside[0]; i++)
        json_object_del(copy, aside[i]);
    return copy;
}

json_t *card_of(const json_t *heads, bool *disputed)
{
    size_t count = json_array_size(heads);
    *disputed = false;
    if (count == 0)
        return NULL;
    const json_t *newest = json_object_get(json_array_get(heads, count - 1), "note");
    json_t *card = jn_deep_copy(newest), *says = substance(newest);
    for (size_t i = 0; i + 1 < count; i++) {
        const json_t *other = json_object_get(json_array_get(heads, i), "note");
        json_t *theirs = substance(other);
        *disputed = *disputed || !json_equal(says, theirs);
        json_decref(theirs);
        if (strictness(other) > strictness(card))
            jn_put_shared(card, "limit", json_object_get(other, "limit"));
        keep_writers_of_both(card, other);
    }
    json_decref(says);
    return card;
}

bool card_is_sound(const json_t *card)
{
    static const char *const texts[] = {"address", "group", "description", "limit", "signed_by", "storage", "why"};
    const char *name = json_string_value(json_object_get(card, "name"));
    const json_t *writers = json_object_get(card, "writers");
    for (size_t i = 0; i < sizeof texts / sizeof texts[0]; i++) {
        const json_t *text = json_object_get(card, texts[i]);
        if (text && (!json_is_string(text) || json_string_length(text) >= SET_TEXT))
            return false;
    }
    return name && site_name_is_good(name) && (!writers || json_is_array(writers));
}

void card_key(const char *name, char key[CARD_KEY])
{
    utf8proc_uint8_t *folded = utf8proc_NFKC_Casefold((const utf8proc_uint8_t *)name);
    snprintf(key, CARD_KEY, "%s", folded ? (const char *)folded : name);
    free(folded);
}

/* ---- may it be ---- */

int card_allows(const json_t *card, const char *name, const char *unclear, const card_wish *wish, char *why,
                size_t size)
{
    const json_t *writers = json_object_get(card, "writers");
    const char *limit = word(card, "limit");
    if (unclear[0] && !wish->despite) {
        snprintf(why, size, "%.200s: %.300s", name, unclear);
        return BIL_E_CARD;
    }
    if (unclear[0]) /* decided, and recorded */
        return BIL_OK;
    if (strcmp(limit, "trials") == 0 && !wish->tries)
        snprintf(why, size, "%.200s: values may only be tried there", name);
    else if (limit[0] && strcmp(limit, "trials") != 0)
        snprintf(why, size, "%.200s: it may only be read", name);
    else if (json_array_size(writers) != 0 && !has(writers, wish->person))
        snprintf(why, size, "%.200s: %.100s may not write to it", name, wish->person);
    else if (json_array_size(writers) != 0 && wish->login[0] && !has(writers, wish->login))
        snprintf(why, size, "%.200s: %.100s is logged in here and may not write to it, whoever is named", name,
                 wish->login);
    else
        return BIL_OK;
    return BIL_E_NOT_ALLOWED;
}

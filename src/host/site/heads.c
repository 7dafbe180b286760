/* What notes say now: those that no other follows. */
#include <string.h>

#include "host/base/json.h"
#include "host/site/index_inside.h"

const char *index_word(const json_t *object, const char *key)
{
    const char *t = json_string_value(json_object_get(object, key));
    return t ? t : "";
}

static bool in_list(const json_t *list, const char *id)
{
    size_t i;
    json_t *entry;
    json_array_foreach(list, i,
                       entry) if (json_is_string(entry) && strcmp(json_string_value(entry), id) == 0) return true;
    return false;
}

json_t *index_json(db_answer *s, int column)
{
    return jn_read(db_text(s, column), strlen(db_text(s, column)), NULL);
}

/* The notes of one kind that no other follows, the newest last. An array of {"id", "note"}. */
json_t *note_heads(const site_index *x, const char *device, const char *kind)
{
    json_t *all = jn_array(), *left = jn_array();
    db_answer *s =
        db_ask(x->db, "SELECT id, body FROM notes WHERE device = ? AND kind = ? ORDER BY at, id", "ss", device, kind);
    while (db_next(x->db, s))
        jn_add(all, jn_pack("{s:s,s:o?}", "id", db_text(s, 0), "note", index_json(s, 1)));
    db_done(x->db, s);
    size_t i, k;
    json_t *entry, *other;
    json_array_foreach(all, i, entry)
    {
        bool followed = false;
        const char *id = json_string_value(json_object_get(entry, "id"));
        json_array_foreach(all, k, other) followed =
            followed || in_list(json_object_get(json_object_get(other, "note"), "after"), id);
        if (!followed)
            jn_add_shared(left, entry);
    }
    json_decref(all);
    return left;
}

/* Do these heads disagree about what a key says? */
bool note_heads_disagree(const json_t *list, const char *key)
{
    const json_t *first = json_object_get(json_object_get(json_array_get(list, 0), "note"), key);
    size_t i;
    json_t *entry;
    json_array_foreach(list, i,
                       entry) if (!json_equal(json_object_get(json_object_get(entry, "note"), key), first)) return true;
    return false;
}

/* The notes that give this name and that no later one follows. */
json_t *note_namings(const site_index *x, const char *device, const char *name)
{
    json_t *all = note_heads(x, device, "named"), *its = jn_array(), *entry;
    size_t i;
    json_array_foreach(all, i, entry)
    {
        if (strcmp(index_word(json_object_get(entry, "note"), "name"), name) == 0)
            jn_add_shared(its, entry);
    }
    json_decref(all);
    return its;
}

json_t *index_name_heads(site_index *x, const char *folder, const char *name)
{
    json_t *list = note_namings(x, folder, name), *ids = jn_array(), *entry;
    size_t i;
    json_array_foreach(list, i, entry) jn_add_shared(ids, json_object_get(entry, "id"));
    json_decref(list);
    return ids;
}

json_t *index_heads(site_index *x, const char *folder, const char *kind)
{
    json_t *list = note_heads(x, folder, kind), *ids = jn_array();
    size_t i;
    json_t *entry;
    json_array_foreach(list, i, entry) jn_add_shared(ids, json_object_get(entry, "id"));
    json_decref(list);
    return ids;
}

#include "host/site/marks.h"
#include "host/base/json.h"

static int add(site_index *x, const device_row *owner, const char *kind, const char *who, json_t *body)
{
    return note_add(x->site, owner->folder, kind, who, body, NULL);
}

int mark_note(site_index *x, const device_row *owner, const copy_row *copy, const char *text, const char *who)
{
    json_t *body = jn_pack("{s:s}", "text", text);
    if (copy)
        jn_put(body, "about", jn_string(copy->digest));
    return add(x, owner, "note", who, body);
}

int mark_baseline(site_index *x, const device_row *owner, copy_row *copy, const char *why, const char *who)
{
    if (index_verify(x, copy) == COPY_DAMAGED)
        return BIL_E_SET_ALTERED;
    return add(x, owner, "baseline", who,
               jn_pack("{s:s,s:s,s:o}", "about", copy->digest, "text", why ? why : "", "after",
                       index_heads(x, owner->folder, "baseline")));
}

int mark_name(site_index *x, const device_row *owner, const copy_row *copy, const char *name, const char *who)
{
    if (!index_name_is_good(name))
        return BIL_E_CALL;
    return add(x, owner, "named", who,
               jn_pack("{s:s,s:s,s:o}", "about", copy->digest, "name", name, "after",
                       index_name_heads(x, owner->folder, name)));
}

int mark_back(site_index *x, const device_row *owner, const char *name, const char *who)
{
    copy_row copy;
    if (index_copy(x, owner, name ? name : "baseline", &copy) == BIL_E_NO_COPY)
        return BIL_E_NO_COPY;
    json_t *body = jn_pack("{s:s,s:o}", "about", "", "after",
                           name ? index_name_heads(x, owner->folder, name) : index_heads(x, owner->folder, "baseline"));
    jn_put(body, name ? "name" : "text", jn_string(name ? name : ""));
    return add(x, owner, name ? "named" : "baseline", who, body);
}

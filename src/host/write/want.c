/* What is to be written: the copy, as far as it is wanted. */
#include <jansson.h>
#include <stdlib.h>
#include <string.h>

#include "host/base/json.h"
#include "host/describe/choice.h"
#include "host/write/inside.h"
#include "port/memory.h"

/* The values before the story that is gone on with, to tell what was changed since by other hands. */
void write_load_before(write_call *w, const catalogue *m)
{
    int error = copy_load(&w->before, w->before_path, m, true);
    if (!error && w->before.description == w->want.description)
        return;
    if (error) /* nobody is kept from putting it right because of that */
        write_doubt(w, "what was changed meanwhile can't be told", error, w->before.why);
    copy_unload(&w->before);
    w->before = (loaded_copy){0};
    w->before_path[0] = '\0';
}

int write_load_copy(write_call *w, const catalogue *m)
{
    int error = copy_load(&w->want, w->copy, m, w->undoes);
    const bil_description *d = w->want.description;
    if (error && !d && (error == BIL_E_OTHER_LAYOUT || error == BIL_E_UNKNOWN_MODEL))
        return write_fail(w, w->copy, error,
                          error == BIL_E_OTHER_LAYOUT ? NULL
                                                      : "there is no description of the model that this copy is from");
    if (error)
        return write_fail(w, "", error, w->want.why);
    char digest[2 * BIL_SHA256 + 1]; /* of what was loaded, whatever was looked at before */
    set_digest_hex(w->want.totals.digest, digest);
    if (w->expected_digest[0] && strcmp(digest, w->expected_digest) != 0)
        return write_fail(w, w->copy, BIL_E_SET_ALTERED, "another copy has taken the place of the one that was meant");
    for (uint16_t i = 0; i < d->count; i++) { /* what a whole copy should have and hasn't */
        const bil_param *p = &d->params[i];
        bool kept = p->flags & BIL_READABLE && !bil_class_left_out((bil_class)p->cls);
        /* its unit may be one without it; and where somebody chose another mode, the device's own value comes along */
        const bil_image *image = &w->want.image;
        kept = kept && (!p->only || (!p->only->mode_count && p->only->holds(p->only, image, image)));
        if (kept && w->want.image.state[i] == BIL_ABSENT && choice_has(w->want.origin.scope, p))
            w->want.image.state[i] = BIL_UNREADABLE;
    }
    return BIL_OK;
}

/* What a reset brings, as far as the description knows it. */
int write_want_factory_values(write_call *w)
{
    const bil_description *d = w->dev.description;
    size_t size = bil_image_size(d);
    bil_image *want = &w->want.image;
    w->want.description = d;
    w->want.memory = mem_new(1, size);
    if (!w->want.memory)
        return write_fail(w, w->keep.address, BIL_E_MEMORY, NULL);
    bil_image_init(want, d, w->want.memory, size);
    bil_image_copy(want, &w->dev.image);
    for (uint16_t i = 0; i < d->count; i++)
        if (d->factory && d->factory_known[i])
            bil_image_put(want, i, d->factory + d->params[i].raw_at);
        else
            want->state[i] = BIL_ABSENT;
    for (uint16_t i = 0; i < d->count; i++) { /* what isn't there in the mode that it comes back in */
        const bil_only *only = d->params[i].only;
        if (only && !only->holds(only, &w->dev.image, want))
            want->state[i] = BIL_ABSENT;
    }
    set_origin_of(&w->want.origin, &w->dev.image);
    return BIL_OK;
}

/* Only the groups named are written; the others are as if the copy didn't have them. */
int write_keep_groups(write_call *w)
{
    const bil_description *d = w->want.description;
    if (!w->groups || !w->groups[0])
        return BIL_OK;
    char why[300];
    w->in_copy = mem_new(d->count, 1);
    if (!w->in_copy)
        return write_fail(w, "", BIL_E_MEMORY, NULL);
    memcpy(w->in_copy, w->want.image.state, d->count);
    if (!choice_is_known(d, w->groups, why, sizeof why))
        return write_fail(w, "", BIL_E_CALL, why);
    for (uint16_t i = 0; i < d->count; i++)
        if (!choice_has(w->groups, &d->params[i]))
            w->want.image.state[i] = BIL_ABSENT;
    return BIL_OK;
}

/* Values of which only the name is known are marked for the job. */
static int name_unseen(write_call *w)
{
    const bil_description *d = w->want.description;
    w->config.by_name = w->by_name = mem_new(d->count, 1);
    if (!w->by_name)
        return write_fail(w, "", BIL_E_MEMORY, NULL);
    for (const char *id = w->unseen ? w->unseen : ""; *id;) {
        size_t length = strcspn(id, ",");
        int32_t index = bil_description_find(d, id, length);
        if (index < 0)
            return write_fail(w, id, BIL_E_UNKNOWN_PARAMETER, NULL);
        w->by_name[index] = 1;
        id += length + (id[length] == ',');
    }
    return BIL_OK;
}

/* Values left out, each with its reason, and those of which only the name is known. */
int write_leave_out(write_call *w)
{
    if (!w->without)
        w->without = jn_object();
    for (const char *id = w->without_before ? w->without_before : ""; *id;) {
        size_t length = strcspn(id, ",");
        char name[BIL_ID_MAX + 1];
        snprintf(name, sizeof name, "%.*s", (int)length, id);
        if (!json_object_get(w->without, name))
            jn_put(w->without, name, jn_string("it was left out before in this story"));
        id += length + (id[length] == ',');
    }
    const char *id;
    json_t *why;
    json_object_foreach(w->without, id, why)
    {
        int32_t index = bil_description_find(w->want.description, id, strlen(id));
        if (index < 0)
            return write_fail(w, id, BIL_E_UNKNOWN_PARAMETER, NULL);
        w->want.image.state[index] = BIL_UNREADABLE;
    }
    return name_unseen(w);
}

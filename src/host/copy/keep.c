#include "host/copy/keep.h"

#include "host/base/time.h"

void keep_origin(set_origin *o, const bil_image *image, const char *who, const char *why, const char *from,
                 const char *parent)
{
    *o = (set_origin){.scope = "all"};
    set_origin_of(o, image);
    time_now(o->when, sizeof o->when);
    snprintf(o->who, SET_TEXT, "%s", who);
    snprintf(o->why, SET_TEXT, "%s", why);
    snprintf(o->from, SET_TEXT, "%s", from);
    snprintf(o->parent, SET_TEXT, "%s", parent);
}

void keep_name(const set_origin *o, bool in_site, const char *what, char *out, size_t size)
{
    char stem[200];
    set_file_stem(o, stem, sizeof stem);
    if (in_site)
        snprintf(out, size, "%s-%c.bset", stem, STORAGE_DIGEST);
    else
        snprintf(out, size, "%s%s%s.bset", stem, *what ? "_" : "", what);
}

/* Is a site sound? Looks at every file again: what was altered, what is gone, what doesn't belong there. */
#ifndef BIL_HOST_SITE_CHECK_H
#define BIL_HOST_SITE_CHECK_H

#include "host/site/index.h"

typedef struct site_check {
    /* Each thing found: `what` names it for programs, and always the same; `path` or the name of a device says where;
     * `why` is for a person. Not `harms`: it is only to be known, and nothing counts less because of it. */
    void (*found)(void *ctx, const char *what, const char *path, const char *why, bool harms);
    void *ctx;
    /* what was looked at, and came out */
    unsigned devices, copies, notes, findings, harmful;
} site_check;

/* BIL_OK, also where something was found; BIL_E_SITE_BROKEN when the site can't be read now. */
int site_check_all(site_index *x, site_check *c);

#endif

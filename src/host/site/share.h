/* Two copies of one site, brought together: what either has, both have afterwards. */
#ifndef BIL_HOST_SITE_SHARE_H
#define BIL_HOST_SITE_SHARE_H

#include "host/site/site.h"

typedef struct share_count {
    unsigned there, here;     /* files added to the other place, and to this one */
    unsigned clashes;         /* the same name with another content: one of them is damaged */
    unsigned passed_over;     /* files that couldn't be read */
    char clash[STORAGE_PATH]; /* the last of either */
} share_count;

/* `other` is made when it isn't there or empty. Where that brought anything, a note of the site says where the second
 * place is. BIL_E_SITE_BROKEN when it is another site, or no site. */
int site_share(const site *s, const char *other, const char *who, share_count *count, char *why, size_t why_size);

#endif

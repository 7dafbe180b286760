/* What a site keeps, and what it lets go: deleting one copy, and thinning out old ones by a rule. */
#ifndef BIL_HOST_SITE_KEEPING_H
#define BIL_HOST_SITE_KEEPING_H

#include <time.h>

#include "host/site/index.h"

/* Deletes a copy for good: a note that says who and why, then the file. BIL_E_KEPT for the first one, the baseline and
 * proved ones, or an error of the disk. */
int keeping_delete(site_index *x, const device_row *owner, const copy_row *copy, const char *why, const char *who);

/* All copies of the newest days stay; of so many weeks before, the newest of each; then of so many months; then none.
 */
typedef struct keeping_rule {
    int days, weeks, months;
} keeping_rule;

typedef struct keeping {
    keeping_rule rule;
    const char *only; /* the name of a device or of a group; NULL: all of the site */
    const char *who;  /* for the notes */
    time_t now;
    bool deletes; /* else it is only told */
    /* Each copy that goes, or would go. */
    void (*each)(void *ctx, const device_row *owner, const copy_row *copy);
    void *ctx;
    /* what came out */
    unsigned gone, stay;
} keeping;
/* The first, the newest, the baseline and those that somebody noted something on stay, whatever their age, and so does
 * one whose time makes no sense. BIL_OK, or the error with which deleting ended. */
int keeping_thin(site_index *x, keeping *wish);

#endif

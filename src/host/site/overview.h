/* How every device of a site stands. */
#ifndef BIL_HOST_SITE_OVERVIEW_H
#define BIL_HOST_SITE_OVERVIEW_H

#include "bilancia/site.h"
#include "host/site/standing.h"

typedef struct overview_row {
    char folder[SITE_FOLDER], name[SITE_NAME], group[SITE_NAME];
    bil_standing first;
    uint32_t all; /* 1 << bil_standing */
    int drift;    /* from the baseline; -1: not known */
    char asked[40];
    char why[SET_TEXT], since[40]; /* where it doesn't answer */
    char unit[100];                /* where it was exchanged: the serial number that belongs there */
    standing *left;                /* what a job left behind; NULL: nothing */
} overview_row;

typedef struct overview {
    overview_row *rows; /* what to look at first, first; then by group and name */
    size_t count, room;
    unsigned first[BIL_STANDING_COUNT], copies;
    unsigned only_here;                     /* copies made since the last second copy of the site */
    char second[SET_TEXT], second_when[40]; /* where and when that was; "" where there is none */
} overview;

/* BIL_OK, or BIL_E_MEMORY; it is to be freed in any case. */
int overview_make(overview *o, site_index *index);
void overview_free(overview *o);

/* One of them; `left` is to be freed. BIL_OK, or BIL_E_MEMORY. */
int overview_of(site_index *index, const device_row *row, const ledger *known, overview_row *out);

#endif

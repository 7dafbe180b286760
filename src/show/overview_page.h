/* The overview of a site as a page. */
#ifndef BIL_SHOW_OVERVIEW_PAGE_H
#define BIL_SHOW_OVERVIEW_PAGE_H

#include <stdio.h>

#include "host/site/overview.h"

/* One self-contained page: no network, no scripts. `index` is asked for the drift of each device over time. */
void overview_html(const overview *o, site_index *index, FILE *file);

#endif

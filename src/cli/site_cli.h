/* What the commands of a site share. */
#ifndef BIL_CLI_SITE_CLI_H
#define BIL_CLI_SITE_CLI_H

#include "cli/rooms.h"
#include "host/site/keeper.h"

/* Opens site and index. BIL_OK, or the error, which was said. */
int enter_site(open_site *h, const char *given);
void leave_site(open_site *h);
void leave_keeper(keeper *k);

/* The device of this name. BIL_OK or an error that was said; then `row` needs no device_row_free. */
int find_device(open_site *h, const char *name, device_row *row);
/* The copy that "NAME#WHICH" means; without #WHICH the last one. `owner` is to be freed when BIL_OK comes back. */
int find_copy(open_site *h, const char *text, device_row *owner, copy_row *row);

/* The descriptions of the site, added to those at hand. */
int take_models(const open_site *h, catalogue *m);

/* catalogue_open, and the descriptions of the site, if this is one. */
int catalogue_at_hand(catalogue *m, const char *file, const char *site_given);

/* What somebody gave as a place: a file or an address stays what it is; NAME#WHICH becomes the path of a copy (or the
 * address with #stored, #factory, #kept1 ...), and the name of a device its address. `out` takes STORAGE_PATH bytes.
 * BIL_OK or an error that was said. */
int place_of(const char *text, const char *site_given, char *out);

/* The same for a copy; `digest` (65 bytes) is the one that the site knows the copy by, "" for a file that was named. */
int place_of_copy(const char *text, const char *site_given, char *out, char *digest);

#endif

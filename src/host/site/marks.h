/* What people say of a device and of its copies afterwards: notes of the site (docs/site.md). `who` is the person. */
#ifndef BIL_HOST_SITE_MARKS_H
#define BIL_HOST_SITE_MARKS_H

#include "host/base/trouble.h"
#include "host/site/index.h"

/* A note to a device, or (`copy` not NULL) to one of its copies. */
int mark_note(site_index *x, const device_row *owner, const copy_row *copy, const char *text, const char *who);
/* From now on this copy counts as right for the device. BIL_E_SET_ALTERED where it is damaged. */
int mark_baseline(site_index *x, const device_row *owner, copy_row *copy, const char *why, const char *who);
/* Gives the copy a name of its own (index_name_is_good; else BIL_E_CALL). */
int mark_name(site_index *x, const device_row *owner, const copy_row *copy, const char *name, const char *who);

/* No copy goes by this name any more, or (NULL) counts as right. BIL_E_NO_COPY where none did. */
int mark_back(site_index *x, const device_row *owner, const char *name, const char *who);

/* What is to stand on the card of a device. NULL: as it was; "": taken away. */
typedef struct card_change {
    const char *name, *address, *group, *description, *signed_by, *storage, *why, *limit;
    const char *writers; /* who may write to it, with commas between */
    bool retired, in_service;
} card_change;
/* Is each of them what it has to be? BIL_OK, or what is wrong in `t`. */
int card_change_check(const card_change *change, trouble *t);
/* Writes a card: of this device, or (NULL) of a new one, which has a name and an address. BIL_E_CALL where the site has
 * one of that name already; `t` tells more. */
int card_write(site_index *x, const device_row *before, const card_change *change, const char *who, trouble *t);

#endif

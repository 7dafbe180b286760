/* Where what belongs to a device is kept (host/copy/keep.h), when there are sites: for a device of one its folders, its
 * cards and its notes; and also for a plain folder what the sites around it say of the device. */
#ifndef BIL_HOST_SITE_KEEPER_H
#define BIL_HOST_SITE_KEEPER_H

#include "host/copy/keep.h"
#include "host/site/open.h"

/* It points into itself: it stays where it was made. */
typedef struct keeper {
    keep keep;
    open_site *site; /* NULL: what is meant isn't a device of one */
    device_row owner;
    const char *given; /* the site, as somebody gave it, or NULL */
    char address[STORAGE_PATH], records[STORAGE_PATH], copies[STORAGE_PATH], collected[STORAGE_PATH];
} keeper;

/* A plain folder; texts outlive it. */
void keeper_in_folder(keeper *k, const char *folder, const char *address, const char *given);
/* The device of a site that `name` means, by name or address; an address that no site has is kept in this folder, and
 * so is any name where there is no site: whoever speaks to it will say that it is no address. */
int keeper_find(keeper *k, const char *name, const char *given, trouble *t);
/* False: the index of the site was damaged, see open_site_close. */
bool keeper_close(keeper *k);

#endif

/* Keeping what was read: what a copy says of itself, and what it is called. */
#ifndef BIL_HOST_COPY_KEEP_H
#define BIL_HOST_COPY_KEEP_H

#include "host/copy/set_file.h"

/* Of values read from a device just now: who read them, why, at which address, and the digest of the copy before this
 * one, "" where there is none. Texts that are too long are cut. */
void keep_origin(set_origin *origin, const bil_image *image, const char *who, const char *why, const char *from,
                 const char *parent);

/* The name of the file for a new copy. In a folder of a person's own it is told by device, serial number, time and
 * `what` ("" or what sets it apart); in a site by its digest, too, so that no other place gives the same one: that has
 * STORAGE_DIGEST in it. */
void keep_name(const set_origin *origin, bool in_site, const char *what, char *out, size_t size);

#endif

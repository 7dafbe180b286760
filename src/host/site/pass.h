/* Copies that come into a site from elsewhere, and that go elsewhere: byte for byte, never made anew. */
#ifndef BIL_HOST_SITE_PASS_H
#define BIL_HOST_SITE_PASS_H

#include "host/site/index.h"

/* Takes a copy that nobody read here in for a device, with a note on where it is `from` (text, may be ""). It has to be
 * whole, of the model of the device, and new to the site. `origin` is what it says of itself, `path` where it lies
 * then. BIL_OK, or an error; `why` tells what is meant, "" where the error says it. */
int site_take_in(site_index *x, const device_row *owner, const char *file, const char *from, const char *text,
                 const char *who, set_origin *origin, char path[STORAGE_PATH], char *why, size_t why_size);

/* Puts a copy of the site into a folder of a person's own. One that was damaged isn't handed out. */
int site_hand_out(site_index *x, copy_row *copy, const char *to, char *why, size_t why_size);

#endif

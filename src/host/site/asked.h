/* When a device was last asked, by this person at this computer, whether or not anything came of it: a file without
 * content for each, whose time says it, under the state folder (bilancia/asked/SITE/FOLDER). A site has no such notes:
 * there would be one for each question. */
#ifndef BIL_HOST_SITE_ASKED_H
#define BIL_HOST_SITE_ASKED_H

#include "host/site/index.h"

/* Just now. That this can't be kept is no error. */
void asked_now(const site *s, const char *folder);
/* When it was asked last, or its last copy was read, whichever is later (`when` of 40 bytes, as in notes); "" where
 * neither is known. */
void asked_last(const site *s, const device_row *row, char *when);
/* Is that so long ago that nobody can rely on it: more than ASKED_LONG days? */
enum { ASKED_LONG = 90 };
bool asked_long_ago(const char *when);

#endif

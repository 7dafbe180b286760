/* The word that a person meant, who typed one that there isn't. */
#ifndef BIL_SHOW_MEANT_H
#define BIL_SHOW_MEANT_H

#include "host/base/nearest.h"

typedef nearest meant;

/* Is this one nearer to what was typed than those before? Then it is `best`. */
void meant_offer(meant *m, const char *typed, const char *word);

#endif

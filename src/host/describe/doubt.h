/* What of a description can't be proved on a device. */
#ifndef BIL_HOST_DESCRIBE_DOUBT_H
#define BIL_HOST_DESCRIBE_DOUBT_H

#include "bilancia/description.h"

/* The i-th doubt, counted from 0, as a sentence: a procedure whose effect nothing shows, a restart that nothing shows,
 * units that nothing tells apart. False when there are no more. Such a model can be read all the same. */
bool description_doubt(const bil_description *description, unsigned i, char *out, size_t size);

#endif

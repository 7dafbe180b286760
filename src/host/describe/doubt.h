/* What can't be done, or not be proved, with a device by its description. */
#ifndef BIL_HOST_DESCRIBE_DOUBT_H
#define BIL_HOST_DESCRIBE_DOUBT_H

#include "bilancia/description.h"

/* The i-th doubt, counted from 0, as a sentence: a procedure whose effect nothing shows, a restart that nothing shows,
 * units that nothing tells apart, and procedures that are missing, with what can't be done without them. False when
 * there are no more. Such a model can be read all the same. */
bool description_doubt(const bil_description *description, unsigned i, char *out, size_t size);

#endif

/* Files brought from one folder into another. */
#ifndef BIL_HOST_COPY_BRING_H
#define BIL_HOST_COPY_BRING_H

#include <stdbool.h>

/* Adds a file to a folder under its name, durably, byte for byte, for nobody who may not read it now; "-2" comes before
 * its ending where the name is taken. */
int file_add(const char *from, const char *folder, const char *name);
/* The same, but nothing is done when it is there already; *same tells whether the content is the same. */
int file_bring(const char *from, const char *folder, const char *name, bool *was_there, bool *same);

#endif

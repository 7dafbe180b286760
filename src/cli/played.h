/* A simulated unit of a model for which there is only a description: what that says of values and procedures, played.
 * It proves nothing of the description: it can be as wrong as that is. */
#ifndef BIL_CLI_PLAYED_H
#define BIL_CLI_PLAYED_H

#include "bilancia/image.h"
#include "sim/played.h"

/* The model as described. `as` has the values that its units begin with; NULL: those that are delivered, as far as the
 * description knows them. `random`: any that it allows. NULL, and `why` says what a simulated unit has no room for.
 * Freed with sim_played_free, after its units. */
played_model *played_of(const bil_description *description, const bil_image *as, bool random, char *why, size_t size);

#endif

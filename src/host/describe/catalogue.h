/* The descriptions at hand. */
#ifndef BIL_HOST_DESCRIBE_CATALOGUE_H
#define BIL_HOST_DESCRIBE_CATALOGUE_H

#include <stdbool.h>
#include <stddef.h>

#include "bilancia/description.h"

enum { CATALOGUE_MAX = 64 };

/* Those that the program was built with, ended by NULL: one for each file in `descriptions`. The build makes the list.
 */
extern const bil_description *const descriptions_built_in[];

typedef struct catalogue {
    const bil_description *list[CATALOGUE_MAX];
    size_t count;
    bool disputed[CATALOGUE_MAX]; /* another one of the same model says other things, and nobody has decided */
    const char *given;            /* the model of the one that a person named: that is a decision; or NULL */
} catalogue;

/* The digest of all that a description says, 64 hex digits: layout, names, limits, rules, procedures. */
bool catalogue_digest(const bil_description *description, char hex[65]);

/* Looks for two of one model that differ, once all are at hand. Where the person at this computer has decided for one,
 * in `scope` (the id of a site, or ""), that goes before the others. `say` is called for each pair that is open. */
void catalogue_settle(catalogue *m, const char *scope,
                      void (*say)(void *ctx, const char *model, const char *digest, const char *other), void *ctx);
/* Puts the one with this digest before all others of its model, and takes that as decided. False: it isn't at hand. */
bool catalogue_choose(catalogue *m, const char *digest);
bool catalogue_is_disputed(const catalogue *m, const bil_description *description);

/* With this model and layout; NULL when there is none. `same_model`, when not NULL, becomes a description of that model
 * with another layout, or NULL. */
const bil_description *catalogue_find(const catalogue *m, const char *model, const char *layout,
                                      const bil_description **same_model);

#endif

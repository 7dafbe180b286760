/* The descriptions at hand. */
#ifndef BIL_HOST_MODELS_H
#define BIL_HOST_MODELS_H

#include "bilancia/description.h"

enum { MODELS_MAX = 64 };

typedef struct models {
    const bil_description *list[MODELS_MAX];
    size_t count;
} models;

/* With this model and layout; NULL when there is none. `same_model`, when not NULL, becomes a description of that model
 * with another layout, or NULL. */
const bil_description *models_find(const models *m, const char *model, const char *layout,
                                   const bil_description **same_model);

#endif

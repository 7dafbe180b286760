#include "models.h"

#include <string.h>

const bil_description *models_find(const models *m, const char *model, const char *layout,
                                   const bil_description **same_model)
{
    if (same_model)
        *same_model = NULL;
    for (size_t i = 0; i < m->count; i++) {
        if (strcmp(m->list[i]->model, model) != 0)
            continue;
        if (strcmp(m->list[i]->layout, layout) == 0)
            return m->list[i];
        if (same_model)
            *same_model = m->list[i];
    }
    return NULL;
}

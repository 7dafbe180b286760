/* Descriptions. A wrong one gives a place; a right one can be used. */
#include <stdlib.h>
#include <string.h>

#include "host/describe/load.h"

int LLVMFuzzerTestOneInput(const uint8_t *data, size_t size);

int LLVMFuzzerTestOneInput(const uint8_t *data, size_t size)
{
    loaded_description loaded;
    char why[300] = "";
    if (description_load_text(&loaded, "x", (const char *)data, size, why, sizeof why) != BIL_OK) {
        if (strncmp(why, "x:", 2) != 0)
            abort();
        return 0;
    }
    const bil_description *d = &loaded.table;
    for (uint16_t i = 0; i < d->count; i++) {
        if (bil_description_find(d, d->params[i].id, strlen(d->params[i].id)) != i)
            abort();
        uint8_t raw[BIL_TEXT_MAX] = {0};
        char text[BIL_VALUE_TEXT];
        bil_value_check(d->params[i].format, raw);
        if (bil_value_text(d->params[i].format, raw, NULL, text, sizeof text) == BIL_E_SPACE)
            abort();
    }
    description_free(&loaded);
    return 0;
}

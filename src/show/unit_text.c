#include "show/unit_text.h"

#include <stdio.h>
#include <string.h>

const char *unit_text(const unit_says *says, char out[UNIT_TEXT])
{
    const char *const parts[][2] = {
        {"hardware", says->hardware}, {"firmware", says->firmware}, {"serial number", says->serial}};
    const char *vendor = says->vendor ? says->vendor : "";
    snprintf(out, UNIT_TEXT, "%.250s%s%.250s", vendor, vendor[0] ? " " : "", says->model);
    for (size_t i = 0; i < sizeof parts / sizeof parts[0]; i++) {
        size_t used = strlen(out);
        if (parts[i][1] && parts[i][1][0])
            snprintf(out + used, UNIT_TEXT - used, ", %s %.250s%s", parts[i][0], parts[i][1],
                     i == 1 && says->doubt ? says->doubt : "");
    }
    return out;
}

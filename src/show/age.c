#include "show/age.h"

#include <stdio.h>
#include <time.h>

void age_text(const char *when, char *out, size_t size)
{
    struct tm then = {0};
    if (!strptime(when, "%Y-%m-%dT%H:%M:%S", &then)) { /* what follows are parts of a second */
        snprintf(out, size, "of unknown age");
        return;
    }
    double seconds = difftime(time(NULL), timegm(&then));
    static const struct {
        double seconds;
        const char *name;
    } units[] = {{86400, "day"}, {3600, "hour"}, {60, "minute"}, {1, "second"}};
    if (seconds < 0) {
        snprintf(out, size, "dated in the future: check the clock");
        return;
    }
    for (size_t i = 0; i < 4; i++)
        if (seconds >= units[i].seconds || i == 3) {
            long count = (long)(seconds / units[i].seconds);
            snprintf(out, size, "%ld %s%s ago", count, units[i].name, count == 1 ? "" : "s");
            return;
        }
}

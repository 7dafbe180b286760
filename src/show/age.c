#include "show/age.h"

#include <stdio.h>
#include <time.h>

static const struct {
    double seconds;
    const char *name;
} units[] = {{86400, "day"}, {3600, "hour"}, {60, "minute"}, {1, "second"}};

void age_text(const char *when, char *out, size_t size)
{
    struct tm then = {0};
    if (!strptime(when, "%Y-%m-%dT%H:%M:%S", &then)) { /* what follows are parts of a second */
        snprintf(out, size, "of unknown age");
        return;
    }
    double seconds = difftime(time(NULL), timegm(&then));
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

void left_text(uint64_t ms, uint32_t done, uint32_t total, char *out, size_t size)
{
    enum { KNOWN_MS = 4000, WORTH_S = 10 };
    double seconds = done && done < total ? (double)ms / 1000 * (total - done) / done : 0;
    out[0] = '\0';
    if (ms < KNOWN_MS || seconds < WORTH_S)
        return;
    int i = seconds >= 1.5 * 3600 ? 1 : seconds >= 90 ? 2 : 3;
    long step = i == 3 ? 10 : 1, count = (long)(seconds / units[i].seconds / (double)step + 0.5) * step;
    snprintf(out, size, "about %ld %ss", count, units[i].name);
}

#include "host/base/time.h"

#include <stdio.h>
#include <time.h>

void time_now(char *out, size_t size)
{
    time_t now = time(NULL);
    struct tm utc;
    gmtime_r(&now, &utc);
    strftime(out, size, "%Y-%m-%dT%H:%M:%SZ", &utc);
}

void time_moment(char out[48])
{
    struct timespec now;
    clock_gettime(CLOCK_REALTIME, &now);
    struct tm utc;
    gmtime_r(&now.tv_sec, &utc);
    char second[32];
    strftime(second, sizeof second, "%Y-%m-%dT%H:%M:%S", &utc);
    snprintf(out, 48, "%s.%03ldZ", second, now.tv_nsec / 1000000);
}

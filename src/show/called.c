#include "show/called.h"

#include <stdio.h>

const char *called(const bil_site_copy *copy, char out[CALLED])
{
    if (copy->number)
        snprintf(out, CALLED, "%u", copy->number);
    else
        snprintf(out, CALLED, "%.6s", copy->digest);
    return out;
}

#include "bilancia/bilancia.h"

#include <stdint.h>
#include <string.h>

#include "bytes.h"

static const char names[] =
#define ENTRY(number, NAME, name, text) name "\0"
    BIL_ERRORS(ENTRY)
#undef ENTRY
        "unknown\0";

static const uint8_t numbers[] = {
#define ENTRY(number, NAME, name, text) number,
    BIL_ERRORS(ENTRY)
#undef ENTRY
};

const char *bil_error_name(int error)
{
    unsigned i = 0;
    while (i < sizeof numbers && numbers[i] != error)
        i++;
    return bil_nth(names, i);
}

int bil_error_from_name(const char *name, unsigned long length)
{
    unsigned i = (unsigned)bil_place(names, name, length);
    return i < sizeof numbers ? numbers[i] : -1;
}

unsigned bil_version(void)
{
    return BIL_VERSION;
}

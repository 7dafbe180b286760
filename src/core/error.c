#include "bilancia/bilancia.h"

#include <stdint.h>
#include <string.h>

#include "bytes.h"

static const char texts[] =
#define ENTRY(number, NAME, name, text) name "\0" text "\0"
    BIL_ERRORS(ENTRY)
#undef ENTRY
        "unknown\0unknown error\0";

static const uint8_t numbers[] = {
#define ENTRY(number, NAME, name, text) number,
    BIL_ERRORS(ENTRY)
#undef ENTRY
};

static unsigned place_of(int error)
{
    unsigned i = 0;
    while (i < sizeof numbers && numbers[i] != error)
        i++;
    return 2 * i;
}

const char *bil_error_name(int error)
{
    return bil_nth(texts, place_of(error));
}

const char *bil_error_text(int error)
{
    return bil_nth(texts, place_of(error) + 1);
}

int bil_error_from_name(const char *name, unsigned long length)
{
    unsigned i = (unsigned)bil_place(texts, 2, name, length);
    return i < sizeof numbers ? numbers[i] : -1;
}

unsigned bil_version(void)
{
    return BIL_VERSION;
}

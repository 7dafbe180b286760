#include "bilancia/bilancia.h"

#include <stdint.h>
#include <string.h>

/* Name and text lie behind each other, so that each error costs one pointer. */
static const char *const texts[] = {
#define ENTRY(number, NAME, name, text) name "\0" text,
    BIL_ERRORS(ENTRY)
#undef ENTRY
};

static const uint8_t numbers[] = {
#define ENTRY(number, NAME, name, text) number,
    BIL_ERRORS(ENTRY)
#undef ENTRY
};

const char *bil_error_name(int error)
{
    for (unsigned i = 0; i < sizeof numbers; i++)
        if (numbers[i] == error)
            return texts[i];
    return "unknown\0unknown error";
}

const char *bil_error_text(int error)
{
    const char *name = bil_error_name(error);
    return name + strlen(name) + 1;
}

int bil_error_from_name(const char *name, unsigned long length)
{
    for (unsigned i = 0; i < sizeof numbers; i++)
        if (strlen(texts[i]) == length && memcmp(texts[i], name, length) == 0)
            return numbers[i];
    return -1;
}

unsigned bil_version(void)
{
    return BIL_VERSION;
}

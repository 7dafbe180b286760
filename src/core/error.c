#include "bilancia/error.h"

#include <string.h>

typedef struct entry {
    int number;
    const char *name, *text;
} entry;

static const entry entries[] = {
#define ENTRY(number, NAME, name, text) {number, name, text},
    BIL_ERRORS(ENTRY)
#undef ENTRY
};

static const entry unknown = {-1, "unknown", "unknown error"};

static const entry *find(int error)
{
    for (size_t i = 0; i < sizeof entries / sizeof entries[0]; i++)
        if (entries[i].number == error)
            return &entries[i];
    return &unknown;
}

const char *bil_error_name(int error)
{
    return find(error)->name;
}

const char *bil_error_text(int error)
{
    return find(error)->text;
}

int bil_error_from_name(const char *name, unsigned long length)
{
    for (size_t i = 0; i < sizeof entries / sizeof entries[0]; i++)
        if (strlen(entries[i].name) == length && memcmp(entries[i].name, name, length) == 0)
            return entries[i].number;
    return -1;
}

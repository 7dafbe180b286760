#include "bilancia/host_error.h"

#include <stddef.h>

typedef struct entry {
    int number;
    const char *name, *text;
} entry;

static const entry *find(int error)
{
    static const entry entries[] = {
#define ENTRY(number, NAME, name, text) {number, name, text},
        BIL_ERRORS(ENTRY) BIL_HOST_ERRORS(ENTRY)
#undef ENTRY
    };
    for (size_t i = 0; i < sizeof entries / sizeof entries[0]; i++)
        if (entries[i].number == error)
            return &entries[i];
    return NULL;
}

const char *bil_host_error_name(int error)
{
    const entry *own = find(error);
    return own ? own->name : bil_error_name(error);
}

const char *bil_host_error_text(int error)
{
    const entry *own = find(error);
    return own ? own->text : "unknown error";
}

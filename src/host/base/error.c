#include "bilancia/host_error.h"

#include <stddef.h>

#include "bilancia/job.h"

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

const char *bil_event_name(unsigned event)
{
    static const char *const names[BIL_EVENT_COUNT] = {
#define NAME(NAME_, name, text) name,
        BIL_EVENTS(NAME)
#undef NAME
    };
    return event < BIL_EVENT_COUNT ? names[event] : "";
}

const char *bil_event_text(unsigned event)
{
    static const char *const texts[BIL_EVENT_COUNT] = {
#define TEXT(NAME, name, text) text,
        BIL_EVENTS(TEXT)
#undef TEXT
    };
    return event < BIL_EVENT_COUNT ? texts[event] : "";
}

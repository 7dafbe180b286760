#include "bilancia/words.h"

#include <stddef.h>
#include <string.h>

static const char *nth(const char *const *list, size_t count, unsigned n, const char *none)
{
    return n < count ? list[n] : none;
}
#define NTH(list, n, none) nth(list, sizeof list / sizeof list[0], (unsigned)(n), none)

const char *bil_verdict_name(bil_verdict verdict)
{
    static const char *const names[] = {
#define NAME(NAME_, name, text) name,
        BIL_VERDICTS(NAME)
#undef NAME
    };
    return NTH(names, verdict, "?");
}

const char *bil_verdict_text(bil_verdict verdict)
{
    static const char *const texts[] = {
#define TEXT(NAME, name, text) text,
        BIL_VERDICTS(TEXT)
#undef TEXT
    };
    return NTH(texts, verdict, "?");
}

const char *bil_event_name(unsigned event)
{
    static const char *const names[] = {
#define NAME(NAME_, name, text) name,
        BIL_EVENTS(NAME)
#undef NAME
    };
    return NTH(names, event, "");
}

const char *bil_event_text(unsigned event)
{
    static const char *const texts[] = {
#define TEXT(NAME, name, text) text,
        BIL_EVENTS(TEXT)
#undef TEXT
    };
    return NTH(texts, event, "");
}

const char *bil_relation_name(bil_relation relation)
{
    static const char *const names[] = {
#define NAME(NAME_, name, mark, text) name,
        BIL_RELATIONS(NAME)
#undef NAME
    };
    return NTH(names, relation, "?");
}

const char *bil_relation_mark(bil_relation relation)
{
    static const char *const marks[] = {
#define MARK(NAME, name, mark, text) mark,
        BIL_RELATIONS(MARK)
#undef MARK
    };
    return NTH(marks, relation, "?");
}

static const char *const purposes[] = {"restore", "replacement", "clone"};

const char *bil_purpose_name(bil_purpose purpose)
{
    return NTH(purposes, purpose, "?");
}

int bil_purpose_from_name(const char *name)
{
    for (int i = 0; i < BIL_PURPOSE_COUNT; i++)
        if (strcmp(purposes[i], name) == 0)
            return i;
    return -1;
}

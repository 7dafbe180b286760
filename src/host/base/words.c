#include "bilancia/words.h"

#include <stddef.h>
#include <string.h>

/* Two words for one thing, as the lists have them. */
typedef struct words {
    const char *name, *said;
} words;
#define WORDS(NAME, name, said) {name, said},
#define WORDS_OF(NAME, name, mark, text) {name, mark},

static const words verdicts[] = {BIL_VERDICTS(WORDS)}, events[] = {BIL_EVENTS(WORDS)},
                   relations[] = {BIL_RELATIONS(WORDS_OF)},
                   purposes[BIL_PURPOSE_COUNT] = {{"restore", ""}, {"replacement", ""}, {"clone", ""}};

static words nth(const words *list, size_t size, unsigned n, const char *none)
{
    return n < size / sizeof *list ? list[n] : (words){none, none};
}
#define NTH(list, n, none) nth(list, sizeof list, (unsigned)(n), none)

const char *bil_verdict_name(bil_verdict verdict)
{
    return NTH(verdicts, verdict, "?").name;
}

const char *bil_verdict_text(bil_verdict verdict)
{
    return NTH(verdicts, verdict, "?").said;
}

const char *bil_event_name(unsigned event)
{
    return NTH(events, event, "").name;
}

const char *bil_event_text(unsigned event)
{
    return NTH(events, event, "").said;
}

const char *bil_relation_name(bil_relation relation)
{
    return NTH(relations, relation, "?").name;
}

const char *bil_relation_mark(bil_relation relation)
{
    return NTH(relations, relation, "?").said;
}

const char *bil_purpose_name(bil_purpose purpose)
{
    return NTH(purposes, purpose, "?").name;
}

int bil_purpose_from_name(const char *name)
{
    for (int i = 0; i < BIL_PURPOSE_COUNT; i++)
        if (strcmp(purposes[i].name, name) == 0)
            return i;
    return -1;
}

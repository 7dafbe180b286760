#include "host/describe/choice.h"

#include <stdio.h>
#include <string.h>

/* How much of it is the list. */
static size_t names_of(const char *choice)
{
    const char *but = strstr(choice, CHOICE_BUT_FILES);
    return but ? (size_t)(but - choice) : strlen(choice);
}

/* A group is the part of an id before its first dot; of a file its id is a name, too. */
static bool is_named(const bil_param *p, const char *name, size_t length)
{
    bool begins = strncmp(p->id, name, length) == 0;
    return begins && length && (p->id[length] == '.' || (p->id[length] == '\0' && p->format->type == BIL_FILE)) &&
           (p->id[length] == '\0' || !memchr(name, '.', length));
}

bool choice_is_measured(const bil_param *p)
{
    return p->format->type == BIL_FILE && p->cls == BIL_CLASS_LIVE && p->flags & BIL_READABLE;
}

static bool is_all(const char *choice, size_t length)
{
    return length == 0 || (length == sizeof CHOICE_ALL - 1 && memcmp(choice, CHOICE_ALL, length) == 0);
}

bool choice_has(const char *choice, const bil_param *p)
{
    size_t length = names_of(choice), at = 0;
    if (choice[length] && p->format->type == BIL_FILE)
        return false;
    bool has = is_all(choice, length);
    while (at < length && !has) {
        size_t one = strcspn(choice + at, ",");
        one = one < length - at ? one : length - at;
        has = is_named(p, choice + at, one);
        at += one + 1;
    }
    return has;
}

bool choice_is_known(const bil_description *d, const char *choice, char *why, size_t size)
{
    size_t length = names_of(choice), at = 0;
    for (size_t one; at < length && !is_all(choice, length); at += one + 1) {
        bool known = false;
        one = strcspn(choice + at, ",");
        one = one < length - at ? one : length - at;
        for (uint16_t i = 0; i < d->count && !known; i++)
            known = is_named(&d->params[i], choice + at, one);
        if (!known) {
            snprintf(why, size,
                     "%s has no group \"%.*s\": a group is the part of an id before its first dot, and a file is named "
                     "by its id",
                     d->model, (int)(one < 100 ? one : 100), choice + at);
            return false;
        }
    }
    return true;
}

void choice_of(const char *names, bool without_files, char *out, size_t size)
{
    snprintf(out, size, "%s%s", names && names[0] ? names : CHOICE_ALL, without_files ? CHOICE_BUT_FILES : "");
}

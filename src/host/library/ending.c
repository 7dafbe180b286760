/* Endings, and what texts of theirs live in. */
#include <string.h>

#include "host/library/writing.h"

const char *lib_told(arena *where, const char *text)
{
    char *copy = arena_text(where, text, strlen(text));
    return copy ? copy : "";
}

bil_ending lib_nothing_done(const char *at)
{
    return (bil_ending){.struct_size = sizeof(bil_ending),
                        .param = "",
                        .other = "",
                        .safety = "",
                        .record = "",
                        .address = at,
                        .present = "",
                        .copy = "",
                        .called = "",
                        .was = "",
                        .before = ""};
}

/* Small helpers that several files of the core share. */
#ifndef BIL_CORE_BYTES_H
#define BIL_CORE_BYTES_H

#include <stddef.h>
#include <string.h>

/* A name from an X-macro list compared with text that has no terminator. */
static inline int text_is(const char *name, const char *text, size_t length)
{
    return strlen(name) == length && memcmp(name, text, length) == 0;
}

#endif

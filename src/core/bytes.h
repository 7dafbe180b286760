/* Small helpers that several files of the core share. */
#ifndef BIL_CORE_BYTES_H
#define BIL_CORE_BYTES_H

#include <stddef.h>
#include <stdint.h>
#include <string.h>

/* Up to eight bytes, most significant first, as a number; and back. */
static inline uint64_t bytes_get(const uint8_t *bytes, size_t count)
{
    uint64_t number = 0;
    for (size_t i = 0; i < count; i++)
        number = number << 8 | bytes[i];
    return number;
}

static inline void bytes_put(uint8_t *bytes, size_t count, uint64_t number)
{
    while (count > 0) {
        bytes[--count] = (uint8_t)number;
        number >>= 8;
    }
}

/* A name from an X-macro list compared with text that has no terminator. */
static inline int text_is(const char *name, const char *text, size_t length)
{
    return strlen(name) == length && memcmp(name, text, length) == 0;
}

#endif

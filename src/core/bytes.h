/* Small helpers that several files of the core share. */
#ifndef BIL_CORE_BYTES_H
#define BIL_CORE_BYTES_H

#include <stddef.h>
#include <stdint.h>
#include <string.h>

/* A number as decimal digits, at the end of `digits`; returns where they begin. value_text.c */
enum { DIGITS = 20 };
size_t bil_decimal(uint64_t number, char digits[DIGITS]);

/* A name from an X-macro list compared with text that has no terminator. */
static inline int text_is(const char *name, const char *text, size_t length)
{
    return strlen(name) == length && memcmp(name, text, length) == 0;
}

#endif

/* All that the portable part takes from <string.h>; for a target that comes without a C library. */
#ifndef TESTS_PLAIN_STRING_H
#define TESTS_PLAIN_STRING_H

#include <stddef.h>

void *memcpy(void *restrict to, const void *restrict from, size_t count);
void *memmove(void *to, const void *from, size_t count);
void *memset(void *to, int byte, size_t count);
int memcmp(const void *a, const void *b, size_t count);
size_t strlen(const char *text);
int strcmp(const char *a, const char *b);

#endif

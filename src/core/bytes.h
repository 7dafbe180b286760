/* Small helpers that several files of the core share. */
#ifndef BIL_CORE_BYTES_H
#define BIL_CORE_BYTES_H

#include <stdbool.h>
#include <stddef.h>
#include <stdint.h>
#include <string.h>

#include "bilancia/value.h"

/* A whole number of a type as 64 bits, its sign filled up; value.c */
uint64_t bil_value_extended(bil_type type, const uint8_t *raw, size_t size);
/* The magnitude of that; is it negative? */
bool bil_value_magnitude(const bil_format *format, const uint8_t *raw, uint64_t *magnitude);

/* The n-th of texts that lie behind each other, each ended by a NUL, the last one empty: so that none costs a pointer.
 * "?" behind the last. description.c */
const char *bil_nth(const char *texts, unsigned n);
/* Its place, or -1. */
int bil_place(const char *texts, const char *text, size_t length);

/* A struct of the caller's that begins with its size: what an older program left out counts as zero; BIL_E_BAD_CALL
 * where a newer one asks for something behind what is `known` here. description.c */
int bil_take_struct(void *out, size_t known, const void *given, size_t size);

/* description.c */
bool bil_is_among(const uint16_t *list, uint8_t count, uint16_t index);
bool bil_text_is_among(const char *const *list, uint8_t count, const char *text);

/* A name from a table compared with text that has no terminator. description.c */
bool bil_text_is(const char *name, const char *text, size_t length);

#endif

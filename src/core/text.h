/* Text: what is being built, what of it is printable, digits. */
#ifndef BIL_CORE_TEXT_H
#define BIL_CORE_TEXT_H

#include <stdbool.h>
#include <stddef.h>
#include <stdint.h>

/* Text that is being built, up to `end`. Once full it stays full. */
typedef struct text_out {
    char *start, *at, *end;
    bool full;
} text_out;

void bil_out_open(text_out *out, char *text, size_t size);
void bil_out_raw(text_out *out, const char *text, size_t length);
void bil_out_lit(text_out *out, const char *text);
void bil_out_number(text_out *out, uint64_t number);
/* Two hex digits for each byte. */
void bil_out_hex(text_out *out, const uint8_t *bytes, size_t count);
/* Ends it with a NUL, for which there is room behind `end`. BIL_OK, or BIL_E_SPACE where it is full. */
int bil_out_end(text_out *out);

/* So many bytes as people may see them: those that aren't printable are dots. NUL-terminated. */
void bil_text_seen(const char *bytes, size_t count, char *out, size_t most);
/* The number that begins here, of at most nine digits; 0 where none does. */
uint32_t bil_text_number(const char *text, size_t length);
/* Wiped so that a compiler leaves it in. */
void bil_wipe(void *memory, size_t size);

/* A number as decimal digits, at the end of `digits`; returns where they begin. */
enum { DIGITS = 20 };
size_t bil_decimal(uint64_t number, char digits[DIGITS]);

/* The value of a lower case hex digit, or -1. */
int bil_hex_value(char c);

#endif

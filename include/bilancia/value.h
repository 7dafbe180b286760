/* bilancia/value.h - values of parameters: raw bits, exact decimals.
 *
 * The raw value is the truth: the decoded bits, most significant byte first, in 1, 2, 3, 4, 6 or 8 bytes
 * (text: its fixed length, filled up with NUL). It is never the order on the wire. What a person sees is an exact
 * decimal,
 *
 *     shown = (raw * mul + offset) * 10^-decimals
 *
 * so that text and raw turn into each other without loss. Binary floating point is never computed with:
 * floats keep their bits, and their text comes from functions that the host supplies (bil_float_ops).
 *
 * Thread rules: all functions are pure; the caller owns all memory. */
#ifndef BILANCIA_VALUE_H
#define BILANCIA_VALUE_H

#include <stdbool.h>
#include <stddef.h>
#include <stdint.h>

#include "bilancia/error.h"

#ifdef __cplusplus
extern "C" {
#endif

#define BIL_TEXT_MAX 160   /* bytes in the longest text value */
#define BIL_VALUE_TEXT 168 /* bytes that hold the text of any value, with its NUL */

/* X(NAME, "name in sets and descriptions", bytes of the raw value; 0: as the parameter says) */
/* clang-format off */
#define BIL_TYPES(X) \
    X(BOOL, "bool", 1) \
    X(U8, "u8", 1) X(U16, "u16", 2) X(U24, "u24", 3) X(U32, "u32", 4) X(U48, "u48", 6) X(U64, "u64", 8) \
    X(I8, "i8", 1) X(I16, "i16", 2) X(I24, "i24", 3) X(I32, "i32", 4) X(I48, "i48", 6) X(I64, "i64", 8) \
    X(F32, "f32", 4) X(F64, "f64", 8) \
    X(CHOICE8, "choice8", 1) X(CHOICE16, "choice16", 2) \
    X(BITS8, "bits8", 1) X(BITS16, "bits16", 2) X(BITS32, "bits32", 4) \
    X(IP4, "ip4", 4) X(MAC, "mac", 6) X(TIME, "time", 6) \
    X(TEXT, "text", 0) X(FILE, "file", 40)
/* clang-format on */

/* See BIL_TYPES. */
typedef enum bil_type {
#define BIL_TYPE_ENUM(NAME, name, size) BIL_##NAME,
    BIL_TYPES(BIL_TYPE_ENUM)
#undef BIL_TYPE_ENUM
        BIL_TYPE_COUNT
} bil_type;

/* Its name; "?" for a number that is none. */
const char *bil_type_name(bil_type type);
/* The type with this name (no terminator needed), or -1. */
int bil_type_from_name(const char *name, size_t length);
/* Raw size in bytes; 0 for text, whose size is its parameter's. */
size_t bil_type_size(bil_type type);
bool bil_type_is_float(bil_type type);
bool bil_type_is_signed(bil_type type);

/* A named value of a choice, or a named bit (then `value` is its number, 0 the least significant). */
typedef struct bil_choice {
    uint32_t value;
    const char *name;
} bil_choice;

/* How the cells of one value follow each other on the wire. 0 is the usual: high cell first, high byte first. */
enum { BIL_LOW_CELL_FIRST = 1, BIL_LOW_BYTE_FIRST = 2 };

/* Which neighbour a device picks when it rounds. */
typedef enum bil_rounding { BIL_ROUND_NONE, BIL_ROUND_NEAREST, BIL_ROUND_DOWN, BIL_ROUND_UP } bil_rounding;

/* All that is needed to turn one value into text and back, and to check it. */
typedef struct bil_format {
    uint8_t type;     /* bil_type */
    uint8_t size;     /* bytes of the raw value, 1 to BIL_TEXT_MAX */
    uint8_t decimals; /* 0 to 18 */
    uint8_t order;    /* BIL_LOW_CELL_FIRST | BIL_LOW_BYTE_FIRST */
    uint8_t rounding; /* bil_rounding: what the device does to a value it is given */
    uint8_t bit;      /* a value that has only a part of its cell: its lowest bit there, counted from the low end, */
    uint8_t width;    /* and how many bits; 0: it has its cells for itself */
    bool limited;     /* low and high count; always where the form has less room than the type */
    uint16_t choice_count;
    int32_t mul, offset; /* 1 and 0 unless the description scales; always 1 and 0 for whole numbers of 64 bits; of a
                          * float a power of ten and 0 */
    uint32_t round_to;   /* raw units; 0: the device keeps every value */
    uint32_t tolerance;  /* values as near as this count as equal in a compare: raw units; of an f32 a share of the
                          * larger  magnitude, in 1/100000; see bil_value_near */
    uint32_t step;       /* raw units counted from the lowest value shown; 0 or 1: every value */
    uint64_t low, high;  /* limits, as order keys (see bil_value_key); of a file in bytes */
    const bil_choice *choices;
    const struct bil_form *form; /* NULL: the bits of the value, shown as its type is */
    const char *const *words; /* how a link of words says it (console.h): one for each choice in their order, of a bool
                               * for false and true, of a text the one that stands for an empty one; or NULL */
} bil_format;

/* How a value looks on the wire and to people, where that isn't simply its bits. Functions may be NULL: then it is as
 * that of any value. A program has only those forms that its tables name. Each has a raw value of its own for every
 * value that it can hold, so that nothing is lost on the way there and back; what the padding of a text was made of
 * isn't kept. Of cells: how many such a value takes, and what bil_value_from_cells and bil_value_to_cells do (cells.h,
 * where the forms of cells are). */
typedef struct bil_form {
    const char *name;
    size_t (*cells)(const bil_format *format);
    int (*from_cells)(const bil_format *format, const uint16_t *cells, uint8_t *raw);
    int (*to_cells)(const bil_format *format, const uint8_t *raw, uint16_t *cells);
    int (*text)(const bil_format *format, const uint8_t *raw, char *out, size_t size);     /* as bil_value_text */
    int (*parse)(const bil_format *format, const char *text, size_t length, uint8_t *raw); /* as bil_value_parse */
    bool (*holds)(const bil_format *format, const uint8_t *raw); /* is there such a value? for bil_value_check */
} bil_form;

/* Of the types ip4 and mac, which always have it: 192.0.2.7, 02:00:5e:10:00:ff. */
extern const bil_form bil_form_address;

/* Of the type time, where a link speaks in words. */
extern const bil_form bil_form_time;

/* A file of a device: a program, a table, a picture. Its raw value tells its bytes without having them: how many, as a
 * number of 64 bits, and behind that their SHA-256 (FIPS 180-4). All zeros: the device has no such file. The text is
 * both, "217 bytes 9f86d0..", or "none"; nothing is made of a text. The bytes themselves go another way (bil_bytes in
 * link.h). Of its format, `low` and `high` are the fewest and the most bytes that the device takes. */
#define BIL_FILE_RAW 40
extern const bil_form bil_form_file;
/* How many bytes; 0, too, where there is no file. */
uint64_t bil_file_size(const uint8_t raw[BIL_FILE_RAW]);
bool bil_file_is_none(const uint8_t raw[BIL_FILE_RAW]);

/* A date and time of day as a device's clock shows it, of no zone: the raw value is the number of the digits
 * YYYYMMDDhhmmss; as text 2026-11-30 17:35:40. Only dates that exist from the year 1000 on (Gregorian calendar, as in
 * ISO 8601, without leap seconds) are such a value. */
/* Functions `text`, `parse` and `holds` of the forms that such a value has, see cells.h. */
int bil_time_text(const bil_format *format, const uint8_t *raw, char *out, size_t size);
int bil_time_parse(const bil_format *format, const char *text, size_t length, uint8_t *raw);
bool bil_time_exists(const bil_format *format, const uint8_t *raw);

/* Text of floats, supplied by whoever can format them exactly: the shortest text that reads back to the same bits, in
 * the number grammar of RFC 8259; BIL_E_NO_TEXT for infinities and NaN. One that is scaled is shown with its decimal
 * point elsewhere: mul is a power of ten, and so much and `decimals` move it to and fro. */
typedef struct bil_float_ops {
    int (*text)(const bil_format *format, const uint8_t *raw, char *out, size_t size);
    int (*parse)(const bil_format *format, const char *text, size_t length, uint8_t *raw);
} bil_float_ops;

/* A number that sorts as the values do, for every type but text and file (gives 0). For unsigned types it is the
 * value itself, for signed types and floats a monotone image of it. `raw` has format->size bytes. */
uint64_t bil_value_key(bil_type type, const uint8_t *raw, size_t size);

/* Writes the value as text, NUL-terminated. `floats` may be NULL (floats then give BIL_E_NO_TEXT, as does
 * text that isn't printable UTF-8). BIL_E_SPACE when `size` is too small; BIL_VALUE_TEXT always suffices. */
int bil_value_text(const bil_format *format, const uint8_t *raw, const bil_float_ops *floats, char *out, size_t size);

/* The reverse. `raw` takes format->size bytes. Limits are not checked here (see bil_value_check).
 * BIL_E_SYNTAX, BIL_E_INEXACT, BIL_E_RANGE (the type can't hold it), BIL_E_CHOICE. */
int bil_value_parse(const bil_format *format, const char *text, size_t length, const bil_float_ops *floats,
                    uint8_t *raw);

/* Is this raw value one that the parameter takes? BIL_OK, BIL_E_RANGE, BIL_E_STEP, BIL_E_CHOICE. */
int bil_value_check(const bil_format *format, const uint8_t *raw);

/* The value that the device keeps when it is given `raw`, as far as the description declares rounding.
 * `out` may be `raw`. */
void bil_value_rounded(const bil_format *format, const uint8_t *raw, uint8_t *out);

/* Are two values as near as the tolerance of their format? Exact at its edge, and the same whichever comes first. No
 * NaN and no infinity is near anything. */
bool bil_value_near(const bil_format *format, const uint8_t *a, const uint8_t *b);

/* A raw value of at most eight bytes as a number, its bits as they are; and back, from the low end. */
uint64_t bil_value_number(const uint8_t *raw, size_t size);
void bil_value_put_number(uint8_t *raw, size_t size, uint64_t number);

/* True for valid UTF-8 (RFC 3629) without control characters. */
bool bil_text_is_printable(const char *text, size_t length);

#ifdef __cplusplus
}
#endif

#endif

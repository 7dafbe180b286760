/* The one canonical form of JSON that set files use: emitting and strict scanning. */
#ifndef BIL_CORE_JSON_H
#define BIL_CORE_JSON_H

#include "bilancia/set.h"
#include "text.h"

/* Hex digits in quotes. */
void bil_json_hex(text_out *out, const uint8_t *bytes, size_t count);
/* A string with its quotes. `text` is printable UTF-8, so that only \" and \\ need an escape. */
void bil_json_string(text_out *out, const char *text, size_t length);
/* Adds the LF; BIL_OK with the length, or BIL_E_SPACE. */
int bil_json_close(text_out *out, size_t *length);

/* As names sort, byte by byte: less than, equal to or greater than 0. */
int bil_str_order(bil_str a, bil_str b);

/* A line that is being read. Once failed it stays failed, so that a caller asks once, at the end. */
typedef struct json_in {
    const char *at, *end;
    bool failed;
} json_in;

/* Does this text come next? If so it is taken. */
bool bil_json_try(json_in *in, const char *text);
void bil_json_need(json_in *in, const char *text);
/* A canonical string (printable UTF-8, no escapes but \" and \\) with its quotes: the body, still escaped. */
bil_str bil_json_take_string(json_in *in);
uint64_t bil_json_take_number(json_in *in, uint64_t largest);
/* Hex digits with their quotes, exactly or at most so many bytes; returns the bytes. */
size_t bil_json_take_hex(json_in *in, uint8_t *bytes, size_t most);
/* A number, true, false or null. */
void bil_json_need_word(json_in *in);
/* A value token: number, true, false, null or string. */
bil_str bil_json_take_value(json_in *in);

/* The value token of a parameter: number, true, false, string, or null where there is no text. */
void bil_json_put_value(text_out *out, const bil_format *format, const uint8_t *raw, const bil_float_ops *floats);

/* What stands before each text of a header: bil_nth of bil_header_keys, in the order of the fields of bil_set_header.
 * The revision stands behind the first HEADER_BEFORE of them. */
enum { HEADER_BEFORE = 7, HEADER_TEXTS = 14 };
extern const char bil_header_keys[];

/* Whoever reads a line and whoever writes it share these. */
extern const char bil_key_set[], bil_key_revision[], bil_key_left_out[], bil_key_class[], bil_key_name[], bil_key_id[],
    bil_key_type[], bil_key_unreadable[], bil_key_raw[], bil_key_value[], bil_key_unit[], bil_key_file[],
    bil_key_bytes[], bil_key_digest[], bil_key_chunk[], bil_key_values_digest[];
/* Of the counts in the last line, in the order of the fields of bil_set_totals. */
extern const char bil_count_keys[];
enum { COUNTS = 4 };
/* Are its digests and its time what such are, as far as they are there? */
bool bil_header_is_sound(const bil_set_header *header);

/* Adds one value to the values digest, where its class counts. */
void bil_set_values_digest(bil_digest *values, const bil_item *item);

#endif

/* bilancia/set.h - set files (.bset): the values of one unit at one moment, as lines.
 *
 * UTF-8, JSON Lines (RFC 8259, one object a line, each ended by one LF), in one canonical form: fixed key
 * order, no white space, strings of printable characters with no escapes but \" and \\. A writer turns items into
 * lines; a reader takes lines and accepts exactly what the writer would have written. Neither does I/O: the caller
 * moves the bytes.
 *
 *   header     {"bilancia_set":0,"vendor":..,"model":..,"hardware":..,"firmware":..,"serial":..,"device":..,
 *               "description":{"model":..,"revision":N,"layout":".."},"parent":"..","when":"..","who":"..",
 *               "why":"..","scope":"..","from":".."}
 *   left out   {"left_out":"id","class":"..","name":".."}             sorted by id
 *   parameter  {"id":"..","type":"..","class":"..","raw":"hex","value":V,"unit":"..","name":".."}   sorted by id
 *              {"id":"..","type":"..","class":"..","unreadable":"error name","unit":"..","name":".."}
 *   file       {"file":"id","bytes":N} then its chunks {"chunk":"base64"}   sorted by id
 *   end        {"end":{"values":N,"unreadable":N,"left_out":N,"files":N,"values_digest":"..","digest":".."}}
 *
 * A parameter of the type file has its length and digest as its raw value; its bytes, if there are any, stand in the
 * lines of the file with its id. Whoever decodes them sees whether they fit that digest: the one of the whole doesn't
 * cover chunks of full length, so that nothing large is digested twice. A secret that is left out may have a seal
 * there: see docs/set-file.md.
 *
 * "unit" is there only when it isn't empty. V is a JSON number, true or false, a string for choices, bits,
 * text and numbers of 64 bits, or null where the writer can't give it. `raw` decides. The format may change freely
 * until the first release; its version is 0 so long.
 *
 * The values digest is SHA-256 over "id type hex\n" of every value of the classes setup, place and
 * calibration, in the order of the lines. The digest is SHA-256 over every byte of the file before its own hex digits,
 * but for the lines of chunks of BIL_SET_CHUNK bytes;
 * what follows them is "}}\n and the end of the file.
 *
 * Strings in headers and items are JSON text between the quotes (still escaped) and point into the line.
 *
 * Thread rules: a reader or writer belongs to one thread at a time. */
#ifndef BILANCIA_SET_H
#define BILANCIA_SET_H

#include "bilancia/digest.h"
#include "bilancia/image.h"

#ifdef __cplusplus
extern "C" {
#endif

/* The format's version, and the longest that its parts may be. */
#define BIL_SET_VERSION 0
#define BIL_SET_ITEM_LINE 1024 /* longest parameter or left-out line, with its LF */
#define BIL_SET_LINE 2048      /* longest line of any kind, with its LF */
#define BIL_SET_CHUNK 1440     /* bytes of a file in one chunk; only the last may be shorter */
#define BIL_SET_TAIL 68        /* bytes from the digest's first hex digit to the end of the file */
#define BIL_SET_CHUNK_TEXT (BIL_SET_CHUNK / 3 * 4)

/* A piece of text in somebody else's memory, with no NUL behind it. */
typedef struct bil_str {
    const char *text;
    size_t length;
} bil_str;

/* Plain text of a JSON string body, NUL-terminated, cut to `size`. Returns false when it had to be cut. */
bool bil_str_plain(bil_str json, char *out, size_t size);
bool bil_str_equal(bil_str a, bil_str b);

/* What a header says. As given to the writer: plain text. As got from the reader: JSON string bodies. */
typedef struct bil_set_header {
    bil_str vendor, model, hardware, firmware, serial, device;
    bil_str description, layout, parent, when, who, why, scope, from;
    uint16_t revision;
} bil_set_header;

/* What the last line says of all before it. */
typedef struct bil_set_totals {
    uint32_t values, unreadable, left_out, files;
    uint8_t values_digest[BIL_SHA256], digest[BIL_SHA256];
} bil_set_totals;

/* One value, from a set line or from an image. */
typedef struct bil_item {
    uint8_t size;
    bil_str id, unit, name; /* name and unit: JSON string bodies */
    bil_str value;          /* the JSON token; length 0 where the source has none */
    bil_type type;
    bil_class cls;
    bil_error unreadable; /* BIL_OK when raw counts */
    uint8_t raw[BIL_TEXT_MAX];
} bil_item;

/* Writing. Each call makes one line, LF included, into `line` of BIL_SET_LINE bytes and returns BIL_OK or
 * an error; the caller appends the line to the file before the next call. */
typedef struct bil_set_writer {
    bil_digest whole, values;
    const bil_float_ops *floats;
    bil_set_totals totals;
} bil_set_writer;

/* The header. BIL_E_SYNTAX where a text isn't printable, or a digest or time isn't one. */
int bil_set_begin(bil_set_writer *writer, bil_digest whole, bil_digest values, const bil_float_ops *floats,
                  const bil_set_header *header, char *line, size_t *length);
int bil_set_left_out(bil_set_writer *writer, const bil_param *param, char *line, size_t *length);
/* An item as the reader gives it, or with strings that need no escape. */
int bil_set_item(bil_set_writer *writer, const bil_item *item, char *line, size_t *length);
/* Parameter `index` of the image; it must be present or unreadable. */
int bil_set_value(bil_set_writer *writer, const bil_image *image, uint16_t index, char *line, size_t *length);
/* The file of a parameter, of so many bytes, more than none; then its chunks, as base64 (RFC 4648, section 4: padded,
 * unused bits zero) of BIL_SET_CHUNK bytes each, the last one of what is left. */
int bil_set_file(bil_set_writer *writer, bil_str id, uint64_t bytes, char *line, size_t *length);
int bil_set_chunk(bil_set_writer *writer, bil_str base64, char *line, size_t *length);
int bil_set_end(bil_set_writer *writer, char *line, size_t *length);

/* Is this the line of a chunk of BIL_SET_CHUNK bytes, which the digest of the whole doesn't cover? */
bool bil_is_full_chunk(const char *line, size_t length);

/* What a line was. */
typedef enum bil_line_kind {
    BIL_LINE_HEADER,
    BIL_LINE_LEFT_OUT,
    BIL_LINE_VALUE,
    BIL_LINE_FILE,
    BIL_LINE_CHUNK,
    BIL_LINE_END
} bil_line_kind;

/* Reading. Feed every line, its LF included, in order; then ask bil_set_reader_whole. Nothing that the reader
 * has said counts before that answer is BIL_OK. */
typedef struct bil_set_reader {
    uint8_t phase;
    uint32_t line;         /* number of the line last fed, from 1 */
    uint64_t file_left;    /* bytes of the file that are still to come */
    bil_str chunk;         /* of the chunk line last fed: base64 of the right length, not looked at */
    bil_str file;          /* id of the file line last fed */
    bil_item item;         /* of the value or left-out line last fed */
    bil_set_totals totals; /* counted on the way; complete after the end line */
    bil_digest whole, values;
    bil_set_header header;        /* points into the header line while that is being handled */
    char last_id[BIL_ID_MAX + 1]; /* last seen; for the order */
} bil_set_reader;

/* Without `whole` (its ops NULL) the caller digests the bytes itself and compares with totals.digest, which then is
 * what the file says. Without `values` neither the values digest nor the counts are worked out again: the digest covers
 * them. */
void bil_set_reader_init(bil_set_reader *reader, bil_digest whole, bil_digest values);
/* `kind` tells what the line was. An error is final. */
int bil_set_reader_line(bil_set_reader *reader, const char *line, size_t length, bil_line_kind *kind);
/* BIL_OK when the last line was the end line and every count and digest fitted; else BIL_E_SET_CUT. */
int bil_set_reader_whole(const bil_set_reader *reader);

/* Puts an item of a set into an image: BIL_E_UNKNOWN_PARAMETER, BIL_E_OTHER_TYPE, BIL_E_RANGE, BIL_E_STEP,
 * BIL_E_CHOICE (writable parameters only), BIL_E_VALUE_TEXT when the readable value doesn't fit the raw one. */
int bil_image_put_item(bil_image *image, const bil_item *item, const bil_float_ops *floats);
/* The same for what a device held before: a value that the description doesn't allow comes back as it was. */
int bil_image_put_item_as_it_was(bil_image *image, const bil_item *item, const bil_float_ops *floats);

/* The item that the image holds for a parameter; name and unit need `floats` for nothing, value is empty. */
void bil_image_item(const bil_image *image, uint16_t index, bil_item *item);
/* The same, with its value: a JSON token of at most BIL_TOKEN bytes, which `token` takes. */
#define BIL_TOKEN (2 * BIL_VALUE_TEXT + 2)
void bil_image_item_told(const bil_image *image, uint16_t index, const bil_float_ops *floats, char *token,
                         bil_item *item);

#ifdef __cplusplus
}
#endif

#endif

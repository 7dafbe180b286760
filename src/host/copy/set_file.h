/* Set files on disk: writing whole ones, reading them as a source of items in constant memory. */
#ifndef BIL_HOST_COPY_SET_FILE_H
#define BIL_HOST_COPY_SET_FILE_H

#include <stdio.h>

#include "bilancia/compare.h"
#include "host/copy/files.h"
#include "host/copy/line_file.h"
#include "host/copy/set_bytes.h"
#include "port/storage.h"

#define SET_NAME_DIGEST 12
#define SET_TEXT 400 /* bytes of a header text here, with its NUL; longer ones are cut for display only */

/* What a header says, as plain text. */
typedef struct set_origin {
    char vendor[SET_TEXT], model[SET_TEXT], hardware[SET_TEXT], firmware[SET_TEXT], serial[SET_TEXT], device[SET_TEXT];
    char description[SET_TEXT], layout[SET_TEXT], parent[SET_TEXT], when[SET_TEXT], who[SET_TEXT], why[SET_TEXT];
    char scope[SET_TEXT], from[SET_TEXT];
    uint16_t revision;
} set_origin;

/* An open set file. */
typedef struct set_file {
    line_file *lines;
    const char *path;
    set_origin origin;
    bil_set_reader reader;
    bil_digest values;
    set_bytes bytes;
    bool given;                                        /* the line last looked at */
    char why[500];                                     /* "path:line: text" after an error */
    void (*left_out)(void *ctx, const bil_item *item); /* called for each left-out line; may be NULL */
    void (*file)(void *ctx, bil_str id);               /* and for what stands behind the values: files, and seals */
    void *ctx;
    bool opened_again;
    file_store *files; /* learns which files the set has, and where, and its seals; may be NULL */
} set_file;

/* How thoroughly a file is looked at. Both recognise every cut and every change by the digests; SET_WHOLLY also works
 * out counts, values digest and order again, so that it finds what an unsound program wrote. */
typedef enum set_care { SET_WHOLLY, SET_QUICKLY } set_care;

/* Opens and reads the header. On an error `set->why` says what and where; nothing is left open. */
int set_file_open(set_file *set, const char *path, set_care care);
/* The items. What they say doesn't count before the source has come to its end without an error. */
bil_source set_file_source(set_file *set);
/* Two files opened quickly: steps over lines that are the same bytes in both (see bil_skip), as long as their ids are
 * of this group. */
typedef struct set_pair {
    set_file *left, *right;
    const char *group; /* NULL: any */
} set_pair;
bil_skip set_pair_skip(set_pair *pair);
void set_file_close(set_file *set);

/* What the first and the last line say, without looking between them: quick, and proof of nothing. */
int set_file_glance(const char *path, set_origin *origin, bil_set_totals *totals);

/* Is the whole file whole? Fills origin and totals. */
int set_file_check(const char *path, set_origin *origin, bil_set_totals *totals, char *why, size_t why_size);

/* Saves an image, the bytes of its files, and seals of its secrets, as a new file in a folder; STORAGE_DIGEST in `name`
 * becomes SET_NAME_DIGEST digits of the file's digest; `path` of STORAGE_PATH bytes tells where. */
int set_file_save(const bil_image *image, file_store *files, const set_origin *origin, const char *folder,
                  const char *name, char *path, bil_set_totals *totals);
/* The same, but nothing is saved and `path` is "" when the values digest is the one in `unless` (hex). */
int set_file_save_changed(const bil_image *image, file_store *files, const set_origin *origin, const char *folder,
                          const char *name, const char *unless, char *path, bil_set_totals *totals);

/* The values digest that a set of this image has, in hex. False when memory is short. */
bool set_values_digest(const bil_image *image, char hex[2 * BIL_SHA256 + 1]);

void set_digest_hex(const uint8_t digest[BIL_SHA256], char hex[2 * BIL_SHA256 + 1]);

/* A set that was made without a device says so where others name the address they were read from. */
#define SET_OFFLINE "offline"
bool set_is_offline(const set_origin *origin);

/* Fills in who the unit is and which description was used; the rest stays. */
void set_origin_of(set_origin *origin, const bil_image *image);

/* DEVICE_SERIAL_TIME, with everything else than letters, digits, - and _ made harmless. */
void set_file_stem(const set_origin *origin, char *out, size_t size);

#endif

/* One side of a comparison: the values of a device or of a copy, as a source of items. */
#ifndef BIL_HOST_LOOK_SIDE_H
#define BIL_HOST_LOOK_SIDE_H

#include <jansson.h>

#include "host/copy/set_file.h"
#include "host/run/device.h"

/* X(NAME, "name in JSON", "what people read") */
/* clang-format off */
#define SIDE_KINDS(X) \
    X(COPY, "copy", "saved copy") \
    X(RUNNING, "device", "device now") \
    X(STORED, "stored", "stored values") \
    X(FACTORY, "factory", "factory values") \
    X(KEPT, "kept", "kept by the device")
/* clang-format on */

typedef enum side_kind {
#define SIDE_ENUM(NAME, name, text) SIDE_##NAME,
    SIDE_KINDS(SIDE_ENUM)
#undef SIDE_ENUM
} side_kind;

const char *side_kind_name(side_kind kind);
const char *side_kind_text(side_kind kind);

typedef struct side {
    side_kind kind;
    int copy;                 /* of kept ones: their number */
    uint8_t bank;             /* 1 + bil_bank_kind, where the device keeps these values apart */
    char text[STORAGE_PATH];  /* as given */
    char place[STORAGE_PATH]; /* the address or the file */
    char extra[160];          /* how the values were come by, where that isn't plain; "" else */
    set_origin origin;
    const bil_description *description; /* NULL where none is at hand */
    set_file set;                       /* of copies in a file */
    bil_image image;                    /* of all others */
    bool lent;                          /* the image is somebody else's */
    bil_image_source at;
    bil_source images;
    void *memory;
    file_store files; /* bytes of those that a device has, and, once they are wanted, of a copy's */
    json_t *left_out; /* what the copy leaves out on purpose: id, class, name, sealed; after side_collect_left_out, else
                         NULL */
    char token[BIL_TOKEN]; /* the value of the item last given */
} side;

/* What somebody wrote: FILE, ADDRESS, ADDRESS#stored, ADDRESS#factory, ADDRESS#kept1 ..., MODEL#factory. Nothing is
 * opened yet. False when the part behind the # makes no sense for a device. */
bool side_parse(side *s, const char *text);
/* Is it the word "factory" alone, the factory values of the other sides' model? Then the description is to be set
 * before it is opened. */
bool side_wants_model(const side *s);

/* A side of values in memory, which outlive it. */
void side_lend(side *s, side_kind kind, const char *place, const set_origin *origin, const bil_image *image);
/* Opens a copy (looking for damage on the way, not before), or reads a device and lets it go. `why` tells what
 * went wrong. */
int side_open(side *s, const catalogue *m, read_watch by, char *why, size_t why_size);
void side_close(side *s);
/* Has what is left out collected: of a copy while its items are read. */
void side_collect_left_out(side *s);

/* The bytes of a file that it has, of at most `most`; false: there are more, or they aren't at hand. */
bool side_file(side *s, const uint8_t raw[BIL_FILE_RAW], uint8_t *out, size_t most);

/* From its beginning; a copy has one source only. Items of images tell their value too. */
bil_source side_source(side *s);
/* The error text of a copy that failed on the way. */
const char *side_why(const side *s);

/* The value of an item by its raw value, which decides; what a copy says beside it is shown only where it fits. */
typedef enum item_fit {
    ITEM_FITS,    /* or the copy says nothing */
    ITEM_DIFFERS, /* the copy says something else */
    ITEM_UNKNOWN  /* there is no description to tell by: `out` has the raw value */
} item_fit;
item_fit item_value(const bil_item *item, const bil_description *description, char *out, size_t size);

/* The value with its unit: "12.50 A"; the raw bits where it has no text; a cause in brackets where it wasn't read; of a
 * file only the beginning of its digest. */
void item_text(const bil_item *item, const bil_description *description, char *out, size_t size);
/* The same without the unit. */
void item_bare_text(const bil_item *item, const bil_description *description, char *out, size_t size);

#endif

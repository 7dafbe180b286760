/* bilancia/image.h - the raw values of one unit at one moment, in the caller's memory.
 *
 * Thread rules: an image belongs to one thread at a time, or is only looked at. */
#ifndef BILANCIA_IMAGE_H
#define BILANCIA_IMAGE_H

#include "bilancia/description.h"

#ifdef __cplusplus
extern "C" {
#endif

/* State of one parameter in an image. */
typedef enum bil_state {
    BIL_ABSENT,    /* nothing known: not read yet, or not part of it */
    BIL_PRESENT,   /* the raw value is there */
    BIL_UNREADABLE /* it was asked for; `cause` says why it didn't come */
} bil_state;

/* All values of one unit at one moment, in the caller's memory. */
typedef struct bil_image {
    const bil_description *description;
    uint8_t *state; /* one bil_state for each parameter */
    uint8_t *cause; /* one bil_error for each parameter */
    uint8_t *raw;   /* description->raw_size bytes */
} bil_image;

/* Bytes of memory that an image of this description needs. */
size_t bil_image_size(const bil_description *description);

/* Makes an empty image in `memory`. BIL_E_SPACE when `size` is less than bil_image_size says. */
int bil_image_init(bil_image *image, const bil_description *description, void *memory, size_t size);

/* Copies all states and values; both must have the same description. */
void bil_image_copy(bil_image *to, const bil_image *from);

/* The raw value of a parameter, of its format's size; it counts where the state is BIL_PRESENT. */
const uint8_t *bil_image_raw(const bil_image *image, uint16_t index);
void bil_image_put(bil_image *image, uint16_t index, const uint8_t *raw);
void bil_image_fail(bil_image *image, uint16_t index, bil_error cause);

/* Present in both and the same bits? */
bool bil_image_same(const bil_image *a, const bil_image *b, uint16_t index);

/* Does its serial number tell it from others? Not where there is none, or what stands where none was ever given: zeros,
 * all ones, blanks, or what the description calls none. */
bool bil_image_has_serial(const bil_image *image);

/* The text of an identity of the unit (a number as decimal digits), "" where it isn't known. */
void bil_image_identity(const bil_image *image, bil_identity which, char *out, size_t size);

#ifdef __cplusplus
}
#endif

#endif

/* bilancia/copy.h - saved copies: read, looked into, changed offline, saved.
 *
 * A copy is a file that is never changed (docs/set-file.md). What is changed here is the copy in memory; saving it
 * makes a new file that names the one it comes from.
 *
 * Thread rules: as host.h. */
#ifndef BILANCIA_COPY_H
#define BILANCIA_COPY_H

#include "bilancia/device.h"
#include "bilancia/set.h"

#ifdef __cplusplus
extern "C" {
#endif

/* An open copy; see host.h for handles. */
typedef struct bil_copy bil_copy;

/* What a copy says of itself. It is evidence, signed by nobody. */
typedef struct bil_copy_info {
    const char *path; /* "" where it wasn't saved */
    const char *vendor, *model, *hardware, *firmware, *serial, *device;
    const char *when; /* ISO 8601, UTC */
    const char *who, *why;
    const char *from;                            /* the address it was read from, or "offline" */
    const char *layout;                          /* digest of the layout that its bits have */
    const char *digest, *values_digest, *parent; /* hex digits; of all bytes, of the values, of the copy before it */
    uint32_t values, unreadable, left_out;
    uint16_t revision; /* of the description that it was read with */
} bil_copy_info;

/* Opens a copy: a file, or DEVICE#COPY of the host's site. The whole file is read and proved, and each value is checked
 * against the description at hand. BIL_E_FILE_OPEN, BIL_E_SET_..., BIL_E_UNKNOWN_MODEL and BIL_E_OTHER_LAYOUT (no
 * description fits), BIL_E_NO_DEVICE, BIL_E_NO_COPY, BIL_E_DISPUTED, or what is wrong with a value. On an error *copy
 * is NULL. */
int bil_copy_open(bil_host *host, const char *which, bil_copy **copy);

/* What was last read from a device, as a copy that isn't saved yet. BIL_E_BAD_CALL before a read. */
int bil_copy_of_device(bil_device *device, bil_copy **copy);

/* NULL does nothing. */
void bil_copy_close(bil_copy *copy);

/* What it says of itself; good until it is saved or closed. */
const bil_copy_info *bil_copy_tells(const bil_copy *copy);

/* The description that its values go by. */
const bil_description *bil_copy_description(const bil_copy *copy);

/* Its values; the image is the copy's. */
const bil_image *bil_copy_image(const bil_copy *copy);

/* One value as text, as in bil_device_value. */
int bil_copy_value(bil_copy *copy, const char *id, char *text, size_t size);

/* Changes a value in memory, as people write it, with or without its unit of measure. BIL_E_UNKNOWN_PARAMETER (`why`
 * tells which id is most like it), BIL_E_NOT_YOURS (it belongs to the unit, or is read only), BIL_E_SYNTAX,
 * BIL_E_RANGE, BIL_E_STEP, BIL_E_CHOICE, BIL_E_INEXACT. */
int bil_copy_set(bil_copy *copy, const char *id, const char *text);

/* The same of "ID=VALUE"; BIL_E_CALL where it is none. */
int bil_copy_assign(bil_copy *copy, const char *assignment);

/* Would it take this value? As bil_copy_set, and nothing is changed. */
int bil_copy_try(bil_copy *copy, const char *id, const char *text);

/* Takes a value over from another copy of the same layout. As bil_copy_set; BIL_E_UNREADABLE where it has none,
 * BIL_E_OTHER_TYPE. */
int bil_copy_take(bil_copy *copy, const bil_copy *from, const char *id);

/* The same of an item, as a look or an image tells it. */
int bil_copy_take_item(bil_copy *copy, const bil_item *item);

/* Values from a table (RFC 4180, UTF-8) with the columns "id" and "value", or, with a `side`, "value SIDE": a settings
 * sheet, or the table of a comparison. None is taken unless all are good; a row that says what the copy has is no
 * matter, also where that value can't be changed. BIL_E_CSV, or as bil_copy_set. */
int bil_copy_import(bil_copy *copy, const char *path, const char *side);

/* A file of this computer in the place of one of the copy, no longer than the device takes it. BIL_E_OTHER_TYPE where
 * `id` is no file, BIL_E_RANGE where it is too long, BIL_E_FILE_OPEN; else as bil_copy_take. */
int bil_copy_put_file(bil_copy *copy, const char *id, const char *path);

/* The bytes of a file of the copy, piece by piece in their order, to `take`, which says false to end that.
 * BIL_E_UNKNOWN_PARAMETER, BIL_E_NO_BYTES where the copy has none, BIL_E_FILE_WRITE where a piece wasn't taken. */
int bil_copy_give_file(bil_copy *copy, const char *id, bool (*take)(void *ctx, const uint8_t *bytes, size_t count),
                       void *ctx);

/* Secrets are never part of a copy in clear. They can be sealed in it: under one passphrase (8 to 256 bytes), by
 * Argon2id and XChaCha20-Poly1305, as docs/set-file.md tells. A copy with seals is shown, compared, signed and shared
 * without it; a write asks for it (bil_write_wish), and puts them in. First the passphrase, which has to open the
 * seals that are there, if any: BIL_E_PASSPHRASE; BIL_E_CALL where it is too short or too long; BIL_E_SEAL. */
int bil_copy_seal_by(bil_copy *copy, const char *passphrase);

/* Seals a secret, as people write it, in the place of an earlier one; with `value` NULL that is taken away.
 * BIL_E_NOT_YOURS where it is none that a device keeps; BIL_E_BAD_CALL before bil_copy_seal_by; else as bil_copy_set.
 */
int bil_copy_seal(bil_copy *copy, const char *id, const char *value);

/* Is this secret sealed in the copy? */
bool bil_copy_is_sealed(const bil_copy *copy, const char *id);

/* How many values were changed in memory since it was opened or saved. */
unsigned bil_copy_changed(const bil_copy *copy);

/* The rule that its values break, counted from `first`, as a sentence; its number comes back, or -1 where they break
 * none. `text` has `size` bytes; 500 suffice. */
int bil_copy_rule(bil_copy *copy, unsigned first, char *text, size_t size);

/* Saves it as a new file in a folder (NULL: where copies of its device go, if the site knows that; else beside the one
 * it comes from), for good and at once; `why` (a line of printable text, or NULL) goes into it. A copy whose values
 * break a rule isn't saved: BIL_E_RULE. BIL_E_FILE_WRITE, BIL_E_DISK_FULL, BIL_E_CALL (a bad `why`). Then
 * bil_copy_tells has the path. */
int bil_copy_save(bil_copy *copy, const char *folder, const char *why);

#ifdef __cplusplus
}
#endif

#endif

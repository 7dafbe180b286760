/* Changing a saved copy with no device there: every value is checked, and the result is a new copy. */
#ifndef BIL_HOST_LOOK_EDIT_H
#define BIL_HOST_LOOK_EDIT_H

#include "host/base/nearest.h"
#include "host/copy/keep.h"
#include "host/copy/load.h"
#include "host/copy/seal.h"
#include "host/look/finding.h"

typedef struct edited {
    const bil_description *description;
    loaded_copy from; /* the copy that it comes from; its image becomes what is wanted */
    unsigned changed;
    uint8_t given[BIL_PARAMS_MAX / 8]; /* a bit for each value that somebody changed */
    char why[700];                     /* after an error */
    seal_key key;                      /* by which secrets are sealed here */
} edited;

/* Loads the copy; it must be whole, and its description at hand: its layout decides what its bits mean. */
int edit_open(edited *o, const char *path, const catalogue *m);
void edit_close(edited *o);

/* Index of a parameter that may be changed here: BIL_E_UNKNOWN_PARAMETER (and which one is most like it), or
 * BIL_E_NOT_YOURS for what belongs to the unit or is read only. */
int edit_find(edited *o, const char *id, uint16_t *index);
/* One value, as people write it; with or without its unit of measure. */
int edit_set(edited *o, const char *id, const char *text);
/* "ID=VALUE"; BIL_E_CALL where it is none. */
int edit_assign(edited *o, const char *assignment);
/* Would it take this value? */
int edit_check(edited *o, const char *id, const char *text);
/* The value of an item of another copy or device of the same layout. */
int edit_take(edited *o, const bil_item *item);
/* Values from a table with the columns "id" and "value" (`side` not NULL: "value SIDE"); none is taken unless all are
 * good. No id may stand there twice. What stands there as a sheet of this copy has it is no matter, whether it could be
 * changed or not. */
int edit_import(edited *o, const char *path, const char *side);

/* A file from this computer in its place, no longer than the device takes it. BIL_E_OTHER_TYPE where it is no file,
 * BIL_E_RANGE, BIL_E_FILE_OPEN; else as edit_take. */
int edit_put_file(edited *o, const char *id, const char *path);
/* The bytes of one, piece by piece; `take` says false to end it. BIL_E_UNKNOWN_PARAMETER, BIL_E_NO_BYTES where the copy
 * doesn't have it, BIL_E_FILE_WRITE where it wasn't taken. */
int edit_give_file(edited *o, const char *id, bool (*take)(void *ctx, const uint8_t *bytes, size_t count), void *ctx);

/* Secrets, sealed in the copy under one passphrase: the one that opens those that are there, if any. BIL_E_PASSPHRASE;
 * BIL_E_CALL where it is too short or too long; BIL_E_SEAL. */
int edit_seal_by(edited *o, const char *passphrase);
/* Seals one, or with `text` NULL takes its seal away. BIL_E_NOT_YOURS where the copy can't have a secret there;
 * BIL_E_BAD_CALL before edit_seal_by; else as edit_set. */
int edit_seal(edited *o, const char *id, const char *text);

/* Saves it as a new copy where `k` keeps them, if the rules between its values hold. It names the one it comes from,
 * and that it was made offline; `what` tells it from others in a plain folder (keep_name). */
int edit_keep(edited *o, const keep *k, const char *who, const char *why, const char *what, char *path);

#endif

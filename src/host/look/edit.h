/* Changing a saved copy with no device there: every value is checked, and the result is a new copy. */
#ifndef BIL_HOST_LOOK_EDIT_H
#define BIL_HOST_LOOK_EDIT_H

#include "host/base/nearest.h"
#include "host/copy/keep.h"
#include "host/copy/load.h"
#include "host/look/finding.h"

typedef struct edited {
    const bil_description *description;
    loaded_copy from; /* the copy that it comes from; its image becomes what is wanted */
    unsigned changed;
    uint8_t given[BIL_PARAMS_MAX / 8]; /* a bit for each value that somebody changed */
    char why[700];                     /* after an error */
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

/* Saves it as a new copy where `k` keeps them, if the rules between its values hold. It names the one it comes from,
 * and that it was made offline; `what` tells it from others in a plain folder (keep_name). */
int edit_keep(edited *o, const keep *k, const char *who, const char *why, const char *what, char *path);

#endif

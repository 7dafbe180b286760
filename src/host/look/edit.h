/* Changing a saved copy with no device there: every value is checked, and the result is a new copy. */
#ifndef BIL_HOST_LOOK_EDIT_H
#define BIL_HOST_LOOK_EDIT_H

#include "host/base/nearest.h"
#include "host/look/finding.h"

typedef struct offline {
    const bil_description *description;
    bil_image image; /* as it will be */
    void *memory;
    set_origin origin; /* of the copy that it comes from */
    bil_set_totals totals;
    unsigned changed;
    char why[700]; /* after an error */
} offline;

/* Loads the copy; it must be whole, and its description at hand: its layout decides what its bits mean. */
int offline_open(offline *o, const char *path, const models *m);
void offline_close(offline *o);

/* Index of a parameter that may be changed here: BIL_E_UNKNOWN_PARAMETER (and which one is most like it), or
 * BIL_E_NOT_YOURS for what belongs to the unit or is read only. */
int offline_find(offline *o, const char *id, uint16_t *index);
/* One value, as people write it; with or without its unit of measure. */
int offline_set(offline *o, const char *id, const char *text);
/* Would it take this value? */
int offline_check(offline *o, const char *id, const char *text);
/* The value of an item of another copy or device of the same layout. */
int offline_take(offline *o, const bil_item *item);
/* Values from a table with the columns "id" and "value"; none is taken unless all are good. No id may stand there
 * twice. */
int offline_import(offline *o, const char *path);

/* Saves it as a new copy in `folder` under `name`, if the rules between its values hold. It names the one it comes
 * from, and that it was made offline. */
int offline_save(offline *o, const char *who, const char *why, const char *folder, const char *name, char *path);
/* Which header the new copy gets; `when` is now. */
void offline_origin(const offline *o, const char *who, const char *why, set_origin *out);

#endif

/* Inside the index: what its files share. */
#ifndef BIL_HOST_SITE_INDEX_INSIDE_H
#define BIL_HOST_SITE_INDEX_INSIDE_H

#include "host/site/index.h"
#include "port/sqlite.h"

/* Two folders whose names can be taken for each other are a dispute, too. */
#define DEVICE_COLUMNS                                                                                                 \
    "folder, name, card, card_disputed OR (SELECT count(*) FROM devices twin WHERE twin.key = devices.key) > 1, "      \
    "baseline, baseline_disputed, copies, last, state"

#define COPY_COLUMNS                                                                                                   \
    "device, file, digest, parent, values_digest, at, who, why, serial, model, firmware, origin, count, unreadable, "  \
    "place, state, number"

/* index_sync.c: brings it up to date; whole, or one folder (NULL: all) with every file looked at again. */
bool index_sync_again(site_index *x, const char *folder, bool copies);

/* order.c */
void index_put_in_order(site_index *x, const char *device);

/* heads.c */
const char *index_word(const json_t *object, const char *key);
/* A column as JSON; NULL where it has none. */
json_t *index_json(db_answer *s, int column);
json_t *note_heads(const site_index *x, const char *device, const char *kind);
bool note_heads_disagree(const json_t *list, const char *key);
json_t *note_namings(const site_index *x, const char *device, const char *name);

/* index_copies.c */
void index_take(char *out, size_t size, db_answer *s, int column);
long long index_stamp(const char *path);
bool index_first_copy(const site_index *x, db_answer *s, copy_row *row);

#endif

/* The ledger of this computer: which stories it began, in which order, and which of them came to an end. It lies in the
 * user's own state folder (XDG_STATE_HOME, else ~/.local/state) as bilancia/ledger: JSON Lines, only ever added to,
 * each durable before the write goes on. Neither clocks nor the folders of sites have a say in it. */
#ifndef BIL_HOST_LEDGER_H
#define BIL_HOST_LEDGER_H

#include "../port/digest.h"
#include "../port/storage.h"

typedef struct ledger_entry {
    uint64_t sequence;                              /* counts from 1 */
    char intent[2 * BIL_SHA256 + 1];                /* digest of the first line of its record */
    char last[2 * BIL_SHA256 + 1];                  /* of its last line; "" while it hasn't come to its end */
    char model[80], serial[80], path[STORAGE_PATH]; /* of the unit; where the record lay */
} ledger_entry;

typedef struct ledger {
    ledger_entry *entries; /* in the order in which they were begun */
    size_t count;
    bool broken; /* a line can't be read: what it said is not known */
} ledger;

/* Reads it; an empty one where there is none yet. BIL_OK, or BIL_E_FILE_OPEN when there is one that can't be read. */
int ledger_open(ledger *l);
void ledger_close(ledger *l);
/* The entry of this intent, or NULL. */
const ledger_entry *ledger_find(const ledger *l, const char *intent);

/* Adds the beginning of a story, or its end. BIL_OK, BIL_E_FILE_WRITE, BIL_E_DISK_FULL. */
int ledger_begin(const char *model, const char *serial, const char *path, const char *intent);
int ledger_end(const char *intent, const char *last);

#endif

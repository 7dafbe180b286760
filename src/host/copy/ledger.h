/* The ledger of this computer: which stories it began, in which order, and which of them came to an end. It lies in the
 * user's own state folder (XDG_STATE_HOME, else ~/.local/state) as bilancia/ledger: JSON Lines, only ever added to,
 * each durable before the write goes on. Neither clocks nor the folders of sites have a say in it. */
#ifndef BIL_HOST_COPY_LEDGER_H
#define BIL_HOST_COPY_LEDGER_H

#include "port/digest.h"
#include "port/storage.h"

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
/* Beside the ledger each story has its pages: its record, the values before it, and what was wanted, as they were when
 * this computer wrote them. Whatever becomes of the files in a site, these are what `resume` and `undo` go by. */
typedef enum ledger_part { LEDGER_RECORD, LEDGER_BEFORE, LEDGER_WANTED, LEDGER_PARTS } ledger_part;
/* Where such a page lies, or would; false where the user has no home. */
bool ledger_page(const char *intent, ledger_part part, char path[STORAGE_PATH]);
/* Makes the folder for them. BIL_OK, BIL_E_FILE_WRITE, BIL_E_DISK_FULL. */
int ledger_make_pages(const char *intent, char folder[STORAGE_PATH]);
/* Takes them away. */
void ledger_drop_pages(const char *intent);

/* The entry of this intent, or NULL. */
const ledger_entry *ledger_find(const ledger *l, const char *intent);

/* Adds the beginning of a story, or its end. BIL_OK, BIL_E_FILE_WRITE, BIL_E_DISK_FULL. */
int ledger_begin(const char *model, const char *serial, const char *path, const char *intent);
int ledger_end(const char *intent, const char *last);

#endif

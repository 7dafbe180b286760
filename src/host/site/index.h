/* The index of a site: an SQLite file that answers questions about many copies quickly. It lies in the cache folder of
 * the person who asks, never in the site: one that is found there comes from elsewhere. It is made from the files of
 * the site, again when it is missing, stale or damaged, and kept in memory alone where there is no such folder. It is
 * never the only place of anything, and what decides something is read from the files again (index_reread). */
#ifndef BIL_HOST_SITE_INDEX_H
#define BIL_HOST_SITE_INDEX_H

#include "host/site/site.h"

typedef struct site_index {
    const site *site;
    struct database *db;
    unsigned copies_read, notes_read; /* looked at anew by this opening */
} site_index;

/* What of a copy could be told. */
typedef enum copy_state {
    COPY_UNSEEN, /* its first and last line were read, nothing else yet */
    COPY_WHOLE,  /* whole and unaltered, and its name says so */
    COPY_DAMAGED /* cut or altered */
} copy_state;

typedef struct copy_row {
    char device[SITE_FOLDER], file[256];
    char digest[65], parent[65], values_digest[65];
    char when[40], who[100], why[SET_TEXT], serial[100], model[100], firmware[100], from[SET_TEXT];
    int values, unreadable;
    int place;       /* 1 is the first copy of the device; others may come between later */
    unsigned number; /* by which people call it, for good (keep_name); 0: it has none */
    copy_state state;
} copy_row;

typedef struct device_row {
    char folder[SITE_FOLDER], name[SITE_NAME];
    json_t *state; /* how the last read ended, as far as that was noted; or NULL */
    json_t *card;  /* what the newest note about the device says; borrowed; NULL: there is none */
    bool disputed; /* two cards that don't know of each other */
    bool baseline_disputed, retired;
    char baseline[65]; /* digest of the copy that counts as right, or "" */
    int copies;
    copy_row last; /* where copies > 0: the newest that was read from a device, if there is any */
} device_row;

/* Opens and brings up to date. `why` tells what stood in the way. */
int index_open(site_index *index, const site *s, char *why, size_t why_size);
void index_close(site_index *index);
/* Brings it up to date once more, after something was noted. False when that can't be done. */
bool index_sync(site_index *index);
/* Did a question go wrong, so that answers may be missing? Then close it, forget it, and ask again. */
bool index_broken(const site_index *index);
/* Takes the index away, so that the next opening looks at every file anew. */
void index_forget(const site *s);

/* Calls for each device, by name. A call may end it by returning false. */
void index_devices(site_index *index, bool (*each)(void *ctx, const device_row *row), void *ctx);
/* By name, folder, or the place that an address means, however it is written; "devices/FOLDER" is the one in that
 * folder. BIL_E_NO_DEVICE; BIL_E_DISPUTED where it may be two, and `why` names them: neither goes before the other. */
int index_find(site_index *index, const char *name, device_row *row, char *why, size_t why_size);
/* The same, where it matters only whether there is one. */
bool index_device(site_index *index, const char *name, device_row *row);
/* The name of a device, or of a group, that is most like this one, or "". */
void index_nearest(site_index *index, const char *name, char *out, size_t size);
/* The one in this folder. */
bool index_folder(site_index *index, const char *folder, device_row *row);
/* Each device at the place of this address (`at`), or whose last copy is of this unit. A call may end it by returning
 * false, which comes back. */
bool index_each_at(site_index *index, const char *at, const char *model, const char *serial,
                   bool (*each)(void *ctx, const device_row *row), void *ctx);

/* Is it unclear what the cards of a device say: a dispute, a note that can't be read, was altered, or was there and is
 * gone? `why` says which, "" where all is clear. */
bool index_unclear(site_index *index, const device_row *row, char *why, size_t why_size);
/* Calls for each file of a device (or "", of the site) that isn't as it should be: kind altered, unreadable, gone (a
 * note), copy_gone (a copy, without a note that it was deleted), record_gone, record_altered (a record that had ended)
 * or damaged (a copy without a beginning and an end: it has no place among the others). */
void index_strange(site_index *index, const char *folder, bool (*each)(void *ctx, const char *kind, const char *file),
                   void *ctx);
/* A person has decided: notes that are gone are no matter any more. */
void index_accept(site_index *index, const char *folder);
/* Reads the notes of this device (NULL: of all) and of the site from their files, whatever was known, and with `copies`
 * the first and last lines of its copies: before something is decided. False when that can't be done. */
bool index_reread(site_index *index, const char *folder, bool copies);

/* Is this a name that the tool gives, with this ending ("": for a folder)? Whatever else lies in a site is a stranger.
 */
bool index_takes_name(const char *name, const char *ending);

/* A text of its card, "" where that says nothing. */
const char *card_text(const device_row *row, const char *key);
/* Gives back what index_device put into the row. */
void device_row_free(device_row *row);

/* The copies of a device from the newest on, at most `most` (0: all). */
void index_copies(site_index *index, const char *folder, int most, bool (*each)(void *ctx, const copy_row *row),
                  void *ctx);
/* The copy of a device that is meant by last, first, baseline, a name that somebody gave it, a place, or at least six
 * digits of its digest. BIL_E_NO_COPY, or BIL_E_DISPUTED where two places of the site name different ones. */
int index_copy(site_index *index, const device_row *device, const char *which, copy_row *row);
/* Where index_copy says BIL_E_DISPUTED: why. */
void index_candidates(site_index *index, const device_row *device, const char *which, char *why, size_t why_size);
/* The highest number that a copy of this device has, or had before it was deleted. */
unsigned index_highest(const site_index *index, const char *folder);
/* Can this be the name of a copy: a small letter, then small letters, digits, - and _, at most 40, nothing that means
 * something else? */
bool index_name_is_good(const char *name);
/* Ids of the notes that the next one follows that gives this name to a copy. */
json_t *index_name_heads(site_index *index, const char *folder, const char *name);
/* By digest, in any device. */
bool index_copy_by_digest(site_index *index, const char *digest, copy_row *row);
void copy_path(const site *s, const copy_row *row, char out[STORAGE_PATH]);

/* Looks at the whole copy unless that was done since the file changed last. */
copy_state index_verify(site_index *index, copy_row *row);

/* How many values differ, of the classes that the values digest covers; -1 when one can't be read. Remembered. */
int index_drift(site_index *index, const copy_row *a, const copy_row *b);

/* The notes of a device (or "", of the site) of a kind (NULL: all), oldest first. `about` NULL: any. */
void index_notes(site_index *index, const char *folder, const char *kind, const char *about,
                 bool (*each)(void *ctx, const char *id, const json_t *note), void *ctx);
/* Ids of the notes of a kind that no other note of that kind follows: what the next one goes into its "after". */
json_t *index_heads(site_index *index, const char *folder, const char *kind);

/* How many copies were read after this moment ("": all). */
int index_count_since(site_index *index, const char *when);

/* Is this serial number the one of the last copy of another device of the site, too? */
bool index_serial_shared(site_index *index, const char *model, const char *serial, const char *folder);

/* The device on which this serial number was seen last, other than `folder`. */
bool index_serial_elsewhere(site_index *index, const char *model, const char *serial, const char *folder,
                            copy_row *row);

#endif

/* How a device stands: what jobs left behind on it, by their records and what people answered since, before anything
 * that its copies tell. */
#ifndef BIL_HOST_SITE_STANDING_H
#define BIL_HOST_SITE_STANDING_H

#include "host/copy/record.h"
#include "host/site/index.h"

typedef struct standing {
    bool held;             /* a job held it and nobody let it go since */
    bool unfinished;       /* neither as it was nor as wanted */
    bool on_trial;         /* values are in force that the next restart takes away */
    bool unproved;         /* its last write is stored, and nobody has seen it after a restart yet */
    unsigned failed, open; /* tests of a person, and warnings that were to be over */
    bool foreign;          /* another computer says so */
    bool elsewhere;        /* the record isn't among those of the device: it was written to by its address */
    char record[STORAGE_PATH], intent[2 * BIL_SHA256 + 1];
    char when[64], who[SET_TEXT];
} standing;

/* Of this device; `known` is the ledger of this computer. All false where nothing was left behind. BIL_OK, or
 * BIL_E_MEMORY. */
int standing_of(site_index *x, const device_row *row, const ledger *known, standing *out);

/* The tests that are left of the newest write: each with what came of it. `each` returns false to end. BIL_E_NO_RECORD
 * where nothing was written yet. */
int standing_tests(site_index *x, const device_row *row, const ledger *known, standing *out,
                   bool (*each)(void *ctx, const record_test *test), void *ctx);

/* Brings what people answered since into the tests of a record of this device. */
void standing_answers(site_index *x, const char *folder, record_story *story);

/* Notes what a person answered of one of them. */
int standing_answer(site_index *x, const device_row *row, const standing *of, const record_test *test,
                    record_result result, const char *who);

/* Is that left any more? */
bool standing_is_clean(const standing *s);

/* What reading the device just now told of what was left behind. */
typedef struct standing_sight {
    const char *values;     /* the values digest; "": not all of them were read */
    const uint32_t *starts; /* its counter of starts; NULL: it has none */
    bool let_go;            /* its state was asked for, and it isn't held */
} standing_sight;

/* Notes what came to be known by that: where its last write wasn't seen after a restart, and it has restarted since
 * with just these values, the proof came later; a trial ended with a restart; who held it has let it go, or the supply
 * did. BIL_OK, or the error of the note. */
int standing_seen(site_index *x, const device_row *row, const standing_sight *sight, const char *who);

/* Is its last copy of another unit than the one that belongs here, and was that neither written to as a replacement nor
 * marked as the baseline? `serial` (100 bytes) becomes that of the unit that belongs here. */
bool standing_exchanged(site_index *x, const device_row *row, char *serial);

#endif

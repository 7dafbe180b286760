/* After a write that broke off, or to go back: which record is meant, what it asks for, and what is written now.
 *
 * again_open; again_of_record or again_of_device; where `foreign` is true again_agree; again_choose. Then the write
 * itself (write.h). Functions return BIL_OK or the error that stands in the `trouble` of the call. */
#ifndef BIL_HOST_WRITE_AGAIN_H
#define BIL_HOST_WRITE_AGAIN_H

#include "host/write/write.h"

typedef struct again {
    record_story last, first; /* the newest record, and the one with which its story began */
    bool undoes;              /* it is to go back */
    bool foreign;             /* another computer's: what it asks for counts only once a person agrees */
    bool ours_too;            /* `ours` is the newest that this computer began there */
    char ours[STORAGE_PATH];
    /* own */
    ledger known;
    char copy[STORAGE_PATH], where[STORAGE_PATH], folder[STORAGE_PATH];
} again;

void again_open(again *a, bool undoes);
void again_close(again *a);

/* The story of this record; `w->keep` is the folder that it lies in. Its address becomes that of the write. */
int again_of_record(again *a, write_call *w, const char *path);
/* The story of the newest record of the device of a site in `w->keep`. */
int again_of_device(again *a, write_call *w);

/* What has to be typed to agree to somebody else's record: the serial number of the unit, or, where it has none, its
 * address. */
const char *again_wanted(const again *a);
/* Which checks would be set aside, were it not somebody else's: they hold again. */
uint32_t again_aside(const again *a);
/* A person typed this, or ("") nothing. */
int again_agree(again *a, write_call *w, const char *typed);

/* Fills in what is to be written now: the copy of the first record, or what was there before it. */
int again_choose(again *a, write_call *w);
/* The description that it was begun with goes before all others. */
int again_take_description(const again *a, write_call *w, catalogue *m);

#endif

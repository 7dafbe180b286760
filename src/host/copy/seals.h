/* Secrets sealed in a copy: where they stand. What makes and opens them is in seal.h. */
#ifndef BIL_HOST_COPY_SEALS_H
#define BIL_HOST_COPY_SEALS_H

#include "bilancia/description.h"

enum {
    SEAL_AROUND = 62, /* bytes of a seal beside those of the raw value; docs/set-file.md */
    SEAL_MOST = SEAL_AROUND + BIL_TEXT_MAX
};

/* One of them, whether this program can open it or not. */
typedef struct seal {
    char id[BIL_ID_MAX + 1];
    size_t size;
    uint8_t bytes[SEAL_MOST];
} seal;

typedef struct seals {
    seal *list;
    size_t count;
} seals;

void seals_free(seals *s);
/* NULL: it isn't sealed. */
const seal *seals_find(const seals *s, const char *id);
/* Puts one in, or in the place of the one of this id. False when memory is short. */
bool seals_put(seals *s, const seal *one);
void seals_drop(seals *s, const char *id);

#endif

/* A link that reads another place of the device where the same values lie: what is stored, as delivered, or kept by the
 * device itself. */
#ifndef BIL_HOST_RUN_BANK_H
#define BIL_HOST_RUN_BANK_H

#include "bilancia/port.h"

typedef struct bank_kind_and_copy {
    bil_bank_kind kind;
    uint8_t copy; /* of kept ones */
} bank_kind_and_copy;

typedef struct bank_link {
    bil_link straight;
    const bil_description *description;
    bank_kind_and_copy which;
} bank_link;

/* The first place named for it, or NULL. */
const bil_bank *bank_find(const bil_description *d, bank_kind_and_copy which);

/* `state` and `straight` outlive the link that comes back. It writes nothing. */
bil_link bank_link_over(bank_link *state, bil_link straight, const bil_description *d, bank_kind_and_copy which);

/* Takes out of an image what was read from elsewhere than the bank; who the unit is stays. */
void bank_keep_only(bil_image *image, bank_kind_and_copy which);

#endif

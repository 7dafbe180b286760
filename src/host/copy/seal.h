/* Sealing secrets in a copy under a passphrase, and opening them for a write. A copy has them under one passphrase, so
 * that a key is made once. The bytes of a seal, and what they cover, are told in docs/set-file.md. */
#ifndef BIL_HOST_COPY_SEAL_H
#define BIL_HOST_COPY_SEAL_H

#include "host/copy/seals.h"
#include "port/sealing.h"

enum {
    SEAL_HEAD = 6 + SEALING_SALT, /* form, passes, KiB, salt */
    PASSPHRASE_LEAST = 8,
    PASSPHRASE_MAX = 257 /* with its NUL */
};

/* What a passphrase opens; whoever has one wipes it. */
typedef struct seal_key {
    uint8_t head[SEAL_HEAD], key[SEALING_KEY];
    bool there;
} seal_key;

/* One of its own for what is sealed from now on. BIL_E_MEMORY; BIL_E_SEAL where libsodium isn't there. */
int seal_key_new(seal_key *k, const char *passphrase);
/* The one by which this was sealed, if that is the passphrase. BIL_E_SEAL: it was sealed in a way that this program
 * doesn't open, or would need more memory or time than it takes. */
int seal_key_of(seal_key *k, const seal *s, const char *passphrase);

/* The raw value of a secret of this model. BIL_E_MEMORY where there are no random bytes. */
int seal_close(seal *s, const seal_key *k, const bil_description *d, uint16_t index, const uint8_t *raw);
/* The other way. BIL_E_SEAL: another size than the secret has, or another key than the one of the others;
 * BIL_E_PASSPHRASE: it doesn't open, or was sealed for something else. */
int seal_open(const seal *s, const seal_key *k, const bil_description *d, uint16_t index, uint8_t *raw);

/* Can a secret be sealed for it? It is of the class secret, and the device keeps it: what unlocks it is only entered
 * there. */
bool seal_is_for(const bil_description *d, uint16_t index);

#endif

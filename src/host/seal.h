/* Signed copies: a note on a copy says who signed it; the keys that a site trusts are notes of the site.
 *
 * What is signed is the text "bilancia set 0\n" and the 64 hex digits of the copy's digest, which covers every byte of
 * it. A signature counts for a copy only when the file itself has that digest. */
#ifndef BIL_HOST_SEAL_H
#define BIL_HOST_SEAL_H

#include "site_index.h"

enum { SEAL_KEY_HEX = 64, SEAL_HEX = 128 };

/* Tells the site which public half belongs to a name. `hex` of SEAL_KEY_HEX digits. BIL_E_DISPUTED when the name has
 * another one already. */
int seal_trust(site_index *index, const char *name, const char *hex, const char *who);
/* Makes a key in a new file and tells the site its public half. */
int seal_make_key(site_index *index, const char *name, const char *path, const char *who);

/* Signs a copy with the key in this file, under the name that the site knows it by; `name` takes SITE_NAME bytes.
 * BIL_E_SIGNATURE when the site doesn't know the key. */
int seal_sign(site_index *index, const copy_row *copy, const char *path, const char *who, char *name);

typedef enum seal_state { SEAL_NONE, SEAL_GOOD, SEAL_BAD } seal_state;
/* Is this copy signed by the key of this name ("": by any that the site knows)? The digest is that of the file, looked
 * at by the caller. BAD: there is a signature, and it doesn't fit. */
seal_state seal_check(site_index *index, const char *device, const char *digest, const char *name);

#endif

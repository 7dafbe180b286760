/* Signed copies: a note on a copy says who signed it; the keys that a site trusts are notes of the site.
 *
 * What is signed are four lines, each ended by LF: "bilancia set 1"; the 64 hex digits of the copy's digest, which
 * covers every byte of it; "for " and the folder of the device, or "any"; "after " and the digest of the signed copy
 * before it, or "none". A signature counts for a copy only when the file itself has that digest. */
#ifndef BIL_HOST_SITE_SIGNING_H
#define BIL_HOST_SITE_SIGNING_H

#include "host/site/index.h"

enum { SIGNING_KEY_HEX = 64, SIGNING_HEX = 128, SIGNING_WHEN = 40 };
#define SIGNING_ANY "any"

/* Tells the site which public half belongs to a name. `hex` of SIGNING_KEY_HEX digits. BIL_E_DISPUTED when the name has
 * another one already. */
int signing_trust(site_index *index, const char *name, const char *hex, const char *who);
/* Decides, for this person at this computer, which public half belongs to a name, whatever notes say. */
int signing_decide(site_index *index, const char *name, const char *hex);
/* Makes a key in a new file and tells the site its public half. */
int signing_make_key(site_index *index, const char *name, const char *path, const char *who);

/* Signs a copy, as its file is now, with the key in this file, under the name that the site knows it by; for its device
 * or for any. `name` takes SITE_NAME bytes. BIL_E_SIGNATURE when the site doesn't know the key, BIL_E_NO_KEY when it
 * can't be read, or what is wrong with the copy. */
int signing_sign(site_index *index, const copy_row *copy, bool for_any, const char *path, const char *who, char *name);

typedef enum signing_state { SIGNING_NONE, SIGNING_GOOD, SIGNING_BAD } signing_state;
/* Is this copy signed by the key of this name ("": by any that the site knows)? The digest is that of the file, looked
 * at by the caller. BAD: there is a signature, and it doesn't fit. */
/* Was a copy that was signed after this one written to the device already? `when` tells the last time. */
bool signing_had_later(site_index *index, const char *device, const char *digest, char when[SIGNING_WHEN]);
signing_state signing_check(site_index *index, const char *device, const char *digest, const char *name);

#endif

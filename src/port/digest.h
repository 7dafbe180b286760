/* SHA-256 by libcrypto (which uses the processor's own instructions). */
#ifndef BIL_PORT_DIGEST_H
#define BIL_PORT_DIGEST_H

#include <stdbool.h>

#include "bilancia/digest.h"

/* False when memory is short. Free each with digest_close. */
bool digest_open(bil_digest *digest);
void digest_close(bil_digest *digest);

/* The digest of some bytes as 64 lower case hex digits and a NUL. */
bool digest_hex(const void *bytes, size_t count, char hex[2 * BIL_SHA256 + 1]);

/* The digest of a script or style as the policy of a page names it (Content Security Policy Level 3, 2.3.1). */
enum { DIGEST_POLICY = 64 };
bool digest_policy(const void *bytes, size_t count, char out[DIGEST_POLICY]);

#endif

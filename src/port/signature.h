/* Ed25519 signatures (RFC 8032) by libcrypto. Keys are kept as PEM files (PKCS #8, RFC 8410). */
#ifndef BIL_PORT_SIGNATURE_H
#define BIL_PORT_SIGNATURE_H

#include <stdbool.h>
#include <stddef.h>
#include <stdint.h>

enum { SIGNATURE_KEY = 32, SIGNATURE_SIZE = 64 };

/* Makes a key, writes the secret half to a new file that only its owner may read, and tells the public half. False with
 * errno set when the file can't be made. */
bool signature_make_key(const char *path, uint8_t public_half[SIGNATURE_KEY]);
/* The public half of a key file. */
bool signature_public(const char *path, uint8_t public_half[SIGNATURE_KEY]);
bool signature_sign(const char *path, const void *bytes, size_t count, uint8_t signature[SIGNATURE_SIZE]);
bool signature_fits(const uint8_t public_half[SIGNATURE_KEY], const void *bytes, size_t count,
                    const uint8_t signature[SIGNATURE_SIZE]);

#endif

/* Secrets under a passphrase, by libsodium: Argon2id (RFC 9106) makes a key of it, and XChaCha20-Poly1305 seals with
 * that. Argon2id takes the memory that it is told to by itself, past the hooks of memory.h. The library is
 * loaded when it is needed; where it isn't there nothing is sealed or opened. */
#ifndef BIL_PORT_SEALING_H
#define BIL_PORT_SEALING_H

#include <stdbool.h>
#include <stddef.h>
#include <stdint.h>

enum { SEALING_SALT = 16, SEALING_KEY = 32, SEALING_NONCE = 24, SEALING_TAG = 16 };

/* Fills it with random bytes. False: there are none here. */
bool sealing_random(uint8_t *out, size_t count);
/* Can anything be sealed or opened on this computer? */
bool sealing_is_there(void);
/* The key of a passphrase, by so many passes over so many KiB. False: there is no memory for that. */
bool sealing_key(const char *passphrase, const uint8_t salt[SEALING_SALT], unsigned passes, uint32_t kib,
                 uint8_t key[SEALING_KEY]);
/* `out` has room for `count` bytes and a tag; `beside` is covered, and not in it. False: as above. */
bool sealing_close(const uint8_t key[SEALING_KEY], const uint8_t nonce[SEALING_NONCE], const uint8_t *beside,
                   size_t beside_count, const uint8_t *bytes, size_t count, uint8_t *out);
/* The other way; `count` is without the tag. False: it isn't what was sealed, or another key. */
bool sealing_open(const uint8_t key[SEALING_KEY], const uint8_t nonce[SEALING_NONCE], const uint8_t *beside,
                  size_t beside_count, const uint8_t *sealed, size_t count, uint8_t *out);

#endif

#include "port/sealing.h"

#include <sodium.h>
#include <string.h>

_Static_assert(SEALING_SALT == crypto_pwhash_argon2id_SALTBYTES &&
                   SEALING_KEY == crypto_aead_xchacha20poly1305_ietf_KEYBYTES &&
                   SEALING_NONCE == crypto_aead_xchacha20poly1305_ietf_NPUBBYTES &&
                   SEALING_TAG == crypto_aead_xchacha20poly1305_ietf_ABYTES,
               "as the library has them");

bool sealing_random(uint8_t *out, size_t count)
{
    if (sodium_init() < 0)
        return false;
    randombytes_buf(out, count);
    return true;
}

bool sealing_key(const char *passphrase, const uint8_t salt[SEALING_SALT], unsigned passes, uint32_t kib,
                 uint8_t key[SEALING_KEY])
{
    return sodium_init() >= 0 && crypto_pwhash_argon2id(key, SEALING_KEY, passphrase, strlen(passphrase), salt, passes,
                                                        (size_t)kib * 1024, crypto_pwhash_argon2id_ALG_ARGON2ID13) == 0;
}

void sealing_close(const uint8_t key[SEALING_KEY], const uint8_t nonce[SEALING_NONCE], const uint8_t *beside,
                   size_t beside_count, const uint8_t *bytes, size_t count, uint8_t *out)
{
    crypto_aead_xchacha20poly1305_ietf_encrypt(out, NULL, bytes, count, beside, beside_count, NULL, nonce, key);
}

bool sealing_open(const uint8_t key[SEALING_KEY], const uint8_t nonce[SEALING_NONCE], const uint8_t *beside,
                  size_t beside_count, const uint8_t *sealed, size_t count, uint8_t *out)
{
    return crypto_aead_xchacha20poly1305_ietf_decrypt(out, NULL, NULL, sealed, count + SEALING_TAG, beside,
                                                      beside_count, nonce, key) == 0;
}

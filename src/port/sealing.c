#include "port/sealing.h"

#include <dlfcn.h>
#include <sodium.h>
#include <string.h>

_Static_assert(SEALING_SALT == crypto_pwhash_argon2id_SALTBYTES &&
                   SEALING_KEY == crypto_aead_xchacha20poly1305_ietf_KEYBYTES &&
                   SEALING_NONCE == crypto_aead_xchacha20poly1305_ietf_NPUBBYTES &&
                   SEALING_TAG == crypto_aead_xchacha20poly1305_ietf_ABYTES,
               "as the library has them");

/* Loaded where a secret is sealed or opened: all other calls would only carry it. */
typedef struct calls {
    int (*init)(void);
    void (*random)(void *, size_t);
    int (*hash)(unsigned char *, unsigned long long, const char *, unsigned long long, const unsigned char *,
                unsigned long long, size_t, int);
    int (*encrypt)(unsigned char *, unsigned long long *, const unsigned char *, unsigned long long,
                   const unsigned char *, unsigned long long, const unsigned char *, const unsigned char *,
                   const unsigned char *);
    int (*decrypt)(unsigned char *, unsigned long long *, unsigned char *, const unsigned char *, unsigned long long,
                   const unsigned char *, unsigned long long, const unsigned char *, const unsigned char *);
} calls;

static bool find(void *library, const char *name, void *call)
{
    void *found = library ? dlsym(library, name) : NULL;
    memcpy(call, &found, sizeof found);
    return found;
}

/* False: there is no libsodium on this computer, or it can't be used. It stays, so that it begins once. */
static bool load(calls *c)
{
    void *library = dlopen("libsodium.so.23", RTLD_NOW | RTLD_LOCAL | RTLD_NODELETE);
    bool good = find(library, "sodium_init", &c->init) && find(library, "randombytes_buf", &c->random) &&
                find(library, "crypto_pwhash_argon2id", &c->hash) &&
                find(library, "crypto_aead_xchacha20poly1305_ietf_encrypt", &c->encrypt) &&
                find(library, "crypto_aead_xchacha20poly1305_ietf_decrypt", &c->decrypt);
    if (library)
        dlclose(library);
    return good && c->init() >= 0;
}

bool sealing_is_there(void)
{
    calls c;
    return load(&c);
}

bool sealing_random(uint8_t *out, size_t count)
{
    calls c;
    if (!load(&c))
        return false;
    c.random(out, count);
    return true;
}

bool sealing_key(const char *passphrase, const uint8_t salt[SEALING_SALT], unsigned passes, uint32_t kib,
                 uint8_t key[SEALING_KEY])
{
    calls c;
    return load(&c) && c.hash(key, SEALING_KEY, passphrase, strlen(passphrase), salt, passes, (size_t)kib * 1024,
                              crypto_pwhash_argon2id_ALG_ARGON2ID13) == 0;
}

bool sealing_close(const uint8_t key[SEALING_KEY], const uint8_t nonce[SEALING_NONCE], const uint8_t *beside,
                   size_t beside_count, const uint8_t *bytes, size_t count, uint8_t *out)
{
    calls c;
    return load(&c) && c.encrypt(out, NULL, bytes, count, beside, beside_count, NULL, nonce, key) == 0;
}

bool sealing_open(const uint8_t key[SEALING_KEY], const uint8_t nonce[SEALING_NONCE], const uint8_t *beside,
                  size_t beside_count, const uint8_t *sealed, size_t count, uint8_t *out)
{
    calls c;
    return load(&c) && c.decrypt(out, NULL, NULL, sealed, count + SEALING_TAG, beside, beside_count, nonce, key) == 0;
}

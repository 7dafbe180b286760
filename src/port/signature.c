#include "signature.h"

#include <fcntl.h>
#include <openssl/err.h>
#include <openssl/evp.h>
#include <openssl/pem.h>
#include <stdio.h>
#include <unistd.h>

static EVP_PKEY *load(const char *path)
{
    FILE *file = fopen(path, "rb");
    if (!file)
        return NULL;
    EVP_PKEY *key = PEM_read_PrivateKey(file, NULL, NULL, NULL);
    fclose(file);
    if (key && EVP_PKEY_id(key) != EVP_PKEY_ED25519) {
        EVP_PKEY_free(key);
        key = NULL;
    }
    return key;
}

static bool tell_public(const EVP_PKEY *key, uint8_t public_half[SIGNATURE_KEY])
{
    size_t size = SIGNATURE_KEY;
    return EVP_PKEY_get_raw_public_key(key, public_half, &size) == 1 && size == SIGNATURE_KEY;
}

bool signature_make_key(const char *path, uint8_t public_half[SIGNATURE_KEY])
{
    int fd = open(path, O_WRONLY | O_CREAT | O_EXCL | O_CLOEXEC, 0600);
    FILE *file = fd < 0 ? NULL : fdopen(fd, "wb");
    if (!file)
        return false;
    EVP_PKEY *key = EVP_PKEY_Q_keygen(NULL, NULL, "ED25519");
    bool good = key && PEM_write_PrivateKey(file, key, NULL, NULL, 0, NULL, NULL) == 1 &&
                tell_public(key, public_half) && fflush(file) == 0 && fsync(fd) == 0;
    fclose(file);
    EVP_PKEY_free(key);
    if (!good)
        unlink(path);
    return good;
}

bool signature_public(const char *path, uint8_t public_half[SIGNATURE_KEY])
{
    EVP_PKEY *key = load(path);
    bool good = key && tell_public(key, public_half);
    EVP_PKEY_free(key);
    ERR_clear_error(); /* which holds memory of its own */
    return good;
}

bool signature_sign(const char *path, const void *bytes, size_t count, uint8_t signature[SIGNATURE_SIZE])
{
    EVP_PKEY *key = load(path);
    EVP_MD_CTX *context = EVP_MD_CTX_new();
    size_t size = SIGNATURE_SIZE;
    bool good = key && context && EVP_DigestSignInit(context, NULL, NULL, NULL, key) == 1 &&
                EVP_DigestSign(context, signature, &size, bytes, count) == 1 && size == SIGNATURE_SIZE;
    EVP_MD_CTX_free(context);
    EVP_PKEY_free(key);
    ERR_clear_error(); /* which holds memory of its own */
    return good;
}

bool signature_fits(const uint8_t public_half[SIGNATURE_KEY], const void *bytes, size_t count,
                    const uint8_t signature[SIGNATURE_SIZE])
{
    EVP_PKEY *key = EVP_PKEY_new_raw_public_key(EVP_PKEY_ED25519, NULL, public_half, SIGNATURE_KEY);
    EVP_MD_CTX *context = EVP_MD_CTX_new();
    bool good = key && context && EVP_DigestVerifyInit(context, NULL, NULL, NULL, key) == 1 &&
                EVP_DigestVerify(context, signature, SIGNATURE_SIZE, bytes, count) == 1;
    EVP_MD_CTX_free(context);
    EVP_PKEY_free(key);
    ERR_clear_error(); /* which holds memory of its own */
    return good;
}

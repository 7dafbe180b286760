#include "port/digest.h"

#include <openssl/err.h>
#include <openssl/evp.h>
#include <string.h>

#include "port/memory.h"

/* To start, libcrypto takes memory each time: a digest that couldn't is no digest of anything, and leaves the mark. */
typedef struct sha256 {
    EVP_MD_CTX *context;
    bool good;
} sha256;

static void start(void *ctx)
{
    sha256 *d = ctx;
    d->good = EVP_DigestInit_ex(d->context, EVP_sha256(), NULL) == 1;
    if (d->good)
        return;
    ERR_clear_error(); /* which holds memory of its own */
    mem_short();
}

static void add(void *ctx, const void *bytes, size_t count)
{
    sha256 *d = ctx;
    if (d->good)
        EVP_DigestUpdate(d->context, bytes, count);
}

static void end(void *ctx, uint8_t out[BIL_SHA256])
{
    sha256 *d = ctx;
    memset(out, 0, BIL_SHA256);
    if (d->good)
        EVP_DigestFinal_ex(d->context, out, NULL);
}

static const bil_digest_ops ops = {start, add, end};

bool digest_open(bil_digest *digest)
{
    sha256 *d = mem_new(1, sizeof *d);
    *digest = (bil_digest){&ops, d};
    if (d && (d->context = EVP_MD_CTX_new()))
        return true;
    ERR_clear_error();
    mem_short();
    digest_close(digest);
    return false;
}

void digest_close(bil_digest *digest)
{
    sha256 *d = digest->ctx;
    if (d)
        EVP_MD_CTX_free(d->context);
    mem_free(d);
    digest->ctx = NULL;
}

static bool digest_whole(const void *bytes, size_t count, uint8_t out[BIL_SHA256])
{
    bil_digest digest;
    if (!digest_open(&digest))
        return false;
    start(digest.ctx);
    add(digest.ctx, bytes, count);
    end(digest.ctx, out);
    bool good = ((const sha256 *)digest.ctx)->good;
    digest_close(&digest);
    return good;
}

bool digest_policy(const void *bytes, size_t count, char out[DIGEST_POLICY])
{
    uint8_t digest[BIL_SHA256];
    static const char head[] = "sha256-";
    if (!digest_whole(bytes, count, digest))
        return false;
    memcpy(out, head, sizeof head);
    EVP_EncodeBlock((unsigned char *)out + sizeof head - 1, digest, BIL_SHA256);
    return true;
}

bool digest_hex(const void *bytes, size_t count, char hex[2 * BIL_SHA256 + 1])
{
    uint8_t out[BIL_SHA256];
    if (!digest_whole(bytes, count, out))
        return false;
    for (size_t i = 0; i < BIL_SHA256; i++) {
        hex[2 * i] = "0123456789abcdef"[out[i] >> 4];
        hex[2 * i + 1] = "0123456789abcdef"[out[i] & 15];
    }
    hex[2 * BIL_SHA256] = '\0';
    return true;
}

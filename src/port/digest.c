#include "digest.h"

#include <openssl/evp.h>
#include <string.h>

static void start(void *ctx)
{
    EVP_DigestInit_ex(ctx, EVP_sha256(), NULL);
}

static void add(void *ctx, const void *bytes, size_t count)
{
    EVP_DigestUpdate(ctx, bytes, count);
}

static void end(void *ctx, uint8_t out[BIL_SHA256])
{
    EVP_DigestFinal_ex(ctx, out, NULL);
}

static const bil_digest_ops ops = {start, add, end};

bool digest_open(bil_digest *digest)
{
    *digest = (bil_digest){&ops, EVP_MD_CTX_new()};
    return digest->ctx != NULL;
}

void digest_close(bil_digest *digest)
{
    EVP_MD_CTX_free(digest->ctx);
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
    digest_close(&digest);
    return true;
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

/* bilancia/digest.h - SHA-256 (FIPS 180-4) as the port or host supplies it.
 *
 * Thread rules: a digest belongs to one thread at a time. */
#ifndef BILANCIA_DIGEST_H
#define BILANCIA_DIGEST_H

#include <stddef.h>
#include <stdint.h>

#ifdef __cplusplus
extern "C" {
#endif

/* Bytes of a digest (FIPS 180-4). */
#define BIL_SHA256 32

/* One running digest lives behind `ctx`. `start` begins a new one, whatever was before. */
typedef struct bil_digest_ops {
    void (*start)(void *ctx);
    void (*add)(void *ctx, const void *bytes, size_t count);
    void (*end)(void *ctx, uint8_t out[BIL_SHA256]);
} bil_digest_ops;

/* Those functions with their context. */
typedef struct bil_digest {
    const bil_digest_ops *ops;
    void *ctx;
} bil_digest;

#ifdef __cplusplus
}
#endif

#endif

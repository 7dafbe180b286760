/* SHA-256 (FIPS 180-4) in plain C, for processors without a library: what a port supplies on bare metal. */
#ifndef EXAMPLES_SHA256_H
#define EXAMPLES_SHA256_H

#include "bilancia/digest.h"

typedef struct sha256 {
    uint32_t state[8];
    uint64_t length;
    uint8_t block[64];
} sha256;

extern const bil_digest_ops sha256_ops; /* ctx is a sha256 */

#endif

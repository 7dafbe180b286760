/* src/port/digest.h without libcrypto, for targets on which it isn't packaged. */
#include <stdio.h>
#include <stdlib.h>

#include "../../examples/sha256.h"
#include "port/digest.h"

bool digest_open(bil_digest *digest)
{
    *digest = (bil_digest){&sha256_ops, malloc(sizeof(sha256))};
    return digest->ctx != NULL;
}

void digest_close(bil_digest *digest)
{
    free(digest->ctx);
    digest->ctx = NULL;
}

bool digest_hex(const void *bytes, size_t count, char hex[2 * BIL_SHA256 + 1])
{
    sha256 s;
    uint8_t out[BIL_SHA256];
    sha256_ops.start(&s);
    sha256_ops.add(&s, bytes, count);
    sha256_ops.end(&s, out);
    for (int i = 0; i < BIL_SHA256; i++)
        snprintf(hex + 2 * i, 3, "%02x", out[i]);
    return true;
}

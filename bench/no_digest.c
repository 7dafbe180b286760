/* Put before libcrypto, this takes the digest's work away: what is left is everything else. */
#include <stddef.h>

int EVP_DigestUpdate(void *context, const void *bytes, size_t count);

int EVP_DigestUpdate(void *context, const void *bytes, size_t count)
{
    (void)context;
    (void)bytes;
    (void)count;
    return 1;
}

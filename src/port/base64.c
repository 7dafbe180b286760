#include "base64.h"

#include <openssl/evp.h>

void base64_encode(const uint8_t *bytes, size_t count, char *text)
{
    EVP_EncodeBlock((unsigned char *)text, bytes, (int)count);
}

int base64_decode(const char *text, size_t length, uint8_t *bytes)
{
    int padded = length && text[length - 1] == '=' ? text[length - 2] == '=' ? 2 : 1 : 0;
    int count = length && length % 4 == 0 ? EVP_DecodeBlock(bytes, (const unsigned char *)text, (int)length) : -1;
    return count < 0 ? -1 : count - padded;
}

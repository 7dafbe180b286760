/* Base64 (RFC 4648, section 4) by libcrypto. */
#ifndef BIL_PORT_BASE64_H
#define BIL_PORT_BASE64_H

#include <stddef.h>
#include <stdint.h>

/* With padding and a NUL: `text` has (count + 2) / 3 * 4 + 1 bytes. */
void base64_encode(const uint8_t *bytes, size_t count, char *text);
/* A whole number of quads, padded in the last one. How many bytes they are, -1 where they are none; `bytes` has three
 * for each quad. */
int base64_decode(const char *text, size_t length, uint8_t *bytes);

#endif

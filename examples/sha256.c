#include "sha256.h"

#include <string.h>

static const uint32_t constants[64] = {
    0x428a2f98, 0x71374491, 0xb5c0fbcf, 0xe9b5dba5, 0x3956c25b, 0x59f111f1, 0x923f82a4, 0xab1c5ed5,
    0xd807aa98, 0x12835b01, 0x243185be, 0x550c7dc3, 0x72be5d74, 0x80deb1fe, 0x9bdc06a7, 0xc19bf174,
    0xe49b69c1, 0xefbe4786, 0x0fc19dc6, 0x240ca1cc, 0x2de92c6f, 0x4a7484aa, 0x5cb0a9dc, 0x76f988da,
    0x983e5152, 0xa831c66d, 0xb00327c8, 0xbf597fc7, 0xc6e00bf3, 0xd5a79147, 0x06ca6351, 0x14292967,
    0x27b70a85, 0x2e1b2138, 0x4d2c6dfc, 0x53380d13, 0x650a7354, 0x766a0abb, 0x81c2c92e, 0x92722c85,
    0xa2bfe8a1, 0xa81a664b, 0xc24b8b70, 0xc76c51a3, 0xd192e819, 0xd6990624, 0xf40e3585, 0x106aa070,
    0x19a4c116, 0x1e376c08, 0x2748774c, 0x34b0bcb5, 0x391c0cb3, 0x4ed8aa4a, 0x5b9cca4f, 0x682e6ff3,
    0x748f82ee, 0x78a5636f, 0x84c87814, 0x8cc70208, 0x90befffa, 0xa4506ceb, 0xbef9a3f7, 0xc67178f2};

static uint32_t turn(uint32_t x, unsigned n)
{
    return x >> n | x << (32 - n);
}

static void take_block(sha256 *s)
{
    uint32_t w[16], v[8];
    memcpy(v, s->state, sizeof v);
    for (unsigned i = 0; i < 64; i++) {
        uint32_t *now = &w[i % 16];
        if (i < 16) {
            const uint8_t *b = s->block + 4 * i;
            *now = (uint32_t)b[0] << 24 | (uint32_t)b[1] << 16 | (uint32_t)b[2] << 8 | b[3];
        } else {
            uint32_t a = w[(i + 1) % 16], b = w[(i + 14) % 16];
            *now += (turn(a, 7) ^ turn(a, 18) ^ a >> 3) + w[(i + 9) % 16] + (turn(b, 17) ^ turn(b, 19) ^ b >> 10);
        }
        /* the eight words aren't moved on: their places are */
        uint32_t a = v[(64 - i) % 8], e = v[(68 - i) % 8], *h = &v[(71 - i) % 8];
        uint32_t first = *h + (turn(e, 6) ^ turn(e, 11) ^ turn(e, 25)) +
                         ((e & v[(69 - i) % 8]) ^ (~e & v[(70 - i) % 8])) + constants[i] + *now;
        uint32_t b = v[(65 - i) % 8], c = v[(66 - i) % 8];
        v[(67 - i) % 8] += first;
        *h = first + (turn(a, 2) ^ turn(a, 13) ^ turn(a, 22)) + ((a & b) ^ (a & c) ^ (b & c));
    }
    for (int i = 0; i < 8; i++)
        s->state[i] += v[i];
}

static void start(void *ctx)
{
    static const uint32_t begin[8] = {0x6a09e667, 0xbb67ae85, 0x3c6ef372, 0xa54ff53a,
                                      0x510e527f, 0x9b05688c, 0x1f83d9ab, 0x5be0cd19};
    sha256 *s = ctx;
    memcpy(s->state, begin, sizeof begin);
    s->length = 0;
}

static void add(void *ctx, const void *bytes, size_t count)
{
    sha256 *s = ctx;
    const uint8_t *at = bytes;
    while (count > 0) {
        size_t used = s->length % 64, part = 64 - used < count ? 64 - used : count;
        memcpy(s->block + used, at, part);
        s->length += part;
        at += part;
        count -= part;
        if (s->length % 64 == 0)
            take_block(s);
    }
}

static void end(void *ctx, uint8_t out[BIL_SHA256])
{
    static const uint8_t padding[64] = {0x80};
    sha256 *s = ctx;
    uint64_t bits = s->length * 8;
    uint8_t length[8];
    for (int i = 0; i < 8; i++)
        length[i] = (uint8_t)(bits >> (56 - 8 * i));
    add(s, padding, 1 + (119 - s->length % 64) % 64);
    add(s, length, sizeof length);
    for (int i = 0; i < 32; i++)
        out[i] = (uint8_t)(s->state[i / 4] >> (24 - 8 * (i % 4)));
}

const bil_digest_ops sha256_ops = {start, add, end};

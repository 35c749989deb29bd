/* SHA-256, FIPS 180-4 section 6.2. */
#include "fields.h"
#include "wrytograph/bytes.h"

#include "bytes/memory.h"

static const uint32_t round_constants[64] = {
    0x428a2f98, 0x71374491, 0xb5c0fbcf, 0xe9b5dba5, 0x3956c25b, 0x59f111f1, 0x923f82a4, 0xab1c5ed5,
    0xd807aa98, 0x12835b01, 0x243185be, 0x550c7dc3, 0x72be5d74, 0x80deb1fe, 0x9bdc06a7, 0xc19bf174,
    0xe49b69c1, 0xefbe4786, 0x0fc19dc6, 0x240ca1cc, 0x2de92c6f, 0x4a7484aa, 0x5cb0a9dc, 0x76f988da,
    0x983e5152, 0xa831c66d, 0xb00327c8, 0xbf597fc7, 0xc6e00bf3, 0xd5a79147, 0x06ca6351, 0x14292967,
    0x27b70a85, 0x2e1b2138, 0x4d2c6dfc, 0x53380d13, 0x650a7354, 0x766a0abb, 0x81c2c92e, 0x92722c85,
    0xa2bfe8a1, 0xa81a664b, 0xc24b8b70, 0xc76c51a3, 0xd192e819, 0xd6990624, 0xf40e3585, 0x106aa070,
    0x19a4c116, 0x1e376c08, 0x2748774c, 0x34b0bcb5, 0x391c0cb3, 0x4ed8aa4a, 0x5b9cca4f, 0x682e6ff3,
    0x748f82ee, 0x78a5636f, 0x84c87814, 0x8cc70208, 0x90befffa, 0xa4506ceb, 0xbef9a3f7, 0xc67178f2,
};

static uint32_t rotate_right(uint32_t x, unsigned n)
{
    return x >> n | x << (32 - n);
}

static uint32_t get32_big(const uint8_t *from)
{
    return (uint32_t)from[0] << 24 | (uint32_t)from[1] << 16 | (uint32_t)from[2] << 8 | from[3];
}

static void put32_big(uint8_t *to, uint32_t value)
{
    to[0] = (uint8_t)(value >> 24);
    to[1] = (uint8_t)(value >> 16);
    to[2] = (uint8_t)(value >> 8);
    to[3] = (uint8_t)value;
}

/* The common part of all rounds: returns T1, which is added to d and to the new a. */
static inline uint32_t first_sum(uint32_t e, uint32_t f, uint32_t g, uint32_t h, uint32_t more)
{
    uint32_t big = rotate_right(e, 6) ^ rotate_right(e, 11) ^ rotate_right(e, 25);

    return h + big + (g ^ (e & (f ^ g))) + more;
}

static inline uint32_t second_sum(uint32_t a, uint32_t b, uint32_t c)
{
    uint32_t big = rotate_right(a, 2) ^ rotate_right(a, 13) ^ rotate_right(a, 22);

    return big + ((a & b) | (c & (a | b)));
}

/* Section 6.2.2, step 1. The whole schedule comes first: compilers vectorise this loop. */
static void schedule(uint32_t w[64], const uint8_t block[64])
{
    for (unsigned t = 0; t < 16; t++)
        w[t] = get32_big(block + (size_t)4 * t);
    for (unsigned t = 16; t < 64; t++) {
        uint32_t x = w[t - 15], y = w[t - 2];
        uint32_t s0 = rotate_right(x, 7) ^ rotate_right(x, 18) ^ (x >> 3);
        uint32_t s1 = rotate_right(y, 17) ^ rotate_right(y, 19) ^ (y >> 10);
        w[t] = w[t - 16] + s0 + w[t - 7] + s1;
    }
}

#ifdef __OPTIMIZE_SIZE__

/* The small version: the working variables are shifted in each round. */
static void compress(uint32_t state[8], const uint8_t block[64])
{
    uint32_t w[64], v[8];

    schedule(w, block);
    memcpy(v, state, sizeof v);
    for (unsigned t = 0; t < 64; t++) {
        uint32_t first = first_sum(v[4], v[5], v[6], v[7], round_constants[t] + w[t]);
        uint32_t second = second_sum(v[0], v[1], v[2]);
        v[7] = v[6];
        v[6] = v[5];
        v[5] = v[4];
        v[4] = v[3] + first;
        v[3] = v[2];
        v[2] = v[1];
        v[1] = v[0];
        v[0] = first + second;
    }
    for (unsigned i = 0; i < 8; i++)
        state[i] += v[i];
}

#else

/* One round of the fast version: the working variables stay in place, and the caller rotates their
 * order. */
static inline void turn(uint32_t a, uint32_t b, uint32_t c, uint32_t *d, uint32_t e, uint32_t f,
                        uint32_t g, uint32_t *h, uint32_t more)
{
    uint32_t first = first_sum(e, f, g, *h, more);

    *d += first;
    *h = first + second_sum(a, b, c);
}

static void compress(uint32_t state[8], const uint8_t block[64])
{
    uint32_t w[64];
    uint32_t a = state[0], b = state[1], c = state[2], d = state[3];
    uint32_t e = state[4], f = state[5], g = state[6], h = state[7];

    schedule(w, block);
    for (unsigned t = 0; t < 64; t += 8) {
        const uint32_t *k = round_constants + t, *v = w + t;
        turn(a, b, c, &d, e, f, g, &h, k[0] + v[0]);
        turn(h, a, b, &c, d, e, f, &g, k[1] + v[1]);
        turn(g, h, a, &b, c, d, e, &f, k[2] + v[2]);
        turn(f, g, h, &a, b, c, d, &e, k[3] + v[3]);
        turn(e, f, g, &h, a, b, c, &d, k[4] + v[4]);
        turn(d, e, f, &g, h, a, b, &c, k[5] + v[5]);
        turn(c, d, e, &f, g, h, a, &b, k[6] + v[6]);
        turn(b, c, d, &e, f, g, h, &a, k[7] + v[7]);
    }
    state[0] += a;
    state[1] += b;
    state[2] += c;
    state[3] += d;
    state[4] += e;
    state[5] += f;
    state[6] += g;
    state[7] += h;
}

#endif

void wry_sha256_begin(struct wry_sha256 *sha)
{
    static const uint32_t start[8] = {0x6a09e667, 0xbb67ae85, 0x3c6ef372, 0xa54ff53a,
                                      0x510e527f, 0x9b05688c, 0x1f83d9ab, 0x5be0cd19};
    memcpy(sha->state, start, sizeof start);
    sha->length = 0;
}

static void compress_all(void *context, uint32_t state[8], const uint8_t *blocks, size_t count)
{
    (void)context;
    for (size_t i = 0; i < count; i++)
        compress(state, blocks + i * 64);
}

void wry_sha256_add(struct wry_sha256 *sha, const uint8_t *bytes, size_t n)
{
    wry_sha256_add_by(sha, bytes, n, compress_all, NULL);
}

void wry_sha256_add_by(struct wry_sha256 *sha, const uint8_t *bytes, size_t n,
                       void (*add)(void *context, uint32_t state[8], const uint8_t *blocks,
                                   size_t count),
                       void *context)
{
    size_t held = sha->length % 64;

    if (!add)
        add = compress_all;
    sha->length += n;
    if (held > 0) {
        size_t take = 64 - held < n ? 64 - held : n;
        memcpy(sha->block + held, bytes, take);
        if (held + take < 64)
            return;
        add(context, sha->state, sha->block, 1);
        bytes += take;
        n -= take;
    }
    if (n >= 64)
        add(context, sha->state, bytes, n / 64);
    memcpy(sha->block, bytes + n / 64 * 64, n % 64);
}

void wry_sha256_end(struct wry_sha256 *sha, uint8_t digest[WRY_SHA256_SIZE])
{
    uint64_t bits = sha->length * 8;
    size_t held = sha->length % 64;

    sha->block[held++] = 0x80;
    if (held > 56) {
        memset(sha->block + held, 0, 64 - held);
        compress(sha->state, sha->block);
        held = 0;
    }
    memset(sha->block + held, 0, 56 - held);
    put32_big(sha->block + 56, (uint32_t)(bits >> 32));
    put32_big(sha->block + 60, (uint32_t)bits);
    compress(sha->state, sha->block);
    for (size_t i = 0; i < 8; i++)
        put32_big(digest + 4 * i, sha->state[i]);
}

uint64_t wry_sha256_end_short(struct wry_sha256 *sha)
{
    uint8_t digest[WRY_SHA256_SIZE];

    wry_sha256_end(sha, digest);
    return bytes_get32(digest) | (uint64_t)bytes_get32(digest + 4) << 32;
}

/*
 * Keys: two streams with one key are the same, as far as two checksums tell (1 in 2^64). If they
 * are not, the board's digest differs, and the content is sent in another way.
 */
#ifndef WRY_PACK_KEY_H
#define WRY_PACK_KEY_H

#include "wrytograph/packer.h"

/* Both checksums of zlib, which are fast. */
struct pack_key {
    uint32_t crc, adler;
    uint32_t length; /* bytes of content */
};

/* Of content, place, coding, its limits and, where it matters, the known old content. False if the
 * content cannot be read. */
bool pack_key_of(const struct wry_packing *packing, struct pack_key *key);
/* Makes it another key. */
void pack_key_add(struct pack_key *key, uint32_t number);
bool pack_key_equal(const struct pack_key *a, const struct pack_key *b);

#endif

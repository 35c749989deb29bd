/*
 * The old content of a flash that is known and that the board will still have: in one array,
 * sorted for fast search of the longest match.
 */
#ifndef WRY_PACK_OLD_CONTENT_H
#define WRY_PACK_OLD_CONTENT_H

#include <stdbool.h>
#include <stddef.h>
#include <stdint.h>

#include "wrytograph/known.h"

struct pack_range {
    uint32_t offset; /* in the flash */
    uint32_t at;     /* position in the array */
    uint32_t length;
};

struct pack_old {
    uint8_t *bytes;
    size_t n;
    struct pack_range *ranges; /* sorted by offset */
    size_t count;
    int32_t *order;     /* suffix array */
    uint32_t *by_start; /* first suffix in order for each pair of bytes */
};

/* A match. */
struct pack_match {
    uint32_t offset; /* in the flash, of its first byte */
    uint32_t length; /* 0: no match */
};

/* Collects the known content of the flash from start to end. old is zeroed. False if there is no
 * memory. */
bool pack_old_gather(struct pack_old *old, const struct wry_known *known, uint32_t start,
                     uint32_t end);
void pack_old_free(struct pack_old *old);

/* The old bytes from offset on; *n is the number of known ones. NULL if there are none. */
const uint8_t *pack_old_at(const struct pack_old *old, uint32_t offset, uint32_t *n);
/* The old bytes before offset; *n is the number of known ones. The pointer is to their end. */
const uint8_t *pack_old_before(const struct pack_old *old, uint32_t offset, uint32_t *n);

/* The longest match for the n bytes that does not begin in [lost_from, lost_to), which the board
 * will have lost. */
struct pack_match pack_old_find(const struct pack_old *old, const uint8_t *bytes, size_t n,
                                uint32_t lost_from, uint32_t lost_to);

#endif

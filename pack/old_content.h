/*
 * What a flash held before, as far as it is known and a board will still have it: its bytes in one
 * row, sorted so that the longest stretch like another one is found quickly.
 */
#ifndef WRY_PACK_OLD_CONTENT_H
#define WRY_PACK_OLD_CONTENT_H

#include <stdbool.h>
#include <stddef.h>
#include <stdint.h>

#include "wrytograph/known.h"

struct pack_range {
    uint32_t offset; /* in the flash */
    uint32_t at;     /* in the row */
    uint32_t length;
};

struct pack_old {
    uint8_t *bytes;
    size_t n;
    struct pack_range *ranges; /* by rising offset */
    size_t count;
    int32_t *order;     /* of all rests of the row, by what they begin with */
    uint32_t *by_start; /* where rests begin in order that begin with these two bytes */
};

/* A stretch of the row that is like the one asked for. */
struct pack_match {
    uint32_t offset; /* in the flash, of its first byte */
    uint32_t length; /* 0: nothing is like it */
};

/* Takes in what is known of the flash from start to end. old is zeros. False without memory. */
bool pack_old_gather(struct pack_old *old, const struct wry_known *known, uint32_t start,
                     uint32_t end);
void pack_old_free(struct pack_old *old);

/* The old bytes from offset on; *n how many are known from there. NULL when none is. */
const uint8_t *pack_old_at(const struct pack_old *old, uint32_t offset, uint32_t *n);
/* The old bytes before offset; *n how many are known up to there. They end where it points to. */
const uint8_t *pack_old_before(const struct pack_old *old, uint32_t offset, uint32_t *n);

/* The longest match of the n bytes that does not begin within what is lost, [lost_from, lost_to):
 * of that the board keeps nothing. */
struct pack_match pack_old_find(const struct pack_old *old, const uint8_t *bytes, size_t n,
                                uint32_t lost_from, uint32_t lost_to);

#endif

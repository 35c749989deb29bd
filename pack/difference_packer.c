/*
 * Encodes new content as a difference to old content.
 *
 * A rebuilt program has moved its functions, and their addresses changed everywhere. So a copy goes
 * on as long as most of its bytes agree with the old content, and the stream adds the difference of
 * each byte. Where agreement ends, the encoder searches the longest exact match. Between two
 * copies, bytes go to the one that agrees better, and are sent literally if both agree badly.
 * Content is processed in segments, to bound memory.
 */
#include "difference_packer.h"

#include <stdlib.h>
#include <string.h>

#include "old_content.h"
#include "wrytograph/difference.h"
#include "wrytograph/flash.h"

enum {
    SEGMENT = 0x100000, /* bytes of new content processed at once */
    RECORDS_MOST =
        3 * SEGMENT, /* most bytes of records, with the heads of the shortest stretches */
    MATCH_LEAST = 8, /* additional agreeing bytes that justify a change of distance */
    SURE = 8,        /* agreeing bytes in a row after which no better match is searched */
    AHEAD = 32,      /* bytes examined to see whether agreement continues */
    STEP = 4,        /* bytes between searches where nothing agrees */
};

/* A part of the new content, by its position in the segment, and its source. */
struct stretch {
    uint32_t start, end;
    bool is_copy;
    uint32_t distance; /* from new to old, modulo 2^32 */
};

struct pack_difference {
    struct wry_packing packing;
    struct pack_old old;
    uint32_t taken;    /* bytes of content already in records */
    uint32_t base;     /* flash offset of the segment */
    uint32_t length;   /* bytes of the segment */
    uint32_t distance; /* distance at this point of the stream */
    struct stretch pending;
    size_t fill, given; /* bytes of records filled, and given out */
    uint8_t content[SEGMENT];
    uint8_t records[RECORDS_MOST];
};

/* When the content at at is computed, the board has lost its old content from the start of the job
 * up to this offset. */
static uint32_t lost_to(const struct pack_difference *d, uint32_t at)
{
    const struct wry_packing *packing = &d->packing;
    uint32_t block = at & ~(packing->old_block - 1);
    uint32_t kept = packing->old_history < block ? block - packing->old_history : 0;

    return kept > packing->offset ? kept : packing->offset;
}

static void flush(struct pack_difference *d)
{
    const struct stretch *s = &d->pending;
    uint32_t length = s->end - s->start;
    uint8_t *to = d->records + d->fill;

    if (length == 0)
        return;
    to += wry_difference_put_head(to, s->is_copy, length, (int32_t)(s->distance - d->distance));
    memcpy(to, d->content + s->start, length);
    if (s->is_copy) {
        uint32_t n;
        const uint8_t *old = pack_old_at(&d->old, d->base + s->start + s->distance, &n);
        for (uint32_t i = 0; i < length; i++)
            to[i] = (uint8_t)(to[i] - old[i]);
        d->distance = s->distance;
    }
    d->fill = (size_t)(to + length - d->records);
    d->pending = (struct stretch){0};
}

/* Adds a stretch, joining it with the previous one if it continues it. */
static void put(struct pack_difference *d, const struct stretch *s)
{
    struct stretch *pending = &d->pending;

    if (s->start == s->end)
        return;
    bool joins = pending->end > pending->start && pending->end == s->start &&
                 pending->is_copy == s->is_copy &&
                 (!s->is_copy || pending->distance == s->distance);
    if (joins) {
        pending->end = s->end;
        return;
    }
    flush(d);
    *pending = *s;
}

static void put_literal(struct pack_difference *d, uint32_t start, uint32_t end)
{
    put(d, &(struct stretch){.start = start, .end = end});
}

static bool is_shared(const struct wry_packing *packing, uint32_t at)
{
    return packing->is_shared &&
           packing->is_shared(packing->content.context, at - at % WRY_SECTOR_SIZE);
}

/* Adds a copy; parts that the board will have lost, or that share a sector with other content, go
 * literally. */
static void put_copy(struct pack_difference *d, const struct stretch *s)
{
    for (uint32_t start = s->start; start < s->end;) {
        uint32_t at = d->base + start, source = at + s->distance;
        uint32_t to_boundary = d->packing.old_block - (at & (d->packing.old_block - 1));
        uint32_t n = s->end - start < to_boundary ? s->end - start : to_boundary;
        uint32_t lost = lost_to(d, at);
        bool is_lost = source >= d->packing.offset && source < lost;
        bool before = source < d->packing.offset;
        bool as_it_is = is_lost || is_shared(&d->packing, at);

        if (WRY_SECTOR_SIZE - at % WRY_SECTOR_SIZE < n)
            n = WRY_SECTOR_SIZE - at % WRY_SECTOR_SIZE;
        if (is_lost && lost - source < n)
            n = lost - source;
        else if (before && d->packing.offset - source < n)
            n = d->packing.offset - source;
        put(d, &(struct stretch){.start = start,
                                 .end = start + n,
                                 .is_copy = !as_it_is,
                                 .distance = as_it_is ? 0 : s->distance});
        start += n;
    }
}

/* The old bytes at this distance from start; *n is their number within the segment. */
static const uint8_t *old_beside(const struct pack_difference *d, uint32_t start, uint32_t distance,
                                 uint32_t *n)
{
    const uint8_t *old = pack_old_at(&d->old, d->base + start + distance, n);

    if (*n > d->length - start)
        *n = d->length - start;
    return old;
}

/* The number of bytes from start on that agree with the old ones at this distance. */
static uint32_t agreeing(const struct pack_difference *d, uint32_t start, uint32_t distance)
{
    uint32_t n, i = 0;
    const uint8_t *old = old_beside(d, start, distance, &n);

    while (i < n && old[i] == d->content[start + i])
        i++;
    return i;
}

/* The number of the next length bytes that agree at this distance. */
static uint32_t count_agreeing(const struct pack_difference *d, uint32_t start, uint32_t length,
                               uint32_t distance)
{
    uint32_t n, count = 0;
    const uint8_t *old = old_beside(d, start, distance, &n);

    for (uint32_t i = 0; i < n && i < length; i++)
        count += old[i] == d->content[start + i];
    return count;
}

/* How far a copy from start pays, up to end: agreeing bytes outweigh the others. */
static uint32_t reach_forward(const struct pack_difference *d, uint32_t start, uint32_t end,
                              uint32_t distance)
{
    uint32_t n, best = start;
    int32_t score = 0, most = 0;
    const uint8_t *old = pack_old_at(&d->old, d->base + start + distance, &n);

    for (uint32_t i = 0; i < n && start + i < end; i++) {
        score += old[i] == d->content[start + i] ? 1 : -1;
        if (score > most) {
            most = score;
            best = start + i + 1;
        }
    }
    return best;
}

/* The same backwards from end, not beyond start. */
static uint32_t reach_backward(const struct pack_difference *d, uint32_t start, uint32_t end,
                               uint32_t distance)
{
    uint32_t n, best = end;
    int32_t score = 0, most = 0;
    const uint8_t *old = pack_old_before(&d->old, d->base + end + distance, &n);

    for (uint32_t i = 1; i <= n && i <= end - start; i++) {
        score += *(old - i) == d->content[end - i] ? 1 : -1;
        if (score > most) {
            most = score;
            best = end - i;
        }
    }
    return best;
}

/* Where in [start, end), covered by both copies, the second should take over. */
static uint32_t best_split(const struct pack_difference *d, uint32_t start, uint32_t end,
                           uint32_t first, uint32_t second)
{
    uint32_t n, split = start;
    int32_t score = 0, most = 0;
    const uint8_t *a = pack_old_at(&d->old, d->base + start + first, &n);
    const uint8_t *b = pack_old_at(&d->old, d->base + start + second, &n);

    for (uint32_t i = 0; i < end - start; i++) {
        uint8_t byte = d->content[start + i];
        score += (a[i] == byte) - (b[i] == byte);
        if (score > most) {
            most = score;
            split = start + i + 1;
        }
    }
    return split;
}

/* Ends the current copy before at, where another copy or literal bytes begin. */
static void close_copy(struct pack_difference *d, struct stretch *hand, uint32_t at,
                       const struct stretch *next)
{
    uint32_t end = hand->is_copy ? reach_forward(d, hand->start, at, hand->distance) : hand->start;
    uint32_t begin = next ? reach_backward(d, hand->start, at, next->distance) : at;

    if (next && begin < end)
        begin = end = best_split(d, begin, end, hand->distance, next->distance);
    hand->end = end;
    if (hand->is_copy)
        put_copy(d, hand);
    put_literal(d, end, begin);
    if (next) {
        *hand = *next;
        hand->start = begin;
    }
}

/* True if the content at at continues the current copy; *n bytes of it need no search. */
static bool goes_on(const struct pack_difference *d, const struct stretch *hand, uint32_t at,
                    uint32_t *n)
{
    *n = hand->is_copy ? agreeing(d, at, hand->distance) : 0;
    if (*n >= SURE)
        return true;
    bool like = hand->is_copy && count_agreeing(d, at, AHEAD, hand->distance) >= AHEAD / 2;
    *n += 1;
    return like;
}

static void encode(struct pack_difference *d)
{
    struct stretch hand = {0};
    uint32_t at = 0, n;

    while (at < d->length) {
        if (goes_on(d, &hand, at, &n)) {
            at += n;
            continue;
        }
        struct pack_match match = pack_old_find(&d->old, d->content + at, d->length - at,
                                                d->packing.offset, lost_to(d, d->base + at));
        uint32_t as_before = hand.is_copy ? count_agreeing(d, at, match.length, hand.distance) : 0;
        if (match.length >= as_before + MATCH_LEAST) {
            close_copy(
                d, &hand, at,
                &(struct stretch){.is_copy = true, .distance = match.offset - (d->base + at)});
            at += match.length;
        } else {
            at += STEP;
        }
    }
    close_copy(d, &hand, d->length, NULL);
    flush(d);
}

static bool next_segment(struct pack_difference *d)
{
    const struct wry_packing *packing = &d->packing;
    uint32_t left = packing->length - d->taken;

    d->fill = d->given = 0;
    d->length = left < SEGMENT ? left : SEGMENT;
    d->base = packing->offset + d->taken;
    if (d->length == 0)
        return true;
    uint32_t end = d->base + d->length + PACK_DIFFERENCE_AROUND;
    uint32_t first = lost_to(d, d->base);
    uint32_t from = d->base > PACK_DIFFERENCE_AROUND ? d->base - PACK_DIFFERENCE_AROUND : 0;
    if (d->taken > 0 && from < first && from >= packing->offset)
        from = first;
    pack_old_free(&d->old);
    if (!packing->content.read(packing->content.context, d->taken, d->content, d->length) ||
        !pack_old_gather(&d->old, packing->known, from - from % WRY_SECTOR_SIZE, end))
        return false;
    encode(d);
    d->taken += d->length;
    return true;
}

struct pack_difference *pack_difference_new(const struct wry_packing *packing)
{
    struct pack_difference *d = malloc(sizeof *d);

    if (!d)
        return NULL;
    d->packing = *packing;
    d->old = (struct pack_old){0};
    d->pending = (struct stretch){0};
    d->taken = d->distance = 0;
    d->fill = d->given = 0;
    return d;
}

void pack_difference_read_from(struct pack_difference *d, const struct wry_packing *packing)
{
    d->packing.content = packing->content;
    d->packing.known = packing->known;
    d->packing.is_shared = packing->is_shared;
}

void pack_difference_free(struct pack_difference *d)
{
    if (d)
        pack_old_free(&d->old);
    free(d);
}

uint32_t pack_difference_done(const struct pack_difference *d)
{
    uint64_t part = d->fill > 0 ? (uint64_t)d->length * d->given / d->fill : 0;

    return d->taken - (d->fill > 0 ? d->length : 0) + (uint32_t)part;
}

bool pack_difference_take(struct pack_difference *d, uint8_t *to, size_t room, size_t *given)
{
    if (d->given == d->fill && !next_segment(d))
        return false;
    *given = d->fill - d->given < room ? d->fill - d->given : room;
    memcpy(to, d->records + d->given, *given);
    d->given += *given;
    return true;
}

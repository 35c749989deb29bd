/* Old content in one array, with a suffix array (libdivsufsort). */
#include "old_content.h"

#include <divsufsort.h>
#include <stdlib.h>
#include <string.h>

#include "wrytograph/flash.h"

enum {
    STARTS = 65536,  /* suffixes are indexed by their first two bytes */
    NEIGHBOURS = 8,  /* suffixes examined on both sides */
    COMPARED = 1024, /* bytes compared for a match: longer ones are extended separately */
};

static void add_sector(struct pack_old *old, const struct wry_known *known, uint32_t offset)
{
    struct pack_range *last = old->count > 0 ? &old->ranges[old->count - 1] : NULL;

    if (!known->read(known->context, offset, old->bytes + old->n, WRY_SECTOR_SIZE))
        return;
    if (last && last->offset + last->length == offset) {
        last->length += WRY_SECTOR_SIZE;
    } else {
        old->ranges[old->count++] = (struct pack_range){
            .offset = offset, .at = (uint32_t)old->n, .length = WRY_SECTOR_SIZE};
    }
    old->n += WRY_SECTOR_SIZE;
}

static void count_starts(struct pack_old *old)
{
    for (size_t i = 0; i + 1 < old->n; i++)
        old->by_start[(old->bytes[i] << 8 | old->bytes[i + 1]) + 1]++;
    /* The suffix of one byte sorts before all longer ones that begin with it. */
    if (old->n > 0)
        old->by_start[old->bytes[old->n - 1] << 8]++;
    for (size_t i = 1; i <= STARTS; i++)
        old->by_start[i] += old->by_start[i - 1];
}

bool pack_old_gather(struct pack_old *old, const struct wry_known *known, uint32_t start,
                     uint32_t end)
{
    size_t sectors = (end - start + WRY_SECTOR_SIZE - 1) / WRY_SECTOR_SIZE;

    old->bytes = calloc(1, sectors * WRY_SECTOR_SIZE + 1);
    old->ranges = calloc(sectors + 1, sizeof *old->ranges);
    old->by_start = calloc(STARTS + 1, sizeof *old->by_start);
    if (!old->bytes || !old->ranges || !old->by_start)
        return false;
    for (uint32_t at = start; at < end; at += WRY_SECTOR_SIZE)
        add_sector(old, known, at);
    old->order = malloc((old->n + 1) * sizeof *old->order);
    if (!old->order || divsufsort(old->bytes, old->order, (int)old->n) != 0)
        return old->order && old->n == 0;
    count_starts(old);
    return true;
}

void pack_old_free(struct pack_old *old)
{
    free(old->bytes);
    free(old->ranges);
    free(old->order);
    free(old->by_start);
    *old = (struct pack_old){0};
}

/* The first range that ends after offset, or count. */
static size_t range_after(const struct pack_old *old, uint32_t offset)
{
    size_t low = 0, high = old->count;

    while (low < high) {
        size_t middle = low + (high - low) / 2;
        if (old->ranges[middle].offset + old->ranges[middle].length > offset)
            high = middle;
        else
            low = middle + 1;
    }
    return low;
}

const uint8_t *pack_old_at(const struct pack_old *old, uint32_t offset, uint32_t *n)
{
    size_t i = range_after(old, offset);

    *n = 0;
    if (i == old->count || old->ranges[i].offset > offset)
        return NULL;
    uint32_t within = offset - old->ranges[i].offset;
    *n = old->ranges[i].length - within;
    return old->bytes + old->ranges[i].at + within;
}

const uint8_t *pack_old_before(const struct pack_old *old, uint32_t offset, uint32_t *n)
{
    const uint8_t *last = offset > 0 ? pack_old_at(old, offset - 1, n) : NULL;

    *n = 0;
    if (!last)
        return NULL;
    *n = offset - old->ranges[range_after(old, offset - 1)].offset;
    return last + 1;
}

static size_t common(const uint8_t *a, const uint8_t *b, size_t n)
{
    size_t i = 0;

    while (i < n && a[i] == b[i])
        i++;
    return i;
}

static const struct pack_range *range_of_row(const struct pack_old *old, uint32_t at)
{
    size_t low = 0, high = old->count;

    while (high - low > 1) {
        size_t middle = low + (high - low) / 2;
        if (old->ranges[middle].at <= at)
            low = middle;
        else
            high = middle;
    }
    return &old->ranges[low];
}

struct search {
    const struct pack_old *old;
    const uint8_t *bytes;
    size_t n;
    uint32_t lost_from, lost_to;
    struct pack_match best;
};

/* A match must not extend beyond a range that is contiguous in the flash. */
static void consider(struct search *search, int32_t rest)
{
    uint32_t at = (uint32_t)rest;
    const struct pack_range *range = range_of_row(search->old, at);
    uint32_t offset = range->offset + (at - range->at);
    size_t most = range->at + range->length - at;

    if (offset >= search->lost_from && offset < search->lost_to)
        return;
    size_t length =
        common(search->old->bytes + at, search->bytes, most < search->n ? most : search->n);
    if (length > search->best.length)
        search->best = (struct pack_match){.offset = offset, .length = (uint32_t)length};
}

/* The position at which the bytes would be sorted. */
static uint32_t place_of(const struct search *search, uint32_t low, uint32_t high)
{
    const struct pack_old *old = search->old;

    while (low < high) {
        uint32_t middle = low + (high - low) / 2;
        size_t at = (size_t)old->order[middle];
        size_t most = old->n - at < search->n ? old->n - at : search->n;
        if (memcmp(old->bytes + at, search->bytes, most) < 0)
            low = middle + 1;
        else
            high = middle;
    }
    return low;
}

struct pack_match pack_old_find(const struct pack_old *old, const uint8_t *bytes, size_t n,
                                uint32_t lost_from, uint32_t lost_to)
{
    struct search search = {.old = old,
                            .bytes = bytes,
                            .n = n < COMPARED ? n : COMPARED,
                            .lost_from = lost_from,
                            .lost_to = lost_to};

    if (n < 2 || old->n == 0)
        return search.best;
    uint32_t start = (uint32_t)(bytes[0] << 8 | bytes[1]);
    uint32_t first = old->by_start[start], end = old->by_start[start + 1];
    uint32_t place = place_of(&search, first, end);
    for (uint32_t i = 0; i < NEIGHBOURS && place + i < end; i++)
        consider(&search, old->order[place + i]);
    for (uint32_t i = 1; i <= NEIGHBOURS && place - first >= i; i++)
        consider(&search, old->order[place - i]);
    return search.best;
}

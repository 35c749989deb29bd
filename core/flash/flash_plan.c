/* Plans: placements are sorted and checked, then viewed as spans of sectors. */
#include "wrytograph/plan.h"

#include "wrytograph/flash.h"

static uint32_t end_of(const struct wry_placement *placement)
{
    return placement->offset + placement->length;
}

static void sort_by_offset(struct wry_placement *placements, size_t count)
{
    for (size_t i = 1; i < count; i++) {
        struct wry_placement moved = placements[i];
        size_t at = i;
        for (; at > 0 && placements[at - 1].offset > moved.offset; at--)
            placements[at] = placements[at - 1];
        placements[at] = moved;
    }
}

enum wry_status wry_plan_init(struct wry_plan *plan, struct wry_placement *placements, size_t count,
                              uint32_t flash_size, struct wry_fault *fault)
{
    sort_by_offset(placements, count);
    for (size_t i = 0; i < count; i++) {
        const struct wry_placement *p = &placements[i];
        if (p->length == 0 || p->offset >= flash_size || p->length > flash_size - p->offset) {
            *fault = (struct wry_fault){.status = WRY_BAD_RANGE,
                                        .offset = p->offset,
                                        .length = p->length,
                                        .expected = i,
                                        .found = flash_size};
            return WRY_BAD_RANGE;
        }
        if (i > 0 && end_of(p - 1) > p->offset) {
            uint32_t end = end_of(p - 1) < end_of(p) ? end_of(p - 1) : end_of(p);
            *fault = (struct wry_fault){.status = WRY_OVERLAP,
                                        .offset = p->offset,
                                        .length = end - p->offset,
                                        .expected = i - 1,
                                        .found = i};
            return WRY_OVERLAP;
        }
    }
    plan->placements = placements;
    plan->count = count;
    plan->flash_size = flash_size;
    return WRY_OK;
}

/* Index of the first placement that ends after offset. */
static size_t first_after(const struct wry_plan *plan, uint32_t offset)
{
    size_t low = 0, high = plan->count;

    while (low < high) {
        size_t middle = low + (high - low) / 2;
        if (end_of(&plan->placements[middle]) > offset)
            high = middle;
        else
            low = middle + 1;
    }
    return low;
}

struct part {
    uint32_t start, end;
};

/* The part of the i-th placement within the range; false if it begins after the range. */
static bool part_within(const struct wry_plan *plan, size_t i, uint32_t offset, uint32_t length,
                        struct part *part)
{
    if (i >= plan->count || plan->placements[i].offset >= offset + length)
        return false;
    const struct wry_placement *p = &plan->placements[i];
    part->start = p->offset > offset ? p->offset : offset;
    part->end = end_of(p) < offset + length ? end_of(p) : offset + length;
    return true;
}

uint32_t wry_plan_covered(const struct wry_plan *plan, uint32_t offset, uint32_t length)
{
    uint32_t covered = 0;
    struct part part;

    for (size_t i = first_after(plan, offset); part_within(plan, i, offset, length, &part); i++)
        covered += part.end - part.start;
    return covered;
}

bool wry_plan_overlay(const struct wry_plan *plan, uint32_t offset, uint8_t *bytes, uint32_t length)
{
    struct part part;

    for (size_t i = first_after(plan, offset); part_within(plan, i, offset, length, &part); i++) {
        const struct wry_placement *p = &plan->placements[i];
        if (!p->reader.read(p->reader.context, part.start - p->offset,
                            bytes + (part.start - offset), part.end - part.start))
            return false;
    }
    return true;
}

bool wry_plan_gap(const struct wry_plan *plan, uint32_t offset, uint32_t length, uint32_t *start,
                  uint32_t *end)
{
    uint32_t at = offset; /* everything before it is covered or belongs to the gap */
    struct part part;

    *start = *end = offset;
    for (size_t i = first_after(plan, offset); part_within(plan, i, offset, length, &part); i++) {
        if (part.start > at) {
            *start = *end == offset ? at : *start;
            *end = part.start;
        }
        at = part.end;
    }
    if (at < offset + length) {
        *start = *end == offset ? at : *start;
        *end = offset + length;
    }
    return *end > *start;
}

bool wry_plan_next_span(const struct wry_plan *plan, uint32_t from, struct wry_span *span)
{
    size_t i = first_after(plan, from);

    if (i == plan->count)
        return false;
    uint32_t first = plan->placements[i].offset > from ? plan->placements[i].offset : from;
    span->start = first - first % WRY_SECTOR_SIZE;
    span->end = span->start + WRY_SECTOR_SIZE;
    while (span->end < plan->flash_size && wry_plan_covered(plan, span->end, WRY_SECTOR_SIZE) > 0)
        span->end += WRY_SECTOR_SIZE;
    return true;
}

uint64_t wry_plan_total(const struct wry_plan *plan)
{
    uint64_t total = 0;

    for (size_t i = 0; i < plan->count; i++)
        total += plan->placements[i].length;
    return total;
}

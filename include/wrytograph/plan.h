/*
 * Plans: what goes where, checked before anything is touched.
 *
 * The caller hands in placements, each an offset, a length and a reader that gives its content. The
 * plan sorts and checks them against the flash size, and then answers what the flash has to hold:
 * which sectors are rewritten, in which spans, and which bytes of them are kept neighbours.
 *
 *     struct wry_placement items[] = {{.offset = 0x4000, .length = n, .reader = reader}};
 *     struct wry_plan plan;
 *     struct wry_fault fault;
 *     enum wry_status status = wry_plan_init(&plan, items, 1, flash_size, &fault);
 */
#ifndef WRYTOGRAPH_PLAN_H
#define WRYTOGRAPH_PLAN_H

#include <stdbool.h>
#include <stddef.h>
#include <stdint.h>

#include "wrytograph/reader.h"
#include "wrytograph/status.h"

#ifdef __cplusplus
extern "C" {
#endif

struct wry_placement {
    uint32_t offset; /* flash offset in bytes, at any alignment */
    uint32_t length; /* bytes, not 0 */
    struct wry_reader reader;
    const void *label; /* the caller's own, not used here */
};

struct wry_plan {
    struct wry_placement *placements; /* by rising offset */
    size_t count;
    uint32_t flash_size; /* bytes */
};

/*
 * A stretch of sectors, each of which placements cover at least in part. Where that is not all of a
 * sector, it is mixed: what is not covered must be kept.
 */
struct wry_span {
    uint32_t start, end; /* sector-aligned, bytes */
};

/*
 * Sorts the placements, which stay the caller's and must outlive the plan. WRY_BAD_RANGE: one is
 * empty or ends beyond flash_size (fault: its offset and length, found = flash_size).
 * WRY_OVERLAP: fault.offset and length are the bytes claimed twice, found and expected the indexes
 * of the two placements after sorting.
 */
enum wry_status wry_plan_init(struct wry_plan *plan, struct wry_placement *placements, size_t count,
                              uint32_t flash_size, struct wry_fault *fault);

/* The first span that ends after from; false when there is none. */
bool wry_plan_next_span(const struct wry_plan *plan, uint32_t from, struct wry_span *span);

/* The number of bytes all placements hold. */
uint64_t wry_plan_total(const struct wry_plan *plan);

/* How many bytes of [offset, offset + length) are covered by placements. */
uint32_t wry_plan_covered(const struct wry_plan *plan, uint32_t offset, uint32_t length);

/*
 * The stretch of [offset, offset + length) from the first byte that no placement covers to behind
 * the last such byte. False when all is covered.
 */
bool wry_plan_gap(const struct wry_plan *plan, uint32_t offset, uint32_t length, uint32_t *start,
                  uint32_t *end);

/*
 * Lays the placements' content over bytes, which stand for flash from offset on; what is not
 * covered is left as it is. False when a reader failed.
 */
bool wry_plan_overlay(const struct wry_plan *plan, uint32_t offset, uint8_t *bytes,
                      uint32_t length);

#ifdef __cplusplus
}
#endif

#endif

/*
 * Plans: which content goes where, checked before anything is changed.
 *
 * The caller provides placements: an offset, a length, and a reader for the content. The plan sorts
 * them, checks them against the flash size, and then answers which sectors are rewritten, in which
 * spans, and which bytes of those sectors must be preserved.
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
    const void *label; /* for the caller; not used here */
};

struct wry_plan {
    struct wry_placement *placements; /* sorted by offset */
    size_t count;
    uint32_t flash_size; /* bytes */
};

/*
 * A range of consecutive sectors, each covered by placements at least in part. A sector that is not
 * fully covered is shared: the rest of it must be preserved.
 */
struct wry_span {
    uint32_t start, end; /* flash offsets, multiples of a sector */
};

/*
 * Sorts the placements; they belong to the caller and must outlive the plan. WRY_BAD_RANGE: one is
 * empty or ends beyond flash_size (fault: its offset and length, found = flash_size). WRY_OVERLAP:
 * offset and length of the fault are the bytes claimed twice, expected and found the indexes of the
 * two placements after sorting.
 */
enum wry_status wry_plan_init(struct wry_plan *plan, struct wry_placement *placements, size_t count,
                              uint32_t flash_size, struct wry_fault *fault);

/* Finds the first span that ends after from. False if there is none. */
bool wry_plan_next_span(const struct wry_plan *plan, uint32_t from, struct wry_span *span);

/* The bytes of all placements together. */
uint64_t wry_plan_total(const struct wry_plan *plan);

/* The number of bytes of [offset, offset + length) that placements cover. */
uint32_t wry_plan_covered(const struct wry_plan *plan, uint32_t offset, uint32_t length);

/*
 * The part of [offset, offset + length) from the first to the last byte that no placement covers.
 * False if all of it is covered.
 */
bool wry_plan_gap(const struct wry_plan *plan, uint32_t offset, uint32_t length, uint32_t *start,
                  uint32_t *end);

/*
 * Copies the placements' content over bytes, which hold the flash content from offset on; other
 * bytes are unchanged. False if a reader failed.
 */
bool wry_plan_overlay(const struct wry_plan *plan, uint32_t offset, uint8_t *bytes,
                      uint32_t length);

#ifdef __cplusplus
}
#endif

#endif

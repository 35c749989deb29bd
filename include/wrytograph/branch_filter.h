/*
 * Branch filters: calls in machine code refer to their target by distance, so calls of the same
 * function differ. A filter replaces the distance by the target's offset, which compresses better,
 * and back. Only the fields for a distance change, every value of which is valid, so any content
 * passes through and comes back the same, code or not.
 *
 *     struct wry_branch_filter filter = {.kind = WRY_FILTER_THUMB, .at = offset};
 *     size_t done = wry_branch_filter_run(&filter, bytes, n);
 *
 * Filtered are: RISC-V: JAL to x0 and x1, and AUIPC followed by ADDI, JALR or a load that uses its
 * register; Thumb: BL; ARM: BL; ARM64: BL and ADRP.
 */
#ifndef WRYTOGRAPH_BRANCH_FILTER_H
#define WRYTOGRAPH_BRANCH_FILTER_H

#include <stdbool.h>
#include <stddef.h>
#include <stdint.h>

#ifdef __cplusplus
extern "C" {
#endif

#define WRY_FILTER_AHEAD 8u /* bytes of the longest sequence that is filtered */

enum wry_filter {
    WRY_FILTER_NONE = 0,
    WRY_FILTER_RISCV = 1,
    WRY_FILTER_THUMB = 2,
    WRY_FILTER_ARM = 3,
    WRY_FILTER_ARM64 = 4,
};

struct wry_branch_filter {
    uint8_t kind;  /* enum wry_filter */
    bool restores; /* back to distances */
    uint32_t at;   /* offset of the next instruction, a multiple of 4 at first */
};

/* True if kind is a filter that exists, or none. */
bool wry_branch_filter_exists(uint8_t kind);

/*
 * Filters the n bytes at filter->at in place, and advances that. Returns the number of bytes that
 * are final: all of them but fewer than WRY_FILTER_AHEAD, which the caller puts before the bytes
 * that follow. Those at the end of the content stay as they are.
 */
size_t wry_branch_filter_run(struct wry_branch_filter *filter, uint8_t *bytes, size_t n);

#ifdef __cplusplus
}
#endif

#endif

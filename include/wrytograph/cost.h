/*
 * The cost model of a write: the time that one part takes on the line and in the flash, from
 * typical times of NOR flash at 40 MHz. Real parts take between half and three times as long, and
 * less where the flash is already blank or already holds the content. wry_session_estimate reports
 * one such value for each part of a plan.
 */
#ifndef WRYTOGRAPH_COST_H
#define WRYTOGRAPH_COST_H

#include <stdint.h>

#ifdef __cplusplus
extern "C" {
#endif

/* Consecutive sectors that are written together, and how. */
struct wry_cost_part {
    uint32_t offset, length; /* bytes */
    uint8_t coding;          /* enum wry_coding; 0 = as pages */
    uint32_t erase_unit;     /* bytes of the largest erase command used */
    uint32_t line_bytes;     /* bytes of content sent over the line */
    uint32_t pages;          /* pages programmed, that is, pages that are not blank */
};

struct wry_cost {
    uint64_t line, flash; /* us for the line and for the flash, which work in parallel */
    uint64_t total;
};

#ifdef __cplusplus
}
#endif

#endif

/*
 * What writing costs: how long a part takes, by the line and by the flash.
 *
 * A model with the typical times of NOR flash at 40 MHz. Parts differ: real flash takes between
 * half and three times as long, and where the flash is blank already, or the content is, less is
 * done.
 * wry_session_estimate hands one over for each part of a plan.
 */
#ifndef WRYTOGRAPH_COST_H
#define WRYTOGRAPH_COST_H

#include <stdint.h>

#ifdef __cplusplus
extern "C" {
#endif

/* Sectors that are written in one go, and how. */
struct wry_cost_part {
    uint32_t offset, length; /* bytes */
    uint8_t coding;          /* enum wry_coding; 0 = as pages */
    uint32_t erase_unit;     /* the largest, in bytes */
    uint32_t line_bytes;     /* of content that goes over the line */
    uint32_t pages;          /* that are programmed: those that are not blank */
};

struct wry_cost {
    uint64_t line, flash; /* us each would take alone; both work at the same time */
    uint64_t total;
};

#ifdef __cplusplus
}
#endif

#endif

/*
 * What writing costs: how long a part takes, by the line and by the flash.
 *
 * A model with the typical times of NOR flash at 40 MHz. Parts differ: real flash takes between
 * half and three times as long, and where the flash is blank already, or the content is, less is
 * done.
 *
 *     struct wry_cost_terms terms = {.speed = 921600, .latency = 2000};
 *     struct wry_cost cost = wry_cost_of(&terms, &part);
 *     printf("%.1f s\n", (double)cost.total / 1e6);
 */
#ifndef WRYTOGRAPH_COST_H
#define WRYTOGRAPH_COST_H

#include <stdbool.h>
#include <stdint.h>

#ifdef __cplusplus
extern "C" {
#endif

struct wry_cost_terms {
    uint32_t speed;   /* baud */
    uint64_t latency; /* us from question to answer beyond the line's own time */
};

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

struct wry_cost wry_cost_of(const struct wry_cost_terms *terms, const struct wry_cost_part *part);

#ifdef __cplusplus
}
#endif

#endif

/*
 * One write on a simulated board, by the way that the session chooses or by another one: which of
 * them is the quickest, in virtual time.
 *
 *     struct ways_case one = {.offset = 0x40000, .before = old, .before_length = n,
 *                             .after = new, .length = n, .chip = WRY_CHIP_TURNSTONE_T2,
 *                             .baud = 460800, .latency_ms = 2};
 *     struct ways_result chosen = ways_write(&one, WAY_CHOSEN);
 */
#ifndef WRY_TESTS_WAYS_H
#define WRY_TESTS_WAYS_H

#include <stdbool.h>
#include <stddef.h>
#include <stdint.h>

enum way {
    WAY_CHOSEN,
    WAY_NO_GUESS,     /* without known content */
    WAY_EVERY_SECTOR, /* all is written */
    WAY_LOOK,         /* only the sectors that differ are, unless all of some do */
    WAY_PAGES,        /* nothing is packed */
    WAY_DEFLATE,
    WAYS,
};

struct ways_case {
    uint32_t offset;       /* in a flash of 2 MiB, otherwise blank */
    const uint8_t *before; /* what the board holds there, all of it known */
    uint32_t before_length;
    const uint8_t *after; /* what is written */
    uint32_t length;
    uint16_t chip;
    uint32_t baud;
    unsigned latency_ms;
};

struct ways_result {
    bool written;   /* and right */
    double seconds; /* without connecting */
    unsigned bytes; /* of content on the line */
};

struct ways_result ways_write(const struct ways_case *one, enum way way);

/* Pairs of contents that are no two versions of one program: gaps, text, noise, moved content. */
struct odd_pair {
    const char *name;
    /* Fills both, n bytes each, a multiple of 64 KiB; always the same. */
    void (*make)(uint8_t *before, uint8_t *after, size_t n);
    unsigned percent; /* that the chosen way may take longer than another; 0: as usual */
};

extern const struct odd_pair odd_pairs[];
extern const size_t odd_pair_count;

#endif

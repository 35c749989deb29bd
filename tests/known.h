/*
 * Content that a test claims to know of a board's flash.
 *
 *     struct known known;
 *     known_init(&known, rig->flash_size);
 *     known_add(&known, 0x40000, old, length);
 *     config.known = &known.known;
 */
#ifndef WRY_TESTS_KNOWN_H
#define WRY_TESTS_KNOWN_H

#include "wrytograph/known.h"

struct known {
    struct wry_known known;
    uint32_t size;
    uint8_t *bytes;   /* what may stand in the flash */
    bool *has;        /* of each sector: there is something to know */
    bool *recognised; /* and the board's digest said it is there */
    bool guesses;     /* one that was recognised is enough to believe in all */
    unsigned recognitions;
};

void known_init(struct known *known, uint32_t flash_size);
/* Whole sectors count, those that the range fills. */
void known_add(struct known *known, uint32_t offset, const uint8_t *bytes, size_t n);
void known_free(struct known *known);

#endif

/* Reading flash content: the board's, current or after a plan, that of an archive, or a copy in
 * memory. */
#pragma once

#include "station_problem.h"

struct archive;
struct wry_plan;

/* One of station, archive and bytes is set. */
struct flash_reader {
    struct wry_station *station;
    enum wry_status status;      /* status of a failed read */
    const struct wry_plan *plan; /* read the content after this plan; NULL: the current one */
    const struct archive *archive;
    const uint8_t *bytes; /* content of the whole flash, */
    size_t n;             /* so many */
};

/* Reads n bytes at a flash offset; false if they cannot be read, or the source lacks them. */
bool flash_reader_read(struct flash_reader *reader, uint32_t offset, void *to, size_t n);

/* SHA-256 of a range, computed by the board if the source is one. */
bool flash_reader_digest(struct flash_reader *reader, uint32_t offset, uint32_t length,
                         uint8_t sha256[WRY_SHA256_SIZE]);

/* The problem of a failed read. */
struct wry_problem *flash_reader_fail(const struct flash_reader *reader);

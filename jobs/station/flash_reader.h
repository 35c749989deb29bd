/* The board's flash, as it is or as it would be, or a copy of it, as something to look into. */
#ifndef WRY_JOBS_FLASH_READER_H
#define WRY_JOBS_FLASH_READER_H

#include "station_problem.h"

struct archive;
struct wry_plan;

/* One of station, archive and bytes. */
struct flash_reader {
    struct wry_station *station;
    enum wry_status status;      /* of the session, when a read failed */
    const struct wry_plan *plan; /* as this would leave the board; NULL: as it is */
    const struct archive *archive;
    const uint8_t *bytes; /* all of the flash, */
    size_t n;             /* so many */
};

/* n bytes at a flash offset; false when they cannot be read, or a copy has them not. */
bool flash_reader_read(struct flash_reader *reader, uint32_t offset, void *to, size_t n);

/* SHA-256 of a range, by the board itself where there is one. */
bool flash_reader_digest(struct flash_reader *reader, uint32_t offset, uint32_t length,
                         uint8_t sha256[WRY_SHA256_SIZE]);

/* The problem of a failed read. */
struct wry_problem *flash_reader_fail(const struct flash_reader *reader);

#endif

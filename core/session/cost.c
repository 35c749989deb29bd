/* The cost model. */
#include "session_inner.h"

#include "wrytograph/message.h"

/* Typical times, us. */
enum {
    PROGRAM_PAGE = 400,
    ERASE_4K = 45000,
    ERASE_32K = 120000,
    ERASE_64K = 150000,
};

enum {
    SPI_BYTES_PER_US = 5, /* 40 MHz */
    FRAME_BYTES = 50,     /* extra bytes per frame: header, FCS, flags and escapes */
    REQUESTS_BYTES = 160, /* bytes of an erase and a digest request with their answers */
};

/* Uses the largest units first, where they are whole and aligned, then smaller ones. */
static uint64_t erase_time(uint32_t offset, uint32_t length, uint32_t unit)
{
    uint64_t time = 0;

    for (uint32_t at = offset, end = offset + length, n; at < end; at += n) {
        uint32_t left = end - at;
        if (unit >= 0x10000 && at % 0x10000 == 0 && left >= 0x10000) {
            n = 0x10000;
            time += ERASE_64K;
        } else if (unit >= 0x8000 && at % 0x8000 == 0 && left >= 0x8000) {
            n = 0x8000;
            time += ERASE_32K;
        } else {
            n = WRY_SECTOR_SIZE;
            time += ERASE_4K;
        }
    }
    return time;
}

/* Avoids 64-bit division, which small processors do in software. */
static uint64_t line_time(uint32_t bytes, uint32_t speed)
{
    uint32_t byte_ns = UINT32_C(1000000000) / (speed / 10);

    return (uint64_t)(bytes / 1000) * byte_ns + bytes % 1000 * byte_ns / 1000;
}

struct wry_cost session_cost_of(const struct session_cost_terms *terms,
                                const struct wry_cost_part *part)
{
    uint32_t bytes = part->line_bytes + part->line_bytes / FRAME_BYTES;
    /* Each page is transferred to the flash and read back once; so is old content that differences
     * refer to. */
    uint32_t transferred = part->pages * WRY_PAGE_SIZE + part->length;
    struct wry_cost cost = {.line = line_time(bytes, terms->speed)};

    if (part->coding == WRY_CODING_DIFFERENCE)
        transferred += part->length;
    cost.flash = erase_time(part->offset, part->length, part->erase_unit) +
                 (uint64_t)part->pages * PROGRAM_PAGE + transferred / SPI_BYTES_PER_US;
    cost.total = cost.line > cost.flash ? cost.line : cost.flash;
    cost.total += line_time(REQUESTS_BYTES, terms->speed) + 3 * terms->latency;
    return cost;
}

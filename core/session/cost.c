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
    FRAME_BYTES = 50,     /* that cost one more: heads, check sums, flags and what is escaped */
    REQUESTS_BYTES = 160, /* of an erase and a digest with their answers */
};

/* Largest units first, as far as they are whole and aligned; then what is left in smaller ones. */
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

/* Without division of 64 bits, which small processors have to be taught. */
static uint64_t line_time(uint32_t bytes, uint32_t speed)
{
    uint32_t byte_ns = UINT32_C(1000000000) / (speed / 10);

    return (uint64_t)(bytes / 1000) * byte_ns + bytes % 1000 * byte_ns / 1000;
}

struct wry_cost session_cost_of(const struct session_cost_terms *terms,
                                const struct wry_cost_part *part)
{
    uint32_t bytes = part->line_bytes + part->line_bytes / FRAME_BYTES;
    /* Each page goes to the flash and comes back once; old content that is built upon, too. */
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

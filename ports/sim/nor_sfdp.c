/* The SFDP tables of a NOR flash die, JESD216D. */
#include <string.h>

#include "bytes/fields.h"
#include "nor_die.h"
#include "wrytograph/bytes.h"

#define SIGNATURE UINT32_C(0x50444653) /* "SFDP", section 6.2 */

enum {
    MAP = 0x90,   /* sector map, section 6.5 */
    BASIC = 0x30, /* offset of the basic table, section 6.4 */
    BASIC_WORDS = 16,
    LONG = 0x80, /* four-byte address instructions, section 6.7 */
    LONG_WORDS = 2,
    MAP_WORDS = 3,
    SIZE = 0xA0,
    SHORT_REACH = 24, /* log2 of the bytes that three address bytes reach */
};

static void put_header(uint8_t *to, uint16_t id, unsigned words, uint32_t offset)
{
    bytes_put32(to, (uint32_t)(id & 0xFF) | UINT32_C(6) << 8 | UINT32_C(1) << 16 |
                        (uint32_t)words << 24);
    bytes_put32(to + 4, offset | (uint32_t)(id >> 8) << 24);
}

static void put_word(uint8_t *table, unsigned n, uint32_t value)
{
    bytes_put32(table + 4 * (n - 1), value);
}

/* An erase type as log2 of its size and command; zeros for none. */
static uint32_t type(unsigned log2, uint8_t command, bool lacks)
{
    return lacks ? 0 : log2 | (uint32_t)command << 8;
}

static unsigned log2_of(uint32_t value)
{
    unsigned log2 = 0;

    while (UINT32_C(1) << (log2 + 1) <= value)
        log2++;
    return log2;
}

/* One map with two regions: sectors and large units up to fine_end, then only large units. */
static void put_map(const struct sim_nor_die *die, uint8_t *table)
{
    uint32_t fine = die->part.fine_end / 256, rest = die->size / 256 - fine;

    put_word(table, 1, UINT32_C(0x00010003));
    put_word(table, 2, (fine - 1) << 8 | 1 << 0 | 1 << 2);
    put_word(table, 3, (rest - 1) << 8 | 1 << 2);
}

static void put_basic(const struct sim_nor_die *die, uint8_t *table, bool wide)
{
    unsigned log2 = die->told + 3u; /* log2 of the bits */
    uint32_t addresses = wide ? UINT32_C(1) << 17 : 0;

    uint32_t dual = die->part.lines >= 2, quad = die->part.lines >= 4;

    put_word(table, 1,
             (die->part.lacks_4k ? 0xFFE7u : 0x20E5u) | addresses | dual << 16 | quad << 22);
    put_word(table, 3, quad ? UINT32_C(0x6B08) << 16 : 0);
    put_word(table, 4, dual ? 0x3B08 : 0);
    put_word(table, 2, log2 < 32 ? (UINT32_C(1) << log2) - 1 : UINT32_C(0x80000000) | log2);
    if (die->part.no_types)
        return;
    const struct sim_nor_part *part = &die->part;
    unsigned large = part->large_log2 > 0 ? part->large_log2 : 16u;
    put_word(table, 8,
             type(12, part->clashes ? 0xD8 : 0x20, part->lacks_4k) | type(15, 0x52, part->lacks_32k)
                                                                         << 16);
    put_word(table, 9, type(large, 0xD8, part->lacks_64k));
    put_word(table, 11, (uint32_t)log2_of(part->page > 0 ? part->page : 256u) << 4);
    put_word(table, 14, part->by_flag ? 1 << 3 : 1 << 2);
    put_word(table, 15, part->two_registers ? 1 << 20 : 0);
    put_word(table, 16, wide && die->part.by_mode ? UINT32_C(1) << 24 : 0);
}

static void put_long(const struct sim_nor_die *die, uint8_t *table)
{
    uint32_t has = 1 << 0 | 1 << 1 | 1 << 6;

    has |= die->part.lines >= 2 ? 1 << 2 : 0;
    has |= die->part.lines >= 4 ? 1 << 4 | 1 << 7 : 0;
    has |= die->part.lacks_4k ? 0 : 1 << 9;
    has |= die->part.lacks_32k ? 0 : 1 << 10;
    has |= die->part.lacks_64k ? 0 : 1 << 11;
    put_word(table, 1, has);
    put_word(table, 2, 0x21u | 0x5Cu << 8 | 0xDCu << 16);
}

void sim_nor_die_describe(const struct sim_nor_die *die, uint32_t address, uint8_t *to, size_t n)
{
    bool wide = die->told > SHORT_REACH, own = wide && !die->part.by_mode;
    bool mapped = die->part.fine_end > 0;
    uint32_t more = (own ? 1u : 0u) + (mapped ? 1u : 0u); /* number of headers after the first */
    uint8_t all[SIZE];

    memset(all, 0xFF, sizeof all);
    bytes_put32(all, SIGNATURE);
    bytes_put32(all + 4, UINT32_C(0xFF000106) | more << 16);
    put_header(all + 8, 0xFF00, BASIC_WORDS, BASIC);
    memset(all + BASIC, 0, (size_t)4 * BASIC_WORDS);
    put_basic(die, all + BASIC, wide);
    if (own) {
        put_header(all + 16, 0xFF84, LONG_WORDS, LONG);
        put_long(die, all + LONG);
    }
    if (mapped) {
        put_header(all + (own ? 24 : 16), 0xFF81, MAP_WORDS, MAP);
        put_map(die, all + MAP);
    }
    for (size_t i = 0; i < n; i++)
        to[i] = address + i < sizeof all ? all[address + i] : 0xFF;
}
